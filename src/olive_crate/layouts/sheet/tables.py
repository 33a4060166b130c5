"""Workbooks whose sheets all stand in one XML file: they are read at once, and held."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np

from ... import kernels
from ...kernels.types import PAD, Flags, Ints
from ...sources.ranges import Area
from .grid import CellList, Format, GridCells, HeadMark, Sheet, SheetEntry


class CellPart(NamedTuple):
    """Some cells of a sheet as arrays, with their texts side by side."""

    rows: Ints
    columns: Ints
    kinds: np.ndarray
    styles: Ints
    starts: Ints
    ends: Ints
    text: bytes

    def chosen(self, at: Flags) -> CellPart:
        """Some of the cells."""
        rows, columns, kinds, styles, starts, ends = (each[at] for each in self[:6])
        return CellPart(rows, columns, kinds, styles, starts, ends, self.text)


class Table:
    """One sheet while it is read."""

    def __init__(self, name: str, hidden: bool) -> None:
        self.name, self.hidden = name, hidden
        self.values: list[tuple[int, int, int, int, bytes]] = []
        """Row, column, kind, style and text of each filled cell."""
        self.merged: list[Area] = []
        self.hidden_rows: list[int] = []
        self.hidden_columns: set[int] = set()
        self.column_styles: list[tuple[int, str]] = []
        self.comments: dict[tuple[int, int], str] = {}
        self.row = self.columns = self.header = 0
        self.heads: tuple[HeadMark, ...] = ()
        self._parts: list[CellPart] = []
        self._lists: dict[CellList, list[Area]] = {}

    def style_of(self, column: int) -> str:
        """The style that a column gives to its cells."""
        return next((name for last, name in self.column_styles if column <= last), "")

    def end_header(self) -> None:
        """The rows since `header` are printed on each page."""
        if self.row > self.header:
            self.heads = (*self.heads, HeadMark(self.row, "print titles"))

    def hold(self, found: CellList, area: Area) -> None:
        """A list holds for these cells, which lie below those of before or beside them."""
        areas = self._lists.setdefault(found, [])
        before = areas[-1] if areas else None
        if before is not None and before[1::2] == area[1::2] and before[2] + 1 == area[0]:
            areas[-1] = Area(before[0], area[1], area[2], area[3])
        else:
            areas.append(area)

    @property
    def lists(self) -> tuple[CellList, ...]:
        """The lists of what may be typed, with their cells."""
        return tuple(each._replace(areas=tuple(at)) for each, at in self._lists.items())

    def add(self, part: CellPart) -> None:
        """Cells behind those that are there."""
        self._set_aside()
        self._parts.append(part)

    def _set_aside(self) -> None:
        """Turn the cells that came one by one into arrays."""
        if not self.values:
            return
        rows, columns, kinds, styles = (
            np.array([each[place] for each in self.values], np.int64) for place in range(4)
        )
        lengths = np.array([len(each[4]) for each in self.values], np.int64)
        ends = np.cumsum(lengths)
        text = b"".join(each[4] for each in self.values)
        self._parts.append(CellPart(rows, columns, kinds, styles, ends - lengths, ends, text))
        self.values.clear()

    def cells(self) -> GridCells:
        """The filled cells as arrays."""
        self._set_aside()
        parts = self._parts or [CellPart(*(np.zeros(0, np.int64),) * 6, b"")]
        before = np.cumsum([PAD, *(len(part.text) for part in parts)])[:-1].tolist()
        rows, columns, kinds, styles = (
            np.concatenate([part[place] for part in parts]) for place in range(4)
        )
        starts = np.concatenate([p.starts + at for p, at in zip(parts, before, strict=True)])
        ends = np.concatenate([p.ends + at for p, at in zip(parts, before, strict=True)])
        return GridCells(
            rows.astype(np.int32),
            columns.astype(np.int16),
            kinds.astype(np.uint8),
            styles.astype(np.int32),
            kernels.padded(b"".join(part.text for part in parts)),
            starts,
            ends,
        )


class Tables(Protocol):
    """What the reader of such a file has found in it."""

    tables: list[Table]
    names: dict[str, tuple[str, Area]]
    other_names: dict[str, str]
    formats: list[Format]


class HeldWorkbook:
    """A workbook that is read at once."""

    path = "content.xml"

    @property
    def _read(self) -> Tables:
        raise NotImplementedError

    @property
    def sheets(self) -> tuple[SheetEntry, ...]:
        """The sheets, in order."""
        return tuple(
            SheetEntry(table.name, self.path, table.hidden, position)
            for position, table in enumerate(self._read.tables, 1)
        )

    @property
    def names(self) -> dict[str, tuple[str, Area]]:
        """Named ranges; those that only a sheet has as `Sheet!Name`."""
        return self._read.names

    @property
    def other_names(self) -> dict[str, str]:
        """Names of something else than a rectangle of cells, with what that is."""
        return self._read.other_names

    def read(self, entry: SheetEntry, whole: bool = True, fast: bool = True) -> Sheet:
        """One sheet."""
        table = self._read.tables[entry.position - 1]
        return Sheet(
            table.name,
            table.hidden,
            table.cells(),
            tuple(self._read.formats),
            merged=tuple(table.merged),
            hidden_rows=frozenset(table.hidden_rows),
            hidden_columns=frozenset(table.hidden_columns),
            comments=table.comments,
            lists=table.lists,
            heads=table.heads,
        )
