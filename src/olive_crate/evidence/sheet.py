"""Evidence about workbooks."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from .base import Evidence, TextCount


class SheetChosen(Evidence, frozen=True, kw_only=True):
    """The sheet with the largest block."""

    about: ClassVar[str] = "sheet.sheet"
    sheets: int


class BlockChosen(Evidence, frozen=True, kw_only=True):
    """The largest block of a sheet."""

    about: ClassVar[str] = "sheet.range"
    blocks: int


class LiesOnItsSide(Evidence, frozen=True, kw_only=True):
    """The rows of a block are each of one kind, and its columns are not."""

    about: ClassVar[str] = "sheet.turned"
    rows: int
    columns: int
    of_columns: int


class VariablesDescribed(Evidence, frozen=True, kw_only=True):
    """Another sheet of the workbook has a row for each variable."""

    about: ClassVar[str] = "sheet.dictionary"
    names: int
    of: int
    sheet: str
    heading: str
    """Of the column with their names."""


class SpacerColumns(Evidence, frozen=True, kw_only=True):
    """Blank columns within a block; what stands on both sides may be two tables."""

    about: ClassVar[str] = "sheet.range"


class HiddenCells(Evidence, frozen=True, kw_only=True):
    """Hidden rows and columns are read all the same."""

    about: ClassVar[str] = "sheet.hidden"
    rows: tuple[int, ...] = ()
    row_count: int = 0
    columns: tuple[str, ...] = ()


class MergedCells(Evidence, frozen=True, kw_only=True):
    """Merged areas among the data."""

    about: ClassVar[str] = "sheet.merged"
    areas: tuple[str, ...]
    count: int


class CellsOutside(Evidence, frozen=True, kw_only=True):
    """Filled cells outside of the range."""

    about: ClassVar[str] = "sheet.outside"
    cells: tuple[str, ...]


class BlanksAround(Evidence, frozen=True, kw_only=True):
    """Texts with blanks around them."""

    about: ClassVar[str] = "sheet.blanks"


class KindCount(msgspec.Struct, frozen=True, omit_defaults=True):
    """Cells of one kind in a column of a sheet, with the commonest of their texts."""

    kind: str
    count: int
    texts: tuple[TextCount, ...] = ()
    others: bool = False
    """There are other texts than these."""


class MixedKinds(Evidence, frozen=True, kw_only=True):
    """A column mixes kinds of cells."""

    about: ClassVar[str] = "variable.cells"
    kinds: tuple[KindCount, ...]


class NumbersStoredAsText(Evidence, frozen=True, kw_only=True):
    """Some numbers of a column are stored as text."""

    about: ClassVar[str] = "variable.cells"
    count: int
    rows: tuple[int, ...]


class NotCalculated(Evidence, frozen=True, kw_only=True):
    """Formulas without a stored value; `supporting` counts them."""

    about: ClassVar[str] = "variable.cells"
    rows: tuple[int, ...]


class StoredAsText(Evidence, frozen=True, kw_only=True):
    """All cells of a column are text, though nearly all look like something else."""

    about: ClassVar[str] = "variable.type"
    type: str


class SerialDays(Evidence, frozen=True, kw_only=True):
    """Plain numbers that look like the serial numbers of days."""

    about: ClassVar[str] = "variable.type"
