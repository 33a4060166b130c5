"""Evidence about the parts that rows play."""

from __future__ import annotations

from typing import ClassVar

from .base import Evidence


class HeadingFound(Evidence, frozen=True, kw_only=True):
    """The rows of the heading; `value` lists their numbers."""

    about: ClassVar[str] = "rows.names"
    names: int
    levels: int = 1
    titles: int = 0
    """Rows of titles above it."""


class NoHeading(Evidence, frozen=True, kw_only=True):
    """The first full row is like those below it."""

    about: ClassVar[str] = "rows.names"


class FieldNamesFound(Evidence, frozen=True, kw_only=True):
    """A row repeats the names of the declared fields."""

    about: ClassVar[str] = "rows.names"
    names: int


class UnitsFound(Evidence, frozen=True, kw_only=True):
    """The row of units."""

    about: ClassVar[str] = "rows.units"


class LabelsFound(Evidence, frozen=True, kw_only=True):
    """The row of labels."""

    about: ClassVar[str] = "rows.labels"


class ClosingRows(Evidence, frozen=True, kw_only=True):
    """Totals and notes at the end of the data; `value` is the last row of data, from the end."""

    about: ClassVar[str] = "rows.data"
    rows: int
    total: bool
    """At least one of them is a total."""


class RepeatedHeading(Evidence, frozen=True, kw_only=True):
    """The heading occurs again within the data."""

    about: ClassVar[str] = "rows.repeated"
    rows: tuple[int, ...]
    """The first of these rows; `supporting` counts all."""
