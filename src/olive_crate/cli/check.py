"""olive-crate check: what looks wrong in a dataset."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of
from .options import reading
from .screen import show, show_json, width


@reading
def check(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    fail_on: Annotated[
        str | None,
        typer.Option(
            help="Exit with status 3 for a finding this severe: serious, doubtful or note."
        ),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Print what looks wrong, with the evidence and what would mend it."""
    from ..checks.findings import SEVERITIES
    from ..errors import PlanError, nearest
    from ..show.findings import findings_text

    if fail_on is not None and fail_on not in SEVERITIES:
        raise PlanError(
            f'--fail-on: there is no severity "{fail_on}"{nearest(fail_on, SEVERITIES)}'
        )
    findings = dataset_of(source, options or {}).check()
    if as_json:
        show_json(findings.to_dict())
    else:
        show(findings_text(findings, width()))
    if fail_on is not None:
        failing = SEVERITIES[: SEVERITIES.index(fail_on) + 1]
        if any(each.severity in failing for each in findings):
            raise typer.Exit(3)
