"""Delimited text to spans, a block at a time.

Three stages, each a generator of plain values: `raw_blocks` cuts the stream into blocks of whole
records; `_parted` gives each record its part (heading, data, comment, blank, skipped) and counts;
`read_blocks` holds back what the end of the file still decides, and shapes the data into spans.
Every line is counted twice: by its part here, and by its line end in the bytes.
"""

from __future__ import annotations

import itertools
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import IO, cast

import numpy as np

from ..errors import LayoutError
from ..kernels import reference as kernels
from ..kernels.reference import PAD, Bytes, Flags, Ints, Marks, Structure
from ..sources import Source
from .encoding import bad_byte, utf8_pieces
from .spans import Spans, shaped

HEADING, DATA, BLANK, COMMENT, SKIPPED = "heading", "data", "blank", "comment", "skipped"
CONTINUED = "continued"
PARTS = (HEADING, DATA, CONTINUED, BLANK, COMMENT, SKIPPED)
ROWS_KEPT = 1000
LARGEST = (1 << 31) - 4 * PAD


@dataclass(frozen=True, slots=True)
class Layout:
    """Everything that must be settled before records can be read."""

    encoding: str
    marks: Marks
    fields: int
    """Fields of each record; 0 where only the structure is wanted."""
    heading: tuple[int, ...] = ()
    skip: int = 0
    """Lines at the top that belong to no record: titles, in which a quote is just a character."""
    first: int = 1
    last: int | None = None
    limit: int | None = None
    block: int = 1 << 20
    """Bytes read at a time."""


@dataclass(slots=True)
class RowList:
    """Row numbers: all are counted, the first are kept."""

    count: int = 0
    first: list[int] = field(default_factory=list)

    def add(self, rows: Ints | list[int]) -> None:
        self.count += len(rows)
        if len(rows) and len(self.first) < ROWS_KEPT:
            self.first += [int(row) for row in rows[: ROWS_KEPT - len(self.first)]]


@dataclass(slots=True)
class Tally:
    """What the lines of the source were."""

    parts: dict[str, int] = field(default_factory=lambda: dict.fromkeys(PARTS, 0))
    lines: int = 0
    """Lines counted by their ends in the bytes, not by their parts."""
    bytes: int = 0
    """Bytes of the source that were read."""
    short: RowList = field(default_factory=RowList)
    trailing: int = 0
    """Rows that end with delimiters beyond the last field, with nothing behind them."""
    surplus: list[tuple[int, str]] = field(default_factory=list)
    stopped: bool = False
    """The limit was reached: the rest of the source was not read."""
    skipped_rows: RowList = field(default_factory=RowList)
    blank_rows: RowList = field(default_factory=RowList)


@dataclass(frozen=True, slots=True)
class RawBlock:
    """Whole records of a piece of the source."""

    text: bytes
    """The piece as it was read; quoted fields may be closed up in `buffer`."""
    buffer: Bytes
    structure: Structure
    first_row: int

    @property
    def rows(self) -> Ints:
        """The number of the row on which each record starts."""
        return self.structure.lines[:-1] + self.first_row

    @property
    def next_row(self) -> int:
        return int(self.structure.lines[-1]) + self.first_row


@dataclass(frozen=True, slots=True)
class _Parted:
    raw: RawBlock
    is_data: Flags
    part: dict[str, Flags]


def raw_blocks(source: Source, layout: Layout, tally: Tally | None = None) -> Iterator[RawBlock]:
    """Blocks of whole records, from the first line that is not skipped as a title.

    Raises `LayoutError` for a quote that is never closed, `SourceError` for bytes that are not of
    the encoding.
    """
    tally = tally if tally is not None else Tally()
    carried, row, offset, size = b"", 1, 0, layout.block
    beyond_ascii = False
    with source.open() as opened:
        stream = _Counted(opened, tally)
        pieces = utf8_pieces(cast(IO[bytes], stream), layout.encoding, layout.block, source.name)
        piece = next(pieces, b"")
        to_skip = layout.skip
        while True:
            following = _gathered(pieces, size, layout.block)
            final = not following
            text = carried + piece
            while to_skip:
                cut = _line_end(text, final)
                if cut < 0:
                    break
                _count_title(tally, text[:cut], row, layout)
                text, row, to_skip, offset = text[cut:], row + 1, to_skip - 1, offset + cut
            consumed = 0
            if not to_skip and text:
                if len(text) > LARGEST:
                    raise LayoutError(f"{source.name}: row {row} is longer than 2 GB")
                buffer = kernels.padded(text)
                high = PAD + len(text)
                structure = kernels.split(buffer, PAD, high, layout.marks, final)
                if final and structure.open_quote >= 0:
                    raise _left_open(source, layout, text, structure.open_quote - PAD, row)
                consumed = structure.consumed - PAD
                if len(structure.heads):
                    beyond_ascii |= _check_utf8(
                        source, layout, text[:consumed], (row, offset), beyond_ascii
                    )
                    block = RawBlock(text, buffer, structure, row)
                    yield block
                    row = block.next_row
            if final:
                return
            size = layout.block if consumed or to_skip else max(2 * len(text), layout.block)
            carried, piece, offset = text[consumed:], following, offset + consumed


