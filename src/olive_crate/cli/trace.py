"""olive-crate trace: how one cell came from its source."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of
from .options import reading
from .screen import show, show_json, width


@reading
def trace(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variable: Annotated[str, typer.Argument(help="The variable.", metavar="NAME")],
    row: Annotated[
        str,
        typer.Argument(
            help="The row of the source, as an editor counts it; the key of a database's case."
        ),
    ],
    file: Annotated[
        str | None, typer.Option("--file", help="The file of a set that the row is in.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Show where one cell came from, step by step.

    Shows its row with the cell marked, each step that was applied, and the value.
    """
    from ..reading.tracing import trace as traced
    from ..show.trace import trace_text

    made = traced(dataset_of(source, options or {}), variable, _place(row), None, file)
    if as_json:
        show_json(made.to_dict())
    else:
        show(trace_text(made, width()))


def _place(text: str) -> int | str:
    return int(text) if text.isdigit() else text
