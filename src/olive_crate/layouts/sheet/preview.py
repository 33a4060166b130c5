"""A look at a workbook: its sheets, the blocks in them, and one sheet's cells."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from ...plan.model import Decisions
from ...sources.ranges import Area, letters
from ...sources.source import Source
from ..base import BlockView, CellRow, Preview, SheetView
from ..text.heading import find_rows
from .blocks import SheetBlock, WorkbookContents
from .grid import KINDS, Sheet, SheetEntry
from .layout import SheetLayout
from .numbered import in_order, looked_at
from .text_rows import rows_of
from .turned import as_planned
from .workbook import opened

ROWS_SHOWN, COLUMNS_SHOWN = 12, 40


def preview(
    source: Source,
    plan: Decisions,
    layout: SheetLayout,
    contents: WorkbookContents,
    cases: int,
) -> Preview:
    """All sheets, the first rows of the one that is read, and its layout for so many cases."""
    columns, rows = _cell_rows(plan, layout)
    sheet = layout.sheet
    return Preview(
        source,
        msgspec.structs.replace(layout, limit=cases),
        lines=sheet.used.last_row if sheet.whole and sheet.used else None,
        sheet=str(plan.sheet.sheet),
        sheets=_sheet_views(source, plan, contents),
        named={name: f"{sheet}!{area}" for name, (sheet, area) in contents.names.items()},
        letters=columns,
        cells=rows,
    )


def _sheet_views(
    source: Source, plan: Decisions, contents: WorkbookContents
) -> tuple[SheetView, ...]:
    """All sheets of the workbook; hidden ones and ones that were not asked for too."""
    known = {entry.name: (sheet, blocks) for entry, sheet, blocks in contents.sheets}
    shown: list[SheetView] = []
    count = 0
    with opened(source, plan.limits) as book:
        workbook = as_planned(book, plan)
        for entry in workbook.sheets:
            sheet, found = known.get(entry.name) or looked_at(workbook, entry, plan)
            blocks = in_order(found)
            shown.append(_sheet_view(entry, sheet, blocks, count))
            count += len(blocks)
    return tuple(shown)


def _sheet_view(
    entry: SheetEntry, sheet: Sheet, blocks: Sequence[SheetBlock], before: int
) -> SheetView:
    used = sheet.written(sheet.used) if sheet.whole and sheet.used else sheet.claimed
    return SheetView(
        entry.name,
        entry.hidden,
        used,
        len(sheet.cells.used_rows()) if sheet.whole else None,
        {KINDS[kind]: count for kind, count in sheet.cells.kind_counts().items()},
        sheet.whole,
        tuple(
            _block_view(sheet, block.area, number)
            for number, block in enumerate(blocks, start=before + 1)
        ),
    )


def _block_view(sheet: Sheet, area: Area, number: int) -> BlockView:
    columns = range(area.first_column, min(area.last_column, area.first_column + 200) + 1)
    found = find_rows(rows_of(sheet, area, columns), len(columns))
    return BlockView(sheet.written(area), found.names.value, number)


def _cell_rows(plan: Decisions, layout: SheetLayout) -> tuple[tuple[str, ...], tuple[CellRow, ...]]:
    """The letters of the columns, and the first rows of the sheet as the spreadsheet shows them."""
    sheet, used = layout.sheet, layout.sheet.used
    if used is None:
        return (), ()
    columns = range(1, min(used.last_column, layout.area.last_column + 4, COLUMNS_SHOWN) + 1)
    shown = _rows_shown(layout)
    near = sheet.cells.chosen(np.isin(sheet.cells.rows, shown))
    places = zip(near.rows.tolist(), near.columns.tolist(), strict=True)
    texts = dict(zip(places, near.texts(), strict=True))
    rows = tuple(
        CellRow(
            number,
            _part(plan, layout, number),
            tuple(texts.get((number, column), "") for column in columns),
        )
        for number in shown
    )
    return tuple(map(str if sheet.turned else letters, columns)), rows


def _rows_shown(layout: SheetLayout) -> list[int]:
    """The rows before the data, the first of the data, and those around the end of the block."""
    numbers = sorted(set(layout.sheet.cells.rows.tolist()))
    before = [number for number in numbers if number < layout.first]
    after = [number for number in numbers if number >= layout.first]
    ends = [number for number in numbers if number > layout.area.last_row - 2]
    first = after[: max(4, ROWS_SHOWN - len(before))]
    return sorted({*before[-ROWS_SHOWN:], *first, *ends[-5:]})


def _part(plan: Decisions, layout: SheetLayout, number: int) -> str:
    inside = layout.first <= number <= layout.last_row
    return plan.rows.part_of(number) or ("data" if inside else "skipped")
