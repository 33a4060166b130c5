"""The entries of a feed as records, a column for each name that any of them has."""

from __future__ import annotations

import msgspec

from ...columns.rule import SourceColumn
from ...errors import LayoutError, PlanError
from ...evidence import Evidence
from ...plan.model import Decisions, Rows
from ...sources.source import Source
from ..base import Preview, SourceLayout
from ..records.layout import RecordLayout, TextTable
from ..records.whole import whole_bytes
from ..text.completing import no_cells, no_delimiter
from .entries import entries_of, names_of

TYPED = SourceColumn(typed_cells=True)


def find_feed(source: Source, plan: Decisions) -> SourceLayout:
    """Complete a plan for a feed. Raises `LayoutError` for one without entries."""
    if plan.fields is not None or plan.table.table is not None:
        raise PlanError(f"{source.name}: is a feed; it has no fields or tables")
    no_cells(plan, f"{source.name}: is a feed")
    no_delimiter(plan, f"{source.name}: is a feed")
    evidence: list[Evidence] = []
    entries = entries_of(whole_bytes(source), source.name)
    if not entries:
        raise LayoutError(f"{source.name}: the feed has no entries")
    found = names_of(entries)
    names = plan.names or tuple(found)
    if len(names) != len(found):
        raise PlanError(f"names: {len(names)} names for the {len(found)} columns of {source.name}")
    records = TextTable(
        tuple(range(1, len(entries) + 1)),
        tuple(tuple(each.get(name, "") for each in entries) for name in found),
        len(entries),
        called=tuple(found),
        what="element",
    )
    layout = RecordLayout(
        records,
        (TYPED,) * len(found),
        tuple(found),
        first=plan.rows.first or 1,
        last=plan.rows.last,
        limit=plan.limit,
    )
    decimal = msgspec.structs.replace(plan.delimited, decimal=plan.delimited.decimal or ".")
    complete = msgspec.structs.replace(
        plan, layout="feed", rows=Rows(data=plan.rows.data), delimited=decimal
    )
    blank = ("",) * len(found)
    return SourceLayout(
        source,
        complete,
        layout,
        names,
        blank,
        blank,
        tuple(evidence),
        lambda cases: Preview(
            source, msgspec.structs.replace(layout, limit=cases), lines=len(entries)
        ),
    )
