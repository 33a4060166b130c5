"""What every layout is: a value that is found from a source and a plan, and gives blocks of cells.

A kind of layout is a folder beside this file with two doors. `find` completes a plan for a source
and says on what evidence; `read` gives the data, block after block, and accounts for every row in a
tally. Whoever reads knows only what stands here. `registry` lists the kinds.
"""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from typing import IO, Protocol

import msgspec

from ..columns.rule import SourceColumn
from ..evidence import Evidence
from ..kernels.spans import Cells, SourceRows
from ..kernels.types import Forecast, Ints
from ..plan.fields import Field
from ..plan.model import Decisions
from ..sources.source import Source
from ..workers import ALONE, Workers

HEADING, DATA, BLANK, COMMENT, SKIPPED = "heading", "data", "blank", "comment", "skipped"
CONTINUED, OTHER = "continued", "other"
PARTS = (HEADING, DATA, CONTINUED, BLANK, COMMENT, SKIPPED)
ROWS_KEPT = 1000


class Block(Protocol):
    """A block of rows of data."""

    @property
    def rows(self) -> SourceRows:
        """The row of the source on which each case starts."""

    @property
    def early(self) -> bool:
        """Kernels have converted columns already: there is little left to do."""

    def field(self, index: int) -> Cells:
        """The cells of one column."""


class Hands(msgspec.Struct, frozen=True):
    """How a source is worked on."""

    workers: Workers = ALONE
    forecast: Callable[[], Forecast] = dict
    """How columns will be converted, as far as that is known by now."""
    keeping: bool = False
    """All blocks are kept, so that columns are best read to where they stay."""
    columns: tuple[int, ...] | None = None
    """The columns that are asked for; `None` for all."""


class Layout(Protocol):
    """How the records of a source lie. A frozen value."""

    @property
    def encoding(self) -> str: ...
    @property
    def key(self) -> tuple[int, ...]:
        """Columns that together name a case better than its row does; empty for most sources."""

    @property
    def skip_repeated(self) -> bool:
        """The heading is left out where it occurs again within the data."""

    @property
    def rows_per_case(self) -> int:
        """From one case to the next, how many rows of the source it is."""

    def column(self, index: int) -> SourceColumn:
        """What is known of a column before its cells are read."""

    def with_types(self, types: Sequence[str | None]) -> Layout:
        """The layout where columns are declared to be of these types."""

    def only_rows(self, first: int, last: int) -> Layout:
        """The layout of some rows alone."""

    def of_range(self, first: bool, final: bool) -> RangeLayout | None:
        """The layout of a range of bytes that begins and ends with a record.

        `None` where ranges cannot be read by themselves.
        """

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The data, block after block; `tally` accounts for every row."""

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A cell where it stands in its row; `offsets` are rows and the bytes they begin at."""


class RangeLayout(msgspec.Struct, frozen=True):
    """How a range of bytes of a source is read, and how ranges are found."""

    layout: Layout
    quote: bytes
    """What stands around fields in which line ends are no ends of records; empty for nothing."""
    skip: int
    """Lines at the top of the source that belong to no record."""


class RawCell(msgspec.Struct, frozen=True):
    """A cell in the text of its row."""

    text: str
    """The row as it stands in the source."""
    start: int | None
    """Where the cell begins in that text; `None` where it is not written there as it is taken."""
    end: int | None
    place: str
    """Which field, which positions, or which cell of the sheet."""
    taken: str
    """The text of the cell, as it is taken from the row."""


class Row(msgspec.Struct, frozen=True, eq=False):
    """A row of the source, cut into fields."""

    number: int
    cells: tuple[str, ...]
    is_comment: bool = False
    runs_on: bool = False
    """A line of text that runs through the borders of the fields, as one cell."""

    @property
    def filled(self) -> int:
        """How many cells hold anything."""
        return len(self.cells) - self.cells.count("") - sum(map(str.isspace, self.cells))


class Before(msgspec.Struct, frozen=True):
    """What an earlier look at the same source has shown."""

    thorough: bool = True
    """Read through to the end where the tail cannot be reached otherwise."""
    around: bytes = b""
    """Bytes that an encoding found by the head could not read."""
    shapes: Counter[str] | None = None
    """How numbers are written that the marks found by the head do not fit."""


class RawRow(msgspec.Struct, frozen=True):
    """A line of the source as it is."""

    row: int
    """Counted from 1; from the end, so negative, in the tail of a file that was not read whole."""
    part: str
    text: str


class Break(msgspec.Struct, frozen=True):
    """A border between two fixed fields, and what speaks for it."""

    after: int
    """The position on its left, counted from 1."""
    score: float
    """From 0 to 1."""
    cut: float
    """The share of rows in which a value runs across it: like characters on both sides."""
    why: str


class SheetView(msgspec.Struct, frozen=True):
    """A sheet as a list of them shows it."""

    name: str
    hidden: bool
    used: str
    """The used range; as the file claims it, where the sheet was not read whole."""
    rows: int | None
    """Rows that hold anything; `None` where the sheet was not read whole."""
    cells: dict[str, int]
    """Filled cells by kind, as far as they were looked at."""
    whole: bool
    blocks: tuple[BlockView, ...]
    """Blocks that may be data, from top to bottom and from left to right."""


COUNTED = 100_000
"""Rows of a table are counted up to here in a list of all tables."""


