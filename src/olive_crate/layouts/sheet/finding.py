"""A sheet of a workbook, settled: which sheet, which block of it, which row plays which part, and
what the kinds of its cells tell about each column."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from ...declaration.variable import Variable
from ...errors import LayoutError, PlanError
from ...evidence import BlockChosen, Evidence, SheetChosen
from ...kernels.types import Ints
from ...plan.known import with_known
from ...plan.model import KEEP, SKIP, Decisions, Rows
from ...sources.ranges import Area, turned_area
from ...sources.source import Source
from ..base import Before, SourceLayout
from ..text.cells import headings_of
from ..text.closing import Tail
from ..text.completing import (
    cells_of_row,
    heading_rows,
    no_delimiter,
    other_decimal,
    row_parts,
    with_closing,
)
from ..text.moved import moved
from .allowed import allowed_in, known_by_lists
from .aside import set_aside
from .blocks import SheetBlock, WorkbookContents, find_blocks
from .cell_kinds import with_kinds
from .comments import with_comments
from .described import note_described, other_sheets
from .grid import GridCells, Sheet, SheetEntry
from .layout import SheetLayout
from .named import named_range
from .numbered import at_block, in_order, with_merged
from .pieces import Assembly
from .preview import preview
from .reading import held_by, in_columns
from .strings import Strings
from .structure import marked_heading, without_spacers
from .text_rows import _tail, rows_of
from .turned import as_planned, note_side
from .workbook import Workbook, opened, sheet_named

WIDEST = 16_384
NONE = Assembly(Strings.of([]), (), False).cells()


class _Chosen(msgspec.Struct, frozen=True):
    """The sheet that is read."""

    entry: SheetEntry
    sheet: Sheet
    blocks: tuple[SheetBlock, ...]
    contents: WorkbookContents
    from_1904: bool


class _Area(msgspec.Struct, frozen=True):
    """The rectangle that is read, its columns, and how the plan writes it down."""

    area: Area
    columns: tuple[int, ...]
    text: str


def find_sheet(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a workbook. Raises `LayoutError` for a sheet or range that is not there.

    Where the look is not thorough, only about the first 4 MB of each sheet are looked at.
    """
    _check_plan(source, plan)
    evidence: list[Evidence] = []
    with opened(source, plan.limits, plan.workers) as book:
        workbook = as_planned(book, plan)
        plan = at_block(workbook, plan)
        chosen = _chosen_sheet(workbook, plan, evidence, before.thorough)
        used_rows = chosen.sheet.cells.used_rows()
        area = _area(plan, workbook, chosen, evidence)
        lists = allowed_in(book, chosen.sheet)
        others = other_sheets(book, plan, chosen.contents, source.size or 0)
    sheet = _visible(chosen.sheet, plan)
    rows = rows_of(sheet, area.area, area.columns)
    if plan.sheet.turned is None and not plan.listed:  # a plan with variables has settled it
        note_side(sheet, area.area, area.columns, evidence)
    given, found = moved(plan, rows, len(area.columns), source)
    evidence += [] if found is None else [found]
    marked = marked_heading(sheet, area.area, area.columns, rows, given, evidence)
    parts = row_parts(marked, rows, len(area.columns), evidence)
    tail = _tail(sheet, area.area, area.columns, parts)
    closing = Tail(tail, area.area.last_row)
    parts, last = with_closing(given, parts, closing, len(area.columns), evidence)
    heading = [row for row in rows if row.number in (parts.names or ())]
    _check_rows(source, parts, area.area, sheet.written(area.area))
    headings = headings_of(plan, heading, len(area.columns), source)
    note_described(source, others, headings, evidence)
    layout = _layout(source, plan, chosen, sheet, area, parts, last, used_rows, before.thorough)
    aside = set_aside(sheet, area.area, area.columns, parts, layout.last_row, evidence)
    layout = msgspec.structs.replace(
        layout, aside=tuple(sorted({*aside.rows, *(parts.left_out or ())}))
    )
    layout, shown_units, more = with_kinds(layout, headings)
    rows_read = (layout.first, layout.last_row)
    known = known_by_lists(lists, area.columns, rows_read, headings, evidence)
    complete = _complete(plan, chosen, area, parts, with_known(plan, headings, known))
    units = cells_of_row(rows, parts.units, len(area.columns))
    further = parts.groups is not None and parts.groups not in (SKIP, KEEP)
    if further:
        layout = _with_groups(layout, aside.titles)
        headings = (*headings, str(parts.groups))
    labels = cells_of_row(rows, parts.labels, len(area.columns))
    labels = with_comments(labels, sheet.comments, parts.names or (), area.columns, evidence)
    return SourceLayout(
        source,
        complete,
        layout,
        headings,
        (*(own or shown for own, shown in zip(units, shown_units, strict=True)), *[""] * further),
        (*labels, *[""] * further),
        (*evidence, *more),
        lambda cases: preview(source, complete, layout, chosen.contents, cases),
    )


