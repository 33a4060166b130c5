"""Rows of totals among the data, at the end or within, known by words and by their sums."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..evidence import Mend
from ..kernels.buffers import numpy_of
from ..kernels.types import Ints
from ..layouts.text.closing_words import is_total_word
from .findings import Finding, RowsOf
from .kinds import TotalAmongTheData

ROUNDING = 1e-6
"""How far a sum may be from a total, as a share of it: totals are printed rounded."""
FEWEST = 3
"""Rows that a total is made of, at least."""
LARGER = 1.3
"""How much larger than each of them the sum of some numbers has to be."""
FEW = 0.05
"""The share of rows that may be totals."""
SUMS_TRIED = 12
"""Variables whose sums are tried."""
MOST_WORDS = 50_000
"""More different words are not searched for a total."""
BARE = 0.5
"""The share of the variables that name a case which a total leaves blank."""

Values = Callable[[str], np.ndarray]
"""All values of a variable as numbers, NaN where there is none."""


def total_words(column: Column) -> list[tuple[int, str]]:
    """Cells that say that their row is a total: case and text."""
    found = [
        (int(cell), text.as_py())
        for cell, text in zip(
            column.withheld.cells[-200:], column.withheld.texts[-200:], strict=True
        )
        if is_total_word(text.as_py().strip())
    ]
    if column.variable.type not in ("text", "category"):
        return found
    coded = encoded(column.values)
    words = coded.dictionary
    if len(words) > MOST_WORDS:
        last = column.values[-FEWEST:].to_pylist()
        start = len(column) - len(last)
        return [(start + n, t) for n, t in enumerate(last) if t and is_total_word(t.strip())]
    for place in np.flatnonzero(numpy_of(pc.utf8_length(words)) < 60):
        text = words[int(place)].as_py()
        if not is_total_word(text.strip()):
            continue
        cells = np.flatnonzero(numpy_of(coded.indices, -1) == place)
        if len(cells) <= max(FEWEST, FEW * len(column)):
            found += [(int(cell), text) for cell in cells]
    return found


def ends_in_its_sum(column: Column) -> bool:
    """Is the last of its numbers the sum of all above?"""
    values = column.values
    if not (pa.types.is_integer(values.type) or pa.types.is_floating(values.type)):
        return column.variable.type in ("text", "category")  # its numbers are still to be read
    last = values[len(values) - 1].as_py() if len(values) > FEWEST else None
    total = pc.sum(values).as_py() if last else None
    return (
        last is not None
        and total is not None
        and abs(total - 2 * last) <= (2 * ROUNDING * abs(last))
    )


def total_findings(
    words: list[tuple[int, str, str]],
    bare: np.ndarray,
    numbers: Sequence[str],
    may_end: Sequence[str],
    values: Values,
    rows: RowsOf,
) -> tuple[list[Finding], Ints]:
    """Rows of totals, and their cases.

    `words` are cells that say so (case, text, variable), `bare` is the share of what names a case
    that each case leaves blank, and `numbers` the variables whose sums are tried. `may_end` are
    those of them whose last value may be the sum of all above; where no other row may be a total,
    only theirs are tried.
    """
    count = len(bare)
    worded = {case for case, _, _ in words}
    empty = np.flatnonzero(bare >= BARE)
    if len(empty) > max(FEWEST, FEW * count):
        empty = empty[:0]
    if not worded and not len(empty):
        if not may_end:
            return [], empty
        numbers = may_end
    candidates = np.unique([*worded, *empty.tolist(), count - 1])
    sums = _sums(candidates, numbers[:SUMS_TRIED], values)
    found = [
        case
        for case in candidates.tolist()
        if _is_total(case in worded, float(bare[case]), len(sums[case]), case == count - 1)
    ]
    if not found:
        return [], candidates[:0]
    said = list(dict.fromkeys((text, name) for case, text, name in words if case in found))
    in_sums = tuple(dict.fromkeys(name for case in found for name in sums[case]))
    cases = np.array(found)
    at = rows(cases)
    ending = found == list(range(found[0], count))
    mend = {"data": f"..-{count - found[0] + 1}"} if ending else {"left_out": list(at)}
    return [
        TotalAmongTheData(
            severity="serious",
            variables=tuple(dict.fromkeys([*in_sums, *(name for _, name in said)])),
            count=len(found),
            rows=at,
            words=tuple(said[:3]),
            sums=in_sums,
            mend=Mend({"rows": mend}) if ending or len(at) == len(found) else None,
        )
    ], cases


def _is_total(worded: bool, bare: float, sums: int, last: bool) -> bool:
    if worded:
        return sums > 0 or bare >= BARE or last
    return sums > 1 or (sums == 1 and (bare >= BARE or last))


def _sums(candidates: Ints, numbers: Sequence[str], values: Values) -> dict[int, list[str]]:
    """The variables in which each candidate is the sum of the rows above it."""
    found: dict[int, list[str]] = {int(case): [] for case in candidates}
    for name in numbers:
        column = values(name)
        plain = np.nan_to_num(column)
        plain[candidates] = 0.0
        running = np.concatenate(([0.0], np.cumsum(plain)))
        before = 0
        for case in candidates.tolist():
            value = column[case]
            ranges = {(before, case), (0, case)}
            if not np.isnan(value) and any(_adds_up(value, *r, column, running) for r in ranges):
                found[case].append(name)
            before = case + 1
    return found


def _adds_up(value: float, start: int, end: int, column: np.ndarray, running: np.ndarray) -> bool:
    total = running[end] - running[start]
    if end - start < FEWEST or not total or abs(value - total) > ROUNDING * abs(total):
        return False
    part = column[start:end]
    part = part[~np.isnan(part)]
    least = 5 if start == 0 else FEWEST
    varies = len(part) >= least and float(part.min()) != float(part.max())
    return varies and abs(value) > LARGER * float(np.abs(part).max())
