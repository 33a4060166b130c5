"""The layout of fixed columns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from ...columns.rule import SourceColumn
from ...plan.fields import Field, RecordType
from ...sources.source import Source, is_multibyte
from ..base import Block, Hands, RangeLayout, RawCell, Tally


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
    first: int = 1
    last: int | None = None
    limit: int | None = None
    block: int = 1 << 20

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
        """Such a source is read as a whole."""
        return None

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A field at its positions in the line that it is in."""
        from .raw_cell import raw_cell

        return raw_cell(source, self, row, index, offsets)
