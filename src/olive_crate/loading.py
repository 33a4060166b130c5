"""`load` and `draft`: a whole source to a dataset, or to the plan that would read it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import msgspec
import numpy as np

from .accounting import decided, receipt_of
from .columns import Column, Columns
from .convert.finding import Found
from .dataset import Dataset
from .detect.settle import Settled, settle
from .dictionaries import with_dictionary
from .errors import PlanError, nearest
from .expectpart import Expect, expected_of
from .finishing import (
    final_kind,
    final_reasons,
    final_variable,
    is_stale,
    settled_values,
    text_bytes,
)
from .kernels.reference.gather import all_present, none_missing
from .numerals import MarksMet
from .plan import Plan, with_options
from .reading import (
    Progress,
    Reading,
    Slot,
    blocks_of,
    prepare,
    run,
    workers_for,
)
from .receipt import CellCounts
from .records.encoding import BadByte
from .records.fixedspans import Block
from .rownumbers import RowNumbers, chained, gathered
from .sources import Source, open_source
from .variables import Variable
from .withheld import followed
from .workers import Workers

if TYPE_CHECKING:
    from .expectations import Watcher

T = TypeVar("T")


def plan_for(source: Any, options: dict[str, Any]) -> tuple[Source, Plan]:
    """The source that is meant, and the plan with the options laid over it.

    `source` may be a plan, whose own source is then read.
    """
    if isinstance(source, Plan):
        plan = with_options(source, options)
        return open_source(plan.source_path()), with_dictionary(plan)
    given = options.pop("plan", None)
    if given is not None and not isinstance(given, Plan):
        raise PlanError(f"plan: expected a Plan, got {given!r}")
    plan = with_options(given or Plan(), options)
    opened = open_source(source)
    if isinstance(source, (str, Path)):
        section = msgspec.structs.replace(plan.source, path=str(source))
        plan = msgspec.structs.replace(plan, source=section, base=None)
    return opened, with_dictionary(plan)


def settled_read(source: Any, options: dict[str, Any], read: Callable[[Settled], T]) -> T:
    """Settle and read; what was found by the head and turns out wrong is found again, once."""
    opened, plan = plan_for(source, dict(options))
    around, shapes = b"", None
    while True:
        try:
            return read(settle(opened, plan, around=around, shapes=shapes))
        except BadByte as error:
            if plan.source.encoding is not None or error.seen_beyond_ascii or around:
                raise
            around = error.around
        except MarksMet as error:
            shapes = error.shapes


def load(source: Any, *, progress: Progress | None = None, **options: Any) -> Dataset:
    """Read a source, or the source of a plan, into a dataset.

    The options are those of the design, each also a key of a plan; `plan=` reads this source by a
    plan made for another. `progress` is called with bytes done, bytes in all (`None` if unknown)
    and what is being done.

    Raises `SourceError`, `LayoutError`, `PlanError`; `UnreadableError` with `unreadable="stop"`.
    """
    return settled_read(source, options, lambda settled: _loaded(settled, progress))


def _loaded(settled: Settled, progress: Progress | None) -> Dataset:
    began = time.perf_counter()
    reading = prepare(settled)
    blocks: list[list[Found]] = [[] for _ in reading.slots]
    came: list[RowNumbers] = []

    def take(spans: Block, converted: list[Found]) -> None:
        came.append(gathered([spans.rows], step_of(settled)))
        for kept, block in zip(blocks, converted, strict=True):
            kept.append(block)

    with workers_for(settled) as workers:
        run(reading, take, progress, keeping=True, workers=workers)
        _reread(reading, blocks, workers)
        columns = _columns(reading, blocks, workers)
    rows = reading.tally.parts["data"]
    counts = [counts_of(column) for column in columns.values()]
    watcher = watcher_of(reading)
    receipt = receipt_of(reading, counts, rows, time.perf_counter() - began)
    whole = chained(came)
    if watcher is not None:
        watcher.add(list(columns.values()), whole.at(np.arange(rows)))
        receipt = msgspec.structs.replace(receipt, expectations=watcher.results())
    variables = tuple(column.variable for column in columns.values())
    return Dataset(variables, Columns(columns), rows, receipt, settled.plan, whole)


def step_of(settled: Settled) -> int:
    """From one case to the next, how many rows of the source it is."""
    return settled.plan.fixed.lines_per_case or 1


def watcher_of(reading: Reading) -> Watcher | None:
    """What the plan expects, ready to be held against the data; `None` where it is nothing.

    What cannot be told of a part of the variables or rows is left out, and noted.
    """
    plan = reading.settled.plan
    variables = [slot.variable for slot in reading.slots]
    if plan.expect == Expect() and not any(each.required or each.expect for each in variables):
        return None
    from .expectations import Watcher  # wakes up Arrow's compute functions

    expect, left = expected_of(plan.expect, reading.not_kept, plan.limit is not None)
    reading.notes += [each for each in left if each not in reading.notes]
    totals = {
        name: _total(reading, name, total)
        for name, total in expect.totals.items()
        if isinstance(total, str)
    }
    return Watcher(expect, variables, totals)


def _total(reading: Reading, name: str, where: str) -> float:
    """A control total that stands in a row of the source, read as a cell of its variable."""
    plan, row = reading.settled.plan, where.removeprefix("row ")
    kept = [slot.variable.name for slot in reading.slots]
    if name not in kept:
        raise PlanError(f'expect.totals: there is no variable "{name}"{nearest(name, kept)}')
    replace = msgspec.structs.replace
    alone = replace(plan, keep=(name,), order=None, expect=Expect(), limit=None)
    layout = replace(reading.settled.layout, first=int(row), last=int(row))
    column = _loaded(replace(reading.settled, plan=alone, layout=layout), None)[name]
    value = column.values[0].as_py() if len(column) == 1 else None
    if not isinstance(value, (int, float)):
        raise PlanError(f"expect.totals.{name}: {where} holds no number for it")
    return float(value)


def _reread(reading: Reading, blocks: list[list[Found]], workers: Workers) -> None:
    """Take blocks again that were taken too narrowly before a later one widened the type."""
    stale = [
        [number for number, block in enumerate(held) if is_stale(slot, block)]
        for slot, held in zip(reading.slots, blocks, strict=True)
    ]
    last = max((numbers[-1] for numbers in stale if numbers), default=-1)
    if last < 0:
        return
    settled = reading.settled
    for slot, numbers in zip(reading.slots, stale, strict=True):
        if numbers and not slot.finder.declared:
            slot.finder.kind = final_kind(slot)
            slot.finder.fixed = True
            slot.finder.mark_counts = slot.finder.mark_counts.copy()
    for number, spans in enumerate(blocks_of(settled, workers=workers)):
        for slot, held, numbers in zip(reading.slots, blocks, stale, strict=True):
            if number in numbers:
                held[number] = slot.finder.again(spans.field(slot.index))
        if number == last:
            return


def _columns(reading: Reading, blocks: list[list[Found]], workers: Workers) -> dict[str, Column]:
    """The columns by their names; those with the most text are begun first, to end together."""
    pairs = list(zip(reading.slots, blocks, strict=True))
    order = sorted(range(len(pairs)), key=lambda place: -text_bytes(pairs[place][1]))
    made = workers.each(lambda place: _column(*pairs[place]), order)
    columns = [column for _, column in sorted(zip(order, made, strict=True), key=lambda p: p[0])]
    return {column.variable.name: column for column in columns}


def _column(slot: Slot, blocks: list[Found]) -> Column:
    """The blocks of a variable as one column; the blocks are let go of."""
    column = column_of(slot, blocks)
    blocks.clear()
    return column


def column_of(slot: Slot, blocks: Sequence[Found]) -> Column:
    """The blocks of a variable as one column."""
    reasons = [block.converted.reasons for block in blocks]
    held = followed([(len(block.converted.reasons), block.withheld) for block in blocks])
    if all(map(none_missing, reasons)):
        numbers = all_present(sum(map(len, reasons)))
    else:
        numbers = final_reasons(slot, np.concatenate(reasons))
    return Column(final_variable(slot), settled_values(slot, blocks), numbers, held)


def counts_of(column: Column) -> CellCounts:
    """Valid cells, counted from the values, and missing ones, counted from the reasons."""
    valid = len(column.values) - column.values.null_count
    kind = column.variable.type or "text"
    return CellCounts(column.variable.name, kind, valid, column.reason_counts())


def draft(source: Any, *, progress: Progress | None = None, **options: Any) -> Plan:
    """Look at the whole source and write down how `load` would read it, with the evidence.

    Loading the plan gives the same dataset as loading the source with the same options.
    """
    return settled_read(source, options, lambda settled: _drafted(settled, progress))


def _drafted(settled: Settled, progress: Progress | None) -> Plan:
    reading = prepare(settled)
    run(reading, lambda spans, converted: None, progress)
    return msgspec.structs.replace(
        settled.plan,
        variables=tuple(_drafted_variable(slot) for slot in reading.slots),
        keep=tuple(slot.variable.name for slot in reading.slots) if reading.not_kept else None,
        type=None,
        evidence=tuple(decided(reading)),
        listed=True,
    )


def _drafted_variable(slot: Slot) -> Variable:
    """The declaration to write down; codes for all variables stay where they are declared."""
    variable = final_variable(slot)
    shared = len(slot.finder.rule.codes) - len(slot.variable.missing)
    own = len(variable.missing) - shared
    return msgspec.structs.replace(variable, missing=variable.missing[:own])
