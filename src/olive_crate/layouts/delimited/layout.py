"""The layout of delimited text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from ...columns.search_start import SourceColumn
from ...kernels.types import Dialect
from ...sources.source import Source
from ..base import Block, Hands
from ..tally import Tally


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
    skip: int = 0
    """Lines at the top that belong to no record: titles, in which a quote is just a character."""
    first: int = 1
    last: int | None = None
    limit: int | None = None
    block: int = 1 << 20
    """Bytes read at a time."""

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

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The data, block after block."""
        from .reading import read_blocks

        return read_blocks(source, self, tally, hands)
