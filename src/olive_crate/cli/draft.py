"""olive-crate draft: write down how a file would be read."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .options import reading, source_of
from .screen import progress, show, show_json, show_lines, width


@reading
def draft(
    source: Annotated[str, typer.Argument(help="A file, a URL, a plan, or - for standard input.")],
    output: Annotated[
        Path | None, typer.Option("--output", "-o", help="Write the plan to this file.")
    ] = None,
    replace: Annotated[
        bool, typer.Option("--replace", help="Write over an existing file.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="The same for machines.")] = False,
    code: Annotated[bool, typer.Option("--code", help="As Python text instead.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Look through the whole file and write a plan, with the evidence as comments."""
    from ..formats.packed import checked_target
    from ..loading import draft as draft_plan
    from ..looktext import evidence_lines
    from ..plantext import plan_mapping, plan_text
    from ..words import several
    from ..writing import write_whole

    target = checked_target(output, replace) if output else None
    with progress("looking through") as bar:
        plan = draft_plan(source_of(source, options or {}), progress=bar, **(options or {}))
    if as_json:
        text = None
        show_json(plan_mapping(plan))
    else:
        folder = target.parent if target else Path()
        text = plan.code() if code else plan_text(plan, folder)
    if text is not None and target is None:
        show(text.rstrip("\n"))
    elif text is not None and target is not None:
        write_whole(target, text.encode("utf-8"))
        show(f"wrote {target}: {several(len(plan.variables), 'variable')}")
        show_lines(evidence_lines([each for each in plan.evidence if not each.certain], width()))
