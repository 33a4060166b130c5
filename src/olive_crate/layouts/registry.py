"""The kinds of layouts, and which of them a source has. A new kind is a folder and a line here."""

from __future__ import annotations

import msgspec

from ..errors import PlanError
from ..plan.model import Decisions, SheetSection
from ..sources.source import Source
from . import feed, fixed, frame, page, query, sheet
from .base import Before, Kind, SourceLayout, TableView

KINDS: dict[str, Kind] = {
    "database": query,
    "frame": frame,
    "page": page,
    "feed": feed,
    "workbook": sheet,
}
"""The kind of layout by the form of the source. What has no form is text."""
AS_TEXT = {"page": "page", "feed": "feed"}
"""Forms that a plan may have read as the text they are, and the layout they have otherwise."""
NO_SHEET = SheetSection()


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
    form = "workbook" if source.workbook is not None else source.form
    if plan.layout is not None or plan.table.query is not None or plan.sheet != NO_SHEET:
        form = _asked_form(source, plan, form)
    if form:
        found = KINDS[form].find(source, plan, before)
    elif plan.layout == "fixed" or plan.fields is not None:
        found = fixed.find(source, plan, before)
    else:
        from .delimited.finding import find_delimited  # not needed for workbooks and pages

        found = find_delimited(source, plan, before, otherwise=fixed.aligned)
    if not source.notes:
        return found
    return msgspec.structs.replace(found, evidence=(*source.notes, *found.evidence))


def _asked_form(source: Source, plan: Decisions, form: str) -> str:
    """The form by which a source is read, empty for text, where the plan has a say in it.

    Raises `PlanError` where the plan is for a source of another form.
    """
    if form != "database" and (plan.layout == "query" or plan.table.query is not None):
        raise PlanError(f"{source.name}: not a database; leave out query")
    if form not in ("database", "frame") and plan.layout == "frame":
        raise PlanError(f"{source.name}: not a table in memory; leave out layout")
    if form in AS_TEXT and plan.layout not in (None, AS_TEXT[form]):
        form = ""
    given = plan.sheet
    cells = (given.sheet, given.range, given.block, given.turned)
    if not form and (plan.layout == "sheet" or any(each is not None for each in cells)):
        raise PlanError(f"{source.name}: not a workbook; leave out sheet, range, block and turned")
    return form