class _Counted:
    """A stream that counts the bytes read from it."""

    def __init__(self, stream: IO[bytes], tally: Tally) -> None:
        self._stream, self._tally = stream, tally

    def read(self, count: int) -> bytes:
        piece = self._stream.read(count)
        self._tally.bytes += len(piece)
        return piece


def _gathered(pieces: Iterator[bytes], size: int, block: int) -> bytes:
    """The next piece; several at once where one record is longer than a piece."""
    if size <= block:
        return next(pieces, b"")
    held, total = [], 0
    for piece in pieces:
        held.append(piece)
        total += len(piece)
        if total >= size:
            break
    return b"".join(held)


def _line_end(text: bytes, final: bool) -> int:
    """Where the line behind the first line of the text starts; -1 if its end is not there yet."""
    feed, back = text.find(b"\n"), text.find(b"\r")
    if back >= 0 and (feed < 0 or back < feed):
        if back + 1 == len(text) and not final:
            return -1
        return back + 2 if feed == back + 1 else back + 1
    if feed >= 0:
        return feed + 1
    return len(text) if final and text else -1


def _count_title(tally: Tally, line: bytes, row: int, layout: Layout) -> None:
    comment = layout.marks.comment
    part = SKIPPED
    if not line.strip():
        part = BLANK
        tally.blank_rows.add([row])
    elif comment and line.startswith(comment):
        part = COMMENT
    else:
        tally.skipped_rows.add([row])
    tally.parts[part] += 1
    tally.lines += 1


def _left_open(source: Source, layout: Layout, text: bytes, at: int, row: int) -> LayoutError:
    before = text[:at]
    line = row + _lines_in(np.frombuffer(before, np.uint8)) if before else row
    shown = text[at : at + 40].decode("utf-8", "replace").splitlines()[0]
    quote = chr(layout.marks.quote)
    return LayoutError(
        f"{source.name}: row {line}: a quote is opened and never closed: {shown!r}; "
        f"if {quote} is an ordinary character in this file, give quote=None"
    )


def _check_utf8(
    source: Source, layout: Layout, text: bytes, at: tuple[int, int], seen: bool
) -> bool:
    """Check that records are valid UTF-8; are there characters beyond ASCII in them?"""
    if text.isascii():
        return False
    row, offset = at
    try:
        text.decode("utf-8")
    except UnicodeDecodeError as error:
        line = row + text.count(b"\n", 0, error.start)
        wrong = bad_byte(source.name, layout.encoding, line, offset + error.start, error)
        wrong.seen_beyond_ascii |= seen
        raise wrong from None
    return True


def _lines_in(text: Bytes) -> int:
    """Line ends in bytes: line feeds, and carriage returns that no line feed follows."""
    count = int(np.count_nonzero(text == 10))
    returns = np.flatnonzero(text == 13)
    if len(returns):
        followed = returns[returns + 1 < len(text)] + 1
        count += len(returns) - int(np.count_nonzero(text[followed] == 10))
    return count


def _parted(raw: RawBlock, layout: Layout, last: int | None) -> _Parted:
    """Give each record its part."""
    structure, rows = raw.structure, raw.rows
    fields = np.diff(structure.record)
    first = structure.starts[structure.record[:-1]]
    alone = np.flatnonzero((fields == 1) & (first == structure.heads) & ~structure.comments)
    is_blank = np.zeros(len(rows), bool)
    if len(alone):
        ends = structure.ends[structure.record[alone]]
        is_blank[alone] = kernels.blank(raw.buffer, first[alone], ends)
    heading = np.isin(rows, layout.heading)
    outside = rows < layout.first
    if last is not None:
        outside |= rows > last
    comment = structure.comments & ~heading
    is_blank &= ~heading & ~comment
    is_data = ~(heading | comment | is_blank | outside)
    skipped = outside & ~(heading | comment | is_blank)
    part = {HEADING: heading, BLANK: is_blank, COMMENT: comment, SKIPPED: skipped}
    return _Parted(raw, is_data, part)


