"""Evidence about tables of databases and pages."""

from __future__ import annotations

from typing import ClassVar

from .base import Evidence
from .notes import Note


class TableChosen(Evidence, frozen=True, kw_only=True):
    """The table that is read, where none was named."""

    about: ClassVar[str] = "table.table"
    tables: int
    caption: str = ""


class TableToName(Evidence, frozen=True, kw_only=True):
    """A database holds several tables: one has to be named."""

    about: ClassVar[str] = "table.table"


class NamedOtherwise(Evidence, frozen=True, kw_only=True):
    """The name of a file says something else than its bytes."""

    about: ClassVar[str] = "source.path"
    extension: str


class SourceDiffers(Evidence, frozen=True, kw_only=True):
    """A file on the web is not the one that a copy was kept of; `value` is when it was fetched."""

    about: ClassVar[str] = "source.copy"
    before: str
    """When the copy was made."""
    copy: str
    """The name of the copy."""


class FootnoteMarks(Evidence, frozen=True, kw_only=True):
    """Marks that lead to footnotes are no part of the cells they stand in."""

    about: ClassVar[str] = "table.marks"


class BlankColumns(Evidence, frozen=True, kw_only=True):
    """Columns that only make room are left out."""

    about: ClassVar[str] = "table.columns"


class HiddenRows(Evidence, frozen=True, kw_only=True):
    """Rows and columns of a page that nobody sees are left out."""

    about: ClassVar[str] = "table.hidden"
    rows: tuple[int, ...] = ()


class SpansFilled(Evidence, frozen=True, kw_only=True):
    """Cells that span rows or columns of the data count in each of them."""

    about: ClassVar[str] = "table.spans"


class GroupTitles(Evidence, frozen=True, kw_only=True):
    """Rows of one text among the data that name a group are left out."""

    about: ClassVar[str] = "rows.groups"


class NoKeyInTable(Note, frozen=True, kw_only=True):
    """A table without a key: its rows are known by their places, which may change."""

    name: str = ""
