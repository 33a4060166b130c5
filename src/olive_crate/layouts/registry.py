"""The kinds of layouts, and which of them a source has. A new kind is a folder and a line here."""

from __future__ import annotations

import msgspec

from ..errors import PlanError
from ..plan.model import Decisions
from ..sources.source import Source
from . import delimited, feed, fixed, frame, page, query, sheet
from .base import Before, Kind, SourceLayout, TableView

KINDS: tuple[Kind, ...] = (query, frame, page, feed, sheet, fixed, delimited)
"""The first that claims a source has it; delimited text claims all that is left."""


def tables_in(source: Source) -> tuple[tuple[str, bool], ...]:
    """The tables that a source holds, each with whether it is hidden; empty for one of text."""
    if source.workbook is None:
        return ()
    from .sheet.workbook import opened

    with opened(source) as workbook:
        return tuple((each.name, each.hidden) for each in workbook.sheets)


def tables_to_choose(source: Source, plan: Decisions) -> tuple[TableView, ...]:
    """The tables of a database of several, where the plan names none of them."""
    if source.form != "database":
        return ()
    return query.tables_to_choose(source, plan)


def find_layout(source: Source, plan: Decisions, before: Before = Before()) -> SourceLayout:
    """Complete the plan for this source, with evidence. Raises `LayoutError` where it cannot hold.

    Aligned columns without a declared layout look like delimited text at first: `delimited` hands
    them over, with what it has found so far.
    """
    section = plan.delimited
    if section.decimal is not None and section.decimal == section.grouping:
        raise PlanError(
            f'decimal and grouping cannot both be "{section.decimal}"; leave one of them out'
        )
    kind = next(each for each in KINDS if each.claims(source, plan))
    if kind is delimited:
        found = delimited.find(source, plan, before, otherwise=fixed.aligned)
    else:
        found = kind.find(source, plan, before)
    if not source.notes:
        return found
    return msgspec.structs.replace(found, evidence=(*source.notes, *found.evidence))
