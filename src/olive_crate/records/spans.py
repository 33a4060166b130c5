"""The hand-over between reading and converting: where each field of a block of rows lies."""

from __future__ import annotations

from typing import NamedTuple

import msgspec
import numpy as np

from ..kernels import reference as kernels
from ..kernels.reference import Bytes, Ints


class Grid(NamedTuple):
    """Cells of one width at equal distances: bytes that can be read as a table."""

    first: int
    stride: int
    width: int


class Cells(msgspec.Struct, frozen=True, eq=False):
    """The cells of one variable in a block of rows."""

    buffer: Bytes
    starts: Ints
    ends: Ints
    grid: Grid | None = None

    def __len__(self) -> int:
        return len(self.starts)

    def at(self, rows: Ints) -> Cells:
        """Some of the cells, in order."""
        return Cells(self.buffer, self.starts[rows], self.ends[rows])

    def trimmed(self, trim: bool | str | None = True) -> Cells:
        """The cells without the blanks around them."""
        if trim in (None, False):
            return self
        left, right = trim in (True, "left"), trim in (True, "right")
        if self.grid is not None:
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
        return _by_field(starts[whole], fields), _by_field(ends[whole], fields)
    column = np.minimum(np.arange(fields)[:, None], counts - 1) + first
    lacking = np.arange(fields)[:, None] >= counts
    ends_of = ends[column]
    return np.where(lacking, ends_of, starts[column]).T, ends_of.T


def _by_field(flat: Ints, fields: int) -> Ints:
    return np.ascontiguousarray(flat.reshape(-1, fields).T).T
