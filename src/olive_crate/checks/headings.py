"""Checks of the heading: read as data, or data read as it; names that were cut."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from ..celltexts import value_texts
from ..dataset import Dataset
from ..kernels.reference import Ints
from .findings import Finding

Rows = Callable[[Ints], tuple[int, ...]]
VALUE = re.compile(r"[+-]?\d[\d.,]*( ?%)?|\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4}")
NUMBER = re.compile(r"[+-]?\d[\d.,]*")
LEAST = 8


def heading_findings(dataset: Dataset, rows: Rows) -> list[Finding]:
    """What looks wrong about the heading."""
    return [*_read_as_heading(dataset), *_read_as_data(dataset, rows), *_cut_names(dataset)]


def _read_as_heading(dataset: Dataset) -> list[Finding]:
    headings = [each.heading for each in dataset.variables]
    odd = [heading for heading in headings if VALUE.fullmatch(heading.strip())]
    years = [heading for heading in odd if re.fullmatch(r"(19|20)\d\d", heading)]
    if len(odd) < 2 or len(odd) < 0.4 * len(headings) or len(years) > 0.5 * len(odd):
        return []
    names = tuple(each.name for each in dataset.variables if each.heading in odd)
    claim = f"headings such as {', '.join(odd[:4])} look like values"
    mend = 'rows={"names": []}'
    return [Finding("data read as a heading", "serious", names, claim, len(odd), (), mend)]


def _read_as_data(dataset: Dataset, rows: Rows) -> list[Finding]:
    """The first case is unlike all others: texts above numbers, in several variables."""
    if dataset.rows < 5:
        return []
    names = []
    for name in dataset.names:
        column = dataset[name]
        if column.variable.type not in ("text", "category"):
            text = column.withheld.text(0)
            if text is not None and not any(map(str.isdigit, text)):
                names.append(name)
            continue
        texts = value_texts(column.slice(0, min(len(column), 200))).to_pylist()
        first, others = texts[0], [text for text in texts[1:] if text is not None]
        numbers = sum(bool(NUMBER.fullmatch(text)) for text in others)
        if first and not any(map(str.isdigit, first)) and numbers >= max(4, 0.9 * len(others)):
            names.append(name)
    if len(names) < 2 and not (len(names) == 1 and len(dataset.names) == 1):
        return []
    first_row = rows(np.zeros(1, np.int64))
    claim = f"the first case has texts where the others have numbers: {', '.join(names[:5])}"
    mend = f'rows={{"names": {first_row[0]}}}'
    kind = "a heading among the data"
    return [Finding(kind, "serious", tuple(names), claim, 1, first_row, mend)]


def _cut_names(dataset: Dataset) -> list[Finding]:
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
    claim = f"{len(at_end)} names of exactly {longest} characters, such as {', '.join(at_end[:3])}"
    return [Finding("cut names", "note", names, claim, len(at_end))]