class TableView(msgspec.Struct, frozen=True, omit_defaults=True):
    """A table of a database or a page as a list of them shows it."""

    name: str
    kind: str = "table"
    """`table` or `view`; of a page, `table` or `hidden`."""
    rows: int | None = None
    """`None` where they are more than were counted."""
    columns: int = 0
    names: tuple[str, ...] = ()
    """The first of its columns."""
    key: tuple[str, ...] = ()
    comment: str = ""
    """What the database says of it; the caption in a page."""
    number: int = 0
    """Its place in a page, from 1."""


class BlockView(msgspec.Struct, frozen=True):
    """A block of a sheet: its range, and the rows of its heading."""

    range: str
    names: str = ""
    number: int = 0
    """Its place among the blocks of all sheets, from 1."""


class CellRow(msgspec.Struct, frozen=True):
    """A row of a sheet as it is."""

    row: int
    part: str
    cells: tuple[str, ...]


class Preview(msgspec.Struct, frozen=True, eq=False):
    """A source as it is, and the part of it to read as if it were the whole."""

    source: Source
    layout: Layout
    lines: int | None = None
    """Exact where the whole source was read, else `None`."""
    lines_estimated: int | None = None
    rows: tuple[RawRow, ...] = ()
    tail: tuple[RawRow, ...] = ()
    fields: tuple[Field, ...] = ()
    breaks: tuple[Break, ...] = ()
    data_lines: tuple[tuple[int, str], ...] = ()
    """Fixed columns: lines of data with their numbers, as far as they were looked at."""
    sheet: str = ""
    sheets: tuple[SheetView, ...] = ()
    named: dict[str, str] = {}
    """Named ranges and tables, and where they lie."""
    letters: tuple[str, ...] = ()
    cells: tuple[CellRow, ...] = ()
    tables: tuple[TableView, ...] = ()
    """Tables of a database or a page."""
    links: tuple[str, ...] = ()
    """Data files that a page links to."""


class SourceLayout(msgspec.Struct, frozen=True, eq=False):
    """A source with its layout: how to read it, what its columns are called, and why."""

    source: Source
    plan: Decisions
    """Complete: a second read finds nothing anew."""
    layout: Layout
    headings: tuple[str, ...]
    units: tuple[str, ...]
    labels: tuple[str, ...]
    evidence: tuple[Evidence, ...]
    preview: Callable[[int], Preview]
    """A view of the source as it is, and of so many first cases."""
    shapes: Counter[str] | None = None
    """How the numbers at the head are written, where the decimal mark is not declared."""


class Kind(Protocol):
    """A kind of layout: a module with this function."""

    def find(self, source: Source, plan: Decisions, before: Before) -> SourceLayout:
        """Complete the plan. Raises `LayoutError` where it cannot hold."""


class RowList(msgspec.Struct, eq=False):
    """Row numbers: all are counted, the first are kept."""

    count: int = 0
    first: list[int] = msgspec.field(default_factory=list)

    def add(self, rows: Ints | list[int]) -> None:
        self.count += len(rows)
        if len(rows) and len(self.first) < ROWS_KEPT:
            self.first += [int(row) for row in rows[: ROWS_KEPT - len(self.first)]]


class Tally(msgspec.Struct, eq=False):
    """What the lines of the source were."""

    parts: dict[str, int] = msgspec.field(default_factory=lambda: dict.fromkeys(PARTS, 0))
    lines: int = 0
    """Lines counted by their ends in the bytes, not by their parts."""
    bytes: int = 0
    """Bytes of the source that were read."""
    short: RowList = msgspec.field(default_factory=RowList)
    trailing: int = 0
    """Rows that end with delimiters beyond the last field, with nothing behind them."""
    surplus: list[tuple[int, str]] = msgspec.field(default_factory=list)
    offsets: list[tuple[int, int]] = msgspec.field(default_factory=list)
    """Rows that blocks begin with, and where their first bytes are in the text."""
    stopped: bool = False
    """The limit was reached: the rest of the source was not read."""
    skipped_rows: RowList = msgspec.field(default_factory=RowList)
    blank_rows: RowList = msgspec.field(default_factory=RowList)
    repeated: RowList = msgspec.field(default_factory=RowList)
    """Rows within the data that are the heading again."""
    record_types: Counter[str] = msgspec.field(default_factory=Counter)
    """Lines of record types that are not read, by type."""
    incomplete: tuple[int, int] | None = None
    """The first row of a last case that lacks lines, and how many it lacks."""
    cut_characters: int = 0
    """Cells that begin within a character, where positions are counted in bytes."""
    characters: int = 0
    covered: int = 0
    uncovered: int = 0
    outside: dict[tuple[int, int, int], RowList] = msgspec.field(default_factory=dict)
    """Rows with something at positions that no field covers, by line, start and end."""

    def outside_of(self, place: tuple[int, int, int]) -> RowList:
        """The rows with something at this place."""
        return self.outside.setdefault(place, RowList())


class CountedStream:
    """A stream that counts the bytes read from it."""

    def __init__(self, stream: IO[bytes], tally: Tally) -> None:
        self._stream, self.tally = stream, tally

    def read(self, count: int) -> bytes:
        """Up to `count` bytes."""
        piece = self._stream.read(count)
        self.tally.bytes += len(piece)
        return piece

    def readinto(self, room: memoryview) -> int:
        """Fill some of the room; how much, 0 at the end."""
        if isinstance(self._stream, io.RawIOBase):
            count = self._stream.readinto(room) or 0
            self.tally.bytes += count
            return count
        piece = self.read(len(room))
        room[: len(piece)] = piece
        return len(piece)
