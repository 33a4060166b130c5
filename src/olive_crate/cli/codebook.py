"""olive-crate codebook: the table of variables."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .options import reading, source_of
from .screen import progress, show, show_json, width


@reading
def codebook(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variable: Annotated[
        str | None, typer.Option("--variable", help="All about this variable (or a run: a..c).")
    ] = None,
    everything: Annotated[bool, typer.Option("--all", help="However many there are.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="The same for machines.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Print what each variable is and what its cells hold."""
    from ..checks.booktext import codebook_text, entry_text
    from ..checks.codebook import Codebook

    dataset = _dataset(source, options or {})
    if variable is not None:
        dataset = dataset.keep(variable)
    book: Codebook = dataset.codebook()
    if as_json:
        show_json(book.to_dict())
    elif variable is not None:
        show("\n\n".join(entry_text(entry, width()) for entry in book))
    else:
        show(codebook_text(book, width(), len(book) if everything else 60))


def _dataset(source: str, options: dict[str, Any]) -> Any:
    if source.endswith(".parquet"):
        from ..errors import PlanError
        from ..formats.packed import unpack

        if options:
            raise PlanError(f"{source}: a packed dataset is read already; it takes no options")
        return unpack(source)
    from ..loading import load

    with progress("reading") as bar:
        return load(source_of(source, options), progress=bar, **options)
