"""The layout of a sheet: which cells of which block are data, and what they say of each column."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from ...columns.rule import SourceColumn
from ...kernels.spans import Cells
from ...kernels.types import Ints
from ...sources.ranges import Area
from ...sources.source import Source
from ..base import Block, Hands, RangeLayout, RawCell, Tally
from ..text.groups import texts_down
from .grid import GridCells, Sheet

BETWEEN = " | "
"""Stands between the cells of a row that is shown as text."""


class SheetLayout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be known before a sheet's rows can be read."""

    sheet: Sheet
    area: Area
    columns: tuple[int, ...]
    """The sheet's columns, in order."""
    ordered: GridCells
    """The cells of these columns within the area, column by column."""
    edges: Ints
    """Where each column begins in them."""
    used_rows: Ints
    """The rows of the sheet that hold anything."""
    filled: int
    """Filled cells of the sheet."""
    outside: tuple[str, ...]
    """The first of those that stand outside of the area."""
    outside_count: int
    kinds: tuple[str, ...]
    """The type that the cells of each column tell; empty where it has to be found."""
    decimals: tuple[int | None, ...] = ()
    errors: tuple[tuple[str, ...], ...] = ()
    """The names of errors in each column."""
    zeros: tuple[int, ...] = ()
    """Digits that the number format of each column shows at least, with zeros in front."""
    from_1904: bool = False
    as_days: frozenset[int] = frozenset()
    """Columns of plain numbers that are declared to be dates."""
    encoding: str = "utf-8"
    heading: tuple[int, ...] = ()
    aside: tuple[int, ...] = ()
    """Rows within the data that are none."""
    titles: tuple[tuple[int, str], ...] = ()
    """Titles of groups that are a variable behind all columns: their rows and texts."""
    skip_repeated: bool = False
    key: tuple[int, ...] = ()
    first: int = 1
    last: int | None = None
    limit: int | None = None
    skip_hidden: bool = False
    fill_merged: bool = False
    bytes: int = 0

    @property
    def rows_per_case(self) -> int:
        """A row of the sheet is a case."""
        return 1

    @property
    def last_row(self) -> int:
        """The last row of data, as the sheet numbers it."""
        last, end = self.last, self.area.last_row
        if last is None:
            return end
        return min(end + 1 + last if last < 0 else last, end)

    def column(self, index: int) -> SourceColumn:
        """What the kinds of its cells say of a column."""
        return SourceColumn(
            type=self.kinds[index],
            typed_cells=True,
            errors=self.errors[index],
            shown_decimals=self.decimals[index],
        )

    def with_types(self, types: Sequence[str | None]) -> SheetLayout:
        """Plain numbers in columns that are declared to be dates are serial numbers of days."""
        days = frozenset(at for at, each in enumerate(types) if each in ("date", "datetime"))
        return msgspec.structs.replace(self, as_days=days)

    def only_rows(self, first: int, last: int) -> SheetLayout:
        """The layout of some rows alone."""
        return msgspec.structs.replace(self, first=first, last=last)

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The data, block after block."""
        from .reading import read_blocks

        return read_blocks(self, tally)

    def of_range(self, first: bool, final: bool) -> RangeLayout | None:
        """Such a source is read as a whole."""
        return None

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A cell among those of its row."""
        alone = msgspec.structs.replace(self.only_rows(row, row), heading=(), limit=None)
        texts = [""] * len(self.columns)
        for block in alone.read(source, Tally(), Hands()):
            texts = [_text_of(block.field(at)) for at in range(len(self.columns))]
        if index == len(self.columns):
            title = texts_down(self.titles, np.array([row]))[0]
            return RawCell(BETWEEN.join(texts), None, None, "the title above its group", title)
        start = sum(len(text) + len(BETWEEN) for text in texts[:index])
        place = f"cell {self.sheet.place(row, self.columns[index])}"
        taken = texts[index]
        return RawCell(BETWEEN.join(texts), start, start + len(taken), place, taken)


def _text_of(cells: Cells) -> str:
    """The text of the one cell among these; empty where there is none."""
    if not len(cells):
        return ""
    return cells.buffer[int(cells.starts[0]) : int(cells.ends[0])].tobytes().decode("utf-8")
