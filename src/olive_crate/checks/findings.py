"""Findings: what looks wrong in a dataset, as typed values with evidence and a mend.

Each kind of finding has a class. To add a check: write a class here, a function that gives it, a
line in `checking` that calls the function, and words in `show/findings.py`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, Literal, overload

import msgspec

from ..dataset.promises import Promise
from ..describe.meanings import UnexplainedValues, UnusedMeanings
from ..evidence import Evidence, Kinded, Mend, Suspect, TextCount
from ..kernels.types import Ints
from ..views import Shown, text_of

if TYPE_CHECKING:
    import pandas

Severity = Literal["serious", "doubtful", "note"]
SEVERITIES: tuple[Severity, ...] = ("serious", "doubtful", "note")
RowsOf = Callable[[Ints], tuple[int, ...]]
"""The rows in the source of the first of some cases."""


def _kind(name: str) -> str:
    """`DuplicateRows` as `duplicate rows`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).lower()


class Finding(Kinded, frozen=True, kw_only=True, tag=_kind):
    """One thing that looks wrong."""

    severity: Severity
    variables: tuple[str, ...] = ()
    """Empty where it is about rows as a whole."""
    count: int = 0
    """How many cells or rows are concerned."""
    rows: tuple[int, ...] = ()
    """The first of them, by their rows in the source."""
    files: tuple[str, ...] = ()
    """In a set: the file of each of these rows."""
    key: tuple[str, ...] = ()
    """Of a database's table: the variables that name a case."""
    cases: tuple[str, ...] = ()
    """What the cases of these rows are called by them."""
    mend: Mend | None = None

    @property
    def kind(self) -> str:
        """What it is, in a few words: `duplicate rows`."""
        return str(self.__struct_config__.tag)


class RowsLeftOut(Finding, frozen=True, kw_only=True):
    """Rows that were left out, or may be no data, without anybody having said so."""

    evidence: Evidence


class UnexplainedValuesFound(Finding, frozen=True, kw_only=True, tag="unexplained values"):
    """Values that have no meaning although others have."""

    values: UnexplainedValues


class UnusedMeaningsFound(Finding, frozen=True, kw_only=True, tag="unused meanings"):
    """Meanings that no value has."""

    meanings: UnusedMeanings


class EmptyVariable(Finding, frozen=True, kw_only=True):
    """No cell has a value."""

    reasons: dict[str, int]


class ConstantVariable(Finding, frozen=True, kw_only=True):
    """All values are the same."""

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


class HeapedValues(Finding, frozen=True, kw_only=True):
    """Too many numbers end in the same digits."""

    ends: tuple[int, ...]
    share: float


class LostDigits(Finding, frozen=True, kw_only=True):
    """Numbers with more digits than binary64 holds, or cut to few digits by exponents."""

    by_exponent: bool


class LevelDoesNotFit(Finding, frozen=True, kw_only=True):
    """The values contradict the declared level of measurement."""

    level: str
    why: Literal["type", "below zero", "decimals"]
    type: str = ""


class DuplicateRows(Finding, frozen=True, kw_only=True):
    """Rows equal to one before them in all variables."""


class DuplicateKeys(Finding, frozen=True, kw_only=True):
    """Cases with a key that a case before them has."""


class KeysWithGaps(Finding, frozen=True, kw_only=True):
    """Numbers left out of a run that is nearly whole."""

    first: int
    last: int
    lacking: tuple[int, ...]


class TotalAmongTheData(Finding, frozen=True, kw_only=True):
    """A row of totals."""

    words: tuple[tuple[str, str], ...]
    """Texts that say so, each with its variable."""
    sums: tuple[str, ...]
    """Variables in which it is the sum of all rows above."""


class ShiftedRows(Finding, frozen=True, kw_only=True):
    """Rows whose cells fit the variable beside their own."""

    to: Literal["left", "right"]


class DataReadAsHeading(Finding, frozen=True, kw_only=True):
    """Headings that look like values."""

    headings: tuple[str, ...]


class HeadingAmongTheData(Finding, frozen=True, kw_only=True):
    """The first case has texts where all others have numbers."""


class CutNames(Finding, frozen=True, kw_only=True):
    """Several names of exactly the greatest length."""

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


class DatesInTheFuture(Finding, frozen=True, kw_only=True):
    """Days to come, among days that have passed."""

    days: tuple[str, ...]
    others: bool


class BrokenPromise(Finding, frozen=True, kw_only=True):
    """Something that the sender promised and that does not hold."""

    promise: Promise


class Findings(Shown, Sequence[Finding]):
    """Findings, the most severe first."""

    def __init__(self, findings: Sequence[Finding]) -> None:
        self._findings = sorted(findings, key=lambda each: SEVERITIES.index(each.severity))

    def __len__(self) -> int:
        return len(self._findings)

    @overload
    def __getitem__(self, index: int) -> Finding: ...
    @overload
    def __getitem__(self, index: slice) -> list[Finding]: ...
    def __getitem__(self, index: int | slice) -> Finding | list[Finding]:
        return self._findings[index]

    def __iter__(self) -> Iterator[Finding]:
        return iter(self._findings)

    def __repr__(self) -> str:
        return f"<{len(self)} findings>"

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        return {"findings": [msgspec.to_builtins(each) | {"text": str(each)} for each in self]}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each finding. Needs the extra `pandas`."""
        from ..describe.frames import frame

        headings = ["kind", "severity", "variables", "count", "rows", "text"]
        rows = [
            {
                "kind": each.kind,
                "severity": each.severity,
                "variables": each.variables,
                "count": each.count,
                "rows": each.rows,
                "text": text_of(each),
            }
            for each in self
        ]
        return frame(rows, headings)
