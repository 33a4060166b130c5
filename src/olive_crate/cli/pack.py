"""olive-crate pack: read a file and save it once, to reopen fast."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .options import reading, source_of
from .screen import progress, show, show_json, width


@reading
def pack(
    source: Annotated[str, typer.Argument(help="A file, a URL, a plan, or - for standard input.")],
    output: Annotated[
        Path | None,
        typer.Option("--output", "-o", help="Parquet file to write (default: beside the source)."),
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing file.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print the receipt as JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Read a file into a packed dataset (one Parquet file), and print the receipt."""
    from ..api.reading import pack as pack_file
    from ..show.receipt import receipt_text

    what = source_of(source, options or {})
    target = output or _beside(what, source)
    with progress("packing") as bar:
        receipt = pack_file(what, target, replace=replace, progress=bar, **(options or {}))
    if as_json:
        show_json(receipt.to_dict())
    else:
        show(receipt_text(receipt, width()))
        show(f"packed into {target}")
    if not receipt.promises_kept:
        raise typer.Exit(3)


def _beside(what: Any, source: str) -> Path:
    """The packed file's name, from the source's."""
    from ..api.plan import Plan
    from ..errors import PlanError

    path = str(what.source_path()) if isinstance(what, Plan) else source
    if source == "-" or "://" in path:
        raise PlanError("no local file to name the packed file after; use --output FILE.parquet")
    stem = Path(path)
    while stem.suffix.lower() in (".gz", ".bz2", ".xz", ".zst", ".zip"):
        stem = stem.with_suffix("")
    return stem.with_suffix(".parquet")
