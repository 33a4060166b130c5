"""Checks of rows: duplicates, keys, totals, rows whose cells have moved."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..celltexts import source_texts, value_texts
from ..columns import Column, encoded
from ..dataset import Dataset
from ..detect.heading import TOTAL
from ..errors import PlanError
from ..kernels.reference import Ints
from ..variables import NUMERIC
from ..words import several
from .findings import Finding, Severity

Rows = Callable[[Ints], tuple[int, ...]]


def row_findings(dataset: Dataset, rows: Rows) -> list[Finding]:
    """What looks wrong about rows as wholes."""
    if dataset.rows < 5 or not dataset.names:
        return []
    codes = [_codes(dataset[name]) for name in dataset.names]
    found = [*_keys(dataset, codes, rows), *_duplicates(dataset, codes, rows)]
    total = _total(dataset, rows)
    return [*found, *total, *_shifted(dataset, rows)]


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


def _duplicates(dataset: Dataset, codes: list[Ints], rows: Rows) -> list[Finding]:
    if len(codes) < 2:
        return []
    again = _repeated(_combined(codes))
    if not len(again) or len(again) > 0.1 * dataset.rows:
        return []
    claim = f"{several(len(again), 'row')} equal to a row before in all variables"
    return [Finding("duplicate rows", "doubtful", (), claim, len(again), rows(again))]


def _keys(dataset: Dataset, codes: list[Ints], rows: Rows) -> Iterator[Finding]:
    """The declared key, or variables that are nearly one."""
    key = dataset.plan.expect.key
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
    names: tuple[str, ...], codes: Ints, rows: Rows, severity: Severity = "serious"
) -> Iterator[Finding]:
    again = _repeated(codes)
    if len(again):
        claim = f"{several(len(again), 'case')} with a key that a case before has"
        yield Finding("duplicate keys", severity, names, claim, len(again), rows(again))


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
        listed = ", ".join(str(int(numbers[place]) + step) for place in wide[:5])
        more = " …" if left > min(5, len(wide)) else ""
        name = column.variable.name
        claim = f"{several(left, 'number')} left out between {numbers[0]} and {numbers[-1]}: "
        yield Finding("keys with gaps", "note", (name,), claim + listed + more, left)


def _total(dataset: Dataset, rows: Rows) -> list[Finding]:
    """The last rows: a word for a total, or sums of all the rows above."""
    last = dataset.rows - 1
    summed = []
    for name in dataset.names:
        column = dataset[name]
        if column.variable.type not in NUMERIC or column.reasons[last]:
            continue
        numbers = column.values.slice(0, last).drop_null().to_numpy()
        value, total = column.values[last].as_py(), float(np.sum(numbers))
        if len(numbers) >= 5 and total and abs(value - total) <= 1e-6 * abs(total):
            spread = np.unique(numbers)
            if len(spread) > 1:
                summed.append(name)
    worded = []
    for back in range(min(3, dataset.rows)):
        case = last - back
        for name in dataset.names:
            column = dataset[name]
            text = column.values[case].as_py() if column.reasons[case] == 0 else None
            text = text if isinstance(text, str) else column.withheld.text(case)
            if text and TOTAL.match(text) and not _common(column, text):
                worded.append((case, name, text))
    if not summed and not worded:
        return []
    case = last if summed else worded[0][0]
    says = [f'"{text}" in {name}' for at, name, text in worded if at == case]
    says += [f"the sum of all rows above in {', '.join(summed[:4])}"] if summed else []
    names = tuple(dict.fromkeys([*summed, *(name for at, name, _ in worded if at == case)]))
    at = rows(np.array([case]))
    mend = f'rows={{"data": "..-{dataset.rows - case + 1}"}}'
    return [Finding("a total among the data", "serious", names, "; ".join(says), 1, at, mend)]


def _common(column: Column, text: str) -> bool:
    """Does this text stand in other rows as well?"""
    if column.variable.type not in ("text", "category"):
        return False
    return int(np.count_nonzero(column == text)) > 1


def _shifted(dataset: Dataset, rows: Rows) -> list[Finding]:
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
    words = "left" if int(moved[hit[0]]) < 0 else "right"
    claim = f"cells of {several(len(hit), 'row')} fit the variable to the {words} of theirs"
    return [Finding("shifted rows", "serious", involved, claim, len(hit), rows(hit))]


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
