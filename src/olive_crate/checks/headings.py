"""Checks of the heading: read as data, or data read as it; names that were cut."""

from __future__ import annotations

import re

import numpy as np

from ..columns.cell_texts import value_texts
from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..evidence import Mend
from .findings import CutNames, DataReadAsHeading, Finding, HeadingAmongTheData, RowsOf

VALUE = re.compile(r"[+-]?\d[\d.,]*( ?%)?|\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4}")
NUMBER = re.compile(r"[+-]?\d[\d.,]*")
LEAST = 8
HEAD = 200
"""First cells with which a heading among the data is compared."""


def heading_findings(dataset: PlainDataset, rows: RowsOf) -> list[Finding]:
    """What looks wrong about the heading."""
    return [*_read_as_heading(dataset), *_read_as_data(dataset, rows), *_cut_names(dataset)]


def _read_as_heading(dataset: PlainDataset) -> list[Finding]:
    headings = [each.heading for each in dataset.variables]
    odd = [heading for heading in headings if VALUE.fullmatch(heading.strip())]
    years = [heading for heading in odd if re.fullmatch(r"(19|20)\d\d", heading)]
    if len(odd) < 2 or len(odd) < 0.4 * len(headings) or len(years) > 0.5 * len(odd):
        return []
    names = tuple(each.name for each in dataset.variables if each.heading in odd)
    return [
        DataReadAsHeading(
            severity="serious",
            variables=names,
            count=len(odd),
            headings=tuple(odd[:4]),
            mend=Mend({"rows": {"names": []}}),
        )
    ]


def _read_as_data(dataset: PlainDataset, rows: RowsOf) -> list[Finding]:
    """The first case is unlike all others: texts above numbers, in several variables."""
    if dataset.rows < 5:
        return []
    names = []
    for name in dataset.names:
        column = _head(dataset, name)
        if column.variable.type not in ("text", "category"):
            text = column.withheld.text(0)
            if text is not None and not any(map(str.isdigit, text)):
                names.append(name)
            continue
        texts = value_texts(column).to_pylist()
        first, others = texts[0], [text for text in texts[1:] if text is not None]
        numbers = sum(bool(NUMBER.fullmatch(text)) for text in others)
        if first and not any(map(str.isdigit, first)) and numbers >= max(4, 0.9 * len(others)):
            names.append(name)
    if len(names) < 2 and not (len(names) == 1 and len(dataset.names) == 1):
        return []
    first_row = rows(np.zeros(1, np.int64))
    return [
        HeadingAmongTheData(
            severity="serious",
            variables=tuple(names),
            count=1,
            rows=first_row,
            mend=Mend({"rows": {"names": first_row[0]}}),
        )
    ]


def _head(dataset: PlainDataset, name: str) -> Column:
    """The first cells of a column, without reading the rest where that can be."""
    count = min(dataset.rows, HEAD)
    held = dataset.held(name)
    if isinstance(held, Column):
        return held.slice(0, count)
    return next(held.pieces()).slice(0, count)


def _cut_names(dataset: PlainDataset) -> list[Finding]:
    """Several names of exactly the greatest length, which others come nowhere near to pass."""
    headings = [each.heading for each in dataset.variables]
    lengths = [len(heading) for heading in headings]
    longest = max(lengths, default=0)
    at_end = [heading for heading in headings if len(heading) == longest]
    stems = {re.sub(r"[\d_]+$", "", heading) for heading in at_end}
    if longest < LEAST or len(stems) < 3 or len(at_end) < 0.25 * len(headings):
        return []
    if len(at_end) < 3 * max(1, sum(length == longest - 1 for length in lengths)):
        return []
    names = tuple(each.name for each in dataset.variables if each.heading in at_end)
    return [
        CutNames(
            severity="note",
            variables=names,
            count=len(at_end),
            length=longest,
            examples=tuple(at_end[:3]),
        )
    ]
