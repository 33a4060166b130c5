"""The layout of records that are no lines of text: each is a row of texts by column.

What a source is (a query, a table of a page, a feed) decides only how batches of texts come; how
cells are converted, counted and found again is the same for all of them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple, Protocol

import msgspec
import numpy as np
import pyarrow as pa

from ... import kernels
from ...columns.rule import SourceColumn
from ...kernels.buffers import valid_cells
from ...kernels.spans import Cells
from ...kernels.types import (
    DAYS,
    PAD,
    Bytes,
    EarlyColumn,
    Forecast,
    Ints,
    NumberRequest,
    NumbersRead,
    TimeRequest,
    TimesRead,
)
from ...sources.source import Source
from ..base import BLANK, DATA, SKIPPED, Block, Hands, RangeLayout, RawCell, Tally

BETWEEN = " | "
"""Stands between the cells of a record that is shown as text."""


class Batch(NamedTuple):
    """Some records: the row of each, and an array for each column that was asked for.

    Arrays are texts, whole numbers of 64 bits, numbers of binary64, or days; null is blank.
    """

    rows: Ints
    arrays: dict[int, pa.Array]


class Wanted(NamedTuple):
    """Which records and columns are asked for."""

    columns: tuple[int, ...] | None = None
    """`None` for all."""
    first: int = 1
    last: int | None = None
    limit: int | None = None


class Records(Protocol):
    """Where records come from."""

    def batches(self, wanted: Wanted, tally: Tally) -> Iterator[Batch]:
        """The records asked for; `tally` learns what lies around them."""

    def place(self, index: int) -> str:
        """What a cell of this column is called: `column "acid"`."""


class RecordBlock(msgspec.Struct, frozen=True, eq=False):
    """A block of records."""

    rows: Ints
    arrays: dict[int, pa.Array]
    forecast: Forecast
    early: bool = False

    def field(self, index: int) -> Cells:
        """The cells of one column; blank where there is no value."""
        held, wanted = self.arrays[index], self.forecast.get(index)
        if isinstance(wanted, NumberRequest) and held.type == NUMBERS[wanted.whole]:
            return TypedCells(held, (wanted, _numbers(held)))
        if isinstance(wanted, TimeRequest) and (wanted.unit, held.type) == (DAYS, pa.date32()):
            return TypedCells(held, (wanted, _days(held)))
        return cells_of(as_text(held))


NUMBERS = {True: pa.int64(), False: pa.float64()}
"""The Arrow types of numbers that are taken as they are, by whether they are whole."""


class TypedCells(Cells):
    """Numbers that are numbers already; their texts are only made if somebody asks for them."""

    __slots__ = ("_array", "_made")

    def __init__(self, array: pa.Array, ready: EarlyColumn) -> None:
        self._array = array
        self._made: Cells | None = None
        self._count, self.grid = len(array), None
        self._at, self._find = None, lambda: (self._texts.starts, self._texts.ends)
        self.ready = ready

    @property
    def _texts(self) -> Cells:
        if self._made is None:
            self._made = cells_of(as_text(self._array))
        return self._made

    @property
    def buffer(self) -> Bytes:  # type: ignore[override]
        """The bytes of the texts."""
        return self._texts.buffer


def _numbers(array: pa.Array) -> NumbersRead:
    """The numbers of an array as a kernel gives them; not finite ones as what needs more care."""
    kind = np.int64 if pa.types.is_int64(array.type) else np.float64
    data = array.buffers()[1]
    held = np.frombuffer(data, kind)[array.offset : array.offset + len(array)]
    reasons = np.zeros(len(array), np.uint8)
    if array.null_count:
        reasons[:] = ~valid_cells(array)
        held = np.where(reasons, 0, held).astype(kind)
    left = 0
    if kind is np.float64:
        odd = ~np.isfinite(held)
        left = int(np.count_nonzero(odd))
        reasons[odd] = 2
    return NumbersRead(held.copy(), reasons, 0, left)


def _days(array: pa.Array) -> TimesRead:
    """The days of an array as a kernel gives them."""
    data = array.buffers()[1]
    held = np.frombuffer(data, np.int32)[array.offset : array.offset + len(array)].copy()
    reasons = np.zeros(len(array), np.uint8)
    if array.null_count:
        reasons[:] = ~valid_cells(array)
        held[reasons != 0] = 0
    return TimesRead(held, reasons, 0)


def as_text(array: pa.Array) -> pa.StringArray:
    """An array of records as texts."""
    return array if pa.types.is_string(array.type) else array.cast(pa.string())


def cells_of(texts: pa.StringArray) -> Cells:
    """The texts of an Arrow array as cells; null as blank."""
    _, offsets, data = texts.buffers()
    count = len(texts)
    if count == 0 or offsets is None:
        none = np.zeros(0, np.int64)
        return Cells(np.zeros(2 * PAD, np.uint8), none, none)
    own = np.frombuffer(offsets, np.int32)[texts.offset : texts.offset + count + 1]
    low, high = int(own[0]), int(own[-1])
    buffer: Bytes = np.empty(high - low + 2 * PAD, np.uint8)
    buffer[:PAD] = buffer[PAD + high - low :] = 0
    if high > low:
        buffer[PAD : PAD + high - low] = np.frombuffer(data, np.uint8)[low:high]
    at = own + np.int64(PAD - low)
    starts, ends = at[:-1], at[1:]
    if texts.null_count:
        ends = np.where(valid_cells(texts), ends, starts)
    return Cells(buffer, starts, ends)


class RecordLayout(msgspec.Struct, frozen=True, eq=False):
    """Everything that must be known before records can be read."""

    records: Records
    columns: tuple[SourceColumn, ...]
    names: tuple[str, ...]
    """What the columns are called where they come from."""
    key: tuple[int, ...] = ()
    """Columns that together name a record."""
    encoding: str = "utf-8"
    skip_repeated: bool = False
    first: int = 1
    last: int | None = None
    limit: int | None = None

    @property
    def rows_per_case(self) -> int:
        """A record is a case."""
        return 1

    def column(self, index: int) -> SourceColumn:
        """What the source says of a column."""
        return self.columns[index]

    def with_types(self, types: Sequence[str | None]) -> RecordLayout:
        """Declared types change nothing in how records come."""
        return self

    def only_rows(self, first: int, last: int) -> RecordLayout:
        """The layout of some rows alone."""
        return msgspec.structs.replace(self, first=first, last=last)

    def of_range(self, first: bool, final: bool) -> RangeLayout | None:
        """Such a source is read as a whole."""
        return None

    def read(self, source: Source, tally: Tally, hands: Hands) -> Iterator[Block]:
        """The records, block after block."""
        columns = None
        if hands.columns is not None:
            columns = tuple(sorted({*hands.columns, *self.key}))
        wanted = Wanted(columns, self.first, self.last, self.limit)
        for batch in self.records.batches(wanted, tally):
            tally.parts[DATA] += len(batch.rows)
            tally.bytes += sum(each.nbytes for each in batch.arrays.values())
            yield from _blocks(batch, hands)

    def raw_cell(
        self, source: Source, row: int, index: int, offsets: Sequence[tuple[int, int]]
    ) -> RawCell:
        """A cell among those of its record."""
        texts = [""] * len(self.columns)
        wanted = Wanted(None, row, row)
        for batch in self.records.batches(wanted, Tally()):
            for at, column in batch.arrays.items():
                texts[at] = as_text(column)[0].as_py() or ""
        start = sum(len(text) + len(BETWEEN) for text in texts[:index])
        taken = texts[index]
        raw = BETWEEN.join(texts)
        return RawCell(raw, start, start + len(taken), self.records.place(index), taken)


def _blocks(batch: Batch, hands: Hands) -> Iterator[RecordBlock]:
    """A batch in blocks: a small one first, as long as nothing is known of the columns."""
    count, at = len(batch.rows), 0
    while at < count:
        forecast = hands.forecast()
        size = ROWS_A_BLOCK if forecast else FIRST_ROWS
        arrays = {index: each.slice(at, size) for index, each in batch.arrays.items()}
        # values that are there already are taken at once: threads would only wait for one another
        yield RecordBlock(batch.rows[at : at + size], arrays, forecast, early=bool(forecast))
        at += size


FIRST_ROWS, ROWS_A_BLOCK = 1_000, 32_768


class TextTable(msgspec.Struct, frozen=True, eq=False):
    """Records that are held: a table of a page, the entries of a feed."""

    rows: tuple[int, ...]
    """The row of each record in its table, from 1."""
    columns: tuple[tuple[str, ...], ...]
    """The texts of each column."""
    total: int
    """Rows of the table, counted where it was taken apart."""
    others: dict[str, tuple[int, ...]] = {}
    """Rows that are no data, by the part they play."""
    called: tuple[str, ...] = ()
    """What the columns are called in their table."""
    what: str = "column"

    def batches(self, wanted: Wanted, tally: Tally) -> Iterator[Batch]:
        """The records asked for."""
        rows = np.array(self.rows, np.int64)
        chosen = np.flatnonzero(rows >= wanted.first)
        if wanted.last is not None:
            chosen = chosen[rows[chosen] <= wanted.last]
        end = self.total
        if wanted.limit is not None and len(chosen) > wanted.limit:
            end = int(rows[chosen[wanted.limit]]) - 1
            tally.stopped, chosen = True, chosen[: wanted.limit]
        self._count(tally, end)
        if not len(chosen):
            return
        columns = range(len(self.columns)) if wanted.columns is None else wanted.columns
        texts = {
            at: kernels.strings([self.columns[at][place] for place in chosen.tolist()])
            for at in columns
        }
        yield Batch(rows[chosen], texts)

    def _count(self, tally: Tally, end: int) -> None:
        """Account for the rows down to `end` that are no data."""
        tally.lines += end
        for part, numbers in self.others.items():
            met = [each for each in numbers if each <= end]
            tally.parts[part] += len(met)
            if part == SKIPPED:
                tally.skipped_rows.add(met)
            elif part == BLANK:
                tally.blank_rows.add(met)

    def place(self, index: int) -> str:
        """What a cell of this column is called."""
        name = self.called[index] if index < len(self.called) else ""
        return f'{self.what} "{name}"' if name else f"{self.what} {index + 1}"
