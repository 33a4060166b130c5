"""What the pictures of a report's variables show: bars of values, and frequencies."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from ...columns.column import Column
from ...dataset.model import PlainDataset
from ...declaration.variable import NUMERIC
from ...describe.codebook import Entry
from ...describe.counts import Counts, counts
from ...kernels.buffers import numpy_of
from ..counts import table_of
from ..text import cut, visible

FEW = 24
"""Different values up to which each has a bar of its own."""
BINS = 24
ROWS = 12
"""Rows of a table of frequencies."""
TIMES = ("date", "datetime", "time", "duration")


class Shape(NamedTuple):
    """How the values of a variable are distributed."""

    bars: list[int]
    ends: tuple[str, str]
    words: str
    """What the bars are."""
    heads: Sequence[str] = ()
    rows: Sequence[Sequence[str]] = ()
    more: str = ""


def shape_of(dataset: PlainDataset, entry: Entry, no_cells: bool) -> Shape:
    """The bars of a variable, and its frequencies where its values are few."""
    variable = entry.variable
    if not entry.valid:
        return Shape([], ("", ""), "no values")
    if entry.distinct <= FEW:
        made = counts(dataset, variable.name)
        assert isinstance(made, Counts)
        return _of_few(made, no_cells)
    ends = ("", "") if no_cells else (cut(entry.smallest, 16), cut(entry.largest, 16))
    if variable.type in NUMERIC or variable.type in TIMES:
        bars = _histogram(dataset, variable.name, variable.type in ("integer", "date"))
        return Shape(bars, ends, f"{len(bars)} classes of {variable.type}s")
    common = [count for _, count in entry.common]
    rows = [] if no_cells else [[cut(visible(t), 60), f"{n:,}"] for t, n in entry.common]
    words = f"the {len(common)} commonest of {entry.distinct:,} texts"
    return Shape(common, ("", ""), words, ["text", "cases"], rows)


def _of_few(made: Counts, no_cells: bool) -> Shape:
    bars = [each.cases for each in made.rows]
    named = made.variable.meanings
    if no_cells and not named:
        return Shape(bars, ("", ""), f"{len(bars)} different values")
    parts = table_of(made, ROWS)
    rows = [*parts.answered, *parts.missing, parts.total]
    cells = [[visible(cell) for cell in row] for row in rows]
    heads = list(parts.headings)
    if no_cells:  # what values mean is declared; what stands in a cell is not shown
        cells = [row for row in cells if len(row) > 1 and row[1]]
    ends = ("", "") if no_cells else (_end(made, 0), _end(made, -1))
    left = len(made.rows) - len(parts.answered)
    more = f"{left:,} more values" if left > 0 else ""
    return Shape(bars, ends, f"{len(bars)} different values", heads, cells, more)


def _end(made: Counts, place: int) -> str:
    row = made.rows[place]
    return cut(visible(row.label or str(row.value)), 16)


def _histogram(dataset: PlainDataset, name: str, whole: bool) -> list[int]:
    """Counts in classes of one width between the least and the greatest value.

    Of whole numbers and days, each class has as many.
    """
    low, high = np.inf, -np.inf
    for values in _numbers(dataset, name):
        low, high = min(low, float(values.min())), max(high, float(values.max()))
    if not np.isfinite(high - low):
        return []
    bins = BINS
    if whole:
        width = np.ceil((high - low + 1) / BINS)
        bins = int(np.ceil((high - low + 1) / width))
        low, high = low - 0.5, low - 0.5 + bins * width
    total = np.zeros(bins, np.int64)
    for values in _numbers(dataset, name):
        total += np.histogram(values, bins, (low, high))[0]
    made: list[int] = total.tolist()
    return made


def _numbers(dataset: PlainDataset, name: str) -> Iterator[np.ndarray]:
    for piece in dataset.column_pieces(name):
        values = _plain(piece)
        if len(values):
            yield values


def _plain(piece: Column) -> np.ndarray:
    values = piece.values.drop_null() if piece.values.null_count else piece.values
    return np.asarray(numpy_of(values), np.float64)
