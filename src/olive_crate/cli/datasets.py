"""The dataset that a command works on: packed, or read now."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from .options import source_of
from .screen import progress

if TYPE_CHECKING:
    from ..dataset.receipt import Receipt

broken: list[str] = []
"""Sources that break a promise: the command then exits with status 3."""

variables_option = Annotated[
    list[str] | None, typer.Argument(help="Variables, runs (a..c) or patterns (default: all).")
]
where_option = Annotated[
    str | None,
    typer.Option(
        "--where",
        help="Take only the cases for which this holds: 'acid > 0.8 and grove is not missing'.",
        metavar="CONDITION",
    ),
]
picture_option = Annotated[
    Path | None,
    typer.Option("--picture", help="Draw a picture to this PNG, SVG or PDF file.", metavar="FILE"),
]


def dataset_of(source: str, options: dict[str, Any], where: str | None = None) -> Any:
    """A packed dataset, or the source of a file or plan, loaded; all cases, or those wanted."""
    made = _opened(source, options)
    return made if where is None else made.filter(where)


def _opened(source: str, options: dict[str, Any]) -> Any:
    from ..formats.unpacking import is_packed

    if is_packed(source):
        from ..api.reading import unpack
        from ..errors import PlanError

        if {*options} - {"trust"}:
            raise PlanError(f"{source}: a packed dataset takes no reading options")
        return unpack(source, trust=options.get("trust", ()))
    from ..api.reading import load

    with progress("reading") as bar:
        made = load(source_of(source, options), progress=bar, **options)
    if not made.receipt.promises_kept:
        _tell(made.receipt)
    return made


def _tell(receipt: Receipt) -> None:
    """Name broken promises; the command goes on, and exits with status 3 in the end."""
    from ..show.text import cleaned

    for each in receipt.promises:
        if not each.kept:
            typer.echo(f"olive-crate: {cleaned(str(each))}", err=True)
    broken.append(receipt.source)
