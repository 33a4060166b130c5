"""What every layout is: a value that is found from a source and a plan, and gives blocks of cells.

A kind of layout is a folder beside this file with two doors. `find` completes a plan for a source
and says on what evidence; `read` gives the data, block after block, and accounts for every row in a
tally. Whoever reads knows only what stands here. `registry` lists the kinds.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple, Protocol

import msgspec

from ..columns.search_start import SourceColumn
from ..evidence import Evidence
from ..kernels.row_numbers import SourceRows
from ..kernels.spans import Cells
from ..kernels.types import Forecast
from ..plan.fields import Field
from ..plan.model import Decisions
from ..sources.source import Source
from ..workers import ALONE, Workers
from .tally import Tally


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


class Hands(NamedTuple):
    """How a source is worked on."""

    workers: Workers = ALONE
    forecast: Callable[[], Forecast] = dict
    """How columns will be converted, as far as that is known by now."""
    keeping: bool = False
    """All blocks are kept, so that columns are best read to where they stay."""


class Layout(Protocol):
    """How the records of a source lie. A frozen value."""

    @property
    def encoding(self) -> str: ...
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

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The data, block after block; `tally` accounts for every row."""


class Row(msgspec.Struct, frozen=True, eq=False):
    """A row of the source, cut into fields."""

    number: int
    cells: tuple[str, ...]

    @property
    def filled(self) -> int:
        """How many cells hold anything."""
        return sum(map(bool, map(str.strip, self.cells)))


class Before(NamedTuple):
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
    """Blocks that may be data, the largest first."""


class BlockView(msgspec.Struct, frozen=True):
    """A block of a sheet: its range, and the rows of its heading."""

    range: str
    names: str = ""


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
    """A kind of layout: a module with these two functions."""

    def claims(self, source: Source, plan: Decisions) -> bool:
        """Is this source, by this plan, of this kind?"""

    def find(self, source: Source, plan: Decisions, before: Before) -> SourceLayout:
        """Complete the plan. Raises `LayoutError` where it cannot hold."""
