"""From a source straight to a packed file, in bounded memory.

Blocks are written as they come. Where a late block shows that a type was too narrow, or that a
variable has missing cells after all, what was written is given up: the rest of the source is still
looked through, and then all is written in a second pass that can no longer be surprised.
"""

from __future__ import annotations

import time
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from ..accounting import receipt_of
from ..columns import Column, reason_totals
from ..convert.finding import Found
from ..detect.settle import Settled
from ..finishing import (
    arrow_type,
    final_kind,
    final_reasons,
    final_variable,
    is_stale,
)
from ..loading import column_of, settled_read, step_of, watcher_of
from ..reading import (
    Progress,
    Reading,
    prepare,
    run,
)
from ..receipt import CellCounts, Receipt
from ..records.fixedspans import Block
from ..rownumbers import RowNumbers, Rows, chained, gathered
from .packed import Packing, checked_target

HELD = 64 << 20
"""Bytes of converted blocks that are held before they are written."""


def pack(
    source: Any,
    path: Any,
    *,
    replace: bool = False,
    progress: Progress | None = None,
    **options: Any,
) -> Receipt:
    """Read a source, or the source of a plan, into a packed file, and return the receipt.

    The same as `load(...).pack(path)`, in bounded memory. Takes the options of `load`. Raises
    `PlanError` if the file exists and `replace` is not set; on any failure nothing is left behind.
    """
    checked_target(path, replace)
    return settled_read(source, options, lambda settled: _packed(settled, path, replace, progress))


def _packed(settled: Settled, path: Any, replace: bool, progress: Progress | None) -> Receipt:
    began = time.perf_counter()
    reading = prepare(settled)
    packing = Packing(path, replace)
    try:
        sink = _Sink(reading, packing)
        run(reading, sink.take, progress)
        if not sink.finish():
            told = _fix(reading)
            sink = _Sink(reading, packing, sink.missing())
            run(reading, sink.take, progress)
            sink.finish()
            for slot, (marks, taken, inexact) in zip(reading.slots, told, strict=True):
                slot.finder.mark_counts, slot.finder.taken = marks, taken
                slot.finder.inexact = inexact
        variables = tuple(final_variable(slot) for slot in reading.slots)
        receipt = receipt_of(reading, sink.counts(), sink.rows, time.perf_counter() - began)
        if sink.watcher is not None:
            receipt = msgspec.structs.replace(receipt, expectations=sink.watcher.results())
        packing.finish(variables, receipt, settled.plan, chained(sink.came))
        return receipt
    finally:
        packing.abandon()


def _fix(reading: Reading) -> list[tuple[np.ndarray, int, int]]:
    """Hold the types that the first pass found; returns what it counted, which holds too."""
    told = []
    for slot in reading.slots:
        finder = slot.finder
        slot.problems.clear()
        told.append((finder.mark_counts.copy(), finder.taken, finder.inexact))
        if not finder.declared:
            finder.kind = final_kind(slot)
            finder.alive = finder.alive if finder.kind in finder.alive else ()
            finder.fixed = True
    return told


class _Sink:
    """Holds blocks until there are enough of them to write."""

    def __init__(
        self, reading: Reading, packing: Packing, missing: dict[str, bool] | None = None
    ) -> None:
        self.reading, self.packing = reading, packing
        self.known_missing = missing
        self.held: list[list[Found]] = []
        self.size = 0
        self.rows = 0
        self.kinds: list[str] | None = None
        self.reasons: dict[str, bool] = {}
        self.withheld = [False] * len(reading.slots)
        self.came: list[RowNumbers] = []
        self.watcher = watcher_of(reading)
        self.rows_held: list[Rows] = []
        self.broken = False
        self.reason_counts = [np.zeros(256, np.int64) for _ in reading.slots]
        self.valid = [0] * len(reading.slots)

    def take(self, spans: Block, found: list[Found]) -> None:
        """One block."""
        self.rows += len(spans.rows)
        for place, block in enumerate(found):
            values, reasons = block.converted.values, block.converted.reasons
            self.valid[place] += len(values) - values.null_count
            self.reason_counts[place] += reason_totals(reasons)
            self.withheld[place] |= len(block.withheld) > 0
        self._note_rows(spans.rows)
        if self.broken:
            return
        self.held.append(found)
        self.rows_held.append(spans.rows)
        self.size += sum(
            each.converted.values.nbytes + len(each.converted.reasons) for each in found
        )
        if self.size >= HELD:
            self._flush()

    def _note_rows(self, rows: Rows) -> None:
        """Keep the row numbers, as runs."""
        self.came.append(gathered([rows], step_of(self.reading.settled)))

    def _flush(self) -> None:
        if (self.kinds is None and not self._settle()) or (
            self.kinds is not None and not self._fits()
        ):
            self.broken = True
        if self.broken:
            self.held.clear()
            self.rows_held.clear()
            return
        slots = self.reading.slots
        columns = [
            column_of(slot, [blocks[place] for blocks in self.held])
            for place, slot in enumerate(slots)
        ]
        self.held.clear()
        self.size = 0
        rows = np.concatenate([np.zeros(0, np.int64), *self.rows_held])
        self.rows_held.clear()
        if columns and len(columns[0]):
            self.packing.write(columns)
            if self.watcher is not None:
                self.watcher.add(columns, rows)

    def _settle(self) -> bool:
        """Begin the file with what is known now; false if held blocks must be read again."""
        slots = self.reading.slots
        if self._is_stale():
            return False
        self.kinds = [final_kind(slot) for slot in slots]
        self.marks = [slot.finder.mark_counts > 0 for slot in slots]
        self.reasons = self.known_missing if self.known_missing is not None else self.missing()
        variables = tuple(final_variable(slot) for slot in slots)
        self.packing.start(variables, [arrow_type(slot) for slot in slots], self.reasons)
        return True

    def _is_stale(self) -> bool:
        """Was any of the held blocks taken as something that it is not?"""
        return any(
            is_stale(slot, block)
            for blocks in self.held
            for slot, block in zip(self.reading.slots, blocks, strict=True)
        )

    def _fits(self) -> bool:
        """Is everything still as it was when the file was begun?"""
        slots = self.reading.slots
        if self._is_stale():
            return False
        if [final_kind(slot) for slot in slots] != self.kinds:
            return False
        known = self.known_missing is not None or self.missing() == self.reasons
        return known and all(
            bool(((slot.finder.mark_counts > 0) == marks).all())
            for slot, marks in zip(slots, self.marks, strict=True)
        )

    def finish(self) -> bool:
        """Write what is left; false if all must be written again."""
        if not self.broken:
            self._flush()
        return not self.broken

    def missing(self) -> dict[str, bool]:
        """The variables that have missing cells, and whether any of them are withheld."""
        return {
            slot.variable.name: withheld
            for slot, counts, withheld in zip(
                self.reading.slots, self.reason_counts, self.withheld, strict=True
            )
            if counts[1:].any()
        }

    def counts(self) -> list[CellCounts]:
        """What the cells became."""
        made = []
        for slot, valid, counts in zip(
            self.reading.slots, self.valid, self.reason_counts, strict=True
        ):
            variable = final_variable(slot)
            numbers = np.flatnonzero(counts).astype(np.uint8)
            reasons = np.zeros(256, np.int64)
            reasons[final_reasons(slot, numbers)] = counts[numbers]
            column = Column(variable, pa.nulls(0), np.zeros(0, np.uint8))
            made.append(
                CellCounts(variable.name, variable.type or "text", valid, column.named(reasons))
            )
        return made
