"""olive-crate export: a dataset for others, with what is known of its variables."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, where_option
from .options import reading
from .screen import progress, show, show_json, width

to_table_option = Annotated[
    str | None, typer.Option("--to-table", help="Table of a database to write.", metavar="NAME")
]
labels_option = Annotated[
    bool, typer.Option("--labels", help="Write labels in place of the values they stand for.")
]
to_delimiter_option = Annotated[
    str | None,
    typer.Option(
        "--to-delimiter", help="Delimiter to write: one character, or tab.", metavar="MARK"
    ),
]
to_decimal_option = Annotated[
    str | None, typer.Option("--to-decimal", help="Decimal mark to write.", metavar="MARK")
]
to_encoding_option = Annotated[
    str, typer.Option("--to-encoding", help="Encoding to write.", metavar="NAME")
]
formulas_option = Annotated[
    str | None,
    typer.Option(help="Texts that a spreadsheet would take for formulas: as is, or quoted."),
]
places_option = Annotated[
    str | None,
    typer.Option("--places", help="Layout table for fixed-width text."),
]
cells_option = Annotated[
    str | None,
    typer.Option("--missing-as", help="Write missing cells as codes, null or reasons."),
]
metadata_option = Annotated[
    str | None, typer.Option(help="Metadata standards to write as well: csvw, ddi or csvw,ddi.")
]
MARKS = {"comma": ",", "semicolon": ";", "tab": "\t", "pipe": "|", "space": " "}


@reading
def export(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    output: Annotated[
        str,
        typer.Argument(
            help="File to write: .csv, .tsv, .txt, .xlsx, .arrow, .parquet or .db; or a database."
        ),
    ],
    cells: cells_option = None,
    metadata: metadata_option = None,
    places: places_option = None,
    to_table: to_table_option = None,
    labels: labels_option = False,
    to_delimiter: to_delimiter_option = None,
    to_decimal: to_decimal_option = None,
    to_encoding: to_encoding_option = "utf-8",
    formulas: formulas_option = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite existing files.")] = False,
    as_json: Annotated[
        bool, typer.Option("--json", help="Print what was written as JSON.")
    ] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Write a dataset as text, workbook, Arrow, Parquet or table.

    Its codebook is written beside it.
    """
    from ..api.reading import dictionary
    from ..show.text import wrapped

    dataset = dataset_of(source, options or {}, where)
    with progress("writing"):
        made = dataset.export(
            output,
            fields=None if places is None else dictionary(places),
            missing=cells,
            metadata=None if metadata is None else [each.strip() for each in metadata.split(",")],
            table=to_table,
            encoding=to_encoding,
            delimiter=MARKS.get(to_delimiter or "", to_delimiter),
            decimal=to_decimal,
            labels=labels,
            formulas=formulas,
            replace=replace,
        )
    if as_json:
        show_json({"files": list(made.files), "notes": list(made.notes)})
        return
    for line in str(made).splitlines():
        show("\n".join(wrapped(line, width(), "    ")))