def _with_groups(layout: SheetLayout, titles: tuple[tuple[int, str], ...]) -> SheetLayout:
    """The layout with the titles of groups as a variable behind all columns."""
    return msgspec.structs.replace(
        layout,
        titles=titles,
        kinds=(*layout.kinds, "text"),
        decimals=(*layout.decimals, None),
        errors=(*layout.errors, ()),
    )


def _check_plan(source: Source, plan: Decisions) -> None:
    """Raise `PlanError` where a plan for text meets a workbook."""
    if plan.layout not in (None, "sheet") or plan.fields is not None:
        raise PlanError(f'{source.name}: is a workbook; its layout is "sheet"')
    no_delimiter(plan, f"{source.name}: is a workbook")


def _chosen_sheet(
    workbook: Workbook, plan: Decisions, evidence: list[Evidence], whole: bool
) -> _Chosen:
    contents = _looked_at(workbook, plan, evidence, whole)
    entry, sheet, blocks = contents.sheets[contents.chosen]
    if whole and not sheet.whole:
        sheet = workbook.read(entry)
        blocks = tuple(find_blocks(with_merged(sheet, plan).cells))
    from_1904 = bool(getattr(workbook, "from_1904", False))
    return _Chosen(entry, with_merged(sheet, plan), blocks, contents, from_1904)


def _layout(
    source: Source,
    plan: Decisions,
    chosen: _Chosen,
    sheet: Sheet,
    area: _Area,
    parts: Rows,
    last: int | None,
    used_rows: Ints,
    whole: bool,
) -> SheetLayout:
    ordered, edges = in_columns(sheet.cells, area.area, area.columns)
    return SheetLayout(
        msgspec.structs.replace(sheet, cells=NONE) if whole else sheet,
        area.area,
        area.columns,
        ordered,
        edges,
        used_rows,
        *_outside(chosen.sheet.cells, sheet, area.area, area.columns),
        kinds=("",) * len(area.columns),
        from_1904=chosen.from_1904,
        heading=heading_rows(parts),
        first=parts.first or area.area.first_row,
        last=last,
        limit=plan.limit,
        skip_hidden=plan.sheet.hidden == "skip",
        fill_merged=plan.sheet.merged == "fill",
        bytes=source.size or 0,
    )


def _complete(
    plan: Decisions,
    chosen: _Chosen,
    area: _Area,
    parts: Rows,
    variables: tuple[Variable, ...],
) -> Decisions:
    """The plan with all that was found."""
    replace = msgspec.structs.replace
    decimal = plan.delimited.decimal or other_decimal(plan.delimited.grouping)
    return replace(
        plan,
        sheet=replace(plan.sheet, sheet=chosen.entry.name, range=area.text),
        rows=parts,
        layout="sheet",
        variables=variables,
        delimited=replace(plan.delimited, decimal=decimal),
    )


def _visible(sheet: Sheet, plan: Decisions) -> Sheet:
    """The sheet without what is hidden, if the plan leaves it out."""
    cells = sheet.cells
    if plan.sheet.hidden == "skip" and (sheet.hidden_rows or sheet.hidden_columns):
        kept = ~np.isin(cells.rows, list(sheet.hidden_rows))
        kept &= ~np.isin(cells.columns, list(sheet.hidden_columns))
        sheet = msgspec.structs.replace(sheet, cells=cells.chosen(kept))
    return sheet


def _looked_at(
    workbook: Workbook, plan: Decisions, evidence: list[Evidence], whole: bool
) -> WorkbookContents:
    """The sheets that may be meant, and which of them is read."""
    if not workbook.sheets:
        raise LayoutError(f"{workbook.name}: there is no sheet of cells in the workbook")
    named = named_range(plan, workbook)
    wanted = plan.sheet.sheet
    if wanted is None and named is not None:
        wanted = named[0]
    if wanted is not None:
        if isinstance(wanted, tuple):
            raise LayoutError(f"{workbook.name}: several sheets are named, where one is asked for")
        entries = [sheet_named(workbook, wanted)]
    else:
        entries = [each for each in workbook.sheets if not each.hidden] or list(workbook.sheets)
    looked = []
    for entry in entries:
        sheet = workbook.read(entry, whole=whole and len(entries) == 1)
        looked.append((entry, sheet, tuple(find_blocks(with_merged(sheet, plan).cells))))
    chosen = int(np.argmax([_weight(blocks, sheet) for _, sheet, blocks in looked]))
    contents = WorkbookContents(tuple(looked), workbook.names, chosen)
    if wanted is None and len(workbook.sheets) > 1:
        evidence.append(_sheet_evidence(contents, len(workbook.sheets)))
    return contents


def _sheet_evidence(contents: WorkbookContents, sheets: int) -> SheetChosen:
    entry, _, blocks = contents.sheets[contents.chosen]
    others = tuple(
        other.name
        for place, (other, _, found) in enumerate(contents.sheets)
        if place != contents.chosen and any(block.plausible for block in found)
    )
    return SheetChosen(
        value=entry.name,
        sheets=sheets,
        supporting=blocks[0].filled if blocks else 0,
        alternatives=others,
        certain=not others,
    )


