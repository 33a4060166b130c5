"""Variables that say where each case came from: its file, its row, parts of the file's name."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.column import Column, Columns
from ..columns.outcome import Outcome, joined, search_for
from ..columns.rule import IS_NOT_IN_FILE, SourceColumn
from ..dataset.model import PlainDataset
from ..dataset.receipt import CellCounts
from ..declaration.variable import Variable
from ..errors import PlanError
from ..kernels.spans import FILE_BITS, RowNumbers
from ..kernels.types import Ints
from ..plan.model import Decisions
from .redeclaring import cells_of

FILE_LABEL, ROW_LABEL = "File of the source", "Row of the source"


def wanted_names(plan: Decisions) -> list[tuple[str, str]]:
    """The variables for file and row that a plan asks for, each with its option."""
    asked = (("file_as", plan.file_as), ("row_as", plan.row_as))
    return [(option, name) for option, name in asked if name is not None]


def refuse_taken(plan: Decisions, names: Sequence[str]) -> None:
    """Raise `PlanError` where a column is to be called as a variable is already."""
    for option, name in wanted_names(plan):
        if name in names:
            raise PlanError(f'{option}: a variable is named "{name}" already; choose another name')


def file_variable(plan: Decisions) -> Variable:
    """The variable with the file of each case, as the plan declares it."""
    return _declared(plan, Variable(plan.file_as or "", type="category", label=FILE_LABEL))


def row_variable(plan: Decisions) -> Variable:
    """The variable with the row of each case, as the plan declares it."""
    return _declared(plan, Variable(plan.row_as or "", type="integer", label=ROW_LABEL))


def _declared(plan: Decisions, usual: Variable) -> Variable:
    given = next((each for each in plan.variables if each.name == usual.name), None)
    if given is None:
        return usual
    return msgspec.structs.replace(given, type=usual.type, label=given.label or usual.label)


def source_columns(plan: Decisions, rows: RowNumbers, source: str) -> list[Column]:
    """The columns for file and row that a plan asks for."""
    cases = np.arange(len(rows))
    made = []
    if plan.file_as is not None:
        places = rows.keys(cases) >> FILE_BITS if rows.files else np.zeros(len(cases), np.int64)
        made.append(file_column(file_variable(plan), list(rows.files) or [source], places))
    if plan.row_as is not None:
        numbers = kernels.arrow(rows.at(cases), None, pa.int64())
        made.append(Column(row_variable(plan), numbers, np.zeros(len(cases), np.uint8)))
    return made


def file_column(variable: Variable, files: Sequence[str], places: Ints) -> Column:
    """A variable with the names of files."""
    values = pa.DictionaryArray.from_arrays(
        kernels.arrow(places.astype(np.int32), None, pa.int32()), kernels.strings(files)
    )
    return Column(variable, values, np.zeros(len(places), np.uint8))


def part_column(plan: Decisions, part: str, texts: Sequence[str | None]) -> Column:
    """A part of the names of files as a variable, with a cell a file; declared like any other."""
    declared = next((each for each in plan.variables if each.name == part), Variable(part))
    cells = cells_of(kernels.strings([each or "" for each in texts]))
    search = search_for(plan, declared, SourceColumn())
    block = search.take(cells, np.zeros(len(texts), np.int64))
    stale = search.is_stale(block)
    search.settle()
    column = joined(
        Outcome(declared, search, search.final_kind()), [search.again(cells) if stale else block]
    )
    without = np.array([each is None for each in texts], bool)
    reasons = np.where(without, np.uint8(IS_NOT_IN_FILE), column.reasons).astype(np.uint8)
    return msgspec.structs.replace(column, reasons=reasons)


def repeated(column: Column, counts: Sequence[int]) -> Column:
    """A column with a cell a file as one with a cell a case."""
    places = np.repeat(np.arange(len(counts)), counts)
    return column.taken(places)


def with_source_columns(dataset: PlainDataset, source: str) -> PlainDataset:
    """The dataset with the columns for file and row that its plan asks for.

    Raises `PlanError` for a name that is taken.
    """
    refuse_taken(dataset.plan, dataset.names)
    assert dataset.source_rows is not None
    return with_columns(dataset, source_columns(dataset.plan, dataset.source_rows, source))


def counted(column: Column) -> CellCounts:
    """What the cells of a column in memory became."""
    valid = len(column.values) - column.values.null_count
    kind = column.variable.type or "text"
    return CellCounts(column.variable.name, kind, valid, column.reason_counts())


def with_columns(dataset: PlainDataset, further: Sequence[Column]) -> PlainDataset:
    """The dataset with further columns behind its own, and with these in its receipt."""
    if not further:
        return dataset
    replace = msgspec.structs.replace
    held = {name: dataset.held(name) for name in dataset.names}
    cells = (*dataset.receipt.cells, *map(counted, further))
    return replace(
        dataset,
        variables=(*dataset.variables, *(each.variable for each in further)),
        columns=Columns(held | {each.variable.name: each for each in further}),
        receipt=replace(dataset.receipt, cells=cells),
    )
