"""The hand-over between reading and converting: where each field of a block of rows lies."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import NamedTuple

import msgspec
import numpy as np

from .. import kernels
from .reference.structure import by_field
from .row_numbers import SourceRows
from .types import Bytes, EarlyColumn, Ints, Table

NONE = np.zeros(0, np.int64)


class Grid(NamedTuple):
    """Cells of one width at equal distances: bytes that can be read as a table."""

    first: int
    stride: int
    width: int


class Cells:
    """The cells of one variable in a block of rows.

    Where each starts and ends is worked out when it is asked for, since what was read ahead
    (`ready`), and the numbers of a grid, can do without.
    """

    __slots__ = ("_at", "_count", "_find", "buffer", "grid", "ready")

    def __init__(self, buffer: Bytes, starts: Ints, ends: Ints) -> None:
        self.buffer, self._count = buffer, len(starts)
        self.grid: Grid | None = None
        self.ready: EarlyColumn | None = None
        self._at: tuple[Ints, Ints] | None = (starts, ends)
        self._find: Callable[[], tuple[Ints, Ints]] | None = None

    @staticmethod
    def later(
        buffer: Bytes,
        count: int,
        find: Callable[[], tuple[Ints, Ints]],
        ready: EarlyColumn | None = None,
    ) -> Cells:
        """Cells whose starts and ends are found when they are asked for."""
        cells = Cells(buffer, NONE, NONE)
        cells._count, cells._at, cells._find, cells.ready = count, None, find, ready
        return cells

    @staticmethod
    def on(buffer: Bytes, grid: Grid, count: int, ready: EarlyColumn | None = None) -> Cells:
        """Cells of one width at equal distances."""

        def find() -> tuple[Ints, Ints]:
            starts = grid.first + grid.stride * np.arange(count)
            return starts, starts + grid.width

        cells = Cells.later(buffer, count, find, ready)
        cells.grid = grid
        return cells

    def __len__(self) -> int:
        return self._count

    def _positions(self) -> tuple[Ints, Ints]:
        if self._at is None:
            assert self._find is not None
            self._at = self._find()
        return self._at

    @property
    def starts(self) -> Ints:
        """Where each cell starts."""
        return self._positions()[0]

    @property
    def ends(self) -> Ints:
        """Where each cell ends."""
        return self._positions()[1]

    def at(self, rows: Ints) -> Cells:
        """Some of the cells, in order."""
        return Cells(self.buffer, self.starts[rows], self.ends[rows])

    def trimmed(self, trim: bool | str | None = True) -> Cells:
        """The cells without the blanks around them."""
        if trim in (None, False):
            return self
        left, right = trim in (True, "left"), trim in (True, "right")
        if self.grid is not None and not kernels.are_compiled():
            at = kernels.trimmed_table(self.buffer, *self.grid, len(self), left, right)
            return Cells(self.buffer, self.starts + at[0], self.starts + at[1])
        return Cells(
            self.buffer, *kernels.trimmed(self.buffer, self.starts, self.ends, left, right)
        )


class Spans(msgspec.Struct, frozen=True, eq=False):
    """A block of rows: the cells of each field, and the number of each row in the source."""

    rows: SourceRows
    field: Callable[[int], Cells]
    early: bool = False
    """Kernels have converted columns already: there is little left to do."""


def spans_of(buffer: Bytes, starts: Ints, ends: Ints, rows: Ints) -> Spans:
    """Spans of starts and ends shaped (rows, fields)."""
    return Spans(rows, lambda index: Cells(buffer, starts[:, index], ends[:, index]))


def spans_in(table: Table, rows: SourceRows) -> Spans:
    """Spans of a table."""

    def field(index: int) -> Cells:
        find = functools.partial(table.columns, index)
        return Cells.later(table.buffer, table.count, find, table.ready.get(index))

    return Spans(rows, field, bool(table.ready))


def shaped(starts: Ints, ends: Ints, record: Ints, chosen: Ints, fields: int) -> tuple[Ints, Ints]:
    """Starts and ends of the chosen records as (rows, fields).

    Fields beyond `fields` are left out; fields that a record lacks are empty, at its end.
    """
    first, counts = record[chosen], record[chosen + 1] - record[chosen]
    if len(chosen) == 0:
        empty = np.zeros((0, fields), np.int64)
        return empty, empty
    if bool((counts == fields).all()) and first[-1] - first[0] == fields * (len(chosen) - 1):
        whole = slice(int(first[0]), int(first[-1]) + fields)
        return by_field(starts[whole], fields), by_field(ends[whole], fields)
    column = np.minimum(np.arange(fields)[:, None], counts - 1) + first
    lacking = np.arange(fields)[:, None] >= counts
    ends_of = ends[column]
    return np.where(lacking, ends_of, starts[column]).T, ends_of.T
