"""Delimited text to spans, one block at a time.

Three stages, each a generator of plain values. `raw_blocks` (in `records`) gives blocks of whole
records. `_parted` assigns each record its role: heading, data, comment, blank or skipped.
`DelimitedLayout.read` shapes the data into spans. Where the plan excludes the last rows of the
file, a block is held back until it is known not to contain them.

Every line is counted twice, and the receipt compares the two sums. Here, each record counts one
line for its role and further lines for line breaks inside quotes. In `records`, line ends are
counted in the bytes, with no regard to records. A splitting error would change one sum and not the
other.

A block that holds nothing but data, with as many fields in each record as there are columns, takes
a short cut: the kernel's table is the spans, and no array of roles is made.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np

from ... import kernels
from ...columns.rule import SourceColumn
from ...kernels.spans import BlockRows, Spans, shaped, spans_in, spans_of
from ...kernels.types import Dialect, Flags, Ints, Structure, Table
from ...sources.limits import Limits
from ...sources.source import Source, is_ebcdic, is_multibyte
from ..base import (
    BLANK,
    COMMENT,
    CONTINUED,
    DATA,
    HEADING,
    SKIPPED,
    Hands,
    RangeLayout,
    RawCell,
    Tally,
)
from ..text.decoding import filled
from .records import RawBlock, raw_blocks, record_texts


class _Parted(msgspec.Struct, frozen=True, eq=False):
    """A block whose records have their parts: the indices of the data, flags for the rest."""

    raw: RawBlock
    data: Ints
    part: dict[str, Flags]


def _parted(raw: RawBlock, layout: DelimitedLayout, last: int | None) -> _Parted:
    """Give each record its part."""
    structure, fields = raw.structure, np.diff(raw.structure.record)
    rows = raw.rows
    first = structure.starts[structure.record[:-1]]
    alone = np.flatnonzero((fields == 1) & (first == structure.heads) & ~structure.comments)
    is_blank = np.zeros(len(rows), bool)
    if len(alone):
        ends = structure.ends[structure.record[alone]]
        is_blank[alone] = kernels.blank(structure.buffer, first[alone], ends)
    heading = np.isin(rows, layout.heading)
    outside = rows < layout.first
    if last is not None:
        outside |= rows > last
    if layout.left_out:
        outside |= np.isin(rows, layout.left_out)
    comment = structure.comments & ~heading
    is_blank &= ~heading & ~comment
    is_data = ~(heading | comment | is_blank | outside)
    skipped = outside & ~(heading | comment | is_blank)
    part = {HEADING: heading, BLANK: is_blank, COMMENT: comment, SKIPPED: skipped}
    return _Parted(raw, np.flatnonzero(is_data), part)


def _only_data(raw: RawBlock, layout: DelimitedLayout, last: int | None) -> Table | None:
    """The block as a table, where all of its records are data of as many fields as there are."""
    table = raw.found
    below = raw.first_row > max((*layout.heading, layout.first - 1))
    if not isinstance(table, Table) or not below or last is not None or layout.dialect.comment:
        return None
    if layout.left_out and max(layout.left_out) >= raw.first_row:
        return None
    may_repeat = table.has_name and len(layout.names) > 1 and bool(layout.names[0])
    return None if may_repeat and len(_heading_again(table, layout)) else table


def _heading_again(table: Table, layout: DelimitedLayout) -> Ints:
    """Records that hold the names of the heading."""
    at = np.arange(table.count)
    for column, name in enumerate(layout.names[: layout.fields]):
        starts, ends = table.columns(column)
        if column:
            starts, ends = starts[at], ends[at]
        at = at[kernels.match(table.buffer, starts, ends, (name.decode("utf-8"),)) == 0]
        if not len(at):
            break
    return at


def _without_repeated(parted: _Parted, layout: DelimitedLayout, tally: Tally) -> _Parted:
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
    names = tuple(name.decode("utf-8") for name in layout.names)
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
    return msgspec.structs.replace(parted, data=np.delete(parted.data, again), part=part)


def _held_back(blocks: Iterator[RawBlock], last: int) -> Iterator[tuple[RawBlock, int | None]]:
    """Each block with the last row of data, which is counted from the end."""
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
    raw, old = parted.raw, parted.raw.structure
    beyond = int(parted.data[count])
    end = int(old.heads[beyond])
    structure = msgspec.structs.replace(
        old,
        record=old.record[: beyond + 1],
        heads=old.heads[:beyond],
        lines=old.lines[: beyond + 1],
        comments=old.comments[:beyond],
        consumed=end,
    )
    part = {name: flags[:beyond] for name, flags in parted.part.items()}
    line_ends = kernels.line_marks(raw.cut.buffer, raw.cut.low, end).line_ends
    short = msgspec.structs.replace(raw.cut, high=end)
    cut = RawBlock(short, raw.marks, structure, raw.first_row, line_ends)
    return _Parted(cut, parted.data[:count], part)


def _count(tally: Tally, raw: RawBlock, parted: _Parted | None) -> None:
    """Account for the records and the lines of a block, which without parts is nothing but data."""
    cut, records = raw.cut, len(raw.found.lines) - 1
    if cut.offset:
        tally.offsets.append((raw.first_row, cut.offset))
    unended = cut.high > cut.low and cut.buffer[cut.high - 1] not in (10, 13)
    tally.lines += raw.line_ends + int(unended)
    tally.parts[CONTINUED] += int(raw.found.lines[-1]) - records
    tally.parts[DATA] += records if parted is None else len(parted.data)
    for name, flags in () if parted is None else parted.part.items():
        count = int(flags.sum())
        tally.parts[name] += count
        if count and name in (SKIPPED, BLANK):
            rows = tally.skipped_rows if name == SKIPPED else tally.blank_rows
            rows.add(raw.rows[flags])


def _spans(parted: _Parted, layout: DelimitedLayout, tally: Tally) -> Spans:
    raw, structure = parted.raw, parted.raw.structure
    chosen = parted.data
    counts = np.diff(structure.record)[chosen]
    rows = raw.rows[chosen]
    tally.short.add(rows[counts < layout.fields])
    longer = counts > layout.fields
    if longer.any():
        _note_surplus(tally, raw, chosen[longer], layout)
    starts, ends = shaped(structure.starts, structure.ends, structure.record, chosen, layout.fields)
    return spans_of(structure.buffer, starts, ends, rows)


def _note_surplus(tally: Tally, raw: RawBlock, records: Ints, layout: DelimitedLayout) -> None:
    structure = raw.structure
    beyond = structure.record[records] + layout.fields
    one = structure.record[records + 1] == beyond + 1
    empty = one & (structure.starts[beyond] == structure.ends[beyond])
    tally.trailing += int(empty.sum())
    delimiter = layout.dialect.delimiter.decode("utf-8") or " "
    for record in records[~empty]:
        texts = record_texts(raw, int(record))[layout.fields :]
        if any(text.strip() for text in texts):
            tally.surplus.append((int(raw.rows[record]), delimiter.join(texts)))
        else:
            tally.trailing += 1


class DelimitedLayout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be known before records can be read."""

    encoding: str
    dialect: Dialect
    fields: int
    """Fields of each record; 0 where only the structure is wanted."""
    heading: tuple[int, ...] = ()
    names: tuple[bytes, ...] = ()
    """The cells of the last row of the heading, to know it again within the data."""
    skip_repeated: bool = False
    key: tuple[int, ...] = ()
    skip: int = 0
    """Lines at the top that belong to no record: titles, in which a quote is just a character."""
    first: int = 1
    last: int | None = None
    left_out: tuple[int, ...] = ()
    """Rows within the data that are no cases."""
    limit: int | None = None
    block: int = 1 << 20
    """Bytes read at a time."""
    limits: Limits = Limits()

    @property
    def rows_per_case(self) -> int:
        """Rows are followed one by one; those within quotes belong to the case before."""
        return 1

    def column(self, index: int) -> SourceColumn:
        """Delimited text says nothing of a column beforehand."""
        return SourceColumn()

    def with_types(self, types: Sequence[str | None]) -> DelimitedLayout:
        """Declared types change nothing in how text is cut."""
        return self

    def only_rows(self, first: int, last: int) -> DelimitedLayout:
        """The layout of some rows alone."""
        return msgspec.structs.replace(self, first=first, last=last)

    def of_range(self, first: bool, final: bool) -> RangeLayout | None:
        """A range holds whole records; comments and escapes would hide where they begin."""
        marks = self.dialect
        by_byte = not is_multibyte(self.encoding) and not is_ebcdic(self.encoding)
        plain = by_byte and not marks.comment and not marks.escape
        if not plain or self.limit is not None or (self.last or 0) > 0 or self.left_out:
            return None
        quote = bytes([marks.quote]) if marks.quote else b""
        changes: dict[str, Any] = {} if final else {"last": None}
        if not first:
            changes |= {"heading": (), "skip": 0, "first": 1}
        return RangeLayout(msgspec.structs.replace(self, **changes), quote, self.skip)

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Spans]:
        """The data as spans, block after block."""
        blocks, room, last = raw_blocks(source, self, tally, hands), self.limit, self.last
        from_end = last is not None and last < 0
        pairs = _held_back(blocks, last or 0) if from_end else ((raw, last) for raw in blocks)
        for raw, end in pairs:
            table, parted = _only_data(raw, self, end), None
            if table is None or (room is not None and table.count > room):
                table, parted = None, _parted(raw, self, end)
                if len(parted.data):
                    parted = _without_repeated(parted, self, tally)
                if room is not None and len(parted.data) > room:
                    parted = _cut(parted, room)
                    tally.stopped = True
            _count(tally, raw if parted is None else parted.raw, parted)
            if table is not None:
                yield spans_in(table, BlockRows(raw.first_row, table.lines))
            elif parted is not None and len(parted.data):
                yield _spans(parted, self, tally)
            if room is not None:
                room -= table.count if table is not None else len(parted.data) if parted else 0
            if tally.stopped:
                return

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A field in the text of its record."""
        from ..text.raw_record import record_text  # only where a cell is traced
        from .field_span import field_span

        def split(text: str) -> Structure:
            buffer, low, high = filled(text.encode("utf-8"))
            return kernels.structure(buffer, low, high, self.dialect, True)

        def is_whole(text: str) -> bool:
            return split(text).open_quote < 0

        text = record_text(source, self.encoding, row, offsets, is_whole)
        found = split(text)
        if index >= int(found.record[1]):
            return RawCell(text, None, None, f"field {index + 1}, which the row lacks", "")
        begin, beyond = int(found.starts[index]), int(found.ends[index])
        taken = found.buffer[begin:beyond].tobytes().decode("utf-8")
        span = field_span(text, self.dialect, index, taken)
        raw = text.rstrip("\r\n")
        start, end = span or (None, None)
        return RawCell(raw, start, end, f"field {index + 1}", taken)
