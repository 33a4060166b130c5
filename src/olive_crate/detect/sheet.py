"""A sheet of a workbook, settled: which sheet, which block of it, which row plays which part, and
what the kinds of its cells tell about each column."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ..errors import LayoutError, nearest
from ..evidence import Evidence
from ..plan import Plan
from ..records.sheet import SheetLayout, held_by, in_columns
from ..rowspart import Rows
from ..sheets.blocks import Block, find_blocks
from ..sheets.container import Limits
from ..sheets.grid import (
    Area,
    Cells,
    Sheet,
    SheetEntry,
    area_of,
    letters,
)
from ..sheets.pieces import Assembly
from ..sheets.strings import Strings
from ..sheets.workbook import Workbook, opened, sheet_named
from ..sources import Source
from ..words import several
from .heading import Row
from .kinds import told_by_kinds
from .names import headings_of
from .roles import cells_of_row, heading_rows, other_decimal, row_parts, with_last

if TYPE_CHECKING:
    from .settle import Settled

LOOKED_AT = 200
WIDEST = 16_384
NONE = Assembly(Strings.of([]), (), False).cells()


class Found(msgspec.Struct, frozen=True, eq=False):
    """What a workbook holds, as far as it was looked at."""

    sheets: tuple[tuple[SheetEntry, Sheet, tuple[Block, ...]], ...]
    names: dict[str, tuple[str, Area]]
    chosen: int


def settle_sheet(source: Source, plan: Plan, whole: bool = True) -> Settled:
    """Complete a plan for a workbook. Raises `LayoutError` for a sheet or range that is not there.

    With `whole` false only about the first 4 MB of each sheet are looked at.
    """
    from .settle import Settled

    evidence: list[Evidence] = []
    with opened(source, plan.sheet.limits or Limits(), plan.workers) as workbook:
        found = _looked_at(workbook, plan, evidence, whole)
        entry, sheet, blocks = found.sheets[found.chosen]
        if whole and not sheet.whole:
            sheet = workbook.read(entry)
            blocks = tuple(find_blocks(_with_merged(sheet, plan).cells))
        from_1904 = bool(getattr(workbook, "from_1904", False))
    sheet = _with_merged(sheet, plan)
    used_rows = sheet.cells.used_rows()
    area, text = _area(plan, workbook, sheet, blocks, found, evidence)
    columns = _columns(sheet, area, plan)
    sheet = _visible(sheet, plan)
    rows = rows_of(sheet, area, columns)
    fields = len(columns)
    parts = row_parts(plan.rows, rows, fields, evidence)
    if plan.rows.data is None:
        parts = with_last(parts, _tail(sheet, area, columns, parts), fields, evidence)
    heading = [row for row in rows if row.number in (parts.names or ())]
    _check_rows(source, parts, area)
    headings = headings_of(plan, heading, fields, source)
    ordered, edges = in_columns(sheet.cells, area, columns)
    layout = SheetLayout(
        msgspec.structs.replace(sheet, cells=NONE) if whole else sheet,
        area,
        columns,
        ordered,
        edges,
        used_rows,
        *_outside(sheet.cells, area, columns),
        kinds=("",) * fields,
        from_1904=from_1904,
        heading=heading_rows(parts),
        first=parts.first or area.first_row,
        last=parts.last,
        limit=plan.limit,
        skip_hidden=plan.sheet.hidden == "skip",
        fill_merged=plan.sheet.merged == "fill",
        bytes=source.size or 0,
    )
    layout, told_units, told = told_by_kinds(layout, headings)
    units = cells_of_row(rows, parts.units, fields)
    complete = msgspec.structs.replace(
        plan,
        sheet=msgspec.structs.replace(plan.sheet, sheet=entry.name, range=text),
        rows=parts,
        layout="sheet",
        delimited=msgspec.structs.replace(
            plan.delimited,
            decimal=plan.delimited.decimal or other_decimal(plan.delimited.grouping),
        ),
    )
    return Settled(
        source,
        complete,
        layout,
        headings,
        tuple(own or told_unit for own, told_unit in zip(units, told_units, strict=True)),
        cells_of_row(rows, parts.labels, fields),
        (*evidence, *told),
        tuple(rows),
        workbook=found if not whole else None,
    )


def _visible(sheet: Sheet, plan: Plan) -> Sheet:
    """The sheet without what is hidden, if the plan leaves it out."""
    cells = sheet.cells
    if plan.sheet.hidden == "skip" and (sheet.hidden_rows or sheet.hidden_columns):
        kept = ~np.isin(cells.rows, list(sheet.hidden_rows))
        kept &= ~np.isin(cells.columns, list(sheet.hidden_columns))
        sheet = msgspec.structs.replace(sheet, cells=cells.chosen(kept))
    return sheet


def _with_merged(sheet: Sheet, plan: Plan) -> Sheet:
    """The sheet with its merged cells filled, if the plan asks for it."""
    if plan.sheet.merged == "fill" and sheet.merged:
        sheet = msgspec.structs.replace(sheet, cells=filled_merged(sheet.cells, sheet.merged))
    return sheet


def filled_merged(cells: Cells, merged: Sequence[Area]) -> Cells:
    """The cells, with the value of each merged area in all of its cells."""
    place = {
        key: at
        for at, key in enumerate(zip(cells.rows.tolist(), cells.columns.tolist(), strict=True))
    }
    rows, columns, source = [], [], []
    for area in merged:
        at = place.get((area.first_row, area.first_column))
        size = (area.last_row - area.first_row + 1) * (area.last_column - area.first_column + 1)
        if at is None or size > 100_000:
            continue
        for row in range(area.first_row, area.last_row + 1):
            for column in range(area.first_column, area.last_column + 1):
                if (row, column) not in place:
                    rows.append(row)
                    columns.append(column)
                    source.append(at)
    if not rows:
        return cells
    more = cells.chosen(np.array(source))
    both = [
        np.concatenate((getattr(cells, name), getattr(more, name)))
        for name in ("kinds", "styles", "starts", "ends")
    ]
    all_rows = np.concatenate((cells.rows, np.array(rows)))
    all_columns = np.concatenate((cells.columns, np.array(columns)))
    order = np.lexsort((all_columns, all_rows))
    made = Cells(all_rows, all_columns, both[0], both[1], cells.buffer, both[2], both[3])
    return made.chosen(order)


def _looked_at(workbook: Workbook, plan: Plan, evidence: list[Evidence], whole: bool) -> Found:
    """The sheets that may be meant, and which of them is read."""
    if not workbook.sheets:
        raise LayoutError(f"{workbook.name}: there is no sheet of cells in the workbook")
    wanted = plan.sheet.sheet
    named = _named(plan, workbook)
    if wanted is None and named is not None:
        wanted = named[0]
    if wanted is not None:
        entries = [sheet_named(workbook, wanted)]
    else:
        entries = [each for each in workbook.sheets if not each.hidden] or list(workbook.sheets)
    looked = []
    for entry in entries:
        sheet = workbook.read(entry, whole=whole and len(entries) == 1)
        looked.append((entry, sheet, tuple(find_blocks(_with_merged(sheet, plan).cells))))
    sizes = [_weight(blocks, sheet) for _, sheet, blocks in looked]
    chosen = int(np.argmax(sizes))
    if plan.sheet.sheet is None and named is None and len(workbook.sheets) > 1:
        others = tuple(
            entry.name
            for place, (entry, _, blocks) in enumerate(looked)
            if place != chosen and any(block.plausible for block in blocks)
        )
        entry, _, blocks = looked[chosen]
        evidence.append(
            Evidence(
                "sheet.sheet",
                entry.name,
                f"holds the largest block of {several(len(workbook.sheets), 'sheet')}",
                blocks[0].filled if blocks else 0,
                alternatives=others,
                certain=not others,
            )
        )
    return Found(tuple(looked), workbook.names, chosen)


def _weight(blocks: Sequence[Block], sheet: Sheet) -> float:
    """How much data a sheet seems to hold; one that was not read whole holds more."""
    if not blocks:
        return -1.0
    return (
        blocks[0].filled * (1.0 if sheet.whole else 1000.0) * (1 if blocks[0].plausible else 0.01)
    )


def _named(plan: Plan, workbook: Workbook) -> tuple[str, Area] | None:
    """The sheet and area of a named range or table, where the range is a name."""
    text = plan.sheet.range
    if text is None or area_of(text) is not None:
        return None
    names = workbook.names
    folded = {name.casefold(): name for name in names}
    if text.casefold() in folded:
        return names[folded[text.casefold()]]
    raise LayoutError(
        f'{workbook.name}: "{text}" is no range, and no named range or table'
        f"{nearest(text, names) or '; the workbook has none'}"
    )


def _area(
    plan: Plan,
    workbook: Workbook,
    sheet: Sheet,
    blocks: Sequence[Block],
    found: Found,
    evidence: list[Evidence],
) -> tuple[Area, str]:
    """The rectangle that is read, and how the plan writes it down."""
    text, used = plan.sheet.range, sheet.used
    named = _named(plan, workbook) if text is not None else None
    if text is not None and named is not None:
        return named[1], text
    if used is None:
        raise LayoutError(f'{workbook.name}: the sheet "{sheet.name}" is empty')
    if text is not None:
        given = area_of(text) or used
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
        if area.first_row > used.last_row or area.first_column > used.last_column:
            raise LayoutError(
                f'{workbook.name}: the range {text} of "{sheet.name}" is empty; '
                f"the used range is {used}"
            )
        return area, text
    block_found = blocks[0]
    area = block_found.area
    written = f"{letters(area.first_column)}{area.first_row}:"
    others = tuple(str(each.area) for each in blocks[1:] if each.plausible)
    evidence.append(
        Evidence(
            "sheet.range",
            str(area),
            f"the largest of {several(len(blocks), 'block')}, "
            f"{several(block_found.filled, 'filled cell')}",
            block_found.filled,
            alternatives=others,
            certain=not others and block_found.plausible,
        )
    )
    return area, written


def _outside(cells: Cells, area: Area, columns: Sequence[int]) -> tuple[int, tuple[str, ...], int]:
    """How many filled cells there are, which of them stand outside of the area, and how many."""
    inside = held_by(cells, area, columns)
    at = np.flatnonzero(~inside)
    shown = cells.chosen(at[:10])
    places = zip(shown.rows.tolist(), shown.columns.tolist(), strict=True)
    return len(cells), tuple(f"{letters(column)}{row}" for row, column in places), len(at)


def _columns(sheet: Sheet, area: Area, plan: Plan) -> tuple[int, ...]:
    columns = range(area.first_column, min(area.last_column, WIDEST) + 1)
    if plan.sheet.hidden != "skip":
        return tuple(columns)
    return tuple(column for column in columns if column not in sheet.hidden_columns)


def rows_of(sheet: Sheet, area: Area, columns: Sequence[int]) -> list[Row]:
    """The first rows of the block as text, merged headings spread over what they cover."""
    near = sheet.cells.between(area.first_row, area.last_row)
    numbers = near.used_rows()[:LOOKED_AT]
    return _text_rows(near, numbers, columns, sheet.merged)


def _text_rows(
    cells: Cells, numbers: np.ndarray, columns: Sequence[int], merged: Sequence[Area]
) -> list[Row]:
    wide = [
        each
        for each in merged
        if len(numbers) and each.first_row <= int(numbers[-1]) and each.first_row >= int(numbers[0])
    ]
    near = cells.between(int(numbers[0]), int(numbers[-1])) if len(numbers) else cells.part(0, 0)
    shown = near.chosen(np.isin(near.rows, numbers))
    shown = filled_merged(shown, wide)
    place = {column: index for index, column in enumerate(columns)}
    table = {int(number): [""] * len(columns) for number in numbers}
    for row, column, text in zip(
        shown.rows.tolist(), shown.columns.tolist(), shown.texts(), strict=True
    ):
        if column in place and row in table:
            table[row][place[column]] = text
    return [Row(number, tuple(cells_of)) for number, cells_of in table.items()]


def _tail(sheet: Sheet, area: Area, columns: Sequence[int], parts: Rows) -> list[Row]:
    """The last rows of the block; numbered so that the block's end is the end."""
    first = max(parts.first or area.first_row, area.last_row - LOOKED_AT)
    near = sheet.cells.between(first, area.last_row)
    rows = _text_rows(near, near.used_rows(), columns, ())
    if rows and rows[-1].number < area.last_row:
        return []
    return rows


def _check_rows(source: Source, parts: Rows, area: Area) -> None:
    for name in ("names", "labels", "units"):
        value = getattr(parts, name)
        for number in value if isinstance(value, tuple) else (value,):
            if number is not None and not area.first_row <= number <= area.last_row:
                raise LayoutError(
                    f"{source.name}: rows.{name} = {number} is outside of the range {area}; "
                    "rows are numbered as the spreadsheet numbers them"
                )
