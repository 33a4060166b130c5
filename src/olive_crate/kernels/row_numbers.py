"""Which row of the source each case of a dataset came from.

Cases mostly follow one another row by row, so runs of them are kept, not every number.
"""

from __future__ import annotations

import base64
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from .types import Ints

MOST_RUNS = 4_000_000
"""More are not written into a packed file."""


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


def listed(rows: SourceRows) -> list[int]:
    """The row numbers as plain numbers."""
    return list(np.asarray(rows).tolist())


class RowNumbers(msgspec.Struct, frozen=True, eq=False):
    """Runs of rows: the first row of each, how many cases it has, and the step between cases."""

    first: Ints
    count: Ints
    step: int = 1

    def __len__(self) -> int:
        return int(self.count.sum())

    def at(self, cases: Ints) -> Ints:
        """The row of each of these cases (counted from 0)."""
        ends = np.cumsum(self.count)
        run = np.searchsorted(ends, cases, side="right")
        begins = ends - self.count
        return np.asarray(self.first[run] + (cases - begins[run]) * self.step, np.int64)

    def taken(self, cases: Ints) -> RowNumbers:
        """The rows of some cases."""
        return gathered([self.at(np.asarray(cases, np.int64))], self.step)

    def to_dict(self) -> dict[str, Any] | None:
        """As plain values, ready for JSON; `None` where there are too many runs to be written."""
        if len(self.first) > MOST_RUNS:
            return None
        return {"step": self.step, "first": _packed(self.first), "count": _packed(self.count)}

    @staticmethod
    def from_dict(plain: Mapping[str, Any] | None) -> RowNumbers | None:
        """What `to_dict` made this of."""
        if plain is None:
            return None
        return RowNumbers(_unpacked(plain["first"]), _unpacked(plain["count"]), plain["step"])


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
    steps = np.diff(numbers, prepend=0).astype("<i8")
    return base64.b64encode(zlib.compress(steps.tobytes(), 1)).decode("ascii")


def _unpacked(text: str) -> Ints:
    steps = np.frombuffer(zlib.decompress(base64.b64decode(text)), "<i8")
    return np.cumsum(steps).astype(np.int64)
