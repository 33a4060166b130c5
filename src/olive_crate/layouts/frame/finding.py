"""A table in memory, settled: what its types say of its columns."""

from __future__ import annotations

from functools import partial
from typing import Any

import pyarrow as pa
from msgspec.structs import replace

from ...columns.rule import SourceColumn
from ...declaration.metadata import parts_in_metadata
from ...errors import PlanError
from ...plan.known import with_known
from ...plan.model import Decisions, Rows
from ...sources.source import Source
from ..base import Preview, SourceLayout
from ..records.layout import RecordLayout
from ..text.completing import no_cells, no_delimiter
from .records import FrameRecords

TYPED = SourceColumn(typed_cells=True)


def find_frame(source: Source, plan: Decisions) -> SourceLayout:
    """Complete a plan for a table in memory. Raises `PlanError` where it is for another layout."""
    _check_plan(source, plan)
    table: pa.Table = source.frame
    found = tuple(table.column_names)
    names = plan.names or found
    if len(names) != len(found):
        raise PlanError(f"{source.name}: {len(names)} names are given for {len(found)} columns")
    layout = RecordLayout(
        FrameRecords(source.name, table),
        tuple(map(_column, table.schema)),
        found,
        first=plan.rows.first or 1,
        last=plan.rows.last,
        limit=plan.limit,
    )
    complete = replace(
        plan,
        layout="frame",
        rows=Rows(data=plan.rows.data),
        delimited=replace(plan.delimited, decimal="."),
        variables=with_known(plan, names, list(map(_known, table.schema))),
    )
    blank = ("",) * len(found)
    return SourceLayout(
        source,
        complete,
        layout,
        names,
        blank,
        blank,
        (),
        partial(_preview, source, layout, table.num_rows),
    )


def _check_plan(source: Source, plan: Decisions) -> None:
    if plan.layout not in (None, "frame") or plan.fields is not None:
        raise PlanError(f'{source.name}: is a table; its layout is "frame"')
    if plan.table.table is not None:
        raise PlanError(f"{source.name}: is one table; leave table out")
    no_cells(plan, f"{source.name}: is a table")
    no_delimiter(plan, f"{source.name}: is a table")
    if plan.rows.names or plan.rows.units or plan.rows.labels:
        raise PlanError(f"{source.name}: the columns of a table have names; leave rows out")


def _column(field: pa.Field) -> SourceColumn:
    """What a type says of the cells of a column."""
    kind, types = field.type, pa.types
    if types.is_timestamp(kind):
        return replace(TYPED, type="zoned" if kind.tz else "datetime")
    if types.is_decimal(kind):
        return replace(TYPED, type="number", shown_decimals=max(kind.scale, 0) or None)
    known = (
        (types.is_boolean, "boolean"),
        (types.is_integer, "integer"),
        (types.is_floating, "number"),
        (types.is_date, "date"),
        (types.is_time, "time"),
        (types.is_duration, "duration"),
    )
    return next(
        (replace(TYPED, type=word) for test, word in known if test(kind)),
        SourceColumn(),
    )


def _known(field: pa.Field) -> dict[str, Any]:
    """What is declared of a column: by a dataset of ours, or by its being a dictionary of words."""
    parts = parts_in_metadata(field.metadata)
    if pa.types.is_dictionary(field.type):
        parts.setdefault("type", "category")
        if field.type.ordered:
            parts.setdefault("level", "ordinal")
    return parts


def _preview(source: Source, layout: RecordLayout, rows: int, cases: int) -> Preview:
    return Preview(source, replace(layout, limit=cases), lines=rows)
