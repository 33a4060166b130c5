"""Evidence about single variables."""

from __future__ import annotations

from typing import ClassVar, Literal

import msgspec

from .base import Evidence, TextCount


class TypeFits(Evidence, frozen=True, kw_only=True):
    """All cells with a value fit a type; `value` is the type."""

    about: ClassVar[str] = "variable.type"
    format: str = ""
    """How dates and times are written."""
    words: tuple[str, ...] = ()
    """The words for true and false."""
    zoned: bool = False
    wide: bool = False
    """Some integers do not fit 64 bits."""
    short_years: bool = False
    """Years have two digits."""
    unit: str = ""
    """The sign that every number carries."""


class CodesAsWritten(Evidence, frozen=True, kw_only=True):
    """A code for all is written in cells whose value, with its implied decimals, is another."""

    about: ClassVar[str] = "variable.missing"
    code: str
    number: float


class OnlyMarks(Evidence, frozen=True, kw_only=True):
    """A column holds well-known marks for missing values and nothing else."""

    about: ClassVar[str] = "variable.missing"
    marks: tuple[TextCount, ...]


class MarksKept(Evidence, frozen=True, kw_only=True):
    """Well-known marks for missing values that stay text, in a column of words."""

    about: ClassVar[str] = "variable.missing"
    marks: tuple[TextCount, ...]


class FormatFound(Evidence, frozen=True, kw_only=True):
    """How the cells of a declared date or time are written."""

    about: ClassVar[str] = "variable.format"
    format: str
    cells: int


class TextBecause(Evidence, frozen=True, kw_only=True):
    """A column is text although most cells are something else; `against` counts the others."""

    about: ClassVar[str] = "variable.type"
    texts: tuple[TextCount, ...]
    """The commonest texts in the way."""
    others: int = 0
    """How many other texts there are."""


class LeadingZeros(Evidence, frozen=True, kw_only=True):
    """Digits with zeros in front stay text."""

    about: ClassVar[str] = "variable.type"


class MostlyUnreadable(Evidence, frozen=True, kw_only=True):
    """Many cells cannot be read as the declared type."""

    about: ClassVar[str] = "variable.type"
    cells: int


class InexactNumbers(Evidence, frozen=True, kw_only=True):
    """Numbers with more digits than binary64 holds."""

    about: ClassVar[str] = "variable.digits"


class MarksTaken(Evidence, frozen=True, kw_only=True):
    """Well-known marks were taken as missing."""

    about: ClassVar[str] = "variable.missing"
    marks: tuple[TextCount, ...]


class LeadingBlanks(Evidence, frozen=True, kw_only=True):
    """Blanks before some texts were removed; others had none."""

    about: ClassVar[str] = "variable.trim"
    cells: int
    at_least: bool = False
    """There may be more, in cells that were first taken as another type."""


class Suspect(msgspec.Struct, frozen=True):
    """A number that may be a missing code."""

    value: float
    count: int
    away: float
    """Its distance from the nearest other number, in widths of the range of the others."""


class SuspectedCodes(Evidence, frozen=True, kw_only=True):
    """Numbers that stand apart and have the look of missing codes."""

    about: ClassVar[str] = "variable.suspects"
    suspects: tuple[Suspect, ...]
    low: float
    high: float
    """The range of the other numbers."""
    also: tuple[str, ...] = ()
    """Other variables with some of the same numbers, 12 at most."""


LevelBasis = Literal[
    "words", "truth", "moments", "lengths", "identifier", "few", "from zero", "below zero"
]


class LevelSuggested(Evidence, frozen=True, kw_only=True):
    """A level of measurement that the values suggest; `value` is the level."""

    about: ClassVar[str] = "variable.level"
    basis: LevelBasis
    count: int = 0
    """Different words, or values that all differ."""
    whole: bool = True
    """All values were compared, not only the first `count`."""
    low: float = 0.0
    high: float = 0.0
