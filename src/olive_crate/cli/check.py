"""olive-crate check: what looks wrong in a dataset."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, picture_option, where_option
from .options import reading
from .screen import progress, show, show_json, width


@reading
def check(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    fail_on: Annotated[
        str | None,
        typer.Option(
            help="Exit with status 3 for a finding this severe: serious, note or doubtful."
        ),
    ] = None,
    doubtful: Annotated[
        bool, typer.Option("--doubtful", help="Show doubtful findings in full, too.")
    ] = False,
    picture: picture_option = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show what looks wrong, the evidence and the fix.

    Exits with 3 if a promise is broken.
    """
    from ..checks.findings import SEVERITIES
    from ..errors import PlanError, nearest, several
    from ..show.findings import findings_text

    if fail_on is not None and fail_on not in SEVERITIES:
        raise PlanError(
            f'--fail-on: there is no severity "{fail_on}"{nearest(fail_on, SEVERITIES)}'
        )
    given = dict(options or {})
    ignored = given.pop("ignore", None)
    dataset = dataset_of(source, given, where)
    with progress("checking") as bar:
        findings = dataset.check(ignored, progress=bar)
    if picture is not None:
        from ..show.pictures.findings import draw_findings

        drawn, others = draw_findings(dataset, findings, picture)
        more = f"; {several(others, 'other')} cannot be drawn" if others else ""
        show(f"wrote {picture} with {several(drawn, 'finding')}{more}")
    elif as_json:
        show_json(findings.to_dict())
    else:
        show(findings_text(findings, width(), doubtful=doubtful))
    if fail_on is not None:
        failing = SEVERITIES[: SEVERITIES.index(fail_on) + 1]
        if any(each.severity in failing for each in findings):
            raise typer.Exit(3)
