"""A source found and read to its end: to a dataset, or to the plan that would read it."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping
from pathlib import Path
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
from ..errors import SourceError, several
from ..kernels.spans import RowNumbers, chained, gathered
from ..layouts.base import Block, SourceLayout
from ..plan.model import Decisions, with_options
from ..plan.options import OPTIONS
from ..sources.addresses import is_address, is_web, kept_address
from ..sources.file_sets import files as files_named
from ..sources.file_sets import files_in
from ..sources.opening import is_set, open_source, recognised
from ..sources.sets import PATTERN, PLAN_FILE, Files, HoldsSeveral
from ..sources.source import Source
from ..workers import Progress, Workers
from .preparing import ColumnReader, Reading, prepare, promise_check
from .receipts import decided, note_changed, receipt_of
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


class Named(msgspec.Struct, frozen=True):
    """What a call names: one source, or the files of a set; and the plan to read by."""

    one: Source | None
    files: Files | None
    plan: Decisions

    @property
    def source(self) -> Source:
        """The one source. Raises `SourceError` for a set, where one is asked for."""
        if self.one is None:
            raise SourceError(f"{several(len(self.files or ()), 'file')}, where one is asked for")
        return self.one


def source_named(source: Any, plan: Decisions, options: Mapping[str, Any]) -> Named:
    """The source, or the set of files, that is meant, and the plan with the options laid over it.

    `source` may be a plan, whose own source is then read.
    """
    if isinstance(source, (str, Path)) and str(source).endswith(PLAN_FILE):
        from ..plan.toml_read import read_decisions

        source = read_decisions(Path(source))
    given = source
    if isinstance(source, Decisions):
        plan = with_options(source, options, OPTIONS)
        given = plan.source_path()
    else:
        plan = with_options(plan, options, OPTIONS)
    one, files = opened_or_set(given, plan, by_user=given is source or plan.reach is None)
    if given is source:
        plan = _from_here(plan, source, files)
    if one is not None and one.sheet and plan.sheet.sheet is None:
        section = msgspec.structs.replace(plan.sheet, sheet=one.sheet)
        plan = msgspec.structs.replace(plan, sheet=section)
    if plan.fixed.fields is not None:
        from .dictionaries.applying import with_dictionary  # which reads tables by this very room

        plan = with_dictionary(plan)
    return Named(one, files, plan)


def opened_or_set(
    given: Any, plan: Decisions, by_user: bool = True
) -> tuple[Source | None, Files | None]:
    """One source, opened; or the files of a set. `by_user` is false for what a plan file names."""
    files = None
    try:
        if is_set(given):
            files = files_named(given)
        else:
            copied = plan.source.keep_copy and isinstance(given, str) and is_web(given)
            opened = _copied(given, plan) if copied else open_source(given, by_user, plan.limits)
    except HoldsSeveral as held:
        files = files_in(held.name, held.members)
    if files is not None and not by_user and plan.reach is not None:
        paths = [each.source for each in files if isinstance(each.source, str)]
        for path in paths:  # a link in the folder may lead out of it
            if not is_address(path):
                plan.reach.check(os.path.abspath(path))
    sheet = plan.sheet.sheet
    if isinstance(sheet, tuple) or (isinstance(sheet, str) and PATTERN.search(sheet)):
        from .sets.sheets import sheets_of

        files = sheets_of(files if files is not None else files_named([opened]), sheet)
    return (opened, None) if files is None else (None, files)


def _copied(address: str, plan: Decisions) -> Source:
    """A file on the web, of which the plan keeps a copy."""
    from ..sources.copies import with_copy

    return recognised(with_copy(address, plan.base or Path()), plan.limits)


def _from_here(plan: Decisions, source: Any, files: Files | None) -> Decisions:
    """The plan with the source that a call names, as far as that can be written down."""
    replace = msgspec.structs.replace
    if files is not None and not isinstance(source, (str, Path)) and plan.source.paths is None:
        named = replace(plan.source, path=None, paths=files.given or None)
        return replace(plan, source=named, base=None, reach=None)
    if isinstance(source, (str, Path)):
        path = kept_address(str(source)) if "://" in str(source) else str(source)
        named = replace(plan.source, path=path, paths=None)
        return replace(plan, source=named, base=None, reach=None)
    return plan


def source_and_plan(
    source: Any, plan: Decisions, options: Mapping[str, Any]
) -> tuple[Source, Decisions]:
    """The one source that is meant, and the plan with the options laid over it."""
    named = source_named(source, plan, options)
    return named.source, named.plan
