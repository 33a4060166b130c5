"""Numbers that have the look of a missing code and stand apart from all others.

They are only ever pointed at. The columns' blocks are looked at as they come by; a block whose
smallest and largest number have not the look of a code costs no more than finding these two.
"""

from __future__ import annotations

import msgspec
import numpy as np
import pyarrow as pa

from ..evidence import Suspect
from ..kernels.types import Flags

LOOKS = sorted(
    {
        *(-7, -8, -9, -66, -77, -88, -97, -98, -99),
        *(-666, -777, -888, -997, -998, -999, -7777, -8888, -9999, -99999),
        *(77, 88, 97, 98, 99, 666, 777, 888, 997, 998, 999),
        *(6666, 7777, 8888, 9997, 9998, 9999, 77777, 88888, 99999, 999999, 9999999, 99999999),
        *(99.9, 99.99, 999.9, 999.99, 9999.9, 9999.99, -99.9, -99.99, -999.9, -999.99),
    }
)
NARROW = 1 << 16
"""Whole numbers within so small a range are counted, not looked through again and again."""
LOOK_SET = frozenset(float(each) for each in LOOKS)


def plain_numbers(values: pa.Array, present: Flags | None) -> np.ndarray:
    """The numbers of a block without the missing ones."""
    kind = np.int64 if pa.types.is_int64(values.type) else np.float64
    numbers = np.frombuffer(values.buffers()[1], kind, len(values), values.offset * 8)
    return numbers if present is None else numbers[present]


class Watch(msgspec.Struct):
    """What has come by of one variable."""

    counts: dict[float, int] = msgspec.field(default_factory=dict)
    low: float = float("inf")
    high: float = float("-inf")
    seen: int = 0

    def add(
        self,
        values: pa.Array,
        present: Flags | None,
        span: tuple[float, float] | None = None,
    ) -> None:
        """Look at a block of numbers; `present` is `None` where all are, `span` what is known."""
        if span is not None and span[0] not in LOOK_SET and span[1] not in LOOK_SET:
            self.seen += len(values) - values.null_count
            self._within(float(span[0]), float(span[1]))
            return
        rest = plain_numbers(values, present)
        self.seen += len(rest)
        if not len(rest):
            return
        low, high = (rest.min(), rest.max()) if span is None else span
        if rest.dtype == np.int64 and high - low < NARROW and {float(low), float(high)} & LOOK_SET:
            counts = np.bincount(rest - low)
            different = np.flatnonzero(counts)
            self._peel(different + low, counts[different])
        else:
            self._extremes(rest, float(low), float(high))

    def _peel(self, different: np.ndarray, counts: np.ndarray) -> None:
        """Numbers in order, each with how often it comes: codes at both ends, and the rest."""
        first, last = 0, len(different) - 1
        while first <= last:
            place = next((at for at in (first, last) if float(different[at]) in LOOK_SET), None)
            if place is None:
                self._within(float(different[first]), float(different[last]))
                return
            self._met(float(different[place]), int(counts[place]))
            first, last = (first + 1, last) if place == first else (first, last - 1)

    def _extremes(self, rest: np.ndarray, low: float, high: float) -> None:
        """The same for any numbers."""
        while True:
            extreme = next((each for each in (low, high) if each in LOOK_SET), None)
            if extreme is None:
                self._within(low, high)
                return
            hit = rest == extreme
            self._met(extreme, int(np.count_nonzero(hit)))
            rest = rest[~hit]
            if not len(rest):
                return
            low, high = float(rest.min()), float(rest.max())

    def _met(self, code: float, count: int) -> None:
        self.counts[code] = self.counts.get(code, 0) + count

    def _within(self, low: float, high: float) -> None:
        self.low, self.high = min(self.low, low), max(self.high, high)

    def suspects(self) -> list[Suspect]:
        """The numbers that repeat and stand apart by far."""
        width = self.high - self.low
        if not self.counts or not np.isfinite(width) or self.seen < 20:
            return []
        unit = width if width > 0 else max(1.0, abs(self.high))
        found = []
        for value, count in sorted(self.counts.items()):
            away = max(self.low - value, value - self.high) / unit
            negative_among_positive = value < 0 <= self.low
            if count >= 2 and (away >= 0.5 or (negative_among_positive and away > 0)):
                found.append(Suspect(value, count, away))
        return found if sum(each.count for each in found) < 0.5 * self.seen else []
