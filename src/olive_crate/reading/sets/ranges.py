"""A large file cut into ranges of bytes that are read side by side, on any machine.

Where a record begins depends on every quote before it. So each range is scanned twice over at
once: as if it began outside quotes, and as if it began within them. Each scan tells how many quotes
and line ends the range has, and where its first record begins under either assumption. One short
pass over these figures then settles for each range which of the two holds, where it begins, and on
which row.

Quotes that stand within a field without meaning anything would mislead this. But every range is
read by the same code as a whole file: a range that ends within quotes, or has other line ends than
were counted, fails, and the file is then read as a whole.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import IO, Any, cast

import msgspec
import numpy as np

from ...layouts.base import Layout, RangeLayout
from ...sources.source import Source

SMALLEST = 256
"""Bytes that a range has at least."""
USUAL = 64 << 20
PIECE = 8 << 20


class Begin(msgspec.Struct, frozen=True):
    """The first record that begins in a range, under one assumption."""

    offset: int
    """Bytes from the start of the range; -1 where no record begins in it."""
    lines: int
    """Line ends before it."""


class Scan(msgspec.Struct, frozen=True):
    """What a range of bytes holds."""

    quotes: int
    lines: int
    outside: Begin
    """If it begins outside quotes."""
    within: Begin
    """If it begins within quotes."""
    plain: bool
    """Lines end with line feeds only."""


class ByteRange(msgspec.Struct, frozen=True):
    """Whole records of a file."""

    start: int
    end: int
    row: int
    """Line ends of the file before it."""
    lines: int | None
    """Line ends in it; `None` where that is not known beforehand."""
    first: bool
    final: bool


def cut_points(size: int, each: int) -> list[tuple[int, int]]:
    """A file of this size in ranges of about so many bytes."""
    each = max(each, SMALLEST)
    starts = list(range(0, max(size - each // 2, 1), each))
    return list(zip(starts, [*starts[1:], size], strict=True))


def data_start(source: Source, layout: RangeLayout) -> int:
    """Where the records begin, behind lines that belong to none."""
    if not layout.skip:
        return 0
    head, place = source.head(1 << 20), 0
    for _ in range(layout.skip):
        place = head.find(b"\n", place) + 1
        if place == 0:
            return -1
    return place


def scan(source: Source, start: int, end: int, quote: bytes, behind: int = 0) -> Scan:
    """Count what a range holds, and find where records begin; before `behind` there are none."""
    quotes = lines = 0
    returns = pairs = 0
    begins: dict[int, Begin] = {}
    place, last = start, b""
    with source.open() as stream:
        stream.seek(start)
        while place < end:
            data = stream.read(min(PIECE, end - place))
            if not data:
                break
            if b"\r" in data or last == b"\r":
                returns += _count(data, b"\r")
                pairs += data.count(b"\r\n") + (last == b"\r" and data[:1] == b"\n")
            last = data[-1:]
            counted = data[max(0, behind - place) :] if behind > place else data
            for state in (0, 1):
                if state not in begins:
                    found = _begin(data, quote, (state + quotes) % 2, max(0, behind - place))
                    if found is not None:
                        at = Begin(place - start + found, lines + data.count(b"\n", 0, found))
                        begins[state] = at
            quotes += _count(counted, quote) if quote and quote in counted else 0
            lines += _count(data, b"\n")
            place += len(data)
    none = Begin(-1, 0)
    alone = returns - pairs - (last == b"\r")
    return Scan(quotes, lines, begins.get(0, none), begins.get(1, none), alone == 0)


def _count(data: bytes, byte: bytes) -> int:
    """How often one byte occurs; faster than `bytes.count` where that is often."""
    return int(np.count_nonzero(np.frombuffer(data, np.uint8) == byte[0]))


def _begin(data: bytes, quote: bytes, state: int, low: int) -> int | None:
    """Behind the first line end that is outside quotes, if quotes are open now (`state`)."""
    place = low
    while True:
        if state:  # nothing ends before the next quote
            close = data.find(quote, place)
            if close < 0:
                return None
            place, state = close + 1, 0
        end = data.find(b"\n", place)
        if end < 0:
            return None
        state = data.count(quote, place, end) % 2 if quote else 0
        if state == 0:
            return end + 1
        place = end + 1


def settled(
    cuts: Sequence[tuple[int, int]], scans: Sequence[Scan], size: int
) -> list[ByteRange] | None:
    """The ranges as they are to be read; `None` where the file must be read as a whole."""
    if not all(each.plain for each in scans):
        return None
    begins: list[tuple[int, int]] = [(0, 0)]
    state, rows = 0, 0
    for number, ((start, _), each) in enumerate(zip(cuts, scans, strict=True)):
        begin = each.within if state else each.outside
        if number and begin.offset >= 0:
            begins.append((start + begin.offset, rows + begin.lines))
        state = (state + each.quotes) % 2
        rows += each.lines
    distinct = [each for place, each in enumerate(begins) if place == 0 or each[0] < size]
    made = []
    for place, (start, row) in enumerate(distinct):
        final = place == len(distinct) - 1
        end, below = (size, None) if final else distinct[place + 1]
        lines = None if below is None else below - row
        made.append(ByteRange(start, end, row, lines, place == 0, final))
    return made


def sliced(source: Source, part: ByteRange) -> Source:
    """A range of a source as a source of its own."""
    size = part.end - part.start

    def opened() -> IO[bytes]:
        return cast(IO[bytes], _Slice(source.open(), part.start, size))

    return Source(source.name, None, size, opened)


class _Slice(io.RawIOBase):
    """A stream that ends before its source does."""

    def __init__(self, stream: IO[bytes], start: int, size: int) -> None:
        self._stream, self._start, self._size, self._place = stream, start, size, 0
        stream.seek(start)

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, place: int, whence: int = 0) -> int:
        self._place = {0: place, 1: self._place + place, 2: self._size + place}[whence]
        self._stream.seek(self._start + self._place)
        return self._place

    def readinto(self, room: Any) -> int:
        count = min(len(room), self._size - self._place)
        if count <= 0:
            return 0
        if hasattr(self._stream, "readinto"):
            read = self._stream.readinto(memoryview(room)[:count]) or 0
        else:
            data = self._stream.read(count)
            read = len(data)
            room[:read] = data
        self._place += read
        return int(read)

    def close(self) -> None:
        self._stream.close()
        super().close()


def layout_of(layout: Layout, part: ByteRange) -> Layout | None:
    """The layout of a range."""
    made = layout.of_range(part.first, part.final)
    return None if made is None else made.layout
