"""Where cells and rows lie: cells as spans of a buffer, rows by their numbers in the source."""

from __future__ import annotations

import functools
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np

from .. import kernels
from .buffers import by_field
from .types import Bytes, EarlyColumn, Ints, Table

NONE = np.zeros(0, np.int64)
MOST_RUNS = 4_000_000
"""More are not written into a packed file."""


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

    def _found(self) -> tuple[Ints, Ints]:
        assert self._find is not None
        self._at = self._find()
        return self._at

    @property
    def starts(self) -> Ints:
        """Where each cell starts."""
        return (self._at or self._found())[0]

    @property
    def ends(self) -> Ints:
        """Where each cell ends."""
        return (self._at or self._found())[1]

    def at(self, rows: Ints | slice) -> Cells:
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


class BlockRows:
    """The row of each case of a block, worked out for those that are asked for."""

    def __init__(self, first: int, lines: Ints) -> None:
        self._first, self._lines = first, lines[:-1]

    def __len__(self) -> int:
        return len(self._lines)

    def __getitem__(self, cases: Any) -> Any:
        return self._lines[cases] + self._first

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> Ints:
        return np.asarray(self._lines + self._first, dtype)


SourceRows = Ints | BlockRows


FILE_BITS = 40
LAST_ROW = (1 << FILE_BITS) - 1
"""Rows of files in a set are told apart by the bits above these."""


def listed(rows: SourceRows) -> list[int]:
    """The row numbers as plain numbers."""
    return list(np.asarray(rows).tolist())


class RowNumbers(msgspec.Struct, frozen=True, eq=False):
    """Runs of rows: the first row of each, how many cases it has, and the step between cases."""

    first: Ints
    """In a set of files, with the place of the file in its upper bits."""
    count: Ints
    step: int = 1
    files: tuple[str, ...] = ()
    """The names of the files of a set; empty where there is one source."""

    def __len__(self) -> int:
        return int(self.count.sum())

    def __getitem__(self, case: int) -> int:
        """The row of one case (counted from 0; negative from the end), in its own file."""
        count = len(self)
        if not -count <= case < count:
            raise IndexError(f"there are {count} cases")
        return int(self.at(np.array([case % count]))[0])

    def __iter__(self) -> Iterator[int]:
        """The row of each case, in its own file."""
        for first, count in zip(self.first.tolist(), self.count.tolist(), strict=True):
            start = first & LAST_ROW
            yield from range(start, start + count * self.step, self.step)

    def at(self, cases: Ints) -> Ints:
        """The row of each of these cases (counted from 0), in its own file."""
        return self.keys(cases) & LAST_ROW

    def files_at(self, cases: Ints) -> list[str]:
        """The file that each of these cases came from; empty texts where there is one source."""
        if not self.files:
            return [""] * len(cases)
        return [self.files[place] for place in (self.keys(cases) >> FILE_BITS).tolist()]

    def keys(self, cases: Ints) -> Ints:
        """A number for each of these cases, which no other row of any file has."""
        ends = np.cumsum(self.count)
        run = np.searchsorted(ends, cases, side="right")
        begins = ends - self.count
        return np.asarray(self.first[run] + (cases - begins[run]) * self.step, np.int64)

    def taken(self, cases: Ints) -> RowNumbers:
        """The rows of some cases."""
        runs = gathered([self.keys(np.asarray(cases, np.int64))], self.step)
        return msgspec.structs.replace(runs, files=self.files)

    def of_file(self, place: int) -> RowNumbers:
        """The same rows, as those of the file at this place in a set."""
        return msgspec.structs.replace(self, first=self.first + (place << FILE_BITS))

    def to_dict(self) -> dict[str, Any] | None:
        """As plain values, ready for JSON; `None` where there are too many runs to be written."""
        if len(self.first) > MOST_RUNS:
            return None
        plain = {"step": self.step, "first": _packed(self.first), "count": _packed(self.count)}
        return plain | ({"files": list(self.files)} if self.files else {})

    @staticmethod
    def from_dict(plain: Mapping[str, Any] | None) -> RowNumbers | None:
        """What `to_dict` made this of."""
        if plain is None:
            return None
        first, count = _unpacked(plain["first"]), _unpacked(plain["count"])
        return RowNumbers(first, count, plain["step"], tuple(plain.get("files", ())))


def gathered(parts: Iterable[SourceRows], step: int = 1) -> RowNumbers:
    """The runs in arrays of row numbers, one after another."""
    firsts, counts = [], []
    for rows in parts:
        if not len(rows):
            continue
        if step == 1 and rows[-1] - rows[0] == len(rows) - 1:  # they rise, so that none is left out
            firsts.append(rows[:1])
            counts.append(np.array([len(rows)]))
            continue
        begins = np.concatenate(([0], np.flatnonzero(np.diff(np.asarray(rows)) != step) + 1))
        firsts.append(rows[begins])
        counts.append(np.diff(np.append(begins, len(rows))))
    if not firsts:
        return RowNumbers(np.zeros(0, np.int64), np.zeros(0, np.int64), step)
    if len(firsts) == 1:
        return RowNumbers(firsts[0], counts[0], step)
    return _joined(np.concatenate(firsts), np.concatenate(counts), step)


def chained(parts: Sequence[RowNumbers]) -> RowNumbers:
    """Runs of several blocks, one after another."""
    filled = [part for part in parts if len(part.first)]
    if not filled:
        return gathered([])
    first = np.concatenate([part.first for part in filled])
    return _joined(first, np.concatenate([part.count for part in filled]), filled[0].step)


def _joined(first: Ints, count: Ints, step: int) -> RowNumbers:
    """Runs that go on where the one before ends are one."""
    starts = np.concatenate(([True], first[1:] != first[:-1] + count[:-1] * step))
    begins = np.flatnonzero(starts)
    return RowNumbers(first[begins], np.add.reduceat(count, begins), step)


def _packed(numbers: Ints) -> str:
    """Differences, deflated, in the alphabet of RFC 4648, section 4."""
    import base64

    steps = np.diff(numbers, prepend=0).astype("<i8")
    return base64.b64encode(zlib.compress(steps.tobytes(), 1)).decode("ascii")


def _unpacked(text: str) -> Ints:
    import base64

    steps = np.frombuffer(zlib.decompress(base64.b64decode(text)), "<i8")
    return np.cumsum(steps).astype(np.int64)
