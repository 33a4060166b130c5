"""Writing a dataset for others: the data, and beside it what is known of the variables."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from ..columns.cell_texts import checked_way
from ..errors import PlanError, nearest
from ..sources.addresses import is_database
from ..sources.writing import give_up, put_in_place, temporary_beside, writing
from .beside import DDI, beside, check_unedited, sealed

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

DELIMITERS = {".csv": ",", ".tsv": "\t", ".tab": "\t"}
FIXED = (".txt", ".dat", ".asc")
STANDARDS = ("csvw", "ddi")
KINDS = (*DELIMITERS, *FIXED, ".xlsx", ".arrow", ".parquet")
Files = dict[Path, bytes | Callable[[Path], None]]
"""The files to be written, each with its bytes or what writes it."""


class Exported(msgspec.Struct, frozen=True):
    """What was written, the data first, and what it could not carry."""

    files: tuple[str, ...]
    notes: tuple[str, ...] = ()

    def __str__(self) -> str:
        return "\n".join([*(f"wrote {each}" for each in self.files), *self.notes])


def export(
    dataset: PlainDataset,
    path: Any,
    *,
    fields: Any = None,
    missing: str | None = None,
    encoding: str = "utf-8",
    delimiter: str | None = None,
    decimal: str | None = None,
    labels: bool = False,
    metadata: str | Sequence[str] | None = None,
    table: str | None = None,
    formulas: str | None = None,
    replace: bool = False,
) -> Exported:
    """See `Dataset.export`."""
    if labels:
        from .labelled import with_labels

        dataset = with_labels(dataset)
    if is_database(path):
        return Exported(*_to_database(dataset, path, table, missing, replace))
    if table is not None:
        raise PlanError(f"{path}: table applies only to databases")
    target = Path(path)
    kind = target.suffix.lower()
    _check(target, kind, fields=fields, delimiter=delimiter, formulas=formulas)
    marks = _marks(target, kind, delimiter, decimal)
    way = checked_way(missing or ("null" if kind in (".arrow", ".parquet") else "codes"))
    standards = _standards(metadata, kind)
    if kind in DELIMITERS:
        from .delimited import delimited_files
        from .formulas import AS_IS, checked_formulas

        how = checked_formulas(AS_IS if formulas is None else formulas)
        files, notes = delimited_files(dataset, target, marks, way, encoding, standards, how)
    elif kind in FIXED:
        from .fixed import fixed_files

        files, notes = fixed_files(dataset, target, fields, way, encoding, standards)
    else:
        files, notes = _typed_files(dataset, target, kind, way)
        notes += with_standards(files, dataset, target, standards)
    write_all(target, files, replace)
    return Exported(tuple(str(each) for each in files), tuple(dict.fromkeys(notes)))


def _typed_files(
    dataset: PlainDataset, target: Path, kind: str, way: str
) -> tuple[Files, list[str]]:
    """A workbook, or a file of Arrow data."""
    if kind == ".xlsx":
        from .workbook import digits_lost, workbook_writer

        return {target: workbook_writer(dataset, target, way)}, list(digits_lost(dataset))
    from .arrow import arrow_writer

    return {target: arrow_writer(dataset, kind, way)}, []


def _check(target: Path, kind: str, fields: Any, delimiter: Any, formulas: Any) -> None:
    """Raise `PlanError` for an unknown kind of file, and for what another kind has."""
    if kind not in KINDS:
        raise PlanError(
            f"{target}: cannot export to {kind or 'a file without an extension'}; "
            f"choose {', '.join(KINDS)}"
        )
    if fields is not None and kind not in FIXED:
        raise PlanError(f"{target}: fields apply only to fixed-width text ({', '.join(FIXED)})")
    if delimiter is not None and kind not in DELIMITERS:
        raise PlanError(f"{target}: a delimiter applies only to {', '.join(DELIMITERS)}")
    if formulas is not None and kind not in DELIMITERS:
        raise PlanError(f"{target}: formulas apply only to {', '.join(DELIMITERS)}")


def _marks(target: Path, kind: str, delimiter: str | None, decimal: str | None) -> tuple[str, str]:
    """The delimiter and the decimal mark. With a decimal comma, fields of a .csv part at `;`."""
    if decimal is None:
        return delimiter or DELIMITERS.get(kind, ""), "."
    if kind not in DELIMITERS:
        raise PlanError(f"{target}: a decimal mark applies only to {', '.join(DELIMITERS)}")
    if decimal not in (".", ","):
        raise PlanError(f'{target}: decimal: expected "." or ",", got {decimal!r}')
    usual = ";" if (kind, decimal) == (".csv", ",") else DELIMITERS[kind]
    if (delimiter or usual) == decimal:
        raise PlanError(f"{target}: the delimiter and the decimal mark are both {decimal!r}")
    return delimiter or usual, decimal


def _to_database(
    dataset: PlainDataset, target: Any, table: str | None, missing: str | None, replace: bool
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    from .database import write_table

    names, notes = write_table(dataset, target, table, checked_way(missing or "null"), replace)
    return names, tuple(notes)


def _standards(metadata: str | Sequence[str] | None, kind: str) -> list[str]:
    if metadata is None:
        return ["csvw"] if kind in DELIMITERS else []
    wanted = [metadata] if isinstance(metadata, str) else list(metadata)
    for each in wanted:
        if each not in STANDARDS:
            raise PlanError(f'metadata: unknown standard "{each}"{nearest(each, STANDARDS)}')
    if "csvw" in wanted and kind not in DELIMITERS:
        raise PlanError("metadata: CSVW describes only delimited files; use ddi")
    return wanted


def with_standards(
    files: Files, dataset: PlainDataset, target: Path, standards: Sequence[str]
) -> list[str]:
    """Add a DDI codebook to the files, if it is wanted; returns what it cannot carry."""
    if "ddi" not in standards:
        return []
    from .ddi import ddi_text

    text, notes = ddi_text(dataset, target.name)
    files[beside(target, DDI)] = text.encode("utf-8")
    return notes


def write_all(target: Path, files: Files, replace: bool) -> None:
    """Write the exported file and those beside it, all or none.

    Raises `PlanError` where one cannot be written, or would take the place of one that is edited.
    """
    from ..sources.writing import checked_target

    checked_target(target, replace)
    others = {path: data for path, data in files.items() if isinstance(data, bytes)}
    others.pop(target, None)
    check_unedited(others)
    files = {**files, **sealed(others)}
    made: dict[Path, Path] = {}
    with writing(target):
        _write(files, made)


def _write(files: Files, made: dict[Path, Path]) -> None:
    try:
        for path, content in files.items():
            made[path] = temporary_beside(path)
            if isinstance(content, bytes):
                made[path].write_bytes(content)
            else:
                content(made[path])
        for path, temporary in made.items():
            put_in_place(temporary, path)
    finally:
        for temporary in made.values():
            give_up(temporary)
