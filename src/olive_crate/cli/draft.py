"""olive-crate draft: write down how a file would be read."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .options import reading, sources_argument, sources_of
from .screen import progress, show, show_file, show_json, show_lines, width


@reading
def draft(
    source: sources_argument,
    output: Annotated[
        Path | None, typer.Option("--output", "-o", help="Write the plan to this file.")
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing file.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    code: Annotated[bool, typer.Option("--code", help="Print Python code.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Write a plan: how to read a file, with the evidence.

    Examines the whole file.
    """
    from ..api.reading import draft as draft_plan
    from ..errors import several
    from ..plan.ownership import remember_plan
    from ..plan.toml_write import tables_of
    from ..show.look import evidence_lines
    from ..sources.writing import checked_target, write_whole

    target = checked_target(output, replace) if output else None
    with progress("looking through") as bar:
        plan = draft_plan(sources_of(source, options or {}), progress=bar, **(options or {}))
    if as_json:
        show_json(tables_of(plan))
        return
    text = plan.code() if code else plan.text(target.parent if target else Path())
    if target is None:
        show_file(text.rstrip("\n"))
        return
    write_whole(target, text.encode("utf-8"))
    remember_plan(plan, target, text.encode("utf-8"))
    show(f"wrote {target}: {several(len(plan.variables), 'variable')}")
    show_lines(evidence_lines([each for each in plan.evidence if not each.certain], width()))
