"""olive-crate codebook: the table of variables."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .datasets import dataset_of, where_option
from .options import reading
from .screen import progress, show, show_json, width


@reading
def codebook(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variable: Annotated[
        str | None,
        typer.Option("--variable", help="Show everything about this variable (or a run: a..c)."),
    ] = None,
    everything: Annotated[bool, typer.Option("--all", help="Show all variables.")] = False,
    output: Annotated[
        Path | None,
        typer.Option(
            "--output",
            "-o",
            help="Write to this file: .md, .csv, .json, or .xml for DDI.",
            metavar="FILE",
        ),
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing file.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show what each variable is and what its cells hold."""
    from ..describe.codebook import Codebook
    from ..show.codebook import codebook_text, entry_text

    dataset = dataset_of(source, options or {}, where)
    with progress("describing") as bar:
        book: Codebook = dataset.codebook("*" if variable is None else variable, progress=bar)
    if output is not None:
        _write(dataset, book, output, Path(source).name, replace)
        return
    if as_json:
        show_json(book.to_dict())
    elif variable is not None:
        show("\n\n".join(entry_text(entry, width()) for entry in book))
    else:
        show(codebook_text(book, width(), len(book) if everything else 60))


def _write(dataset: Any, book: Any, output: Path, source: str, replace: bool) -> None:
    from ..errors import PlanError, nearest
    from ..formats.ddi import ddi_text
    from ..formats.exporting import write_all

    kinds = (".md", ".csv", ".json", ".xml")
    kind = output.suffix.lower()
    notes: list[str] = []
    if kind == ".xml":
        text, notes = ddi_text(dataset, source)
    elif kind in kinds:
        text = {".md": book.to_markdown, ".csv": book.to_csv, ".json": book.to_json}[kind]()
    else:
        raise PlanError(f'{output}: a codebook cannot be written as "{kind}"{nearest(kind, kinds)}')
    write_all(output, {output: text.encode("utf-8")}, replace)
    show("\n".join([f"wrote {output}", *notes]))
