"""Batteries of items: cases that give the same answer throughout.

Answers of one person resemble each other, so that some give the same one to all items by nature.
How many do can be told from those who deviate once and twice: where the numbers of deviations fall
off evenly, n0 is about n1 squared over n2.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags
from .distribution import drawn
from .findings import Finding, RowsOf
from .kinds import SameAnswerThroughout

FEWEST_ITEMS = 6
LOWEST, HIGHEST = 2, 10
"""The range of answers that make a scale, from the lowest to the highest."""
LEAST = 5
"""Cases that have to do so."""
MOST = 0.2
EXPECTED = 2.0
"""So many times as many as the others let expect."""


class Scale:
    """A variable that may be an item: where its answers begin and end."""

    def __init__(self, name: str, low: int, high: int) -> None:
        self.name, self.low, self.high = name, low, high


def scale_of(name: str, values: np.ndarray) -> Scale | None:
    """The scale of a variable of whole numbers, without codes far beyond."""
    some = drawn(values)
    if len(some) < 50 or not np.array_equal(some, np.floor(some)):
        return None
    low, high = (int(each) for each in np.quantile(some, (0.01, 0.95)))
    return Scale(name, low, high) if LOWEST <= high - low <= HIGHEST and -1 <= low <= 2 else None


def battery_findings(
    dataset: PlainDataset, scales: dict[str, Scale], left_out: Flags | None, rows: RowsOf
) -> list[Finding]:
    """Straight answers in each run of alike items."""
    found: list[Finding] = []
    for names in batteries(dataset.names, scales):
        found += _straight(dataset, names, left_out, rows)
    return found


def batteries(names: tuple[str, ...] | list[str], scales: dict[str, Scale]) -> list[list[str]]:
    """Runs of neighbours on the same scale."""
    runs: list[list[str]] = [[]]
    for name in names:
        scale = scales.get(name)
        before = scales.get(runs[-1][-1]) if runs[-1] else None
        alike = (
            scale
            and before
            and abs(scale.high - before.high) <= 1
            and scale.low - before.low in (-1, 0, 1)
        )
        if scale is None:
            runs.append([])
        elif not runs[-1] or alike:
            runs[-1].append(name)
        else:
            runs.append([name])
    return [run for run in runs if len(run) >= FEWEST_ITEMS]


def _straight(
    dataset: PlainDataset, names: list[str], left_out: Flags | None, rows: RowsOf
) -> list[Finding]:
    answers = [_answers(dataset.column_once(name)) for name in names]
    if any(each is None for each in answers):
        return []
    table = np.stack([each for each in answers if each is not None])
    whole = (table >= 0).all(axis=0)
    if left_out is not None:
        whole &= ~left_out
    ordered = np.sort(table, axis=0)
    same = np.ones(table.shape[1], np.int16)
    run = np.ones(table.shape[1], np.int16)
    for place in range(1, len(ordered)):
        run = np.where(ordered[place] == ordered[place - 1], run + 1, 1).astype(np.int16)
        same = np.maximum(same, run)
    deviating = len(names) - same
    none, one, two = (int(np.count_nonzero(whole & (deviating == each))) for each in range(3))
    expected = one * one / max(two, 1)
    if none < LEAST or none <= EXPECTED * expected + 3 or none > MOST * whole.sum():
        return []
    cases = np.flatnonzero(whole & (deviating == 0))
    return [
        SameAnswerThroughout(
            severity="note",
            sure=0.8,
            variables=tuple(names),
            count=len(cases),
            rows=rows(cases),
            expected=round(expected, 1),
        )
    ]


def _answers(column: Column) -> np.ndarray | None:
    """Answers as small numbers, -1 where there is none."""
    values = column.values
    if not pa.types.is_integer(values.type) and not pa.types.is_floating(values.type):
        return None
    numbers = numpy_of(values, -1)
    return np.asarray(np.clip(numbers, -1, 120), np.int8)
