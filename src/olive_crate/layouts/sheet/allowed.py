"""What may be typed in the columns of a sheet, by its lists of allowed values."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import msgspec

from ...columns.rule import number_of
from ...declaration.promises import PromisedValues
from ...evidence import AllowedByList, Evidence
from ...sources.ranges import MOST_ROWS, Area, area_of, sheet_and_range
from .grid import NUMBER, GridCells, Sheet
from .workbook import Workbook

MOST_WORDS = 200
"""A longer list is a register of its own, not the categories of a variable."""
COVERED = 0.5
"""The share of a column's rows that a list has to hold for."""


class Allowed(msgspec.Struct, frozen=True):
    """The values that a list allows."""

    areas: tuple[Area, ...]
    words: tuple[str, ...]
    are_numbers: bool


def allowed_in(workbook: Workbook, sheet: Sheet) -> list[Allowed]:
    """The values of each list of a sheet; a list whose range is not there says nothing."""
    found = []
    read = {sheet.name: sheet.cells} if sheet.whole and not sheet.turned else {}
    for each in sheet.lists:
        words, numbers = each.words, False
        if each.place:
            words, numbers = _words_at(workbook, sheet, each.place, read)
        words = tuple(dict.fromkeys(word for word in words if word))
        if words and len(words) <= MOST_WORDS:
            found.append(Allowed(each.areas, words, numbers))
    return found


def _words_at(
    workbook: Workbook, sheet: Sheet, place: str, read: dict[str, GridCells]
) -> tuple[tuple[str, ...], bool]:
    """What stands in a range, and whether it is numbers; `read` holds the sheets met so far."""
    name, text = sheet_and_range(place)
    area = area_of(text)
    if area is None:
        named = {each.casefold(): meant for each, meant in workbook.names.items()}
        meant = named.get(f"{sheet.name}!{text}".casefold()) or named.get(text.casefold())
        if meant is None:
            return (), False
        name, area = meant
    entry = next((e for e in workbook.sheets if e.name == (name or sheet.name)), None)
    if entry is None:
        return (), False
    if entry.name not in read:
        read[entry.name] = workbook.read(entry).cells
    cells = read[entry.name]
    within = (cells.columns >= area.first_column) & (cells.columns <= area.last_column)
    rows = (cells.rows >= area.first_row) & (cells.rows <= (area.last_row or MOST_ROWS))
    held = cells.chosen(within & rows)
    return tuple(held.texts()), bool(len(held)) and bool((held.kinds == NUMBER).all())


def known_by_lists(
    lists: Sequence[Allowed],
    columns: Sequence[int],
    rows: tuple[int, int],
    names: Sequence[str],
    evidence: list[Evidence],
) -> list[dict[str, Any]]:
    """What lists say of each column: its values, and that they are categories."""
    wanted = COVERED * (rows[1] - rows[0] + 1)
    known: list[dict[str, Any]] = []
    for name, column in zip(names, columns, strict=True):
        holds = (each for each in lists if _rows_of(each.areas, column, rows) >= wanted)
        found = next(holds, None)
        known.append({} if found is None else _said(found))
        if found is not None:
            words = found.words
            evidence.append(AllowedByList(variable=name, words=words, supporting=len(words)))
    return known


def _rows_of(areas: Iterable[Area], column: int, rows: tuple[int, int]) -> int:
    """For how many of these rows of a column a list holds."""
    held = 0
    for area in areas:
        if area.first_column <= column <= (area.last_column or column):
            last = min(area.last_row or MOST_ROWS, rows[1])
            held += max(0, last - max(area.first_row, rows[0]) + 1)
    return held


def _said(each: Allowed) -> dict[str, Any]:
    numbers = [number_of(word) for word in each.words]
    if all(number is not None for number in numbers):
        plain = [int(n) if n is not None and n.is_integer() else n for n in numbers]
        return {"promised": PromisedValues(allowed=tuple(n for n in plain if n is not None))}
    return {"promised": PromisedValues(allowed=each.words), "type": "category"}
