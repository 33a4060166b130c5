"""Levels of measurement, suggested from a whole variable as its blocks come by; never applied.

The four levels are those of S. S. Stevens, "On the theory of scales of measurement", Science 103
(1946) 677-680. Two questions cost something: are there only a few different texts, and do all
values differ? Both are given up at the first block that answers no, which is the first one for
nearly every variable. Values that rise all the way differ for certain, however many there are;
others are compared up to 20,000 of them, and the suggestion then says that it is only these.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from collections.abc import Set as AbstractSet

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..evidence import LevelBasis, LevelSuggested, Suspect
from ..kernels.buffers import FEW as FEW_CELLS
from ..kernels.types import COURSE_HEAD, Bytes

FEW = 12
"""Different values, or the width of their range, up to which they are categories or ranks."""
ENOUGH = 20
"""Fewer values suggest nothing."""
HEAD = 64
"""Texts that mostly show that they are not few."""
GLANCE = 256
"""Texts in which most variables repeat one already, once many have been compared."""
COMPARED = 20_000
"""Values that are compared with each other; more would cost more than a suggestion is worth."""
BY_TYPE: dict[str, tuple[str, LevelBasis]] = {
    "boolean": ("nominal", "truth"),
    "date": ("interval", "moments"),
    "time": ("interval", "moments"),
    "datetime": ("interval", "moments"),
    "duration": ("ratio", "lengths"),
}
"""Levels that follow from the type alone."""
LOOKS = sorted(
    {
        *(-7, -8, -9, -66, -77, -88, -97, -98, -99),
        *(-666, -777, -888, -997, -998, -999, -7777, -8888, -9999, -99999),
        *(77, 88, 97, 98, 99, 666, 777, 888, 997, 998, 999),
        *(6666, 7777, 8888, 9997, 9998, 9999, 77777, 88888, 99999, 999999, 9999999, 99999999),
        *(99.9, 99.99, 999.9, 999.99, 9999.9, 9999.99, -99.9, -99.99, -999.9, -999.99),
    }
)
LOOK_SET = frozenset(float(each) for each in LOOKS)
LOOKED_FOR = np.array(LOOKS, np.float64)


class Scale(msgspec.Struct, eq=False, gc=False):
    """What has come by of one variable, as far as its level depends on it."""

    kind: str = ""
    mixed: bool = False
    """The type changed on the way: nothing is suggested."""
    count: int = 0
    few: AbstractSet[str] | None = frozenset()
    """The different texts so far; `None` when there are too many."""
    rising: bool = True
    differ: bool = True
    last: str | int | None = None
    compared: int = 0
    held: tuple[pa.Array, ...] = ()
    """Texts to be compared."""
    numbers: tuple[np.ndarray, ...] = ()
    """Whole numbers to be compared."""

    def add(
        self, kind: str, values: pa.Array, reasons: Bytes | None, words: Sequence[str] = ()
    ) -> None:
        """Look at a block; its different texts may be known."""
        self.mixed |= self.kind not in ("", kind) and kind != "number"
        self.kind = kind
        self.count += len(values) - values.null_count
        if kind == "integer":
            if self.differ:
                self._differences(values, reasons)
        elif kind in ("text", "category") and (self.differ or self.few is not None):
            if words and len(words) < len(values) - values.null_count:
                self._repeated(words)
            else:
                self._words(values)

    def _differences(self, values: pa.Array, reasons: Bytes | None) -> None:
        numbers = plain_numbers(values, None)
        course = kernels.course(numbers, reasons)
        if course.repeats:
            self.rising = self.differ = False
            self.numbers = ()
            return
        numbers = numbers if reasons is None else numbers[reasons == 0]
        if not len(numbers):
            return
        self.rising &= course.rises and (self.last is None or int(numbers[0]) > int(self.last))
        self.last = int(numbers[-1])
        if not (self.numbers or course.rises) and len(numbers) > COURSE_HEAD:
            self.differ = _differ(numbers[:FEW_CELLS])
        if not self.differ:
            self.numbers = ()
        elif self.compared < COMPARED:
            self.numbers += (numbers[: COMPARED - self.compared],)
            self.compared += len(self.numbers[-1])

    def _words(self, values: pa.Array) -> None:
        if pa.types.is_dictionary(values.type):
            self._encoded(values)
            return
        values = _present(values)
        if not len(values):
            return
        self.rising = False
        if self.few is not None:
            self._note_few(values)
        elif self.differ and self.compared >= COMPARED:  # no more of them will be compared
            head = values[:GLANCE].to_pylist()
            self.differ = len(set(head)) == len(head)
        self._hold(values)

    def _note_few(self, values: pa.Array) -> None:
        """Which texts there are, as long as they are few."""
        head = values[:HEAD].to_pylist()
        different = set(head)
        self.differ &= len(different) == len(head)
        if len(different) <= FEW and len(values) > len(head):
            few = len(values) <= kernels.FEW
            different = set((values if few else values.unique()).to_pylist())
        assert self.few is not None
        different |= self.few
        self.few = None if len(different) > FEW else different

    def _repeated(self, words: Sequence[str]) -> None:
        """Texts, some of them more than once, of which these are the different ones."""
        few = None if self.few is None or len(words) > FEW else self.few | set(words)
        self.few = None if few is None or len(few) > FEW else few
        self.rising = self.differ = False
        self.held = ()

    def _encoded(self, values: pa.DictionaryArray) -> None:
        """Texts that are places among few different ones."""
        count, many = len(values) - values.null_count, len(values.dictionary)
        if self.few is not None:
            self.few = None if many > FEW else self.few | set(values.dictionary.to_pylist())
            self.few = None if self.few is not None and len(self.few) > FEW else self.few
        self.rising = False
        if self.compared < COMPARED:
            self.differ &= many == count or self.compared + count > COMPARED
        self._hold(values.dictionary)

    def _hold(self, values: pa.Array) -> None:
        """Keep values to be compared at the end, as long as none has been met twice."""
        if not self.differ:
            self.held = ()
        elif self.compared < COMPARED:
            self.held += (values.slice(0, COMPARED - self.compared),)
            self.compared += len(self.held[-1])

    def _all_differ(self) -> bool:
        """Are the values kept all different?"""
        if self.numbers:
            return not self.held and _differ(np.concatenate(self.numbers))
        count = sum(len(each) - each.null_count for each in self.held)
        if count <= FEW_CELLS:
            met = {value for each in self.held for value in each.to_pylist()} - {None}
            return bool(len(met) == count)
        return kernels.all_differ([_present(each) for each in self.held])

    def suggested(self, variable: str, kind: str, watch: Watch) -> LevelSuggested | None:
        """The level that the values suggest; `None` where nothing can be said."""
        if self.count < ENOUGH or self.mixed:
            return None
        found = None
        if kind in ("integer", "number"):
            found = _by_range(kind, watch.low, watch.high)
        if kind in ("text", "category"):
            if self.kind not in ("text", "category"):  # read as something else until the end
                return None
            found = self._by_words()
        elif kind in BY_TYPE:
            level, basis = BY_TYPE[kind]
            found = LevelSuggested(value=level, basis=basis)
        elif kind == "integer" and self.differ:
            found = self._identifier() or found
        return None if found is None else msgspec.structs.replace(found, variable=variable)

    def _by_words(self) -> LevelSuggested | None:
        if self.few is not None:
            return LevelSuggested(value="nominal", basis="words", count=len(self.few))
        return self._identifier() if self.differ else None

    def _identifier(self) -> LevelSuggested | None:
        """Each case has a value of its own: they tell cases apart."""
        if not self.rising and not self._all_differ():
            return None
        if not (self.held or self.numbers):
            return None
        whole = self.rising or self.count <= COMPARED
        count = self.count if whole else COMPARED
        return LevelSuggested(value="nominal", basis="identifier", count=count, whole=whole)


def _by_range(kind: str, low: float, high: float) -> LevelSuggested | None:
    if not math.isfinite(low) or low == high:  # one number all the way says nothing
        return None
    if kind == "integer" and high - low < FEW:
        return LevelSuggested(value="ordinal", basis="few", low=low, high=high)
    if low >= 0:
        return LevelSuggested(value="ratio", basis="from zero")
    return LevelSuggested(value="interval", basis="below zero")


def _differ(numbers: np.ndarray) -> bool:
    part = np.sort(numbers)
    return bool((part[1:] != part[:-1]).all())


def _present(texts: pa.Array) -> pa.Array:
    """Texts without nulls; few of them without waking up Arrow's compute functions."""
    if not texts.null_count:
        return texts
    if len(texts) > kernels.FEW or not pa.types.is_string(texts.type):
        return texts.drop_null()
    return kernels.strings([each for each in texts.to_pylist() if each is not None])


