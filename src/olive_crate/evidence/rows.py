"""Evidence about the parts that rows play."""

from __future__ import annotations

from typing import ClassVar

from .base import Evidence


class HeadingFound(Evidence, frozen=True, kw_only=True):
    """The rows of the heading; `value` lists their numbers."""

    about: ClassVar[str] = "rows.names"
    names: int
    levels: int = 1
    in_comment: bool = False
    """The names stand in a comment just above the data."""
    by_markup: bool = False
    """The page itself says so."""
    by_merges: bool = False
    """Merged cells at the top show it."""
    by_mark: str = ""
    """What of the sheet shows it: a table, a filter, print titles, frozen panes."""


class TitlesFound(Evidence, frozen=True, kw_only=True):
    """Rows above the heading or the data that are left out; `value` lists their numbers."""

    about: ClassVar[str] = "rows.data"
    rows: int


class HeadingMoved(Evidence, frozen=True, kw_only=True):
    """The declared names were found in another row; `value` is its number."""

    about: ClassVar[str] = "rows.names"
    declared: int


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


class CommentLabels(Evidence, frozen=True, kw_only=True):
    """Labels from the comments of the heading's cells."""

    about: ClassVar[str] = "sheet.comments"


class AllowedByList(Evidence, frozen=True, kw_only=True):
    """The values that a list of the sheet allows in the cells of a variable."""

    about: ClassVar[str] = "variable.list"
    words: tuple[str, ...]


class ClosingRows(Evidence, frozen=True, kw_only=True):
    """Totals and notes at the end of the data; `value` is `skip`, or `keep` if they are read."""

    about: ClassVar[str] = "rows.closing"
    rows: int
    total: bool
    """At least one of them is a total."""
    cells: tuple[str, ...] = ()
    """What the total holds, column by column."""
    declared: bool = False
    """The plan says what to do with them."""
    by_markup: bool = False
    """The page itself marks them as a foot."""


class EndNotSeen(Evidence, frozen=True, kw_only=True):
    """The end of the source can only be reached by reading it; what closes it is found then."""

    about: ClassVar[str] = "rows.closing"


class LeftOutByPosition(Evidence, frozen=True, kw_only=True):
    """Rows that the plan leaves out by their numbers, though they look like data."""

    about: ClassVar[str] = "rows.data"
    rows: int


class RepeatedHeading(Evidence, frozen=True, kw_only=True):
    """The heading occurs again within the data."""

    about: ClassVar[str] = "rows.repeated"
    rows: tuple[int, ...]
    """The first of these rows; `supporting` counts all."""
