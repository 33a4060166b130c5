"""A source found and read to its end: to a dataset, or to the plan that would read it."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np

from ..columns.column import Column, Columns
from ..columns.convert import TypedBlock
from ..columns.outcome import joined, text_bytes
from ..columns.whole_texts import WholeTexts
from ..dataset.model import PlainDataset
from ..dataset.receipt import CellCounts
from ..declaration.variable import Variable
from ..kernels.spans import RowNumbers, chained, gathered
from ..layouts.base import Block, SourceLayout
from ..plan.model import Decisions
from ..workers import Progress, Workers
from .decided import decided
from .preparing import ColumnReader, Reading, prepare, promise_check, source_named
from .receipts import note_changed, receipt_of
from .single_pass import reread, run, with_fallback, workers_for


def load(
    source: Any, plan: Decisions, options: Mapping[str, Any], progress: Progress | None = None
) -> PlainDataset:
    """Read a source, or the source of a plan, into a dataset."""
    named = source_named(source, plan, options)
    if named.files is not None:
        from .sets.loading import load_set

        return load_set(named.files, named.plan, progress)
    return with_fallback(named.source, named.plan, lambda found: loaded(found, progress))


def loaded(found: SourceLayout, progress: Progress | None = None) -> PlainDataset:
    """Read a source whose layout was found."""
    began = time.perf_counter()
    reading = prepare(found)
    blocks: list[list[TypedBlock]] = [[] for _ in reading.columns]
    texts: list[WholeTexts] = []
    came: list[RowNumbers] = []

    def take(block: Block, typed: list[TypedBlock]) -> None:
        came.append(gathered([block.rows], found.layout.rows_per_case))
        for kept, each in zip(blocks, typed, strict=True):
            kept.append(each)
        offsets = reading.tally.offsets
        if len(offsets) > 1 and found.source.size:
            share = offsets[-1][1] / found.source.size
            texts.extend(WholeTexts() for _ in blocks[len(texts) :])
            for kept, whole in zip(blocks, texts, strict=True):
                whole.add(kept, share)

    with workers_for(found) as workers:
        run(reading, take, progress, keeping=True, workers=workers)
        reread(reading, blocks, workers)
        columns = _columns(reading, blocks, workers)
    rows, whole = reading.tally.parts["data"], came[0] if len(came) == 1 else chained(came)
    promises = promise_check(reading, loaded)
    counts = [
        CellCounts(
            each.variable.name,
            each.variable.type or "text",
            len(each.values) - each.values.null_count,  # counted from the values,
            each.reason_counts(),  # and these from the reasons
        )
        for each in columns.values()
    ]
    receipt = receipt_of(reading, counts, rows, began)
    if promises is not None:
        promises.add(list(columns.values()), whole.at(np.arange(rows)))
        receipt = msgspec.structs.replace(receipt, promises=promises.results())
    variables = tuple(column.variable for column in columns.values())
    made = PlainDataset(variables, Columns(columns), rows, receipt, found.plan, whole)
    if found.plan.file_as is None and found.plan.row_as is None:
        return made
    from .source_columns import with_source_columns

    return with_source_columns(made, found.source.name)


def _columns(
    reading: Reading, blocks: list[list[TypedBlock]], workers: Workers
) -> dict[str, Column]:
    """The columns by their names; those with the most text are begun first, to end together."""
    pairs = list(zip(reading.columns, blocks, strict=True))
    if workers.count == 1:
        columns = [_column(*pair) for pair in pairs]
        return {column.variable.name: column for column in columns}
    order = sorted(range(len(pairs)), key=lambda place: -text_bytes(pairs[place][1]))
    made = workers.each(lambda place: _column(*pairs[place]), order)
    columns = [column for _, column in sorted(zip(order, made, strict=True), key=lambda p: p[0])]
    return {column.variable.name: column for column in columns}


def _column(reader: ColumnReader, blocks: list[TypedBlock]) -> Column:
    """The blocks of a variable as one column; the blocks are let go of."""
    column = joined(reader.outcome(), blocks)
    blocks.clear()
    return column


def draft(
    source: Any, plan: Decisions, options: Mapping[str, Any], progress: Progress | None = None
) -> Decisions:
    """Look at the whole source and write down how `load` would read it, with the evidence."""
    named = source_named(source, plan, options)
    if named.files is not None:
        from .sets.drafting import draft_set

        return draft_set(named.files, named.plan, progress)
    return with_fallback(named.source, named.plan, lambda found: _drafted(found, progress))


def _drafted(found: SourceLayout, progress: Progress | None) -> Decisions:
    reading = prepare(found)
    run(reading, lambda block, typed: None, progress)
    if found.source.has_changed():
        note_changed(reading)
    kept = tuple(each.variable.name for each in reading.columns) if reading.not_kept else None
    return msgspec.structs.replace(
        found.plan,
        variables=tuple(_drafted_variable(each) for each in reading.columns),
        keep=kept,
        type=None,
        evidence=tuple(decided(reading)),
        listed=True,
    )


def _drafted_variable(column: ColumnReader) -> Variable:
    """The declaration to write down; codes for all variables stay where they are declared."""
    variable = column.outcome().variable
    shared = len(column.search.rule.codes) - len(column.variable.missing)
    own = len(variable.missing) - shared
    return msgspec.structs.replace(variable, missing=variable.missing[:own])
