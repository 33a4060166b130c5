"""Datasets as delimited text (RFC 4180), with CSVW metadata and a plan beside it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..columns.cell_texts import cell_texts
from ..declaration.variable import Variable
from ..errors import PlanError
from ..plan.model import Decisions, DelimitedSection, SourceSection
from ..plan.rows import Rows
from ..plan.toml_write import plan_text
from ..show.claims import claim_of
from ..sources.csv_text import csv_text
from ..sources.source import codec_name
from .beside import CSVW, PLAN
from .beside import beside as beside_file
from .exporting import Files, with_standards

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset


def delimited_files(
    dataset: PlainDataset,
    path: Path,
    delimiter: str,
    missing: str,
    encoding: str,
    standards: Sequence[str],
) -> tuple[Files, list[str]]:
    """The files to write, and what they cannot carry.

    Raises `PlanError` for characters that the encoding does not have.
    """
    if not dataset.names:
        raise PlanError(f"{path}: no variable to write")
    headings = list(dataset.names)
    columns = [cell_texts(dataset[name], missing) for name in dataset.names]
    if missing == "reasons":
        headings, columns = _with_reasons(dataset, headings, columns)
    text = csv_text([headings, *zip(*columns, strict=True)], delimiter)
    codec = codec_name(encoding)
    files: Files = {path: encoded(text, codec, path)}
    notes: list[str] = []
    plan = _plan(dataset, path, delimiter, encoding)
    if "csvw" in standards:
        from .csvw import csvw_text

        metadata, notes = csvw_text(dataset, path.name, delimiter, codec, missing)
        files[beside_file(path, CSVW)] = metadata.encode("utf-8")
    notes += with_standards(files, dataset, path, standards)
    files[beside_file(path, PLAN)] = plan_text(plan, claim_of, path.parent).encode("utf-8")
    return files, notes


def encoded(text: str, codec: str, path: Path) -> bytes:
    """Text as bytes. Raises `PlanError` for the first character that the codec does not have."""
    try:
        return text.encode(codec)
    except UnicodeEncodeError as error:
        row = text.count("\n", 0, error.start) + 1
        raise PlanError(
            f"{path}: row {row}: {text[error.start]!r} cannot be written in {codec}"
        ) from None


def _with_reasons(
    dataset: PlainDataset, headings: list[str], columns: list[list[str]]
) -> tuple[list[str], list[list[str]]]:
    """A column of reasons behind each variable that has missing cells."""
    from .table_shape import beside

    lacking = [name for name in headings if dataset[name].reasons.any()]
    called = beside(headings, lacking, "reason")
    names, cells = [], []
    for name, column in zip(headings, columns, strict=True):
        names.append(name)
        cells.append(column)
        if name in called:
            names.append(called[name])
            words = dataset[name].reason_texts().cast("string").to_pylist()
            cells.append([word or "" for word in words])
    return names, cells


def _plan(dataset: PlainDataset, path: Path, delimiter: str, encoding: str) -> Decisions:
    return Decisions(
        source=SourceSection(path.name, encoding),
        layout="delimited",
        delimited=DelimitedSection(
            delimiter=delimiter,
            quote='"',
            escape="",
            comment="",
            trim=False,
            decimal=".",
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
