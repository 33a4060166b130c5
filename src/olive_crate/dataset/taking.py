"""Parts of a dataset: some of its variables or rows, some columns in the place of others.

Nothing is read for any of this: a column is taken from when it is asked for.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, TypeVar

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.column import Column, Columns, Unread
from ..declaration.metadata import metadata_of
from ..declaration.variable import Variable
from ..errors import PlanError
from ..kernels.buffers import numpy_of
from ..kernels.types import Ints
from ..plan.model import Decisions
from ..plan.naming import ordered
from ..plan.selecting import Names, chosen
from .model import PlainDataset
from .receipt import Receipt

D = TypeVar("D", bound=PlainDataset)


def keep(dataset: D, names: Names) -> D:
    """Only these variables."""
    wanted = chosen(names, dataset.variables)
    by_name = {each.name: each for each in dataset.variables}
    replace = msgspec.structs.replace
    return replace(
        dataset,
        variables=tuple(by_name[name] for name in wanted),
        columns=Columns({name: dataset.held(name) for name in wanted}),
        plan=replace(dataset.plan, keep=tuple(wanted), order=None),
    )


def reorder(dataset: D, names: Names, after: str | None = None) -> D:
    """These variables first, or behind another one."""
    order = ordered(chosen(names, dataset.variables), dataset.names, after)
    by_name = {each.name: each for each in dataset.variables}
    replace = msgspec.structs.replace
    return replace(
        dataset,
        variables=tuple(by_name[name] for name in order),
        plan=replace(dataset.plan, order=tuple(order)),
    )


def rows_of(dataset: D, rows: Ints) -> D:
    """Some rows, by their places from 0."""

    def later(name: str) -> Unread:
        held = dataset.held(name)
        return Unread(lambda: held.taken(rows))

    came = None if dataset.source_rows is None else dataset.source_rows.taken(rows)
    return msgspec.structs.replace(
        dataset,
        columns=Columns({name: later(name) for name in dataset.names}),
        rows=len(rows),
        source_rows=came,
        parts=None,
    )


def pieces_of(dataset: D, rows: int) -> Iterator[D]:
    """The cases some rows at a time; columns are read as far as each piece needs them."""
    if isinstance(rows, bool) or rows < 1:
        raise PlanError(f"rows: expected a whole number from 1 up, got {rows!r}")
    for start in range(0, max(dataset.rows, 1), rows):
        yield rows_of(dataset, np.arange(start, min(start + rows, dataset.rows)))


def rows_where(dataset: D, expression: Any) -> D:
    """The rows for which a condition, an Arrow expression on the variables, or a mask is true."""
    if isinstance(expression, str):
        from .conditions import cases_where

        return rows_of(dataset, np.flatnonzero(cases_where(dataset, expression)))
    import pyarrow.compute as pc

    if isinstance(expression, pc.Expression) and dataset.parts is not None:
        return rows_of(dataset, dataset.parts.matching(expression))
    if isinstance(expression, pc.Expression):
        numbers = kernels.whole_numbers(np.arange(dataset.rows))
        table = arrow_table(dataset).append_column("", numbers)
        return rows_of(dataset, numpy_of(table.filter(expression).column("")))
    mask = _mask(expression)
    if mask is None or len(mask) != dataset.rows:
        raise PlanError(f"filter: expected a mask of {dataset.rows} true or false values")
    return rows_of(dataset, np.flatnonzero(mask))


def _mask(values: Any) -> np.ndarray | None:
    """True and false values as a mask; nulls are false. `None` for anything else."""
    if isinstance(values, (pa.Array, pa.ChunkedArray)):
        values = numpy_of(values, False)
    mask = np.asarray(values)
    return mask.astype(bool) if mask.dtype == bool or not mask.size else None


def changed(
    dataset: D,
    columns: Mapping[str, Column | Variable],
    plan: Decisions,
    receipt: Receipt | None = None,
) -> D:
    """The dataset with some columns, or their declarations, in the place of those it has.

    `columns` is by the names so far; a new declaration may bring a new name.
    """
    variables: list[Variable] = []
    made: dict[str, Column | Unread] = {}
    for old in dataset.variables:
        new = columns.get(old.name)
        if isinstance(new, Variable):
            variables.append(new)
            made[new.name] = _renamed(dataset, old.name, new)
        else:
            variables.append(old if new is None else new.variable)
            made[old.name] = new if new is not None else dataset.held(old.name)
    return msgspec.structs.replace(
        dataset,
        variables=tuple(variables),
        columns=Columns(made),
        plan=plan,
        receipt=receipt or dataset.receipt,
        parts=None,
    )


def with_columns_beside(dataset: D, beside: Mapping[str, Column]) -> D:
    """The dataset with a further column behind each of these variables."""
    variables: list[Variable] = []
    made: dict[str, Column | Unread] = {}
    for old in dataset.variables:
        variables.append(old)
        made[old.name] = dataset.held(old.name)
        if old.name in beside:
            further = beside[old.name]
            variables.append(further.variable)
            made[further.variable.name] = further
    return msgspec.structs.replace(
        dataset, variables=tuple(variables), columns=Columns(made), parts=None
    )


def _renamed(dataset: PlainDataset, name: str, variable: Variable) -> Unread:
    """A column under another declaration, read when it is asked for."""

    def called(column: Column) -> Column:
        return msgspec.structs.replace(column, variable=variable)

    return Unread(
        lambda: called(dataset.columns[name]), lambda: map(called, dataset.column_pieces(name))
    )


def arrow_table(dataset: PlainDataset) -> pa.Table:
    """An Arrow table; what is declared of each variable is in its field's metadata."""
    if isinstance(dataset.columns, Columns):
        dataset.columns.all()
    fields = [
        pa.field(each.name, dataset[each.name].values.type, metadata=metadata_of(each))
        for each in dataset.variables
    ]
    arrays = [dataset[each.name].values for each in dataset.variables]
    return pa.Table.from_arrays(arrays, schema=pa.schema(fields))
