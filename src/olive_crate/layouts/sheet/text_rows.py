"""Rows of a sheet as text, to find their parts by."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...plan.model import Rows
from ...sources.ranges import Area
from ..base import Row
from .grid import GridCells, Sheet

LOOKED_AT = 200


def filled_merged(cells: GridCells, merged: Sequence[Area]) -> GridCells:
    """The cells, with the value of each merged area in all of its cells."""
    if not merged:
        return cells
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
    made = GridCells(all_rows, all_columns, both[0], both[1], cells.buffer, both[2], both[3])
    return made.chosen(order)


def rows_of(sheet: Sheet, area: Area, columns: Sequence[int]) -> list[Row]:
    """The first rows of the block as text, merged headings spread over what they cover."""
    near = sheet.cells.between(area.first_row, area.last_row)
    numbers = near.used_rows()[:LOOKED_AT]
    return _text_rows(near, numbers, columns, sheet.merged)


def _text_rows(
    cells: GridCells, numbers: np.ndarray, columns: Sequence[int], merged: Sequence[Area]
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
