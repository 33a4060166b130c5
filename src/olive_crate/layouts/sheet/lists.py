"""Lists of allowed values that a sheet has for its cells: what may be typed there.

A list stands in the rule itself, or in a range of the workbook (data validation: ECMA-376, part 1,
18.3.1.33; content validation: ODF 1.3, part 3, 9.4.5).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple
from xml.etree.ElementTree import Element

from ...columns.rule import number_of
from ...declaration.patterns import late
from ...declaration.promises import PromisedValues
from ...evidence import AllowedByList, Evidence
from ...sources.markup import local
from ...sources.ranges import MOST_ROWS, Area, area_of, sheet_and_range
from .grid import NUMBER, CellList, GridCells, Sheet
from .workbook import Workbook

MOST_WORDS = 200
"""A longer list is a register of its own, not the categories of a variable."""
COVERED = 0.5
"""The share of a column's rows that a list has to hold for."""
IN_LIST = late(r"(?:of:)?cell-content-is-in-list\((.*)\)", re.DOTALL)
DOCUMENT_RANGE = late(r"\[\$?('(?:[^']|'')+'|[^'.\]]*)\.([$A-Z0-9]+)(?::\.([$A-Z0-9]+))?\]")
QUOTED = late(r'"((?:[^"]|"")*)"')


class Allowed(NamedTuple):
    """The values that a list allows."""

    areas: tuple[Area, ...]
    words: tuple[str, ...]
    are_numbers: bool


def lists_of(tree: Element) -> tuple[CellList, ...]:
    """The lists of a sheet, those of other sheets' ranges too, which stand in an extension."""
    found = []
    for each in tree.iter():
        if local(each.tag) != "dataValidation" or each.get("type") != "list":
            continue
        parts = {local(part.tag): (part.text or "").strip() for part in each.iter()}
        formula = parts.get("f") or parts.get("formula1", "")
        areas = [area_of(part) for part in (each.get("sqref") or parts.get("sqref", "")).split()]
        whole = tuple(area for area in areas if area is not None)
        if formula.startswith('"'):
            words = formula.strip('"').replace('""', '"').split(",")
            found.append(CellList(whole, tuple(word.strip() for word in words)))
        elif formula:
            found.append(CellList(whole, place=formula.lstrip("=").replace("$", "")))
    return tuple(found)


def list_of_condition(condition: str) -> CellList | None:
    """The list in a condition of an OpenDocument sheet, without its cells; `None` for another."""
    match = IN_LIST.fullmatch(condition.strip())
    if match is None:
        return None
    if place := DOCUMENT_RANGE.fullmatch(match[1].strip()):
        sheet = f"{place[1]}!" if place[1] else ""
        return CellList((), place=f"{sheet}{place[2]}:{place[3] or place[2]}".replace("$", ""))
    if re.fullmatch(r"[^\W\d][\w.]*", match[1].strip()):
        return CellList((), place=match[1].strip())
    words = tuple(word.replace('""', '"') for word in QUOTED.findall(match[1]))
    return CellList((), words) if words else None


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
