"""Cells of a sheet put together in one buffer, with one span for each cell.

The spans come from pieces of XML, from shared strings and from texts of our own making.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ... import kernels
from ...declaration.patterns import late
from ...kernels.reference.sheet_xml import (
    FAILED,
    FORMULA_TEXT,
    INLINE,
    ISO,
    LOGICAL,
    NUMERIC,
    SHARED,
)
from ...kernels.types import PAD, Bytes, Ints, NumberRequest, SheetRead, SheetRule
from .cut_numerals import LONG, shorter
from .grid import BOOLEAN, DATE, DATETIME, ERROR, NUMBER, TEXT, TIME, Format, GridCells
from .strings import Strings, unescaped
from .values import Written, serial_texts

INDEX, SERIAL = NumberRequest(True, 0), NumberRequest(False, ord("."))
CLOCK = late(r"T?\d{1,2}:\d{2}")


class Assembly:
    """Collects the cells of a sheet, piece by piece."""

    def __init__(
        self,
        strings: Strings,
        formats: Sequence[Format],
        from_1904: bool,
        in_full: bool = False,
    ) -> None:
        self.strings, self.from_1904, self.in_full = strings, from_1904, in_full
        self.format_kinds = np.array([each.kind for each in formats] or [NUMBER], np.uint8)
        self.buffers: list[Bytes] = [strings.buffer]
        self.length = len(strings.buffer)
        self.parts: list[tuple[np.ndarray, ...]] = []
        self.unknown_strings = 0
        self.in_order = True
        self.last = 0

    def rule(self, hiding: bool) -> SheetRule:
        """How cells are to be understood."""
        strings = self.strings
        return SheetRule(strings.starts, strings.ends, self.format_kinds, self.from_1904, hiding)

    def take(self, read: SheetRead) -> None:
        """A piece that was read at known places."""
        self.unknown_strings += read.unknown_strings
        self.in_order &= read.in_order
        if not len(read.rows):
            return
        first = (int(read.rows[0]) << 15) + int(read.columns[0])
        self.in_order &= first > self.last
        self.last = (int(read.rows[-1]) << 15) + int(read.columns[-1])
        own = read.types != SHARED
        starts, ends = (each + self.length * own for each in (read.starts, read.ends))
        self._append(read.texts)
        kinds = read.kinds
        if len(read.special):
            at = read.special
            kinds = kinds.copy()
            held = kernels.padded(read.texts.data)
            spans = (read.starts[at] + PAD, read.ends[at] + PAD)
            worked = self._worked(held, read.styles[at], read.types[at], *spans)
            kinds[at], starts[at], ends[at] = worked
        part = (read.rows, read.columns, kinds, read.styles)
        self._keep_part(*part, starts, ends)

    def add(
        self,
        buffer: Bytes,
        rows: Ints,
        columns: Ints,
        styles: Ints,
        types: Ints,
        starts: Ints,
        ends: Ints,
    ) -> None:
        """Raw values from `starts` to `ends` of a buffer, as a parser gave them."""
        self.in_order = False
        kinds = np.full(len(rows), TEXT, np.uint8)
        new_starts, new_ends = np.full((2, len(rows)), PAD, np.int64)
        self._shared(buffer, types, starts, ends, new_starts, new_ends)
        own = np.flatnonzero(types != SHARED)
        given = (styles[own], types[own], starts[own], ends[own])
        kinds[own], new_starts[own], new_ends[own] = self._worked(buffer, *given)
        part = (rows.astype(np.int32), columns.astype(np.int16), kinds, styles.astype(np.int32))
        self._keep_part(*part, new_starts, new_ends)

    def _worked(
        self, buffer: Bytes, styles: Ints, types: np.ndarray, starts: Ints, ends: Ints
    ) -> tuple[np.ndarray, Ints, Ints]:
        """Kinds and texts of values that are no shared strings."""
        kinds = np.full(len(types), TEXT, np.uint8)
        new_starts, new_ends = np.full((2, len(types)), PAD, np.int64)
        written: list[Written] = []
        left = np.ones(len(types), bool)
        raw = np.flatnonzero((types == FORMULA_TEXT) | (types == INLINE))
        if len(raw):
            left[raw] = False
            self._keep(
                unescaped(Strings(buffer, starts[raw], ends[raw])), raw, new_starts, new_ends
            )
        logical = np.flatnonzero(types == LOGICAL)
        if len(logical):
            kinds[logical] = BOOLEAN
            true = buffer[starts[logical]] == ord("1")
            written += [
                Written(logical[true], np.full(int(true.sum()), b"true")),
                Written(logical[~true], np.full(int((~true).sum()), b"false")),
            ]
        kinds[types == FAILED] = ERROR
        self._numbers(buffer, styles, types, starts, ends, kinds, written)
        self._iso(buffer, types, starts, ends, kinds)
        for each in written:
            left[each.at] = False
            self._write(each, new_starts, new_ends)
        rest = np.flatnonzero(left)
        self._keep(Strings(buffer, starts[rest], ends[rest]), rest, new_starts, new_ends)
        return kinds, new_starts, new_ends

    def _keep_part(
        self,
        rows: np.ndarray,
        columns: np.ndarray,
        kinds: np.ndarray,
        styles: np.ndarray,
        starts: Ints,
        ends: Ints,
    ) -> None:
        filled = ends > starts
        part = (rows, columns, kinds, styles, self._narrow(starts), self._narrow(ends))
        self.parts.append(tuple(each[filled] for each in part) if not filled.all() else part)

    def _narrow(self, places: Ints) -> np.ndarray:
        """Places in the buffer in half the memory, as long as they fit."""
        return places.astype(np.int32) if self.length < 1 << 31 else places

    def _keep(self, texts: Strings, at: Ints, new_starts: Ints, new_ends: Ints) -> None:
        """Copy spans of a piece side by side into our own buffer."""
        if not len(at):
            return
        wanted = int((texts.ends - texts.starts).sum())
        low, high = int(texts.starts.min()), int(texts.ends.max())
        if high - low <= 2 * wanted:  # little lies between them: taken with what does
            moved = self.length - low
            new_starts[at], new_ends[at] = texts.starts + moved, texts.ends + moved
            self._append(texts.buffer[low:high])
            return
        keep = np.ones(wanted, bool)
        packed, begin, end = kernels.squeezed(texts.buffer, texts.starts, texts.ends, keep)
        new_starts[at], new_ends[at] = begin - PAD + self.length, end - PAD + self.length
        self._append(packed[PAD : len(packed) - PAD])

    def _write(self, written: Written, new_starts: Ints, new_ends: Ints) -> None:
        """Append texts that were made here."""
        at, texts, lengths = written
        if not len(at):
            return
        if lengths is not None:
            after = np.cumsum(lengths) + self.length
            new_starts[at], new_ends[at] = after - lengths, after
            self._append(texts)
            return
        width = texts.dtype.itemsize
        new_starts[at] = self.length + width * np.arange(len(at))
        new_ends[at] = new_starts[at] + width
        self._append(np.frombuffer(texts.tobytes(), np.uint8))

    def _append(self, data: Bytes) -> None:
        self.buffers.append(data)
        self.length += len(data)

    def _shared(
        self,
        buffer: Bytes,
        types: Ints,
        starts: Ints,
        ends: Ints,
        new_starts: Ints,
        new_ends: Ints,
    ) -> None:
        at = np.flatnonzero(types == SHARED)
        if not len(at):
            return
        read = kernels.read_numbers(buffer, starts[at], ends[at], INDEX)
        index, reasons = read.values, read.reasons
        good = (reasons == 0) & (index >= 0) & (index < len(self.strings))
        self.unknown_strings += int(np.count_nonzero(~good))
        index = np.where(good, index, 0)
        if len(self.strings):
            new_starts[at] = np.where(good, self.strings.starts[index], PAD)
            new_ends[at] = np.where(good, self.strings.ends[index], PAD)
        else:
            new_starts[at] = new_ends[at] = PAD

    def _numbers(
        self,
        buffer: Bytes,
        styles: Ints,
        types: Ints,
        starts: Ints,
        ends: Ints,
        kinds: np.ndarray,
        written: list[Written],
    ) -> None:
        at = np.flatnonzero(types == NUMERIC)
        if not len(at):
            return
        meant = self.format_kinds[np.minimum(styles[at], len(self.format_kinds) - 1)]
        kinds[at] = NUMBER
        timed = at[meant != NUMBER]
        if len(timed):
            serials = serials_of(buffer, starts[timed], ends[timed])
            texts, found = serial_texts(serials, meant[meant != NUMBER], self.from_1904)
            real = np.flatnonzero(found)
            kinds[timed[real]] = found[real]
            written += [each._replace(at=timed[each.at]) for each in texts]
        plain = at[meant == NUMBER]
        long = plain[:0] if self.in_full else plain[(ends - starts)[plain] >= LONG]
        if len(long):
            cut, lengths, shown = shorter(buffer, starts[long], ends[long])
            written.append(Written(long[cut], shown, lengths))

    def _iso(self, buffer: Bytes, types: Ints, starts: Ints, ends: Ints, kinds: np.ndarray) -> None:
        for place in np.flatnonzero(types == ISO).tolist():
            text = buffer[starts[place] : ends[place]].tobytes().decode("ascii", "replace")
            kinds[place] = TIME if CLOCK.match(text) else DATETIME if "T" in text else DATE

    def cells(self) -> GridCells:
        """All cells in order."""
        none = np.zeros(0, np.int64)
        empty = (
            none.astype(np.int32),
            none.astype(np.int16),
            np.zeros(0, np.uint8),
            none.astype(np.int32),
            none,
            none,
        )
        rows, columns, kinds, styles, starts, ends = (
            np.concatenate(each) for each in zip(*(self.parts or [empty]), strict=True)
        )
        self.parts.clear()
        buffer = np.concatenate([*self.buffers, np.zeros(PAD, np.uint8)])
        self.buffers.clear()
        cells = GridCells(rows, columns, kinds, styles, buffer, starts, ends)
        if self.in_order:
            return cells
        place = rows.astype(np.int64) * (1 << 15) + columns
        if len(place) and not bool((np.diff(place) > 0).all()):
            _, last = np.unique(place[::-1], return_index=True)  # a cell given twice: the last one
            cells = cells.chosen(len(place) - 1 - last)
        return cells


def serials_of(buffer: Bytes, starts: Ints, ends: Ints) -> np.ndarray:
    """Numerals as numbers; NaN for what is none."""
    read = kernels.read_numbers(buffer, starts, ends, SERIAL)
    values, reasons = read.values, read.reasons
    for place in np.flatnonzero(reasons != 0).tolist():
        try:
            values[place] = float(buffer[starts[place] : ends[place]].tobytes())
        except ValueError:
            values[place] = np.nan
    return values
