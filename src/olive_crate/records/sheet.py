"""The rows of a sheet's block as spans, so that its cells are converted like those of text."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from ..kernels import reference as kernels
from ..kernels.reference import PAD, Bytes, Ints
from ..sheets.grid import DATE, DATETIME, DURATION, NUMBER, TIME, Area, Sheet
from ..sheets.grid import Cells as SheetCells
from ..sheets.pieces import serials_of
from ..sheets.values import serial_texts
from .spans import Cells
from .tally import BLANK, DATA, HEADING, SKIPPED, Tally

ROWS_A_BLOCK = 65_536
DAYS = ("date", "datetime")


class SheetLayout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be settled before a sheet's rows can be read."""

    sheet: Sheet
    area: Area
    columns: tuple[int, ...]
    """The sheet's columns, in order."""
    kinds: tuple[str, ...]
    """The type that the cells of each column tell; empty where it has to be found."""
    decimals: tuple[int | None, ...] = ()
    errors: tuple[tuple[str, ...], ...] = ()
    """The names of errors in each column."""
    from_1904: bool = False
    as_days: set[int] = msgspec.field(default_factory=set)
    """Columns of plain numbers that are declared to be dates."""
    encoding: str = "utf-8"
    heading: tuple[int, ...] = ()
    skip_repeated: bool = False
    first: int = 1
    last: int | None = None
    limit: int | None = None
    skip_hidden: bool = False
    fill_merged: bool = False
    bytes: int = 0


class SheetSpans(msgspec.Struct, frozen=True, eq=False):
    """A block of rows: the sheet's cells by columns, and where each row's cell is among them."""

    layout: SheetLayout
    cells: SheetCells
    """In the order of columns, and within them of rows."""
    edges: Ints
    """Where each column begins in `cells`."""
    rows: Ints

    def field(self, index: int) -> Cells:
        """The cells of one column; blank where nothing stands."""
        cells = self.cells
        own = slice(int(self.edges[index]), int(self.edges[index + 1]))
        at = np.searchsorted(self.rows, cells.rows[own])
        starts = np.full(len(self.rows), PAD, np.int64)
        ends = starts.copy()
        buffer, low, high = self._texts(index, own)
        starts[at], ends[at] = low, high
        if len(at) < len(self.rows):
            empty = np.ones(len(self.rows), bool)
            empty[at] = False
            before = np.maximum.accumulate(np.where(empty, PAD, ends))
            starts[empty] = ends[empty] = before[empty]
        return Cells(buffer, starts, ends)

    def _texts(self, index: int, own: slice) -> tuple[Bytes, Ints, Ints]:
        """The texts of the filled cells, one behind the other."""
        cells, layout = self.cells, self.layout
        starts, ends, kinds = cells.starts[own], cells.ends[own], cells.kinds[own]
        kind = layout.kinds[index]
        other: dict[int, bytes] = {}
        if kind == "datetime":
            other = {
                place: self._text(own.start + place) + b"T00:00:00"
                for place in np.flatnonzero(kinds == DATE).tolist()
            }
        elif index in layout.as_days:
            at = np.flatnonzero(kinds == NUMBER)
            values = serials_of(cells.buffer, starts[at], ends[at])
            texts, found = serial_texts(values, np.full(len(at), DATE, np.uint8), layout.from_1904)
            told = zip(at.tolist(), texts, found.tolist(), strict=True)
            other = {place: text.encode() for place, text, real in told if real}
        if other:
            texts_of = [
                other.get(place, b"") or self._text(own.start + place)
                for place in range(len(starts))
            ]
            lengths = np.array([len(text) for text in texts_of], np.int64)
            after = np.cumsum(lengths) + PAD
            return kernels.padded(b"".join(texts_of)), after - lengths, after
        if len(starts) and not bool((starts[1:] >= ends[:-1]).all()):
            keep = np.ones(int((ends - starts).sum()), bool)
            return kernels.squeezed(cells.buffer, starts, ends, keep)
        return cells.buffer, starts, ends

    def _text(self, place: int) -> bytes:
        return self.cells.buffer[self.cells.starts[place] : self.cells.ends[place]].tobytes()


def read_blocks(layout: SheetLayout, tally: Tally) -> Iterator[SheetSpans]:
    """The rows of data, block after block; every row down to the last used one is accounted for."""
    sheet, area = layout.sheet, layout.area
    used = sheet.used
    bottom = used.last_row if used else 0
    tally.bytes = layout.bytes
    inside = _inside(sheet.cells, layout)
    filled = np.unique(inside.rows) if len(inside) else np.zeros(0, np.int64)
    if layout.skip_hidden:
        filled = filled[~np.isin(filled, list(sheet.hidden_rows))]
    heading = np.array(sorted({*layout.heading}), np.int64)
    last = _last_row(layout)
    data = filled[(filled >= layout.first) & (filled <= last) & ~np.isin(filled, heading)]
    data = data[(data >= area.first_row) & (data <= area.last_row)]
    end = bottom
    if layout.limit is not None and len(data) > layout.limit:
        tally.stopped = True
        end = int(data[layout.limit]) - 1
        data = data[: layout.limit]
    _count_rows(layout, tally, data, heading, end)
    order = np.argsort(inside.columns, kind="stable")
    ordered = inside.chosen(order)
    for begin in range(0, len(data), ROWS_A_BLOCK):
        rows = data[begin : begin + ROWS_A_BLOCK]
        own = ordered if len(rows) == len(filled) else ordered.chosen(np.isin(ordered.rows, rows))
        edges = np.append(np.searchsorted(own.columns, layout.columns), len(own))
        yield SheetSpans(layout, own, edges, rows)


def _last_row(layout: SheetLayout) -> int:
    last = layout.last
    if last is None:
        return layout.area.last_row
    return layout.area.last_row + 1 + last if last < 0 else last


def _inside(cells: SheetCells, layout: SheetLayout) -> SheetCells:
    """The cells of the block."""
    area = layout.area
    within = (
        (cells.rows >= area.first_row)
        & (cells.rows <= area.last_row)
        & np.isin(cells.columns, layout.columns)
    )
    return cells if bool(within.all()) else cells.chosen(within)


def _count_rows(layout: SheetLayout, tally: Tally, data: Ints, heading: Ints, end: int) -> None:
    """Every row from the first to the last used one plays one part."""
    used = np.unique(layout.sheet.cells.rows)
    used = used[used <= end]
    heading = heading[heading <= end]
    skipped = used[~np.isin(used, data) & ~np.isin(used, heading)]
    parts = {HEADING: len(heading), DATA: len(data), SKIPPED: len(skipped)}
    blank = end - len(np.union1d(used, heading))
    for part, count in {**parts, BLANK: blank}.items():
        tally.parts[part] += count
    tally.lines += end
    tally.skipped_rows.add(skipped)
    if blank:
        low = np.setdiff1d(np.arange(1, min(end, 5000) + 1), np.union1d(used, heading))
        tally.blank_rows.add(low)
        tally.blank_rows.count = blank


def shown_kind(kinds: np.ndarray) -> str:
    """The type that cells of these kinds tell by themselves; empty where it has to be found."""
    present = {int(kind) for kind in np.unique(kinds)}
    for told, name in TOLD:
        if present and present <= told:
            return name
    return ""


TOLD = (
    ({DATE}, "date"),
    ({DATE, DATETIME}, "datetime"),
    ({TIME}, "time"),
    ({TIME, DURATION}, "duration"),
)