def _weight(blocks: Sequence[SheetBlock], sheet: Sheet) -> float:
    """How much data a sheet seems to hold; one that was not read whole holds more."""
    if not blocks:
        return -1.0
    return (
        blocks[0].filled * (1.0 if sheet.whole else 1000.0) * (1 if blocks[0].plausible else 0.01)
    )


def _area(plan: Decisions, workbook: Workbook, chosen: _Chosen, evidence: list[Evidence]) -> _Area:
    """The rectangle that is read."""
    text, sheet = plan.sheet.range, chosen.sheet
    named = named_range(plan, workbook) if text is not None else None
    if text is not None and named is not None:
        area = turned_area(named[1]) if sheet.turned else named[1]
        if sheet.used is not None and not (area.last_row and area.last_column):
            area = _given_area(area, sheet.used, chosen.blocks)
    elif sheet.used is None:
        raise LayoutError(f'{workbook.name}: the sheet "{sheet.name}" is empty')
    elif text is not None:
        area = _given_area(sheet.asked(text) or sheet.used, sheet.used, chosen.blocks)
        if area.first_row > sheet.used.last_row or area.first_column > sheet.used.last_column:
            raise LayoutError(
                f'{workbook.name}: the range {text} of "{sheet.name}" is empty; '
                f"the used range is {sheet.written(sheet.used)}"
            )
    else:
        block = chosen.blocks[0]
        area = block.area
        text = f"{sheet.place(area.first_row, area.first_column)}:"
        evidence.append(_block_evidence(sheet, chosen.blocks))
    _refuse_blank(workbook, sheet, area)
    columns = _columns(sheet, area, plan)
    if plan.sheet.range is None or text.endswith(":"):
        columns = without_spacers(sheet, area, columns, evidence)
    return _Area(area, columns, text)


def _refuse_blank(workbook: Workbook, sheet: Sheet, area: Area) -> None:
    """Raise `LayoutError` for a range without a single filled cell."""
    cells = sheet.cells
    inside = (cells.rows >= area.first_row) & (cells.columns >= area.first_column)
    inside &= (cells.rows <= area.last_row) & (cells.columns <= area.last_column)
    if sheet.whole and not inside.any():
        raise LayoutError(
            f'{workbook.name}: the range {sheet.written(area)} of "{sheet.name}" holds no filled '
            f"cell; the used range is {sheet.written(sheet.used) if sheet.used else 'empty'}"
        )


def _given_area(given: Area, used: Area, blocks: Sequence[SheetBlock]) -> Area:
    """A range as it is written; ends left open are those of the block it begins in."""
    block = next(
        (
            each.area
            for each in blocks
            if each.area.first_row <= given.first_row <= each.area.last_row
            and each.area.first_column <= given.first_column <= each.area.last_column
        ),
        used,
    )
    area = Area(
        given.first_row,
        given.first_column,
        given.last_row or (used if given.last_column else block).last_row,
        given.last_column or block.last_column,
    )
    if given.last_row == 0 and given.last_column:  # whole columns
        area = area._replace(first_row=used.first_row)
    return area


def _block_evidence(sheet: Sheet, blocks: Sequence[SheetBlock]) -> BlockChosen:
    others = tuple(sheet.written(each.area) for each in blocks[1:] if each.plausible)
    return BlockChosen(
        value=sheet.written(blocks[0].area),
        blocks=len(in_order(blocks)),
        supporting=blocks[0].filled,
        alternatives=others,
        certain=not others and blocks[0].plausible,
    )


def _outside(
    cells: GridCells, visible: Sheet, area: Area, columns: Sequence[int]
) -> tuple[int, tuple[str, ...], int]:
    """How many filled cells there are, which of them are not read, and how many.

    Those are outside of the area, or hidden and left out.
    """
    inside = held_by(cells, area, columns)
    if len(visible.cells) < len(cells):
        inside &= ~np.isin(cells.rows, list(visible.hidden_rows))
        inside &= ~np.isin(cells.columns, list(visible.hidden_columns))
    at = np.flatnonzero(~inside)
    shown = cells.chosen(at[:10])
    places = zip(shown.rows.tolist(), shown.columns.tolist(), strict=True)
    return len(cells), tuple(visible.place(*each) for each in places), len(at)


def _columns(sheet: Sheet, area: Area, plan: Decisions) -> tuple[int, ...]:
    columns = range(area.first_column, min(area.last_column, WIDEST) + 1)
    if plan.sheet.hidden != "skip":
        return tuple(columns)
    return tuple(column for column in columns if column not in sheet.hidden_columns)


def _check_rows(source: Source, parts: Rows, area: Area, shown: str) -> None:
    for name in ("names", "labels", "units"):
        value = getattr(parts, name)
        for number in value if isinstance(value, tuple) else (value,):
            if number is not None and not area.first_row <= number <= area.last_row:
                raise LayoutError(
                    f"{source.name}: rows.{name} = {number} is outside of the range {shown}; "
                    "rows are numbered as the spreadsheet numbers them"
                )
