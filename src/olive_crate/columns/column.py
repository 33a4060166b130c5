"""Columns: the cells of one variable, and why each that has no value has none."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import BLANK, FIRST_CODE, UNREADABLE
from ..declaration.variable import Variable
from ..errors import PlanError, nearest
from ..kernels.reference.gather import none_missing
from ..kernels.types import Flags
from .dictionary_encoding import decoded
from .withheld import NOTHING, Withheld


class Column(msgspec.Struct, frozen=True, eq=False):
    """One variable's cells: `values` is null exactly where `reasons` is not 0.

    `reasons` says why: 0 present, 1 blank, 2 unreadable, 10 + k the k-th missing code. Compared
    with a value (`column > 3`) it gives a mask, true where a cell has a value for which that holds.
    """

    variable: Variable
    values: pa.Array
    reasons: np.ndarray
    withheld: Withheld = NOTHING

    def __len__(self) -> int:
        return len(self.values)

    def __eq__(self, other: object) -> Flags:  # type: ignore[override]
        return self._compared("equal", other)

    def __ne__(self, other: object) -> Flags:  # type: ignore[override]
        return self._compared("not_equal", other)

    def __lt__(self, other: object) -> Flags:
        return self._compared("less", other)

    def __le__(self, other: object) -> Flags:
        return self._compared("less_equal", other)

    def __gt__(self, other: object) -> Flags:
        return self._compared("greater", other)

    def __ge__(self, other: object) -> Flags:
        return self._compared("greater_equal", other)

    __hash__ = None  # type: ignore[assignment]

    def _compared(self, how: str, other: object) -> Flags:
        from .comparing import compared

        return compared(self.variable, self.values, how, other)

    def is_in(self, values: Iterable[object]) -> Flags:
        """Which cells have one of these values."""
        found = np.zeros(len(self), bool)
        for value in values:
            found |= self == value
        return found

    def is_missing(self, reason: str | None = None) -> Flags:
        """Which cells have no value; with a reason, only for that one."""
        if reason is None:
            return np.asarray(self.reasons != 0)
        numbers = [number for number in range(1, 256) if self._words(number) == reason]
        if not numbers:
            known = [BLANK, UNREADABLE, *(code.why for code in self.variable.missing)]
            raise PlanError(
                f'"{self.variable.name}": there is no reason "{reason}"{nearest(reason, known)}'
            )
        return np.isin(self.reasons, numbers)

    def _words(self, number: int) -> str:
        codes = len(self.variable.missing)
        known = number < 3 or FIRST_CODE <= number < FIRST_CODE + codes
        return reason_words(self.variable, number) if known else ""

    def reason_counts(self) -> dict[str, int]:
        """How many cells are missing, by reason; reasons of the same words are one."""
        return self.named(reason_totals(self.reasons))

    def named(self, counts: np.ndarray) -> dict[str, int]:
        """Counts of each number in `reasons`, by the words for it."""
        found: dict[str, int] = {}
        for number in np.flatnonzero(counts[1:]) + 1:
            words = reason_words(self.variable, int(number))
            found[words] = found.get(words, 0) + int(counts[number])
        return found

    def why(self, index: int) -> str | None:
        """Why one cell has no value; `None` if it has one."""
        number = int(self.reasons[index])
        return None if number == 0 else reason_words(self.variable, number)

    def reason_names(self) -> np.ndarray:
        """The reason of each cell in words, empty where it has a value."""
        words = np.full(256, "", object)
        for number in np.unique(self.reasons[self.reasons != 0]).tolist():
            words[number] = reason_words(self.variable, number)
        names: np.ndarray = words[self.reasons]
        return names

    def reason_texts(self) -> pa.DictionaryArray:
        """The reasons as words, null where there is a value.

        Codes that share a reason are told apart by the code behind it.
        """
        known = told_apart(self.variable)
        numbers = np.unique(self.reasons[self.reasons != 0]).tolist()
        place = np.zeros(256, np.int16)
        place[numbers] = np.arange(len(numbers))
        indices = kernels.arrow(place[self.reasons], self.reasons != 0, pa.int16())
        words = kernels.strings([known[number] for number in numbers])
        return pa.DictionaryArray.from_arrays(indices, words)

    def labelled(self) -> pa.DictionaryArray:
        """The labels of the values, ordered for an ordinal level; a value without one as it is."""
        from .meanings import labelled

        return labelled(self.variable, self.values, self.reasons)

    def to_numpy(self) -> np.ndarray:
        """A plain array; missing numbers are NaN, other missing values `None` or NaT."""
        from .arrays import plain_array

        return plain_array(self.variable.type, self.values, self.reasons)

    def taken(self, rows: np.ndarray) -> Column:
        """Some of the cells."""
        chosen = self.values.take(kernels.whole_numbers(rows))
        return Column(self.variable, chosen, self.reasons[rows], self.withheld.taken(rows))

    def slice(self, start: int, stop: int) -> Column:
        """The cells from `start` up to, but not with, `stop`."""
        low, high = np.searchsorted(self.withheld.cells, (start, stop))
        texts = self.withheld.texts[int(low) : int(high)]
        held = Withheld(self.withheld.cells[low:high] - start, texts)
        return Column(self.variable, self.values[start:stop], self.reasons[start:stop], held)

    def equals(self, other: Column) -> bool:
        """The same declaration, values, reasons and withheld texts."""
        return (
            self.variable == other.variable
            and bool(np.array_equal(self.reasons, other.reasons))
            and bool(decoded(self.values).equals(decoded(other.values)))
            and self.withheld.equals(other.withheld)
        )


def reason_totals(reasons: np.ndarray) -> np.ndarray:
    """How many cells have each reason, as 256 counts."""
    totals = np.zeros(256, np.int64)
    filled = reasons[:0] if none_missing(reasons) else reasons[reasons != 0]
    totals[0] = len(reasons) - len(filled)
    if len(filled):
        totals += np.bincount(filled, minlength=256)
    return totals


def reason_words(variable: Variable, number: int) -> str:
    """What a number in `reasons` means for this variable."""
    if number < FIRST_CODE:
        return {1: BLANK, 2: UNREADABLE}[number]
    return variable.missing[number - FIRST_CODE].why


def told_apart(variable: Variable) -> dict[int, str]:
    """Words for each number in `reasons`, all different."""
    words = {1: BLANK, 2: UNREADABLE}
    taken = set(words.values())
    for place, code in enumerate(variable.missing):
        own = code.why if code.why not in taken else f"{code.why} ({code})"
        while own in taken:
            own += "*"
        taken.add(own)
        words[FIRST_CODE + place] = own
    return words
