"""The dataset that a command works on: packed, or read now."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from .options import source_of
from .screen import progress

if TYPE_CHECKING:
    from ..receipt import Receipt

unmet: list[str] = []
"""Sources whose data are not as expected: the command then exits with 3."""

variables_option = Annotated[
    list[str] | None, typer.Argument(help="Variables, runs (a..c) or patterns; else all.")
]
picture_option = Annotated[
    Path | None,
    typer.Option("--picture", help="Draw it to a PNG, SVG or PDF file.", metavar="FILE"),
]


def dataset_of(source: str, options: dict[str, Any]) -> Any:
    """A packed dataset, or the source of a file or plan, loaded."""
    if source.endswith(".parquet"):
        from ..errors import PlanError
        from ..formats.packed import unpack

        if options:
            raise PlanError(f"{source}: a packed dataset is read already; it takes no options")
        return unpack(source)
    from ..loading import load

    with progress("reading") as bar:
        made = load(source_of(source, options), progress=bar, **options)
    if not made.receipt.met:
        _tell(made.receipt)
    return made


def _tell(receipt: Receipt) -> None:
    """Say what was expected and is not so; the command goes on, and exits with 3 in the end."""
    for each in receipt.expectations:
        if not each.met:
            typer.echo(f"olive-crate: {each}", err=True)
    unmet.append(receipt.source)
