"""A table of a page, settled: which one, which of its rows play which part, and its columns."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

import msgspec
import numpy as np

from ...columns.rule import SourceColumn
from ...errors import LayoutError, PlanError, nearest
from ...evidence import (
    BlankColumns,
    ClosingRows,
    Evidence,
    Example,
    FootnoteMarks,
    HeadingFound,
    HiddenRows,
    SpansFilled,
    TableChosen,
    UnitsFound,
)
from ...plan.model import KEEP, SKIP, Decisions, Rows
from ...sources.source import Source
from ..base import BLANK, HEADING, SKIPPED, Preview, Row, SourceLayout, TableView
from ..records.layout import RecordLayout, TextTable
from ..text.cells import columns_of, headings_of
from ..text.closing import Tail
from ..text.completing import (
    cells_of_row,
    heading_rows,
    no_cells,
    no_delimiter,
    row_parts,
    shapes_at_head,
    with_closing,
)
from ..text.groups import name_groups, of_titles, texts_down
from ..text.moved import moved
from ..text.row_kinds import is_units
from .decoding import page_text
from .html import Page, PageTable, page_of
from .marks import with_page_marks

NAMES_SHOWN = 4
NARROWEST = 3
"""Columns of a table that may have titles of groups."""
TAIL = 200
"""Rows at the end among which totals and notes are looked for."""


class _Cut(NamedTuple):
    """A table with its spans filled and its blank columns left out."""

    rows: list[Row]
    columns: int
    left_out: dict[str, tuple[int, ...]]
    """Rows that cannot be data, by the part they play."""
    across: frozenset[int]
    """Rows of one cell that spans the whole table."""
    titles: list[tuple[int, str]]
    """Titles of groups among the data: their rows and texts."""


def find_page(source: Source, plan: Decisions) -> SourceLayout:
    """Complete a plan for a table of a page. Raises `LayoutError` for a table that is not there."""
    _check_plan(source, plan)
    evidence: list[Evidence] = []
    text, encoding = page_text(source, plan, evidence)
    page = page_of(text, source.name, source.address)
    table = _chosen(source, page, plan, evidence)
    cut = _cut(table, plan, evidence)
    parts, last = _parts(source, plan, table, cut, evidence)
    head = [row for row in cut.rows if row.number in (parts.names or ())]
    headings = headings_of(plan, head, cut.columns, source)
    section = plan.delimited
    if section.decimal is None:
        shapes = shapes_at_head(cut.rows, parts, cut.columns)
        section = with_page_marks(section, shapes, evidence)
    units = cells_of_row(cut.rows, parts.units, cut.columns)
    labels = cells_of_row(cut.rows, parts.labels, cut.columns)
    further = parts.groups is not None and parts.groups not in (SKIP, KEEP)
    if further:
        headings, units, labels = (*headings, str(parts.groups)), (*units, ""), (*labels, "")
    records = _records(table, cut, parts, last, headings)
    layout = RecordLayout(
        records,
        (SourceColumn(padded=True),) * len(headings),
        headings,
        encoding=encoding,
        limit=plan.limit,
    )
    complete = msgspec.structs.replace(
        plan,
        layout="page",
        table=msgspec.structs.replace(plan.table, table=_name_of(table, page, plan)),
        rows=parts,
        delimited=section,
    )
    return SourceLayout(
        source,
        complete,
        layout,
        headings,
        units,
        labels,
        tuple(evidence),
        partial(_preview, source, page, layout, table),
    )


def _check_plan(source: Source, plan: Decisions) -> None:
    if plan.fields is not None:
        raise PlanError(f"{source.name}: is a web page; it has no fields at positions")
    no_cells(plan, f"{source.name}: is a web page", "name a table instead")
    no_delimiter(plan, f"{source.name}: is a web page")


def _chosen(source: Source, page: Page, plan: Decisions, evidence: list[Evidence]) -> PageTable:
    """The table that is meant: the one named, else the largest that looks like data."""
    wanted = plan.table.table
    if wanted is not None:
        return _table_named(source, page, wanted)
    filled = [each for each in page.tables if each.filled]
    if not filled:
        links = f"; it links to data files: {', '.join(page.links[:5])}" if page.links else ""
        raise LayoutError(f"{source.name}: this web page holds no table as it was sent{links}")
    ranked = sorted(filled, key=lambda each: (each.is_hidden, not each.is_data, -each.filled))
    best = ranked[0]
    others = tuple(str(each.number) for each in ranked[1:] if each.is_data and not each.is_hidden)
    evidence.append(
        TableChosen(
            value=str(best.number),
            tables=len(page.tables),
            caption=best.caption,
            supporting=best.filled,
            alternatives=others,
            certain=not others,
        )
    )
    return best


def _table_named(source: Source, page: Page, wanted: str | int) -> PageTable:
    tables = page.tables
    if isinstance(wanted, str):
        folded = " ".join(wanted.split()).casefold()
        for hits in (
            [each for each in tables if each.id and each.id == wanted],
            [each for each in tables if each.caption.casefold() == folded],
            [each for each in tables if folded and folded in each.caption.casefold()],
        ):
            if len(hits) == 1:
                return hits[0]
            if hits:
                listed = ", ".join(str(each.number) for each in hits)
                raise LayoutError(
                    f'{source.name}: several tables are called "{wanted}" ({listed}); '
                    "name one by its number"
                )
        if wanted.isdecimal():
            wanted = int(wanted)
    if isinstance(wanted, int):
        if not 1 <= wanted <= len(tables):
            raise LayoutError(f"{source.name}: there is no table {wanted} of {len(tables)}")
        return tables[wanted - 1]
    known = [each for one in tables for each in (one.id, one.caption) if each]
    raise LayoutError(f'{source.name}: there is no table "{wanted}"{nearest(wanted, known)}')


def _name_of(table: PageTable, page: Page, plan: Decisions) -> str | int:
    """How the plan names the table: as it does, else by an id or a caption that no other has."""
    if plan.table.table is not None:
        return plan.table.table
    for name, all_names in (
        (table.id, [each.id for each in page.tables]),
        (table.caption, [each.caption for each in page.tables]),
    ):
        if name and not name.isdecimal() and all_names.count(name) == 1:
            return name
    return table.number


def _cut(table: PageTable, plan: Decisions, evidence: list[Evidence]) -> _Cut:
    """The rows of a table as text, each cell in every place that it spans."""
    grid = [list(row) for row in table.rows]
    wide = table.columns
    across = {
        r for r, _, _, w in table.spans if w >= wide > 1 and sum(map(bool, table.rows[r])) == 1
    }
    filled = 0
    for row, column, high, broad in table.spans:
        if row in across or (plan.sheet.merged == "keep" and row >= table.head):
            continue
        for r in range(row, row + high):
            for c in range(column, min(column + broad, wide)):
                grid[r][c] = table.rows[row][column]
        filled += row >= table.head and bool(table.rows[row][column])
    if filled:
        evidence.append(SpansFilled(value="fill", supporting=filled, alternatives=("keep",)))
    used = [c for c in range(wide) if any(row[c] for row in grid)]
    if len(used) < wide:
        evidence.append(BlankColumns(supporting=wide - len(used)))
    if table.marks:
        examples = tuple(Example(row + 1, mark) for row, mark in table.marks[:3])
        evidence.append(FootnoteMarks(supporting=len(table.marks), examples=examples))
    hidden = _hidden(table, plan, evidence)
    rows = [
        Row(number, tuple(row[c] for c in used))
        for number, row in enumerate(grid, 1)
        if number not in hidden and any(row)
    ]
    blank = tuple(n for n, row in enumerate(grid, 1) if n not in hidden and not any(row))
    wide_rows = frozenset(row + 1 for row in across)
    return _Cut(rows, len(used), {BLANK: blank, SKIPPED: hidden}, wide_rows, [])


def _hidden(table: PageTable, plan: Decisions, evidence: list[Evidence]) -> tuple[int, ...]:
    """Rows that nobody sees, which are left out unless the plan keeps them."""
    if table.is_hidden or not table.hidden or plan.sheet.hidden == "keep":
        return ()
    rows = tuple(each + 1 for each in table.hidden)
    evidence.append(
        HiddenRows(
            value="skip",
            rows=rows[:20],
            supporting=len(rows),
            alternatives=("keep",),
            certain=False,
        )
    )
    return rows


def _parts(
    source: Source, plan: Decisions, table: PageTable, cut: _Cut, evidence: list[Evidence]
) -> tuple[Rows, int | None]:
    """Which row plays which part; the last row of data, negative from the end."""
    rows, fields = cut.rows, cut.columns
    given, found = moved(plan, rows, fields, source)
    evidence += [] if found is None else [found]
    marked = given
    if table.head and given.names is None and given.data is None:
        marked = _marked_heading(table, cut, given, evidence)
    parts = row_parts(marked, rows, fields, evidence)
    if parts.groups != KEEP:
        _set_titles_aside(cut, parts, evidence)
    end = len(table.rows)
    first = parts.first or 1
    tail = [row for row in rows if row.number >= first][-TAIL:]
    if not tail or tail[-1].number < end:
        end = tail[-1].number if tail else end
    if table.foot and given.closing != "keep" and given.last is None:
        return _without_foot(table, cut, parts, evidence)
    data = [row for row in tail if row.number not in cut.left_out[SKIPPED]]
    parts, last = with_closing(given, parts, Tail(data, end), fields, evidence)
    if last is not None and last < 0:
        last = end + 1 + last
    return parts, last


def _without_foot(
    table: PageTable, cut: _Cut, parts: Rows, evidence: list[Evidence]
) -> tuple[Rows, int]:
    """The parts without the rows that the page itself marks as a foot."""
    last = len(table.rows) - table.foot
    out = [row for row in cut.rows if row.number > last]
    evidence.append(
        ClosingRows(
            value="skip",
            rows=len(out),
            total=False,
            cells=out[0].cells if out else (),
            supporting=len(out),
            examples=tuple(Example(row.number, _joined(row)) for row in out[:3]),
            alternatives=("keep",),
            by_markup=True,
        )
    )
    return msgspec.structs.replace(parts, closing="skip"), last


def _marked_heading(table: PageTable, cut: _Cut, given: Rows, evidence: list[Evidence]) -> Rows:
    """The rows that the page itself marks as a heading, without titles over all columns."""
    marked = [
        row for row in cut.rows if row.number <= table.head and len({*filter(None, row.cells)}) > 1
    ]
    if not marked:
        return given
    units = None
    below = [row for row in cut.rows if row.number > table.head]
    if len(marked) > 1 and is_units(marked[-1], columns_of(below, len(marked[-1].cells))):
        row = marked.pop()
        units = row.number
        evidence.append(
            UnitsFound(
                value=str(units), supporting=row.filled, examples=(Example(units, _joined(row)),)
            )
        )
    numbers = tuple(row.number for row in marked)
    evidence.append(
        HeadingFound(
            value=", ".join(map(str, numbers)),
            names=sum(map(bool, marked[-1].cells)),
            levels=len(numbers),
            supporting=len(numbers),
            by_markup=True,
        )
    )
    return msgspec.structs.replace(given, names=numbers, units=given.units or units)


def _joined(row: Row) -> str:
    return " | ".join(row.cells)


def _set_titles_aside(cut: _Cut, parts: Rows, evidence: list[Evidence]) -> None:
    """Rows of one text among the data, which name the group that follows.

    A cell over all columns marks a title; others have to look like titles together, unless the
    plan says that there are some.
    """
    if cut.columns < NARROWEST:
        return
    data = [row for row in cut.rows if row.number >= (parts.first or 1)]
    found = [row for row, after in itertools.pairwise(data) if row.filled == 1 < after.filled]
    marked = [row for row in found if row.number in cut.across]
    plain = [row for row in found if row.cells[0] and not row.cells[0][:1].isdecimal()]
    others = (row.cells[0] for row in data if row.filled > 1)
    told = parts.groups is not None or name_groups([row.cells[0] for row in plain], others)
    titles = marked or (plain if told else [])
    if not titles:
        return
    cut.left_out[SKIPPED] = (*cut.left_out[SKIPPED], *(row.number for row in titles))
    cut.titles.extend((row.number, next(filter(None, row.cells))) for row in titles)
    evidence.append(of_titles(cut.titles, parts))


def _records(
    table: PageTable, cut: _Cut, parts: Rows, last: int | None, headings: Sequence[str]
) -> TextTable:
    """The records of the table, and the parts that all other rows play."""
    first, end = parts.first or 1, last if last is not None else len(table.rows)
    heading = set(heading_rows(parts))
    aside = set(cut.left_out[SKIPPED])
    data = [
        row for row in cut.rows if first <= row.number <= end and row.number not in heading | aside
    ]
    kept = {row.number for row in data}
    others = {
        HEADING: tuple(sorted(heading)),
        BLANK: cut.left_out[BLANK],
        SKIPPED: tuple(
            sorted(
                {row.number for row in cut.rows if row.number not in kept | heading}
                | (aside - kept - heading)
            )
        ),
    }
    columns = tuple(zip(*(row.cells for row in data), strict=True)) if data else ((),) * cut.columns
    if len(headings) > cut.columns:
        numbers = np.array([row.number for row in data], np.int64)
        columns = (*columns, tuple(texts_down(cut.titles, numbers)))
    return TextTable(
        tuple(row.number for row in data), columns, len(table.rows), others, tuple(headings)
    )


def _preview(
    source: Source, page: Page, layout: RecordLayout, table: PageTable, cases: int
) -> Preview:
    """All tables, and the layout for so many cases."""
    return Preview(
        source,
        msgspec.structs.replace(layout, limit=cases),
        lines=len(table.rows),
        tables=tuple(map(_view, page.tables)),
        links=page.links,
    )


def _view(table: PageTable) -> TableView:
    head = table.rows[max(0, table.head - 1)] if table.rows else ()
    return TableView(
        table.id,
        "hidden" if table.is_hidden else "table",
        len(table.rows),
        table.columns,
        tuple(each for each in head if each)[:NAMES_SHOWN],
        comment=table.caption,
        number=table.number,
    )
