"""The first look at a workbook: its sheets, the blocks in them, and one sheet's cells."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from .detect.heading import find_rows
from .detect.settle import Settled
from .detect.sheet import rows_of
from .records.sheet import SheetLayout, last_row
from .sheets.grid import KINDS, Area, Sheet, letters
from .sheets.workbook import opened

ROWS_SHOWN, COLUMNS_SHOWN = 12, 40


class LookedSheet(msgspec.Struct, frozen=True):
    """A sheet as a list of them shows it."""

    name: str
    hidden: bool
    used: str
    """The used range; as the file claims it, where the sheet was not read whole."""
    rows: int | None
    """Rows that hold anything; `None` where the sheet was not read whole."""
    cells: dict[str, int]
    """Filled cells by kind, as far as they were looked at."""
    whole: bool
    blocks: tuple[str, ...]
    """Blocks that may be data, the largest first: range and rows of the heading."""


class CellRow(msgspec.Struct, frozen=True):
    """A row of a sheet as it stands."""

    row: int
    part: str
    cells: tuple[str, ...]


def looked_sheets(settled: Settled) -> tuple[LookedSheet, ...]:
    """All sheets of the workbook; hidden ones and ones that were not asked for too."""
    known = {entry.name: (sheet, blocks) for entry, sheet, blocks in settled.workbook.sheets}
    shown = []
    with opened(settled.source, settled.plan.sheet.limits or _limits()) as workbook:
        for entry in workbook.sheets:
            if entry.name in known:
                sheet, blocks = known[entry.name]
            else:
                from .sheets.blocks import find_blocks

                sheet = workbook.read(entry, whole=False)
                blocks = tuple(find_blocks(sheet.cells))
            shown.append(_looked(entry.name, entry.hidden, sheet, blocks))
    return tuple(shown)


def _limits() -> Any:
    from .sheets.container import Limits

    return Limits()


def _looked(name: str, hidden: bool, sheet: Sheet, blocks: Sequence[Any]) -> LookedSheet:
    used = str(sheet.used) if sheet.whole and sheet.used else sheet.claimed
    return LookedSheet(
        name,
        hidden,
        used,
        len(sheet.cells.used_rows()) if sheet.whole else None,
        {KINDS[kind]: count for kind, count in sheet.cells.kind_counts().items()},
        sheet.whole,
        tuple(_block(sheet, block.area) for block in blocks if block.plausible)[:8],
    )


def _block(sheet: Sheet, area: Area) -> str:
    """A block's range, and the rows of its heading."""
    columns = range(area.first_column, min(area.last_column, area.first_column + 200) + 1)
    rows = rows_of(sheet, area, columns)
    found = {each.subject: each.value for each in find_rows(rows, len(columns))}
    names = found.get("rows.names", "")
    return f"{area} (names in {names})" if names else f"{area} (no names)"


def looked_names(settled: Settled) -> dict[str, str]:
    """Named ranges and tables, with the sheet and range of each."""
    return {name: f"{sheet}!{area}" for name, (sheet, area) in settled.workbook.names.items()}


def cell_rows(settled: Settled) -> tuple[tuple[str, ...], tuple[CellRow, ...]]:
    """The letters of the columns, and the first rows of the sheet as the spreadsheet shows them."""
    layout = settled.layout
    assert isinstance(layout, SheetLayout)
    sheet, used = layout.sheet, layout.sheet.used
    if used is None:
        return (), ()
    columns = range(1, min(used.last_column, layout.area.last_column + 4, COLUMNS_SHOWN) + 1)
    numbers = sorted(set(sheet.cells.rows.tolist()))
    before = [number for number in numbers if number < layout.first]
    after = [number for number in numbers if number >= layout.first]
    last = layout.area.last_row
    ends = [number for number in numbers if number > last - 2]
    shown = [*before[-ROWS_SHOWN:], *after[: max(4, ROWS_SHOWN - len(before))], *ends[-5:]]
    shown = sorted(set(shown))
    near = sheet.cells.chosen(np.isin(sheet.cells.rows, shown))
    texts = {
        (row, column): text
        for row, column, text in zip(
            near.rows.tolist(), near.columns.tolist(), near.texts(), strict=True
        )
    }
    rows = tuple(
        CellRow(
            number,
            _part(settled, layout, number),
            tuple(texts.get((number, column), "") for column in columns),
        )
        for number in shown
    )
    return tuple(letters(column) for column in columns), rows


def _part(settled: Settled, layout: SheetLayout, number: int) -> str:
    inside = layout.first <= number <= last_row(layout)
    return settled.plan.rows.part_of(number) or ("data" if inside else "skipped")
