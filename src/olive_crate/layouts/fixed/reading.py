"""Fixed-width text to spans, a block at a time.

Where all lines of a block are of one length, nothing is scanned: the block is a table of bytes, and
a field is a slice of its columns. Otherwise line ends are looked for. Characters of several bytes
are counted as one, unless the plan counts positions in bytes. As in delimited text, each line gets
its part, and is counted by its end in the bytes as well.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import IO, cast

import msgspec
import numpy as np

from ... import kernels
from ...errors import Advice, SourceError
from ...kernels.buffers import ColumnStart, WholeColumns
from ...kernels.spans import Cells
from ...kernels.types import Flags, Ints
from ...sources.source import Source, is_ebcdic
from ..base import (
    BLANK,
    COMMENT,
    CONTINUED,
    DATA,
    HEADING,
    OTHER,
    SKIPPED,
    CountedStream,
    Hands,
    Tally,
)
from ..text.decoding import (
    Filled,
    Steps,
    behind,
    filled,
    small_first,
    together,
    utf8_buffers,
    utf8_pieces,
)
from .layout import FixedLayout
from .lines import NEW_LINE, RETURN, Lines, characters_of, expanded, lines_of
from .spans import FixedSpans, cover

BLANK_BYTE = 32
NEXT_LINE = "\u0085".encode()


def read_blocks(
    source: Source,
    layout: FixedLayout,
    tally: Tally,
    hands: Hands,
) -> Iterator[FixedSpans]:
    """The cases of the source, block after block, with columns converted early where possible."""
    workers, forecast, keeping = hands.workers, hands.forecast, hands.keeping
    size = source.size if keeping and not layout.undecoded else None
    room: WholeColumns | None = None

    def counted() -> Iterator[tuple[FixedSpans, ColumnStart | None]]:
        nonlocal room
        row = 0
        for block in _blocks(source, layout, tally, workers.count):
            if room is None and size is not None and block.stride:
                room = WholeColumns(size // block.stride + 1)
            yield block, None if room is None else ColumnStart(room, row, len(block.rows))
            row += len(block.rows)

    def read(given: tuple[FixedSpans, ColumnStart | None]) -> None:
        given[0].read_early(forecast(), given[1])

    prepared = False
    for (spans, _), _ in workers.ahead(read, counted()):
        yield spans
        if room is not None and not prepared:
            prepared = True
            room.prepare(forecast())


def _blocks(
    source: Source, layout: FixedLayout, tally: Tally, workers: int
) -> Iterator[FixedSpans]:
    """The cases of the source, block after block; `tally` accounts for every line.

    Raises `LayoutError` for a tab that the plan does not say how to take; `SourceError` for a line
    of more bytes than a record may have, and for bytes that are not of the encoding.
    """
    row, taken, offset, longest = 1, 0, 0, layout.block
    with source.open() as opened:
        steps = Steps(layout.block, source.size, workers, len(layout.fields))
        pieces = _pieces(CountedStream(opened, tally), layout, steps, source.name)
        piece = next(pieces, filled(b""))
        while True:
            following = next(pieces, None)
            final = following is None
            marks = kernels.text_marks(*piece)
            if marks.tabs or (final and layout.length):
                text = expanded(piece.text, layout, source.name, row)
                if final and layout.length:
                    text = text.rstrip(b"\r\n\x1a")
                piece = filled(text)
                marks = kernels.text_marks(*piece)
            chars = None
            if not marks.is_ascii:
                chars = characters_of(piece, layout, source.name, (row, offset), final)
            lines = lines_of(piece, marks.lines, layout, chars, final)
            if piece.high - piece.low > layout.longest and not layout.length:
                _refuse_endless(lines, layout, source.name, row)
            if offset and not layout.length:
                tally.offsets.append((row, offset))
            block = _Block(source, layout, tally, piece, chars, lines, row, final)
            spans, kept, done = block.cases(layout.limit, taken)
            taken += len(spans.rows)
            if len(spans.rows):
                cover(spans, tally)
                yield spans
            if following is None or done:
                return
            row += kept
            consumed = int(lines.starts[kept]) if kept < len(lines.starts) else lines.consumed
            offset += consumed - piece.low
            rest = piece.buffer[consumed : piece.high]
            if kept:
                longest = layout.block
            else:
                if len(rest) > layout.longest:
                    raise _endless(source.name, row, layout.longest)
                longest *= 2  # a line longer than a piece: look at it less and less often
                following = together(following, pieces, longest)
            piece = behind(rest, following)


def _refuse_endless(lines: Lines, layout: FixedLayout, name: str, row: int) -> None:
    lengths = lines.ends - lines.starts
    if len(lengths) and lengths.max() > layout.longest:
        raise _endless(name, row + int(lengths.argmax()), layout.longest)


def _endless(name: str, row: int, longest: int) -> SourceError:
    return SourceError(
        f"{name}: row {row} is longer than {longest:,} bytes; if it has a line end at all, raise "
        "the limit record",
        Advice("if records have no line ends, set {}", "record_length", "--record-length"),
    )


def _pieces(
    stream: CountedStream, layout: FixedLayout, steps: Steps, name: str
) -> Iterator[Filled]:
    if layout.undecoded:
        while piece := stream.read(layout.block):
            yield filled(piece)
    elif is_ebcdic(layout.encoding):
        plain = cast(IO[bytes], stream)
        for piece in small_first(utf8_pieces(plain, layout.encoding, layout.block, name)):
            yield filled(piece.replace(NEXT_LINE, b"\n"))
    else:
        yield from utf8_buffers(stream, layout.encoding, steps, name)


class _Block:
    """The lines of a block, each with its part."""

    def __init__(
        self,
        source: Source,
        layout: FixedLayout,
        tally: Tally,
        text: Filled,
        chars: Ints | None,
        lines: Lines,
        row: int,
        final: bool,
    ) -> None:
        self.source, self.layout, self.tally = source, layout, tally
        self.buffer, self.high = text.buffer, text.high
        self.chars, self.lines = chars, lines
        self.row, self.final = row, final
        self.types: dict[int, str] = {}
        self.lack = 0

    def cases(self, limit: int | None, taken: int) -> tuple[FixedSpans, int, bool]:
        """The cases, how many lines are done with, and whether the limit is reached."""
        layout, lines = self.layout, self.lines
        count, last = self._within()
        rows = self.row + np.arange(count)
        part = self._parts(rows, last)
        data = np.flatnonzero(part[DATA])
        per = layout.lines
        left = len(data) % per
        if left and self.final and not (lines.ends - lines.starts)[data[-left:]].any():
            part[BLANK][data[-left:]], part[DATA][data[-left:]] = True, False
            data, left = data[:-left], 0
        whole = len(data) - left
        room = None if limit is None else (limit - taken) * per
        if room is not None and (whole > room or (left and self.final and whole == room)):
            self.tally.stopped = True
            beyond = int(data[room])
            return self._spans(data[:room], rows), self._count(part, beyond, rows, room), True
        present = len(data)
        if left and self.final:
            data = self._filled_up(data, rows)
            whole = len(data)
        elif left:
            count, present = int(data[whole]), whole
        return self._spans(data[:whole], rows), self._count(part, count, rows, present), False

    def _within(self) -> tuple[int, int | None]:
        """How many lines can be judged now, and the last row of data if that is known."""
        last, count = self.layout.last, len(self.lines.starts)
        if last is None or last > 0:
            return count, last
        if self.final:
            return count, self.row + count + last
        return max(0, count + last), None

    def _parts(self, rows: Ints, last: int | None) -> dict[str, Flags]:
        layout, count = self.layout, len(rows)
        starts, ends = self.lines.starts[:count], self.lines.ends[:count]
        heading = np.isin(rows, layout.heading) if layout.heading else np.zeros(count, bool)
        outside = rows < layout.first
        if last is not None:
            outside |= rows > last
        if layout.left_out:
            outside |= np.isin(rows, layout.left_out)
        comment = np.zeros(count, bool)
        if layout.comment:
            comment = ends - starts >= len(layout.comment)
            for offset, byte in enumerate(layout.comment):
                comment &= self.buffer[np.minimum(starts + offset, ends)] == byte
            comment &= ~heading
        blank = np.zeros(count, bool)
        if layout.lines == 1:
            leading = (
                self.buffer[starts[0] : starts[-1] + 1 : self.lines.stride]
                if self.lines.stride and count
                else self.buffer[starts]
            )
            maybe = np.flatnonzero((starts == ends) | (leading <= BLANK_BYTE) & ~heading & ~comment)
            blank[maybe] = kernels.blank(self.buffer, starts[maybe], ends[maybe])
            blank &= ~heading & ~comment
        elif count:
            blank = (starts == ends) & outside & ~heading
        skipped = outside & ~heading & ~comment & ~blank
        rest = ~(heading | comment | blank | skipped)
        other = self._others(rest) if layout.record else np.zeros(count, bool)
        parts = {HEADING: heading, BLANK: blank, COMMENT: comment, SKIPPED: skipped, OTHER: other}
        return parts | {DATA: rest & ~other}

    def _others(self, rest: Flags) -> Flags:
        """Lines of record types that are not read, counted by type."""
        record = self.layout.record
        assert record is not None
        at = np.flatnonzero(rest)
        spans = self._lines_as_spans(at)
        cells = spans.piece(1, record.start, record.end)
        cells = Cells(cells.buffer, cells.starts, cells.ends).trimmed()
        texts = kernels.texts(cells.buffer, cells.starts, cells.ends).to_pylist()
        wanted = record.take.strip()
        other = rest.copy()
        other[at] = np.array([text != wanted for text in texts], bool)
        self.types = {
            int(place): text for place, text in zip(at, texts, strict=True) if text != wanted
        }
        return other

    def _lines_as_spans(self, at: Ints) -> FixedSpans:
        starts, ends = self.lines.starts[at][:, None], self.lines.ends[at][:, None]
        plain = msgspec.structs.replace(self.layout, lines=1)
        return FixedSpans(self.buffer, starts, ends, at, plain, 0, self.chars)

    def _filled_up(self, data: Ints, rows: Ints) -> Ints:
        """The lines of a last case that lacks some: its last line stands for those, emptied."""
        lack = -len(data) % self.layout.lines
        self.tally.incomplete = (int(rows[data[-(self.layout.lines - lack)]]), lack)
        self.lack = lack
        return np.append(data, np.full(lack, data[-1]))

    def _spans(self, data: Ints, rows: Ints) -> FixedSpans:
        per, lines = self.layout.lines, self.lines
        together = len(data) > 0 and data[-1] - data[0] + 1 == len(data) and not self.lack
        at = slice(int(data[0]), int(data[-1]) + 1) if together else data
        starts, ends, rows = lines.starts[at], lines.ends[at], rows[at]
        if self.lack:
            starts[-self.lack :] = ends[-self.lack :]
        starts, ends = starts.reshape(-1, per), ends.reshape(-1, per)
        stride = lines.stride * per if together else 0
        return FixedSpans(self.buffer, starts, ends, rows[::per], self.layout, stride, self.chars)

    def _count(self, part: dict[str, Flags], count: int, rows: Ints, whole: int) -> int:
        """Count the parts of the first `count` lines."""
        tally, per = self.tally, self.layout.lines
        for name, flags in part.items():
            found = int(np.count_nonzero(flags[:count]))
            if name != DATA and found:
                tally.parts[name] = tally.parts.get(name, 0) + found
        cases = -(-whole // per)
        tally.parts[DATA] += cases
        tally.parts[CONTINUED] += whole - cases
        tally.skipped_rows.add(rows[:count][part[SKIPPED][:count]])
        tally.blank_rows.add(rows[:count][part[BLANK][:count]])
        if self.layout.record:
            tally.record_types.update(
                Counter(text for place, text in self.types.items() if place < count)
            )
        tally.lines += self._line_ends(count)
        return count

    def _line_ends(self, count: int) -> int:
        """Lines counted by their ends in the bytes; by their length where they have no ends."""
        lines = self.lines
        if not count:
            return 0
        beyond = int(lines.starts[count]) if count < len(lines.starts) else None
        if beyond is None and lines.line_ends is not None:
            return lines.line_ends
        low = int(lines.starts[0])
        if self.layout.length:
            end = beyond if beyond is not None else int(lines.ends[count - 1])
            size = (
                end - low
                if self.chars is None
                else int(np.searchsorted(self.chars, end) - np.searchsorted(self.chars, low))
            )
            return -(-size // self.layout.length)
        if beyond is None and self.final:
            beyond = self.high
        elif beyond is None:
            beyond = lines.consumed
        marks = kernels.line_marks(self.buffer, low, beyond)
        return marks.line_ends + int(self.buffer[beyond - 1] not in (NEW_LINE, RETURN))
