"""A sheet as a sparse grid: what each filled cell holds, and where; ranges as people write them.

A sheet that claims a million rows and holds ten cells costs what ten cost.
"""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from typing import NamedTuple

import msgspec
import numpy as np

from ... import kernels
from ...kernels.types import Bytes, Ints
from ...sources.ranges import Area, area_of, letters, turned_area

NUMBER, TEXT, BOOLEAN, ERROR, DATE, TIME, DATETIME, DURATION = range(1, 9)
KINDS = ("", "number", "text", "boolean", "error", "date", "time", "datetime", "duration")


class GridCells(msgspec.Struct, frozen=True, eq=False):
    """The filled cells of a sheet, by rows and within them by columns.

    The text of each (numerals of numbers, ISO 8601 of dates and times, `true` and `false`, the name
    of an error) lies in `buffer` from `starts` to `ends`.
    """

    rows: Ints
    columns: Ints
    kinds: np.ndarray
    styles: Ints
    """What the number format says: a place in `formats`."""
    buffer: Bytes
    starts: Ints
    ends: Ints

    def __len__(self) -> int:
        return len(self.rows)

    def chosen(self, at: np.ndarray) -> GridCells:
        """Some of the cells."""
        return GridCells(
            self.rows[at],
            self.columns[at],
            self.kinds[at],
            self.styles[at],
            self.buffer,
            self.starts[at],
            self.ends[at],
        )

    def part(self, low: int, high: int) -> GridCells:
        """Cells that follow one another, without a copy."""
        at = slice(low, high)
        return self.chosen(at)  # type: ignore[arg-type]

    def between(self, first: int, last: int) -> GridCells:
        """The cells of these rows, without a copy; the cells must be in the order of rows."""
        edges = np.array((first, min(last, np.iinfo(np.int32).max - 1) + 1), self.rows.dtype)
        low, high = np.searchsorted(self.rows, edges).tolist()
        return self.part(low, max(low, high))

    def by_columns(self) -> GridCells:
        """The cells column by column, and within them by rows."""
        wide = int(np.searchsorted(self.rows, self.rows[0], side="right")) if len(self) else 1
        if len(self) % wide == 0:
            table = self.columns.reshape(-1, wide)
            if bool((table == table[0]).all()):  # every row has the same cells
                across = (self.rows, self.columns, self.kinds, self.styles, self.starts, self.ends)
                rows, columns, kinds, styles, starts, ends = (
                    np.ascontiguousarray(each.reshape(-1, wide).T).ravel() for each in across
                )
                return GridCells(rows, columns, kinds, styles, self.buffer, starts, ends)
        return self.chosen(np.argsort(self.columns, kind="stable"))

    def texts(self) -> list[str]:
        """The text of each cell."""
        if kernels.any_order(self.buffer):
            found = kernels.texts(self.buffer, self.starts, self.ends)
            with contextlib.suppress(UnicodeDecodeError):  # in a damaged file
                texts: list[str] = found.to_pylist()
                return texts
        view = memoryview(self.buffer)  # type: ignore[arg-type]
        spans = zip(self.starts.tolist(), self.ends.tolist(), strict=True)
        return [str(view[start:end], "utf-8", "replace") for start, end in spans]

    def used_rows(self) -> Ints:
        """The numbers of the rows that hold anything; the cells must be in the order of rows."""
        if not len(self):
            return np.zeros(0, np.int64)
        new = np.flatnonzero(np.diff(self.rows)) + 1
        return self.rows[np.concatenate(([0], new))].astype(np.int64)

    def kind_counts(self) -> dict[int, int]:
        """How many cells there are of each kind, the commonest first."""
        if len(self) and bool((self.kinds == self.kinds[0]).all()):
            return {int(self.kinds[0]): len(self)}
        counts = np.bincount(self.kinds, minlength=len(KINDS))
        found = {kind: int(count) for kind, count in enumerate(counts.tolist()) if count}
        return dict(sorted(found.items(), key=lambda item: -item[1]))


class Format(NamedTuple):
    """What a cell's style says: its number format, and whether it makes the cell stand out."""

    kind: int = NUMBER
    unit: str = ""
    decimals: int | None = None
    zeros: int = 0
    """Digits that are shown at least, with zeros in front."""
    stands_out: bool = False
    """In bold letters, or on a ground of its own colour."""


class CellList(NamedTuple):
    """A list of what may be typed into some cells."""

    areas: tuple[Area, ...]
    words: tuple[str, ...] = ()
    place: str = ""
    """A range or a name, where the words stand in cells."""


class HeadMark(msgspec.Struct, frozen=True):
    """What a sheet itself has for a heading: its last row, and by what."""

    row: int
    kind: str
    """`table`, `filter`, `print titles`, `frozen panes`, or `bold or coloured cells`."""


class Sheet(msgspec.Struct, frozen=True, eq=False):
    """One sheet: its cells, and what lies over them."""

    name: str
    hidden: bool
    cells: GridCells
    formats: tuple[Format, ...]
    merged: tuple[Area, ...] = ()
    hidden_rows: frozenset[int] = frozenset()
    hidden_columns: frozenset[int] = frozenset()
    whole: bool = True
    """All of it was read."""
    claimed: str = ""
    """The used range as the file claims it."""
    comments: Mapping[tuple[int, int], str] = {}
    """The text of a comment by the row and column of its cell."""
    heads: tuple[HeadMark, ...] = ()
    """Rows that the sheet has for headings, what says most first."""
    lists: tuple[CellList, ...] = ()
    """Lists of what may be typed into cells."""
    turned: bool = False
    """Its rows and columns have changed places."""

    def place(self, row: int, column: int) -> str:
        """A cell as the spreadsheet names it: `B9`."""
        return f"{letters(row)}{column}" if self.turned else f"{letters(column)}{row}"

    def written(self, area: Area) -> str:
        """A rectangle as the spreadsheet names it."""
        return str(turned_area(area) if self.turned else area)

    def asked(self, text: str) -> Area | None:
        """The rectangle that a range means; `None` for what is no range."""
        area = area_of(text)
        return turned_area(area) if area is not None and self.turned else area

    @property
    def used(self) -> Area | None:
        """The smallest rectangle with all filled cells."""
        if not len(self.cells):
            return None
        rows, columns = self.cells.rows, self.cells.columns
        return Area(int(rows.min()), int(columns.min()), int(rows.max()), int(columns.max()))


class SheetEntry(msgspec.Struct, frozen=True):
    """A sheet as the workbook lists it."""

    name: str
    path: str
    hidden: bool = False
    position: int = 0
