"""The rows of a sheet's block as spans, so that its cells are converted like those of text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from ... import kernels
from ...kernels.spans import Cells
from ...kernels.types import PAD, Bytes, Flags, Ints
from ...sources.ranges import Area
from ..base import BLANK, DATA, HEADING, SKIPPED, Tally
from ..text.groups import texts_down
from .grid import DATE, DATETIME, DURATION, NUMBER, TIME, GridCells
from .layout import SheetLayout
from .pieces import serials_of
from .values import serial_texts

ROWS_A_BLOCK = 65_536


class SheetSpans(msgspec.Struct, frozen=True, eq=False):
    """A block of rows: the sheet's cells by columns, and where each row's cell is among them."""

    layout: SheetLayout
    cells: GridCells
    """In the order of columns, and within them of rows."""
    edges: Ints
    """Where each column begins in `cells`."""
    rows: Ints
    early: bool = False

    def field(self, index: int) -> Cells:
        """The cells of one column; blank where nothing stands."""
        if index == len(self.layout.columns):
            return _of_texts(texts_down(self.layout.titles, self.rows))
        cells = self.cells
        low, high = int(self.edges[index]), int(self.edges[index + 1])
        first, last = np.searchsorted(cells.rows[low:high], [self.rows[0], self.rows[-1] + 1])
        first, last = low + int(first), low + int(last)
        if last - first == len(self.rows) and np.array_equal(cells.rows[first:last], self.rows):
            return Cells(*self._texts(index, slice(first, last)))
        own = np.arange(first, last)
        at = np.searchsorted(self.rows, cells.rows[own])
        here = self.rows[at] == cells.rows[own]
        if not here.all():
            own, at = own[here], at[here]
        starts = np.full(len(self.rows), PAD, np.int64)
        ends = starts.copy()
        buffer, begins, stops = self._texts(index, own)
        starts[at], ends[at] = begins, stops
        if len(at) < len(self.rows):
            empty = np.ones(len(self.rows), bool)
            empty[at] = False
            before = np.maximum.accumulate(np.where(empty, PAD, ends))
            starts[empty] = ends[empty] = before[empty]
        return Cells(buffer, starts, ends)

    def _texts(self, index: int, own: Ints | slice) -> tuple[Bytes, Ints, Ints]:
        """The texts of the filled cells, one behind the other."""
        cells, layout = self.cells, self.layout
        starts, ends, kinds = cells.starts[own], cells.ends[own], cells.kinds[own]
        place = np.arange(own.start, own.stop) if isinstance(own, slice) else own
        kind = layout.kinds[index]
        other: dict[int, bytes] = {}
        if kind == "datetime":
            other = {
                at: self._text(int(place[at])) + b"T00:00:00"
                for at in np.flatnonzero(kinds == DATE).tolist()
            }
        elif index < len(layout.zeros) and layout.zeros[index]:
            other = self._padded(layout.zeros[index], starts, ends, kinds, place)
        elif index in layout.as_days:
            days = np.flatnonzero(kinds == NUMBER)
            values = serials_of(cells.buffer, starts[days], ends[days])
            texts, _ = serial_texts(values, np.full(len(days), DATE, np.uint8), layout.from_1904)
            other = {
                int(days[at]): bytes(text)
                for each in texts
                for at, text in zip(each.at.tolist(), each.texts.tolist(), strict=True)
            }
        if other:
            texts_of = [
                other.get(at, b"") or self._text(int(place[at])) for at in range(len(starts))
            ]
            lengths = np.array([len(text) for text in texts_of], np.int64)
            after = np.cumsum(lengths) + PAD
            return kernels.padded(b"".join(texts_of)), after - lengths, after
        if not kernels.any_order(cells.buffer) and not bool((starts[1:] >= ends[:-1]).all()):
            keep = np.ones(int((ends - starts).sum()), bool)
            return kernels.squeezed(cells.buffer, starts, ends, keep)
        return cells.buffer, starts, ends

    def _padded(
        self, wide: int, starts: Ints, ends: Ints, kinds: np.ndarray, place: Ints
    ) -> dict[int, bytes]:
        """Numbers with the zeros in front that the sheet shows."""
        short = np.flatnonzero((kinds == NUMBER) & (ends - starts < wide))
        texts = {at: self._text(int(place[at])) for at in short.tolist()}
        return {at: text.rjust(wide, b"0") for at, text in texts.items() if text.isdigit()}

    def _text(self, place: int) -> bytes:
        return self.cells.buffer[self.cells.starts[place] : self.cells.ends[place]].tobytes()


def _of_texts(texts: Sequence[str]) -> Cells:
    data = [text.encode("utf-8") for text in texts]
    ends = np.cumsum([len(each) for each in data], dtype=np.int64) + PAD
    starts = ends - np.array([len(each) for each in data], np.int64)
    return Cells(kernels.padded(b"".join(data)), starts, ends)


def held_by(cells: GridCells, area: Area, columns: Sequence[int]) -> Flags:
    """Which cells stand in these columns of an area; they must be in the order of rows."""
    if columns and columns[-1] - columns[0] + 1 == len(columns):  # side by side, and in order
        inside = (cells.columns >= columns[0]) & (cells.columns <= columns[-1])
    else:
        wanted = np.zeros((1 << 14) + 1, bool)
        wanted[list(columns)] = True
        inside = wanted[cells.columns]
    low = int(np.searchsorted(cells.rows, cells.rows.dtype.type(area.first_row)))
    inside[:low] = False
    inside[low + len(cells.between(area.first_row, area.last_row)) :] = False
    return inside


def in_columns(cells: GridCells, area: Area, columns: tuple[int, ...]) -> tuple[GridCells, Ints]:
    """The cells of an area, column by column, and where each column begins."""
    within = held_by(cells, area, columns)
    if not bool(within.all()):
        cells = cells.chosen(np.flatnonzero(within))
    ordered = cells.by_columns()
    return ordered, np.append(np.searchsorted(ordered.columns, columns), len(ordered))


def read_blocks(layout: SheetLayout, tally: Tally) -> Iterator[SheetSpans]:
    """The rows of data, block after block; every row down to the last used one is accounted for."""
    sheet, area, used = layout.sheet, layout.area, layout.used_rows
    end = int(used[-1]) if len(used) else 0
    tally.bytes = layout.bytes
    tally.characters, tally.uncovered = layout.filled, layout.outside_count
    tally.covered = len(layout.ordered)
    cells, edges = layout.ordered, layout.edges
    met = np.zeros(area.last_row + 2, bool)
    met[cells.rows] = True
    if layout.skip_hidden:
        met[[row for row in sheet.hidden_rows if row < len(met)]] = False
    heading = np.array(sorted({*layout.heading}), np.int64)
    met[heading[heading < len(met)]] = False
    met[[row for row in layout.aside if row < len(met)]] = False
    met[: layout.first] = False
    data = np.flatnonzero(met[: layout.last_row + 1])
    if layout.limit is not None and len(data) > layout.limit:
        tally.stopped = True
        end = int(data[layout.limit]) - 1
        data = data[: layout.limit]
    _count_rows(layout, tally, data, heading, end)
    for begin in range(0, len(data), ROWS_A_BLOCK):
        yield SheetSpans(layout, cells, edges, data[begin : begin + ROWS_A_BLOCK])


def _count_rows(layout: SheetLayout, tally: Tally, data: Ints, heading: Ints, end: int) -> None:
    """Every row from the first to the last used one plays one part."""
    used = layout.used_rows[layout.used_rows <= end]
    heading = heading[heading <= end]
    role = np.zeros(end + 1, np.uint8)
    role[used] = 1
    role[data] = role[heading] = 2
    skipped = np.flatnonzero(role == 1)
    blank_rows = np.flatnonzero(role[1:] == 0) + 1
    counts = {HEADING: len(heading), DATA: len(data), SKIPPED: len(skipped)}
    for part, count in {**counts, BLANK: len(blank_rows)}.items():
        tally.parts[part] += count
    tally.lines += end
    tally.skipped_rows.add(skipped)
    tally.blank_rows.add(blank_rows)


def shown_kind(present: set[int]) -> str:
    """The type that cells of these kinds tell by themselves; empty where it has to be found."""
    for tallied, name in TALLIED:
        if present and present <= tallied:
            return name
    return ""


TALLIED = (
    ({DATE}, "date"),
    ({DATE, DATETIME}, "datetime"),
    ({TIME}, "time"),
    ({TIME, DURATION}, "duration"),
)
