"""olive-crate export: a dataset for others, with what is known of its variables."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .datasets import dataset_of
from .options import reading
from .screen import show, show_json, width


@reading
def export(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    output: Annotated[
        Path, typer.Argument(help="The file: .csv, .tsv, .txt, .xlsx, .arrow or .parquet.")
    ],
    cells: Annotated[
        str | None,
        typer.Option("--missing-as", help="Missing cells: codes, null or reasons."),
    ] = None,
    metadata: Annotated[
        str | None, typer.Option(help="Standards to write beside it: csvw, ddi or csvw,ddi.")
    ] = None,
    places: Annotated[
        str | None,
        typer.Option("--places", help="Fixed-width text: a layout table for what is written."),
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Write over existing files.")] = False,
    as_json: Annotated[
        bool, typer.Option("--json", help="What was written, for machines.")
    ] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Write a dataset as text, workbook, Arrow or Parquet, and its codebook beside it."""
    from ..dictionaries import dictionary
    from ..formats.exporting import export as export_dataset
    from ..words import wrapped

    dataset = dataset_of(source, options or {})
    made = export_dataset(
        dataset,
        output,
        fields=None if places is None else dictionary(places),
        missing=cells,
        metadata=None if metadata is None else [each.strip() for each in metadata.split(",")],
        replace=replace,
    )
    if as_json:
        show_json({"files": list(made.files), "notes": list(made.notes)})
        return
    for line in str(made).splitlines():
        show("\n".join(wrapped(line, width(), "    ")))
