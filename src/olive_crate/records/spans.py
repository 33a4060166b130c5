"""The hand-over between reading and converting: where each field of a block of rows lies."""

from __future__ import annotations

from typing import NamedTuple, cast

import msgspec
import numpy as np

from .. import kernels
from ..kernels.reference import Bytes, Ints
from ..kernels.reference.structure import by_field

NONE = np.zeros(0, np.int64)


class Grid(NamedTuple):
    """Cells of one width at equal distances: bytes that can be read as a table."""

    first: int
    stride: int
    width: int


class Cells:
    """The cells of one variable in a block of rows: by starts and ends, or by a grid.

    Those of a grid have starts and ends as well, which are worked out when they are asked for.
    """

    __slots__ = ("_count", "_ends", "_starts", "buffer", "grid")

    def __init__(self, buffer: Bytes, starts: Ints, ends: Ints) -> None:
        self.buffer, self.grid = buffer, cast("Grid | None", None)
        self._starts, self._ends = cast("Ints | None", starts), cast("Ints | None", ends)
        self._count = len(starts)

    @staticmethod
    def on(buffer: Bytes, grid: Grid, count: int) -> Cells:
        """Cells of one width at equal distances."""
        cells = Cells(buffer, NONE, NONE)
        cells.grid, cells._count = grid, count
        cells._starts = cells._ends = None
        return cells

    def __len__(self) -> int:
        return self._count

    @property
    def starts(self) -> Ints:
        """Where each cell starts."""
        if self._starts is None:
            first, stride, _ = cast(Grid, self.grid)
            self._starts = first + stride * np.arange(self._count)
        return self._starts

    @property
    def ends(self) -> Ints:
        """Where each cell ends."""
        if self._ends is None:
            self._ends = self.starts + cast(Grid, self.grid).width
        return self._ends

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
    """One byte buffer, and the starts and ends of fields in it, shaped (rows, fields).

    The arrays lie field by field in memory, since they are used a field at a time. `rows` holds the
    number of each row in the source.
    """

    buffer: Bytes
    starts: Ints
    ends: Ints
    rows: Ints

    def field(self, index: int) -> Cells:
        """The cells of one field."""
        return Cells(self.buffer, self.starts[:, index], self.ends[:, index])

    def head(self, count: int) -> Spans:
        """The first rows."""
        return Spans(self.buffer, self.starts[:count], self.ends[:count], self.rows[:count])


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
