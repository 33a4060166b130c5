"""The kinds of finding, each with what its words need."""

from __future__ import annotations

from typing import ClassVar, Literal

from ..dataset.promises import Promise
from ..describe.meanings import UnexplainedValues, UnusedMeanings
from ..evidence import Evidence, Suspect, TextCount
from .findings import Cost, Finding


class RowsLeftOut(Finding, frozen=True, kw_only=True):
    """Rows that were left out, or may be no data, without anybody having said so."""

    cost: ClassVar[Cost] = "cases"

    evidence: Evidence


class UnexplainedValuesFound(Finding, frozen=True, kw_only=True, tag="unexplained values"):
    """Values that have no meaning although others have."""

    cost: ClassVar[Cost] = "groups"

    values: UnexplainedValues


class UnusedMeaningsFound(Finding, frozen=True, kw_only=True, tag="unused meanings"):
    """Meanings that no value has."""

    cost: ClassVar[Cost] = "reading"

    meanings: UnusedMeanings


class EmptyVariable(Finding, frozen=True, kw_only=True):
    """No cell has a value."""

    cost: ClassVar[Cost] = "reading"

    reasons: dict[str, int]


class ConstantVariable(Finding, frozen=True, kw_only=True):
    """All values are the same."""

    cost: ClassVar[Cost] = "reading"

    value: str


class SuspectedCodesFound(Finding, frozen=True, kw_only=True, tag="suspected codes"):
    """Numbers that stand apart and look like missing codes."""

    suspects: tuple[Suspect, ...]
    low: float
    high: float


class FarFromTheRest(Finding, frozen=True, kw_only=True):
    """Values far beyond the others."""

    values: tuple[str, ...]
    others: bool
    """There are more such values."""
    low: str
    high: str


class SlippedDecimals(Finding, frozen=True, kw_only=True):
    """Values that fit the others once their decimal point is moved."""

    values: tuple[str, ...]
    factor: float
    """By how much they are too large."""
    low: str
    high: str


class ChangeOfScale(Finding, frozen=True, kw_only=True):
    """A run of values in another unit."""

    factor: float
    """By how much they are larger than the others."""
    to_the_end: bool
    inside: str
    outside: str
    """The middle of the values in the run, and of the others."""


class HeapedValues(Finding, frozen=True, kw_only=True):
    """Too many numbers end in the same digits."""

    ends: tuple[int, ...]
    share: float


class LostDigits(Finding, frozen=True, kw_only=True):
    """Numbers with more digits than binary64 holds, or cut to few digits by exponents."""

    by_exponent: bool


class LostZeros(Finding, frozen=True, kw_only=True):
    """Identifiers of one length of which some are shorter, as if zeros had been taken off."""

    length: int
    in_part: bool
    """Others still begin with zeros."""


class LevelDoesNotFit(Finding, frozen=True, kw_only=True):
    """The values contradict the declared level of measurement."""

    cost: ClassVar[Cost] = "reading"

    level: str
    why: Literal["type", "below zero", "decimals"]
    type: str = ""


class DuplicateRows(Finding, frozen=True, kw_only=True):
    """Rows equal to one before them in all variables."""

    cost: ClassVar[Cost] = "cases"

    but_for: tuple[str, ...] = ()
    """Running numbers in which they differ."""


class EmptyCases(Finding, frozen=True, kw_only=True):
    """Cases in which next to no variable has a value."""

    cost: ClassVar[Cost] = "cases"

    filled: int
    """Variables that have one, at most."""


class SameAnswerThroughout(Finding, frozen=True, kw_only=True):
    """Cases with the same answer to all items of a battery."""

    expected: float
    """How many of them there would be by nature, judging by those that deviate once and twice."""


class ImpossibleTogether(Finding, frozen=True, kw_only=True):
    """Cases that break a relation that nearly all others keep to."""

    relation: str


class MisalignedBlock(Finding, frozen=True, kw_only=True):
    """A block of cells that fits the other variables once it is moved by a row."""

    others: tuple[str, ...]
    by: int
    """Rows that it stands too low."""


