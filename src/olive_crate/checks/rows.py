"""Checks of rows: duplicates, keys, totals, rows whose cells have moved."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.cell_texts import source_texts, value_texts
from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..dataset.model import PlainDataset
from ..declaration.variable import NUMERIC
from ..errors import PlanError
from ..evidence import Mend
from ..kernels.types import Ints
from ..layouts.text.closing import TOTAL
from .findings import (
    DuplicateKeys,
    DuplicateRows,
    Finding,
    KeysWithGaps,
    RowsOf,
    Severity,
    ShiftedRows,
    TotalAmongTheData,
)

ROUNDING = 1e-6
"""How far a sum may be from a total, as a share of it: totals are printed rounded."""
FEWEST_ROWS = 5
"""With fewer rows than these, equal rows and sums mean nothing."""


def row_findings(dataset: PlainDataset, rows: RowsOf) -> list[Finding]:
    """What looks wrong about rows as wholes."""
    if not dataset.names:
        return []
    codes = [_codes(dataset[name]) for name in dataset.names]
    found = list(_keys(dataset, codes, rows))
    if dataset.rows < FEWEST_ROWS:
        return found
    found += _duplicates(dataset, codes, rows)
    return [*found, *_total(dataset, rows), *_shifted(dataset, rows)]


def _codes(column: Column) -> Ints:
    """A whole number for each cell, equal where cells are; missing ones by their reason."""
    values = column.values
    if pa.types.is_duration(values.type):
        values = values.cast(pa.int64())
    places = encoded(values).indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
    return np.where(column.reasons == 0, places, -1 - column.reasons.astype(np.int64))


def _combined(codes: list[Ints]) -> Ints:
    """One number for each row, equal where all its cells are."""
    joined = codes[0]
    for each in codes[1:]:
        _, joined = np.unique(joined, return_inverse=True)
        low = each - each.min()
        joined = joined * (int(low.max()) + 1) + low
    return joined


def _repeated(codes: Ints) -> Ints:
    """The cases that are equal to one before them."""
    _, first = np.unique(codes, return_index=True)
    again = np.ones(len(codes), bool)
    again[first] = False
    return np.flatnonzero(again)


def _duplicates(dataset: PlainDataset, codes: list[Ints], rows: RowsOf) -> list[Finding]:
    if len(codes) < 2:
        return []
    again = _repeated(_combined(codes))
    if not len(again) or len(again) > 0.1 * dataset.rows:
        return []
    return [DuplicateRows(severity="doubtful", count=len(again), rows=rows(again))]


def _keys(dataset: PlainDataset, codes: list[Ints], rows: RowsOf) -> Iterator[Finding]:
    """The declared key, or variables that are nearly one."""
    key = dataset.plan.promised.key
    if key:
        chosen = [codes[dataset.names.index(name)] for name in key if name in dataset.names]
        if len(chosen) == len(key):
            yield from _not_unique(tuple(key), _combined(chosen), rows)
        return
    for name, own in zip(dataset.names, codes, strict=True):
        if _nearly_key(dataset[name], own):
            yield from _not_unique((name,), own, rows, "doubtful")
            yield from _gaps(dataset[name])
            return


def _not_unique(
    names: tuple[str, ...], codes: Ints, rows: RowsOf, severity: Severity = "serious"
) -> Iterator[Finding]:
    again = _repeated(codes)
    if len(again):
        yield DuplicateKeys(severity=severity, variables=names, count=len(again), rows=rows(again))


def _nearly_key(column: Column, codes: Ints) -> bool:
    """Whole numbers or texts that hardly ever repeat, and no measurement."""
    kind, count = column.variable.type, len(column)
    if kind not in ("integer", "text") or count < 20 or column.values.null_count > 0.02 * count:
        return False
    different = len(np.unique(codes))
    if different < 0.95 * count:
        return False
    if kind == "text":
        words = column.values.drop_null().to_pylist()
        return max(map(len, words)) <= 20 and not any(" " in word for word in words)
    numbers = column.values.drop_null().to_numpy()
    low, high = np.quantile(numbers, (0.02, 0.98))
    return bool(high - low < 2 * count or np.all(np.diff(numbers) >= 0))


def _gaps(column: Column) -> Iterator[Finding]:
    """Numbers left out of a run of numbers that is nearly whole."""
    if column.variable.type != "integer":
        return
    numbers = np.unique(column.values.drop_null().to_numpy())
    steps = np.diff(numbers)
    if not len(steps):
        return
    step = int(np.median(steps))
    left = int((numbers[-1] - numbers[0]) // step + 1 - len(numbers)) if step else 0
    if step and np.all(steps % step == 0) and 0 < left <= max(3, 0.05 * len(numbers)):
        wide = np.flatnonzero(steps > step)
        yield KeysWithGaps(
            severity="note",
            variables=(column.variable.name,),
            count=left,
            first=int(numbers[0]),
            last=int(numbers[-1]),
            lacking=tuple(int(numbers[place]) + step for place in wide[:5]),
        )


def _total(dataset: PlainDataset, rows: RowsOf) -> list[Finding]:
    """The last rows: a word for a total, or sums of all the rows above."""
    last = dataset.rows - 1
    summed = [name for name in dataset.names if _is_sum(dataset[name], last)]
    worded = _worded_totals(dataset)
    if not summed and not worded:
        return []
    case = last if summed else worded[0][0]
    words = tuple((text, name) for at, name, text in worded if at == case)
    at = rows(np.array([case]))
    return [
        TotalAmongTheData(
            severity="serious",
            variables=tuple(dict.fromkeys([*summed, *(name for _, name in words)])),
            count=1,
            rows=at,
            words=words,
            sums=tuple(summed),
            mend=Mend({"rows": {"data": f"..-{dataset.rows - case + 1}"}}),
        )
    ]


def _is_sum(column: Column, last: int) -> bool:
    """Is the last value the sum of all values above it, which are not all the same?"""
    if column.variable.type not in NUMERIC or column.reasons[last]:
        return False
    numbers = column.values.slice(0, last).drop_null().to_numpy()
    value, total = column.values[last].as_py(), float(np.sum(numbers))
    close = bool(total) and abs(value - total) <= ROUNDING * abs(total)
    return len(numbers) >= 5 and close and len(np.unique(numbers)) > 1


def _worded_totals(dataset: PlainDataset) -> list[tuple[int, str, str]]:
    """Words for a total in the last rows: case, variable and text."""
    worded = []
    for case in range(dataset.rows - 1, max(-1, dataset.rows - 4), -1):
        for name in dataset.names:
            column = dataset[name]
            text = column.values[case].as_py() if column.reasons[case] == 0 else None
            text = text if isinstance(text, str) else column.withheld.text(case)
            if text and TOTAL.match(text) and not _common(column, text):
                worded.append((case, name, text))
    return worded


def _common(column: Column, text: str) -> bool:
    """Does this text stand in other rows as well?"""
    if column.variable.type not in ("text", "category"):
        return False
    return int(np.count_nonzero(column == text)) > 1


def _shifted(dataset: PlainDataset, rows: RowsOf) -> list[Finding]:
    """Rows in which several cells do not fit their variable, but the one beside it."""
    odd: dict[str, np.ndarray] = {}
    kinds: dict[str, str] = {}
    texts: dict[str, pa.Array] = {}
    for name in dataset.names:
        column = dataset[name]
        texts[name] = _texts(column)
        kinds[name], odd[name] = _fits(column, texts[name])
    names = list(dataset.names)
    moved = np.zeros(dataset.rows, np.int64)
    for by in (-1, 1):
        for place, name in enumerate(names):
            if not 0 <= place + by < len(names):
                continue
            beside = names[place + by]
            if kinds[beside] == kinds[name]:
                continue
            own = np.flatnonzero(odd[name])
            if not len(own) or len(own) > 0.1 * dataset.rows:
                continue
            cells = texts[name].take(own)
            fits = _of_kind(cells, kinds[beside])
            moved[own[fits]] += by
    hit = np.flatnonzero(np.abs(moved) >= 2)
    if not len(hit):
        return []
    involved = tuple(name for name in names if odd[name][hit].any())
    return [
        ShiftedRows(
            severity="serious",
            variables=involved,
            count=len(hit),
            rows=rows(hit),
            to="left" if int(moved[hit[0]]) < 0 else "right",
        )
    ]


def _texts(column: Column) -> pa.Array:
    """What stands in each cell, as far as it is known; empty where nothing does."""
    try:
        return source_texts(column)
    except PlanError:  # of an older packed file
        return value_texts(column).fill_null("")


PATTERNS = {
    "number": r"^[+-]?\d[\d.,]*$",
    "date": r"^(\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4})$",
    "text": r"^[^\d]*[^\W\d][^\d]*$",
}


def _of_kind(texts: pa.Array, kind: str) -> np.ndarray:
    hit = pc.match_substring_regex(texts, PATTERNS[kind])
    return np.asarray(hit.to_numpy(zero_copy_only=False), bool)


def _fits(column: Column, texts: pa.Array) -> tuple[str, np.ndarray]:
    """What most cells look like, and which of the filled ones do not."""
    kind = column.variable.type
    filled = np.asarray(pc.greater(pc.utf8_length(texts), 0).to_numpy(zero_copy_only=False), bool)
    if kind in NUMERIC or kind in ("date", "datetime"):
        unread = np.asarray(column.reasons == 2)
        return ("number" if kind in NUMERIC else "date"), unread
    for name in PATTERNS:
        good = _of_kind(texts, name)
        if filled.any() and np.count_nonzero(good & filled) >= 0.9 * np.count_nonzero(filled):
            return name, filled & ~good
    return "text", np.zeros(len(column), bool)