def read_blocks(source: Source, layout: Layout, tally: Tally | None = None) -> Iterator[Spans]:
    """The data of the source as spans, block after block; `tally` accounts for every line."""
    tally = tally if tally is not None else Tally()
    taken = 0
    for raw, last in _held_back(raw_blocks(source, layout, tally), layout.last):
        parted = _parted(raw, layout, last)
        count = int(parted.is_data.sum())
        if layout.limit is not None and taken + count > layout.limit:
            parted, raw = _cut(parted, layout.limit - taken)
            tally.stopped = True
            count = layout.limit - taken
        taken += count
        _count(tally, parted)
        if count:
            yield _spans(parted, layout, tally)
        if tally.stopped:
            return


def _held_back(
    blocks: Iterator[RawBlock], last: int | None
) -> Iterator[tuple[RawBlock, int | None]]:
    """Each block with the last row of data, which a negative `last` makes known only at the end."""
    if last is None or last > 0:
        for block in blocks:
            yield block, last
        return
    waiting: deque[RawBlock] = deque()
    next_row = 1
    for block in blocks:
        waiting.append(block)
        next_row = block.next_row
        while waiting and waiting[0].next_row - 1 <= next_row + last:
            yield waiting.popleft(), None
    while waiting:
        yield waiting.popleft(), next_row + last


def _cut(parted: _Parted, count: int) -> tuple[_Parted, RawBlock]:
    """The block up to, and without, the first record of data beyond the limit."""
    raw = parted.raw
    beyond = int(np.flatnonzero(parted.is_data)[count])
    old = raw.structure
    structure = replace(
        old,
        record=old.record[: beyond + 1],
        heads=old.heads[:beyond],
        lines=old.lines[: beyond + 1],
        comments=old.comments[:beyond],
        consumed=int(old.heads[beyond]),
    )
    cut = replace(raw, structure=structure)
    part = {name: flags[:beyond] for name, flags in parted.part.items()}
    return _Parted(cut, parted.is_data[:beyond], part), cut


def _count(tally: Tally, parted: _Parted) -> None:
    raw = parted.raw
    structure = raw.structure
    for name, flags in parted.part.items():
        tally.parts[name] += int(flags.sum())
    tally.parts[DATA] += int(parted.is_data.sum())
    tally.parts[CONTINUED] += raw.next_row - raw.first_row - len(structure.heads)
    text = np.frombuffer(raw.text, np.uint8)[: structure.consumed - PAD]
    tally.lines += _lines_in(text)
    if len(text) and text[-1] not in (10, 13):
        tally.lines += 1
    tally.skipped_rows.add(raw.rows[parted.part[SKIPPED]])
    tally.blank_rows.add(raw.rows[parted.part[BLANK]])


def _spans(parted: _Parted, layout: Layout, tally: Tally) -> Spans:
    raw, structure = parted.raw, parted.raw.structure
    chosen = np.flatnonzero(parted.is_data)
    rows = raw.rows[chosen]
    counts = np.diff(structure.record)[chosen]
    tally.short.add(rows[counts < layout.fields])
    longer = counts > layout.fields
    if longer.any():
        _note_surplus(tally, raw, chosen[longer], layout)
    starts, ends = shaped(structure.starts, structure.ends, structure.record, chosen, layout.fields)
    return Spans(raw.buffer, starts, ends, rows)


def _note_surplus(tally: Tally, raw: RawBlock, records: Ints, layout: Layout) -> None:
    structure = raw.structure
    beyond = structure.record[records] + layout.fields
    one = structure.record[records + 1] == beyond + 1
    empty = one & (structure.starts[beyond] == structure.ends[beyond])
    tally.trailing += int(empty.sum())
    delimiter = layout.marks.delimiter.decode("utf-8") or " "
    for record in records[~empty]:
        texts = record_texts(raw, int(record))[layout.fields :]
        if any(text.strip() for text in texts):
            tally.surplus.append((int(raw.rows[record]), delimiter.join(texts)))
        else:
            tally.trailing += 1


def record_texts(raw: RawBlock, record: int) -> list[str]:
    """The fields of one record as text."""
    return next(records_as_text(raw, record, record + 1))


def records_as_text(raw: RawBlock, first: int, beyond: int) -> Iterator[list[str]]:
    """The fields of some records as text."""
    record = raw.structure.record[first : beyond + 1].tolist()
    if len(record) < 2:
        return
    starts = raw.structure.starts[record[0] : record[-1]].tolist()
    ends = raw.structure.ends[record[0] : record[-1]].tolist()
    low = starts[0] if starts else 0
    data = raw.buffer[low : max(ends, default=0)].tobytes()
    texts = [
        data[start - low : end - low].decode("utf-8", "replace")
        for start, end in zip(starts, ends, strict=True)
    ]
    for here, there in itertools.pairwise(record):
        yield texts[here - record[0] : there - record[0]]