def plain_numbers(values: pa.Array, reasons: Bytes | None) -> np.ndarray:
    """The numbers of a block without the missing ones."""
    kind = np.int64 if pa.types.is_int64(values.type) else np.float64
    numbers = np.frombuffer(values.buffers()[1], kind, len(values), values.offset * 8)
    return numbers if reasons is None else numbers[reasons == 0]


class Watch(msgspec.Struct, gc=False):
    """What has come by of one variable."""

    counts: dict[float, int] = msgspec.field(default_factory=dict)
    low: float = float("inf")
    high: float = float("-inf")
    seen: int = 0

    def add(
        self,
        values: pa.Array,
        reasons: Bytes | None,
        span: tuple[float, float] | None = None,
    ) -> None:
        """Look at a block; `reasons` is `None` if all numbers are there, `span` what is known."""
        self.seen += len(values) - values.null_count
        if span is not None and span[0] not in LOOK_SET and span[1] not in LOOK_SET:
            self.low, self.high = min(self.low, float(span[0])), max(self.high, float(span[1]))
            return
        found = kernels.extremes(plain_numbers(values, None), reasons, LOOKED_FOR)
        for code, count in found.beyond.items():
            self._met(code, count)
        self.low, self.high = min(self.low, found.low), max(self.high, found.high)

    def _met(self, code: float, count: int) -> None:
        self.counts[code] = self.counts.get(code, 0) + count

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
