"""The layout of fixed columns."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from ...columns.rule import SourceColumn
from ...errors import LayoutError
from ...plan.fields import Field, RecordType
from ...sources.limits import Limits
from ...sources.source import Source, decoded, is_ebcdic, is_multibyte
from ..base import Block, Hands, RangeLayout, RawCell, Tally
from ..text.raw_record import record_text


class FixedLayout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be known before records of fixed fields can be read."""

    encoding: str
    fields: tuple[Field, ...]
    lines: int = 1
    """Physical lines of a case."""
    length: int | None = None
    """Characters of a record where no line ends stand between them."""
    in_bytes: bool = False
    tabs: int | None = None
    record: RecordType | None = None
    comment: bytes = b""
    heading: tuple[int, ...] = ()
    skip_repeated: bool = False
    key: tuple[int, ...] = ()
    first: int = 1
    last: int | None = None
    left_out: tuple[int, ...] = ()
    """Rows within the data that are no cases."""
    limit: int | None = None
    block: int = 1 << 20
    longest: int = Limits().record
    """Bytes of the longest line that is read."""

    @property
    def undecoded(self) -> bool:
        """Are the bytes cut as they are, and each cell decoded by itself?"""
        return self.in_bytes and is_multibyte(self.encoding)

    @property
    def rows_per_case(self) -> int:
        """The physical lines of a record."""
        return self.lines

    def column(self, index: int) -> SourceColumn:
        """What the field says of its cells."""
        field = self.fields[index]
        return SourceColumn(implied_decimals=field.decimals, sign=field.sign, padded=True)

    def with_types(self, types: Sequence[str | None]) -> FixedLayout:
        """Declared types change nothing in where fields lie."""
        return self

    def only_rows(self, first: int, last: int) -> FixedLayout:
        """The layout of some rows alone."""
        return msgspec.structs.replace(self, first=first, last=last)

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The data, block after block."""
        from .reading import read_blocks

        return read_blocks(source, self, tally, hands)

    def of_range(self, first: bool, final: bool) -> RangeLayout | None:
        """A range holds whole lines, each of them a record."""
        by_byte = not is_multibyte(self.encoding) and not is_ebcdic(self.encoding)
        alone = self.lines == 1 and self.length is None and not self.comment
        if not by_byte or not alone or self.limit is not None or (self.last or 0) > 0:
            return None
        if self.left_out:
            return None
        changes: dict[str, Any] = {} if final else {"last": None}
        changes |= {} if first else {"heading": (), "first": 1}
        return RangeLayout(msgspec.structs.replace(self, **changes), b"", 0)

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A field at its positions in the line that it is in."""
        return _raw_cell(source, self, row, index, offsets)


def _raw_cell(
    source: Source, layout: FixedLayout, row: int, index: int, offsets: Sequence[tuple[int, int]]
) -> RawCell:
    """A field at its positions, counted as the layout counts them."""
    field = layout.fields[index]
    if layout.length:
        line = _record(source, layout, row + field.line - 1)
    else:
        line = record_text(source, layout.encoding, row + field.line - 1, offsets, bool)
    line = line.rstrip("\r\n")
    if layout.tabs:
        line = line.expandtabs(layout.tabs)
    start, end = field.start - 1, field.end
    if layout.in_bytes:
        start, end = (
            _characters(line, layout.encoding, start),
            _characters(line, layout.encoding, end),
        )
    place = f"positions {field.start}\u2013{field.end}"
    if layout.lines > 1:
        place += f" of line {field.line}"
    return RawCell(line, min(start, len(line)), min(end, len(line)), place, line[start:end])


def _record(source: Source, layout: FixedLayout, row: int) -> str:
    """A record of one length, where no line ends stand between records."""
    assert layout.length
    with source.open() as stream:
        text = decoded(stream.read(), layout.encoding, True)
    record = text[(row - 1) * layout.length : row * layout.length]
    if not record:
        raise LayoutError(f"{source.name}: has no row {row}; the file was changed")
    return record


def _characters(line: str, encoding: str, count: int) -> int:
    """How many characters so many bytes are."""
    sizes = itertools.accumulate(len(char.encode(encoding, "replace")) for char in line)
    return sum(size <= count for size in sizes)
