"""Evidence about fixed columns."""

from __future__ import annotations

from typing import ClassVar, Literal

from .base import Evidence


class RecordLength(Evidence, frozen=True, kw_only=True):
    """Records without line ends, as long as the fields reach."""

    about: ClassVar[str] = "fixed.record_length"


class FieldsFound(Evidence, frozen=True, kw_only=True):
    """Fields found from the characters themselves."""

    about: ClassVar[str] = "fixed.fields"
    rows: int
    by_blanks: int = 0
    """Breaks at positions that are blank in all rows."""
    by_heading: int = 0
    """Breaks between words of the heading."""
    by_change: int = 0
    """Breaks where the kind of character changes."""


class SharedPositions(Evidence, frozen=True, kw_only=True):
    """Two fields share positions."""

    about: ClassVar[str] = "fixed.overlap"
    field: str
    other: str


class CutValues(Evidence, frozen=True, kw_only=True):
    """The border of a field seems to cut values; `value` is the field's positions."""

    about: ClassVar[str] = "fixed.borders"
    field: str
    side: Literal["before", "behind"]
    after: int
    """The position on the left of the border."""
    share: float
    """The share of rows that it cuts."""
    rows: int
    characters: Literal["digits", "letters"]
    better: int | None = None
    """A break close by that would cut none."""


class UncoveredPositions(Evidence, frozen=True, kw_only=True):
    """Positions that no field covers hold something; `against` counts the rows."""

    about: ClassVar[str] = "fixed.uncovered"
    first: int
    end: int
    """0 for the end of the line."""
    rows: tuple[int, ...]
    line: int = 0
    """The line of the record, where it has several."""
