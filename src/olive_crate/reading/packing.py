"""From a source straight to a packed file, in bounded memory.

Blocks are written as they come. Where a late block shows that a type was too narrow, or that a
variable has missing cells after all, what was written is given up: the rest of the source is still
looked through, and then all is written in a second pass that can no longer be surprised.

What is written to is handed in (`Target`): the file format lies above this room.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from typing import Any, Protocol

import msgspec
import numpy as np
import pyarrow as pa

from ..columns.column import Column, reason_totals
from ..columns.convert import TypedBlock
from ..columns.outcome import Outcome, joined
from ..columns.search_result import SearchResult, result_of
from ..dataset.receipt import CellCounts, Receipt
from ..declaration.variable import Variable
from ..kernels.spans import RowNumbers, SourceRows, chained, gathered
from ..kernels.types import Ints
from ..layouts.base import Block, SourceLayout
from ..plan.model import Decisions
from ..sources.source import Source
from ..workers import Progress, Workers
from .cell_counts import counts_of
from .loading import loaded
from .preparing import Reading, prepare, promise_check, source_named
from .receipts import receipt_of
from .single_pass import run, with_fallback

Further = Callable[[Ints], list[Column]]
HELD = 24 << 20
"""Bytes of converted blocks that are held before they are written."""


class Target(Protocol):
    """A packed file being written."""

    takes_repeated: bool
    """Repeated texts may arrive dictionary-encoded."""

    def start(
        self, variables: tuple[Variable, ...], types: list[pa.DataType], reasons: dict[str, bool]
    ) -> None:
        """Begin, or begin anew."""

    def write(self, columns: list[Column], rows: Ints) -> None:
        """Add cases; `rows` are those of the source that they came from."""

    def finish(
        self,
        variables: tuple[Variable, ...],
        receipt: Receipt,
        plan: Decisions,
        came: RowNumbers | None,
    ) -> None:
        """Add the metadata and put the file in its place."""

    def abandon(self) -> None:
        """Leave nothing behind; harmless after `finish`."""


def pack(
    source: Any,
    plan: Decisions,
    options: Mapping[str, Any],
    target: Target,
    progress: Progress | None = None,
) -> Receipt:
    """Read a source, or the source of a plan, into a packed file, and return the receipt."""
    named = source_named(source, plan, options)
    return pack_source(named.source, named.plan, target, progress)


def pack_source(
    source: Source, plan: Decisions, target: Target, progress: Progress | None = None
) -> Receipt:
    """Read one source into a packed file, and return the receipt."""
    try:
        return with_fallback(source, plan, lambda found: _packed(found, target, progress))
    finally:
        target.abandon()


def _packed(found: SourceLayout, target: Target, progress: Progress | None) -> Receipt:
    began = time.perf_counter()
    reading = prepare(found)
    further = _of_source(reading)
    sink = streamed(reading, target, progress, None, further)
    more = further(np.zeros(0, np.int64))
    cells = [*sink.counts(), *(_filled(each, sink.rows) for each in more)]
    receipt = receipt_of(reading, cells, sink.rows, began)
    if sink.promises is not None:
        receipt = msgspec.structs.replace(receipt, promises=sink.promises.results())
    variables = tuple(each.outcome().variable for each in reading.columns)
    variables += tuple(each.variable for each in more)
    target.finish(variables, receipt, found.plan, chained(sink.came))
    return receipt


def streamed(
    reading: Reading,
    target: Target,
    progress: Progress | None = None,
    workers: Workers | None = None,
    further: Further | None = None,
    row_offset: int = 0,
) -> Sink:
    """Read a source into a target: in one pass, or in a second one that holds no surprise.

    `further` gives columns that do not come from cells, for the rows of some cases; each of them
    has a value in all cases, or in none. `row_offset` is how many rows of the source lie before
    what is read.
    """
    sink = Sink(reading, target, None, further, row_offset)
    run(reading, sink.take, progress, workers=workers)
    if not sink.finish():
        found = [result_of(column.search) for column in reading.columns]
        for column in reading.columns:
            column.problems.clear()
            column.search.settle()
        sink = Sink(reading, target, sink.missing(), further, row_offset)
        run(reading, sink.take, progress, workers=workers)
        sink.finish()
        sink.found = found
    return sink


class _Begun:
    """What was known when the file was begun, and must still hold when more is written."""

    def __init__(self, outcomes: list[Outcome], reasons: dict[str, bool]) -> None:
        self.kinds = [each.kind for each in outcomes]
        self.marks = [set(each.search.statistics.marks_met()) for each in outcomes]
        self.reasons = reasons

    def holds(self, outcomes: list[Outcome], reasons: dict[str, bool]) -> bool:
        """Is everything still as it was?"""
        now = _Begun(outcomes, reasons)
        same = self.marks == now.marks and self.reasons == now.reasons
        return same and self.kinds == now.kinds


class Sink:
    """Holds blocks until there are enough of them to write."""

    def __init__(
        self,
        reading: Reading,
        target: Target,
        missing: dict[str, bool] | None = None,
        further: Further | None = None,
        row_offset: int = 0,
    ) -> None:
        self.reading, self.target = reading, target
        self.known_missing = missing
        self.row_offset = row_offset
        self.found: list[SearchResult] | None = None
        """What the searches had found before types were settled for a second pass."""
        self.further = further or _nothing_further
        self.held: list[list[TypedBlock]] = []
        self.rows_held: list[SourceRows] = []
        self.size = self.rows = 0
        self.begun: _Begun | None = None
        self.broken = False
        """What was written cannot stand."""
        self.withheld = [False] * len(reading.columns)
        self.came: list[RowNumbers] = []
        self.promises = promise_check(reading, loaded)
        self.reason_counts = [np.zeros(256, np.int64) for _ in reading.columns]
        self.valid = [0] * len(reading.columns)

    def take(self, block: Block, typed: list[TypedBlock]) -> None:
        """One block."""
        self.rows += len(block.rows)
        for place, each in enumerate(typed):
            values, reasons = each.converted.values, each.converted.reasons
            self.valid[place] += len(values) - values.null_count
            self.reason_counts[place] += reason_totals(reasons)
            self.withheld[place] |= len(each.withheld) > 0
        step = self.reading.found.layout.rows_per_case
        self.came.append(gathered([block.rows], step))
        if self.broken:
            return
        self.held.append(typed)
        self.rows_held.append(block.rows)
        self.size += sum(
            each.converted.values.nbytes + len(each.converted.reasons) for each in typed
        )
        if self.size >= HELD:
            self._flush()

    def _flush(self) -> None:
        outcomes = [each.outcome() for each in self.reading.columns]
        if self._is_stale() or not self._is_begun(outcomes):
            self.broken = True
        else:
            self._write(outcomes)
        self.held.clear()
        self.rows_held.clear()
        self.size = 0

    def _is_stale(self) -> bool:
        """Was any of the held blocks taken as something that it is not?"""
        return any(
            column.search.is_stale(block)
            for blocks in self.held
            for column, block in zip(self.reading.columns, blocks, strict=True)
        )

    def _is_begun(self, outcomes: list[Outcome]) -> bool:
        """Begin the file with what is known now; false if it was begun with something else."""
        missing = self.known_missing if self.known_missing is not None else self.missing()
        if self.begun is not None:
            return self.begun.holds(outcomes, missing)
        self.begun = _Begun(outcomes, missing)
        more = self.further(np.zeros(1, np.int64))
        missing = missing | {e.variable.name: len(e.withheld) > 0 for e in more if e.reasons[0]}
        types = [*(each.arrow_type for each in outcomes), *(each.values.type for each in more)]
        variables = (*(each.variable for each in outcomes), *(each.variable for each in more))
        self.target.start(variables, types, missing)
        return True

    def _write(self, outcomes: list[Outcome]) -> None:
        repeated = self.target.takes_repeated and self.promises is None
        columns = [  # each block is let go of as soon as it is joined
            joined(outcome, [blocks.pop() for blocks in self.held], repeated)
            for outcome in reversed(outcomes)
        ][::-1]
        rows = np.concatenate([np.zeros(0, np.int64), *self.rows_held]) + self.row_offset
        if columns and len(columns[0]):
            self.target.write([*columns, *self.further(rows)], rows)
            if self.promises is not None:
                self.promises.add(columns, rows)

    def finish(self) -> bool:
        """Write what is left; false if all must be written again."""
        if not self.broken:
            self._flush()
        return not self.broken

    def results(self) -> dict[str, SearchResult]:
        """What the searches have found, by variable, and as what the cells were written."""
        own = [result_of(each.search) for each in self.reading.columns]
        found = self.found or own
        return {
            each.variable.name: msgspec.structs.replace(first, kind=last.kind)
            for each, first, last in zip(self.reading.columns, found, own, strict=True)
        }

    def missing(self) -> dict[str, bool]:
        """The variables that have missing cells, and whether any of them are withheld."""
        counted = zip(self.reading.columns, self.reason_counts, self.withheld, strict=True)
        return {
            column.variable.name: withheld
            for column, counts, withheld in counted
            if counts[1:].any()
        }

    def counts(self) -> list[CellCounts]:
        """What the cells became."""
        counted = zip(self.reading.columns, self.valid, self.reason_counts, strict=True)
        return [counts_of(each.outcome(), valid, counts) for each, valid, counts in counted]


def _of_source(reading: Reading) -> Further:
    """The columns for file and row that the plan asks for."""
    plan, name = reading.found.plan, reading.found.source.name
    if plan.file_as is None and plan.row_as is None:
        return _nothing_further
    from .source_columns import refuse_taken, source_columns

    refuse_taken(plan, [each.variable.name for each in reading.columns])
    return lambda rows: source_columns(plan, gathered([rows]), name)


def _filled(column: Column, rows: int) -> CellCounts:
    """The counts of a column that has a value in every case."""
    return CellCounts(column.variable.name, column.variable.type or "text", rows, {})


def _nothing_further(rows: Ints) -> list[Column]:
    return []
