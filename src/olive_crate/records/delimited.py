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
from typing import IO, cast

import msgspec
import numpy as np

from ..errors import LayoutError
from ..kernels import reference as kernels
from ..kernels.reference import PAD, Bytes, Flags, Ints, Marks, Structure
from ..sources import Source
from .encoding import bad_byte, utf8_pieces
from .spans import Spans, shaped
from .tally import BLANK, COMMENT, CONTINUED, DATA, HEADING, SKIPPED, CountedStream, Tally

PADDING = bytes(PAD)
LARGEST = (1 << 31) - 4 * PAD


class Layout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be settled before records can be read."""

    encoding: str
    marks: Marks
    fields: int
    """Fields of each record; 0 where only the structure is wanted."""
    heading: tuple[int, ...] = ()
    names: tuple[bytes, ...] = ()
    """The cells of the last row of the heading, to know it again within the data."""
    skip_repeated: bool = False
    skip: int = 0
    """Lines at the top that belong to no record: titles, in which a quote is just a character."""
    first: int = 1
    last: int | None = None
    limit: int | None = None
    block: int = 1 << 20
    """Bytes read at a time."""


class RawBlock(msgspec.Struct, frozen=True, eq=False):
    """Whole records of a piece of the source."""

    text: bytes
    """The piece as it was read, between paddings."""
    structure: Structure
    first_row: int

    @property
    def rows(self) -> Ints:
        """The number of the row on which each record starts."""
        return self.structure.lines[:-1] + self.first_row

    @property
    def next_row(self) -> int:
        return int(self.structure.lines[-1]) + self.first_row


class _Parted(msgspec.Struct, frozen=True, eq=False):
    """A block whose records have their parts: the indices of the data, flags for the rest."""

    raw: RawBlock
    data: Ints
    part: dict[str, Flags]
    even: bool
    """All of its records are data, with as many fields as there should be."""


def raw_blocks(source: Source, layout: Layout, tally: Tally | None = None) -> Iterator[RawBlock]:
    """Blocks of whole records, from the first line that is not skipped as a title.

    Raises `LayoutError` for a quote that is never closed, `SourceError` for bytes that are not of
    the encoding.
    """
    tally = tally if tally is not None else Tally()
    carried, row, offset, size = b"", 1, 0, layout.block
    beyond_ascii = False
    with source.open() as opened:
        stream = CountedStream(opened, tally)
        pieces = utf8_pieces(cast(IO[bytes], stream), layout.encoding, layout.block, source.name)
        piece = next(pieces, b"")
        to_skip = layout.skip
        while True:
            following = _gathered(pieces, size, layout.block)
            final = not following
            while to_skip:
                if carried:
                    carried, piece = b"", carried + piece
                cut = _line_end(piece, final)
                if cut < 0:
                    break
                _count_title(tally, piece[:cut], row, layout)
                piece, row, to_skip, offset = piece[cut:], row + 1, to_skip - 1, offset + cut
            text = b"".join((PADDING, carried, piece, PADDING))
            high = len(text) - PAD
            consumed = PAD
            if not to_skip and high > PAD:
                if high > LARGEST:
                    raise LayoutError(f"{source.name}: row {row} is longer than 2 GB")
                buffer = np.frombuffer(text, np.uint8)
                marks = msgspec.structs.replace(layout.marks, returns=b"\r" in text)
                structure = kernels.split(buffer, PAD, high, marks, final)
                if final and structure.open_quote >= 0:
                    raise _left_open(source, layout, text, structure.open_quote, row)
                consumed = structure.consumed
                if len(structure.heads):
                    if not text.isascii():
                        _check_utf8(source, layout, text[PAD:consumed], (row, offset), beyond_ascii)
                        beyond_ascii = True
                    block = RawBlock(text, structure, row)
                    yield block
                    row = block.next_row
            if final:
                return
            empty = consumed == PAD and not to_skip
            size = max(2 * (high - PAD), layout.block) if empty else layout.block
            carried, piece = text[consumed:high], following
            offset += consumed - PAD


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
    before = text[PAD:at]
    line = row + _lines_in(np.frombuffer(before, np.uint8)) if before else row
    shown = text[at : at + 40].decode("utf-8", "replace").splitlines()[0]
    quote = chr(layout.marks.quote)
    return LayoutError(
        f"{source.name}: row {line}: a quote is opened and never closed: {shown!r}; "
        f"if {quote} is an ordinary character in this file, give quote=None"
    )


def _check_utf8(
    source: Source, layout: Layout, text: bytes, at: tuple[int, int], seen: bool
) -> None:
    """Check that records are valid UTF-8."""
    row, offset = at
    try:
        text.decode("utf-8")
    except UnicodeDecodeError as error:
        line = row + text.count(b"\n", 0, error.start)
        wrong = bad_byte(source.name, layout.encoding, line, offset + error.start, error)
        wrong.seen_beyond_ascii |= seen
        raise wrong from None


def _lines_in(text: Bytes, with_returns: bool = True) -> int:
    """Line ends in bytes: line feeds, and carriage returns that no line feed follows."""
    count = int(np.count_nonzero(text == 10))
    if with_returns:
        returns = np.flatnonzero(text == 13)
        followed = returns[returns + 1 < len(text)] + 1
        count += len(returns) - int(np.count_nonzero(text[followed] == 10))
    return count


def _parted(raw: RawBlock, layout: Layout, last: int | None) -> _Parted:
    """Give each record its part."""
    structure, fields = raw.structure, np.diff(raw.structure.record)
    even = layout.fields > 1 and bool((fields == layout.fields).all())
    below = raw.first_row > max((*layout.heading, layout.first - 1))
    if even and below and last is None and not layout.marks.comment:
        return _Parted(raw, np.arange(len(fields)), {}, True)
    rows = raw.rows
    first = structure.starts[structure.record[:-1]]
    alone = np.flatnonzero((fields == 1) & (first == structure.heads) & ~structure.comments)
    is_blank = np.zeros(len(rows), bool)
    if len(alone):
        ends = structure.ends[structure.record[alone]]
        is_blank[alone] = kernels.blank(raw.structure.buffer, first[alone], ends)
    heading = np.isin(rows, layout.heading)
    outside = rows < layout.first
    if last is not None:
        outside |= rows > last
    comment = structure.comments & ~heading
    is_blank &= ~heading & ~comment
    is_data = ~(heading | comment | is_blank | outside)
    skipped = outside & ~(heading | comment | is_blank)
    part = {HEADING: heading, BLANK: is_blank, COMMENT: comment, SKIPPED: skipped}
    return _Parted(raw, np.flatnonzero(is_data), part, False)


def _without_repeated(parted: _Parted, layout: Layout, tally: Tally) -> _Parted:
    """Find the heading within the data; it is left out if the layout says so."""
    if not layout.names or not layout.names[0] or len(layout.names) < 2:
        return parted
    raw, structure = parted.raw, parted.raw.structure
    first = structure.record[parted.data]
    starts, word = structure.starts[first], layout.names[0]
    at = np.flatnonzero(structure.ends[first] - starts == len(word))
    for offset, byte in enumerate(word):
        if not len(at):
            return parted
        at = at[structure.buffer[starts[at] + offset] == byte]
    names = [name.decode("utf-8") for name in layout.names]
    again = [place for place in at if record_texts(raw, int(parted.data[place])) == names]
    if not again:
        return parted
    records = parted.data[again]
    tally.repeated.add(raw.rows[records])
    if not layout.skip_repeated:
        return parted
    heading = np.zeros(len(structure.heads), bool)
    heading[records] = True
    part = dict(parted.part)
    part[HEADING] = part.get(HEADING, np.zeros(len(heading), bool)) | heading
    return msgspec.structs.replace(
        parted, data=np.delete(parted.data, again), part=part, even=False
    )


def read_blocks(source: Source, layout: Layout, tally: Tally | None = None) -> Iterator[Spans]:
    """The data of the source as spans, block after block; `tally` accounts for every line."""
    tally = tally if tally is not None else Tally()
    taken = 0
    for raw, last in _held_back(raw_blocks(source, layout, tally), layout.last):
        parted = _without_repeated(_parted(raw, layout, last), layout, tally)
        count = len(parted.data)
        if layout.limit is not None and taken + count > layout.limit:
            count = layout.limit - taken
            parted = _cut(parted, count)
            tally.stopped = True
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


def _cut(parted: _Parted, count: int) -> _Parted:
    """The block up to, and without, the first record of data beyond the limit."""
    raw = parted.raw
    beyond = int(parted.data[count])
    old = raw.structure
    structure = msgspec.structs.replace(
        old,
        record=old.record[: beyond + 1],
        heads=old.heads[:beyond],
        lines=old.lines[: beyond + 1],
        comments=old.comments[:beyond],
        consumed=int(old.heads[beyond]),
    )
    part = {name: flags[:beyond] for name, flags in parted.part.items()}
    cut = msgspec.structs.replace(raw, structure=structure)
    return _Parted(cut, parted.data[:count], part, parted.even)


def _count(tally: Tally, parted: _Parted) -> None:
    raw = parted.raw
    structure = raw.structure
    for name, flags in parted.part.items():
        tally.parts[name] += int(flags.sum())
    tally.parts[DATA] += len(parted.data)
    tally.parts[CONTINUED] += raw.next_row - raw.first_row - len(structure.heads)
    text = np.frombuffer(raw.text, np.uint8)[PAD : structure.consumed]
    tally.lines += _lines_in(text, b"\r" in raw.text)
    if len(text) and text[-1] not in (10, 13):
        tally.lines += 1
    if SKIPPED in parted.part:
        tally.skipped_rows.add(raw.rows[parted.part[SKIPPED]])
        tally.blank_rows.add(raw.rows[parted.part[BLANK]])


def _spans(parted: _Parted, layout: Layout, tally: Tally) -> Spans:
    raw, structure = parted.raw, parted.raw.structure
    chosen = parted.data
    rows = raw.rows if parted.even else raw.rows[chosen]
    if not parted.even:
        counts = np.diff(structure.record)[chosen]
        tally.short.add(rows[counts < layout.fields])
        longer = counts > layout.fields
        if longer.any():
            _note_surplus(tally, raw, chosen[longer], layout)
    starts, ends = shaped(structure.starts, structure.ends, structure.record, chosen, layout.fields)
    return Spans(raw.structure.buffer, starts, ends, rows)


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
    data = raw.structure.buffer[low : max(ends, default=0)].tobytes()
    texts = [
        data[start - low : end - low].decode("utf-8", "replace")
        for start, end in zip(starts, ends, strict=True)
    ]
    for here, there in itertools.pairwise(record):
        yield texts[here - record[0] : there - record[0]]
