"""olive-crate pack: read a file and save it once, to reopen fast."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from .options import reading, sources_argument, sources_of
from .screen import progress, show, show_json, width

if TYPE_CHECKING:
    from ..dataset.receipt import Receipt
    from ..dataset.update import Update


@reading
def pack(
    source: sources_argument,
    output: Annotated[
        str | None,
        typer.Option(
            "--output",
            "-o",
            help="Parquet file to write, or a folder for a set (default: beside the source).",
            metavar="TARGET",
        ),
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite what is there.")] = False,
    by: Annotated[
        str | None,
        typer.Option(
            "--by", help="Parts of a set: file, a number of rows, or variables: year,grove."
        ),
    ] = None,
    update: Annotated[
        bool, typer.Option("--update", help="Read new and changed files into a packed set.")
    ] = False,
    forget_gone: Annotated[
        bool,
        typer.Option("--forget-gone", help="With --update: drop parts of files gone."),
    ] = False,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Only tell what --update would do.")
    ] = False,
    cluster: Annotated[
        str | None,
        typer.Option("--cluster", help="Address of a Dask cluster, or local.", metavar="ADDRESS"),
    ] = None,
    everything: Annotated[
        bool, typer.Option("--all", help="Show all variables and problems in the receipt.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print the receipt as JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Read a file or a set of files into a packed dataset.

    Prints the receipt.
    """
    from ..api.reading import pack as pack_file

    given = options or {}
    what = sources_of(source, given)
    target = output or _beside(what, source)
    how: dict[str, Any] = {"replace": replace, "by": _by(by), "cluster": cluster}
    how |= {"update": update, "forget_gone": forget_gone, "dry_run": dry_run}
    with progress("packing") as bar:
        made = pack_file(what, target, progress=bar, **how, **given)
    _told(made, str(target), as_json, everything)


def _told(made: Receipt | Update, target: str, as_json: bool, everything: bool) -> None:
    """Print what was packed; a broken promise ends with status 3."""
    from ..dataset.update import Update
    from ..show.receipt import receipt_text
    from ..show.set_words import update_text

    receipt = made.receipt if isinstance(made, Update) else made
    if as_json:
        show_json(made.to_dict())
    if isinstance(made, Update) and not as_json:
        show(update_text(made, width()))
    if receipt is not None and not as_json:
        show(receipt_text(receipt, width(), everything))
        show(f"packed into {target}")
    if receipt is not None and not receipt.promises_kept:
        raise typer.Exit(3)


def _by(text: str | None) -> Any:
    """What a set is to be divided by, from a word."""
    if text is None or text == "file":
        return None
    return int(text) if text.isdigit() else [part.strip() for part in text.split(",")]


def _beside(what: Any, sources: list[str]) -> Path:
    """The packed file's name, from the source's."""
    from ..api.plan import Plan
    from ..errors import PlanError
    from ..sources.opening import is_set

    named = what.source_path() if isinstance(what, Plan) else what
    if is_set(named):
        raise PlanError("no single file to name the packed one after; use --output FOLDER")
    path = str(named) if isinstance(what, Plan) else sources[0]
    if sources[0] == "-" or "://" in path:
        raise PlanError("no local file to name the packed file after; use --output FILE.parquet")
    stem = Path(path)
    while stem.suffix.lower() in (".gz", ".bz2", ".xz", ".zst", ".zip"):
        stem = stem.with_suffix("")
    return stem.with_suffix(".parquet")