class ChangeOfWords(Finding, frozen=True, kw_only=True):
    """From some row on all words are others."""

    cost: ClassVar[Cost] = "groups"

    before: tuple[str, ...]
    after: tuple[str, ...]


class OutOfOrder(Finding, frozen=True, kw_only=True):
    """Times before the one above them, where the others are in order."""

    cost: ClassVar[Cost] = "reading"

    ordered: int
    """How many are."""


class MixedDateOrders(Finding, frozen=True, kw_only=True):
    """Dates of which some have day and month the other way round."""

    examples: tuple[str, ...]
    usual: str
    """One of the others."""
    either: int
    """Dates that could be read both ways."""


class GarbledLetters(Finding, frozen=True, kw_only=True):
    """Texts that were decoded by another encoding than they were written in."""

    cost: ClassVar[Cost] = "groups"

    texts: tuple[tuple[str, str], ...]
    """What stands there, and what it says."""
    in_heading: bool = False


class RareSpellings(Finding, frozen=True, kw_only=True):
    """Rare words one letter away from frequent ones."""

    cost: ClassVar[Cost] = "groups"

    pairs: tuple[tuple[TextCount, TextCount], ...]
    others: int


class DuplicateKeys(Finding, frozen=True, kw_only=True):
    """Cases with a key that a case before them has."""

    cost: ClassVar[Cost] = "cases"


class KeysWithGaps(Finding, frozen=True, kw_only=True):
    """Numbers left out of a run that is nearly whole."""

    cost: ClassVar[Cost] = "cases"

    first: int
    last: int
    lacking: tuple[int, ...]


class TotalAmongTheData(Finding, frozen=True, kw_only=True):
    """A row of totals."""

    cost: ClassVar[Cost] = "cases"

    words: tuple[tuple[str, str], ...]
    """Texts that say so, each with its variable."""
    sums: tuple[str, ...]
    """Variables in which it is the sum of all rows above."""


class ShiftedRows(Finding, frozen=True, kw_only=True):
    """Rows whose cells fit the variable beside their own."""

    to: Literal["left", "right"]


class DataReadAsHeading(Finding, frozen=True, kw_only=True):
    """Headings that look like values."""

    cost: ClassVar[Cost] = "cases"

    headings: tuple[str, ...]


class HeadingAmongTheData(Finding, frozen=True, kw_only=True):
    """Cases that are a heading: texts where all others have numbers, or the names again."""

    cost: ClassVar[Cost] = "cases"

    again: bool = False
    """It is the heading that the variables are named by."""


class CutNames(Finding, frozen=True, kw_only=True):
    """Several names of exactly the greatest length."""

    cost: ClassVar[Cost] = "reading"

    length: int
    examples: tuple[str, ...]


class KeptAsText(Finding, frozen=True, kw_only=True):
    """Texts that are nearly all numbers or dates."""

    type: str
    share: float
    texts: tuple[TextCount, ...]
    """The commonest of those that are not."""
    others: int


class MixedForms(Finding, frozen=True, kw_only=True):
    """Words that are written in several ways."""

    cost: ClassVar[Cost] = "groups"

    words: tuple[tuple[TextCount, ...], ...]
    """The ways of the first words."""
    others: int


class CutTexts(Finding, frozen=True, kw_only=True):
    """Far more texts of exactly the greatest length than of any length just below."""

    length: int
    texts: int
    example: str


class DatesAtAnEpoch(Finding, frozen=True, kw_only=True):
    """Days at which calendars of machines begin or end."""

    days: tuple[str, ...]
    others: bool


class DatesFarOff(Finding, frozen=True, kw_only=True):
    """Days far before or after all others."""

    days: tuple[str, ...]
    others: bool
    first: str
    last: str


class DatesInTheFuture(Finding, frozen=True, kw_only=True):
    """Days to come, among days that have passed."""

    days: tuple[str, ...]
    others: bool


class BrokenPromise(Finding, frozen=True, kw_only=True):
    """Something that the sender promised and that does not hold."""

    promise: Promise
