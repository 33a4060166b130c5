"""Datasets as delimited text (RFC 4180), with CSVW metadata and a plan beside it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..columns.cell_texts import cell_texts
from ..dataset.taking import pieces_of
from ..declaration.patterns import late
from ..declaration.variable import Variable
from ..errors import PlanError
from ..plan.model import Decisions, DelimitedSection, Rows, SourceSection
from ..plan.toml_write import plan_text
from ..show.claims import claim_of
from ..sources.csv_text import csv_text
from ..sources.source import codec_name
from .arrow import lacking_values
from .beside import CSVW, PLAN
from .beside import beside as beside_file
from .exporting import Files, with_standards
from .formulas import AS_IS, QUOTED, formula_notes, guarded
from .table_shape import beside as columns_beside

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset


ROWS = 1 << 16
"""Cases that are written at a time."""
NUMERAL = late(r"-?\d*\.\d+([eE][+-]?\d+)?")


def delimited_files(
    dataset: PlainDataset,
    path: Path,
    marks: tuple[str, str],
    missing: str,
    encoding: str,
    standards: Sequence[str],
    formulas: str = AS_IS,
) -> tuple[Files, list[str]]:
    """The files to write, and what they cannot carry.

    `marks` are the delimiter and the decimal mark. Raises `PlanError` for characters that the
    encoding does not have.
    """
    if not dataset.names:
        raise PlanError(f"{path}: no variable to write")
    codec = codec_name(encoding)
    files: Files = {path: _writer(dataset, path, marks, codec, missing, formulas)}
    notes: list[str] = []
    plan = _plan(dataset, path, marks, encoding)
    if "csvw" in standards:
        from .csvw import csvw_text

        metadata, notes = csvw_text(dataset, path.name, marks, codec, missing)
        files[beside_file(path, CSVW)] = metadata.encode("utf-8")
    notes += with_standards(files, dataset, path, standards)
    notes += formula_notes(dataset, formulas)
    files[beside_file(path, PLAN)] = plan_text(plan, claim_of, path.parent).encode("utf-8")
    return files, notes


def _writer(
    dataset: PlainDataset,
    target: Path,
    marks: tuple[str, str],
    codec: str,
    missing: str,
    formulas: str,
) -> Callable[[Path], None]:
    """Writes the text some rows at a time, so that a packed dataset is not held as a whole."""
    delimiter, decimal = marks
    lacking = lacking_values(dataset) if missing == "reasons" else []
    called = columns_beside(dataset.names, lacking, "reason")

    def write(path: Path) -> None:
        row = 1
        with path.open("wb") as stream:
            headings = [x for name in dataset.names for x in (name, called.get(name)) if x]
            headings = [guarded(each) for each in headings] if formulas == QUOTED else headings
            stream.write(encoded(csv_text([headings], delimiter), codec, target, row))
            for piece in pieces_of(dataset, ROWS) if dataset.rows else ():
                columns = _cells(piece, missing, called, decimal)
                if formulas == QUOTED:
                    columns = [list(map(guarded, each)) for each in columns]
                row += 1
                text = csv_text(zip(*columns, strict=True), delimiter)
                stream.write(encoded(text, codec, target, row, first=False))
                row += text.count("\n") - 1

    return write


def _cells(
    piece: PlainDataset, missing: str, called: Mapping[str, str], decimal: str
) -> list[list[str]]:
    """The cells of each column, with a column of reasons behind those that have one."""
    columns = []
    for name in piece.names:
        texts = cell_texts(piece[name], missing)
        if decimal != "." and piece[name].variable.type == "number":
            texts = [_with_mark(text, decimal) for text in texts]
        columns.append(texts)
        if name in called:
            words = piece[name].reason_texts().cast("string").to_pylist()
            columns.append([word or "" for word in words])
    return columns


def _with_mark(text: str, decimal: str) -> str:
    """A number with another decimal mark; a text that is none stays as it is."""
    return text.replace(".", decimal) if NUMERAL.fullmatch(text) else text


def encoded(text: str, codec: str, path: Path, row: int = 1, first: bool = True) -> bytes:
    """Text as bytes, with a byte-order mark where the codec has one and it is the first.

    Raises `PlanError` for the first character that the codec does not have; `row` is that of the
    text in its file.
    """
    try:
        data = text.encode(codec)
    except UnicodeEncodeError as error:
        at = row + text.count("\n", 0, error.start)
        raise PlanError(
            f"{path}: row {at}: {text[error.start]!r} cannot be written in {codec}"
        ) from None
    return data if first else data.removeprefix("".encode(codec))


def _plan(dataset: PlainDataset, path: Path, marks: tuple[str, str], encoding: str) -> Decisions:
    return Decisions(
        source=SourceSection(path.name, encoding),
        layout="delimited",
        delimited=DelimitedSection(
            delimiter=marks[0],
            quote='"',
            escape="",
            comment="",
            trim=False,
            decimal=marks[1],
            grouping="",
        ),
        rows=Rows(names=(1,), data="2.."),
        variables=tuple(_as_headed(each) for each in dataset.variables),
        meaning_sets=dataset.plan.meaning_sets,
        base=path.parent,
        listed=True,
    )


def _as_headed(variable: Variable) -> Variable:
    """The file's headings are the names."""
    return msgspec.structs.replace(variable, from_=None)
