"""Fixed-width records as spans: where the lines of each case lie, and the fields in them.

Each character is accounted for: it lies in a field, or in none.
"""

from __future__ import annotations

from typing import cast

import msgspec
import numpy as np

from ... import kernels
from ...kernels.buffers import ColumnStart
from ...kernels.spans import Cells, Grid
from ...kernels.types import PAD, Bytes, EarlyColumn, Flags, Forecast, Ints
from ...plan.fields import Field, gaps
from ..base import Tally
from .layout import FixedLayout

BLANK_BYTE = 32


class FixedSpans(msgspec.Struct, frozen=True, eq=False):
    """A block of cases: where each of their lines starts and ends, shaped (rows, lines)."""

    buffer: Bytes
    starts: Ints
    ends: Ints
    rows: Ints
    layout: FixedLayout
    stride: int = 0
    chars: Ints | None = None
    """Where each character starts, where there are some of several bytes."""
    ready: dict[int, EarlyColumn] = msgspec.field(default_factory=dict)
    """Columns that kernels have converted already."""

    @property
    def early(self) -> bool:
        """Kernels have converted columns already: there is little left to do."""
        return bool(self.ready)

    def field(self, index: int) -> Cells:
        """The cells of one field."""
        field = self.layout.fields[index]
        cells = self.piece(field.line, field.start, field.end)
        if cells.grid is not None and not self.layout.undecoded:
            cells.ready = self.ready.get(index)
        return _decoded(cells, self.layout.encoding) if self.layout.undecoded else cells

    def read_early(self, forecast: Forecast, start: ColumnStart | None) -> None:
        """Convert columns at once, where all cases are of one length."""
        if not self.stride or self.chars is not None or not len(self.rows):
            return
        if self.layout.undecoded:
            return
        first, places = int(self.starts[0, 0]), {}
        for index in forecast:
            field = self.layout.fields[index]
            grid = self.piece(field.line, field.start, field.end).grid
            if grid is not None:
                places[index] = (grid.first - first, grid.width)
        length = max((begin + width for begin, width in places.values()), default=0)
        given = (self.buffer, first, self.stride, length, len(self.rows))
        self.ready.update(kernels.records_early(*given, places, forecast, start))

    def piece(self, line: int, first: int, last: int) -> Cells:
        """What stands at these positions of a line of each case; `last` 0 is the line's end."""
        starts, ends = self.starts[:, line - 1], self.ends[:, line - 1]
        if self.chars is not None:
            return self._by_characters(starts, ends, first, last)
        if self.stride and len(starts):
            length = int(ends[0] - starts[0])
            reach = min(last or length, length)
            if first <= reach:
                begin = int(starts[0]) + first - 1
                grid = Grid(begin, self.stride, reach - first + 1)
                return Cells.on(self.buffer, grid, len(starts))
        begin_at = np.minimum(starts + (first - 1), ends)
        end_at = np.minimum(starts + last, ends) if last else ends
        if self.layout.in_bytes and not self.layout.undecoded:
            begin_at, end_at = self._whole_characters(begin_at, end_at)
        return Cells(self.buffer, begin_at, np.maximum(end_at, begin_at))

    def _by_characters(self, starts: Ints, ends: Ints, first: int, last: int) -> Cells:
        chars = cast(Ints, self.chars)
        low, high = np.searchsorted(chars, starts), np.searchsorted(chars, ends)
        begin = np.minimum(low + (first - 1), high)
        end = np.minimum(low + last, high) if last else high
        return Cells(self.buffer, chars[begin], chars[np.maximum(end, begin)])

    def _whole_characters(self, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
        """A character that a border cuts belongs to neither side."""
        inside = (self.buffer[ends] & 0xC0) == 0x80
        while inside.any():
            ends = ends - inside
            inside = (self.buffer[ends] & 0xC0) == 0x80
        within = (self.buffer[starts] & 0xC0) == 0x80
        while within.any():
            starts = starts + within
            within = (self.buffer[starts] & 0xC0) == 0x80
        return np.minimum(starts, ends), ends

    def lengths(self, line: int) -> Ints:
        """How many characters (or bytes, as positions are counted) each line has."""
        starts, ends = self.starts[:, line - 1], self.ends[:, line - 1]
        if self.chars is None:
            return ends - starts
        return cast(Ints, np.searchsorted(self.chars, ends) - np.searchsorted(self.chars, starts))


def _decoded(cells: Cells, encoding: str) -> Cells:
    """Cells of bytes as cells of UTF-8; bytes that are no character become U+FFFD."""
    data = cells.buffer.tobytes()
    if data.isascii():
        return cells
    spans = zip(cells.starts.tolist(), cells.ends.tolist(), strict=True)
    pieces = [data[start:end].decode(encoding, "replace").encode() for start, end in spans]
    lengths = np.array([len(piece) for piece in pieces], np.int64)
    ends = np.cumsum(lengths) + PAD
    return Cells(kernels.padded(b"".join(pieces)), ends - lengths, ends)


def cover(spans: FixedSpans, tally: Tally) -> None:
    """Account for the characters of the cases: those in a field, and those in none."""
    fields = list(spans.layout.fields)
    record = spans.layout.record
    if record is not None:
        fields += [
            Field("", record.start, record.end, line) for line in range(1, spans.layout.lines + 1)
        ]
    if spans.layout.in_bytes and not spans.layout.undecoded:
        tally.cut_characters += sum(
            int(np.count_nonzero((cells.buffer[cells.starts] & 0xC0) == 0x80))
            for cells in (_cut_cells(spans, field) for field in fields)
        )
    for line in range(1, spans.layout.lines + 1):
        lengths, times = spans.lengths(line), 1
        if spans.stride and spans.chars is None:  # all are alike
            lengths, times = lengths[:1], len(lengths)
        tally.characters += times * int(lengths.sum())
        own = [field for field in fields if field.line == line]
        if own:
            is_short = lengths < max(field.start for field in own)
            if is_short.any():
                tally.short.add(spans.rows[np.broadcast_to(is_short, len(spans.rows))])
        for first, end in gaps(fields, line):
            beyond = np.clip(lengths - (first - 1), 0, (end - first + 1) if end else None)
            uncovered = times * int(beyond.sum())
            tally.uncovered += uncovered
            if uncovered:
                filled = np.flatnonzero(_filled(spans.piece(line, first, end)))
                if len(filled):
                    tally.outside_of((line, first, end)).add(spans.rows[filled])
        for first, end in _covered(own):
            within = np.clip(lengths - (first - 1), 0, end - first + 1)
            tally.covered += times * int(within.sum())


def _cut_cells(spans: FixedSpans, field: Field) -> Cells:
    """The cells of a field as its borders cut them, within characters too."""
    plain = msgspec.structs.replace(
        spans, layout=msgspec.structs.replace(spans.layout, in_bytes=False)
    )
    return plain.piece(field.line, field.start, field.end)


def _covered(fields: list[Field]) -> list[tuple[int, int]]:
    """The positions that fields take, joined where they touch."""
    found: list[tuple[int, int]] = []
    for each in sorted(fields, key=lambda field: field.start):
        if found and each.start <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], each.end))
        else:
            found.append((each.start, each.end))
    return found


def _filled(cells: Cells) -> Flags:
    """Which cells hold anything but blanks."""
    if cells.grid is None:
        return ~kernels.blank(cells.buffer, cells.starts, cells.ends)
    table = kernels.table(cells.buffer, *cells.grid, len(cells))
    return cast(Flags, (table != BLANK_BYTE).any(axis=1))
