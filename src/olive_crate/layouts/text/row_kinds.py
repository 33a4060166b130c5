"""What a row of words is, by the columns below it: units, labels, prose, names over values."""

from __future__ import annotations

from collections.abc import Sequence

from ...columns.rule import MISSING_MARKS
from ...declaration.patterns import late
from ..base import Row
from .cells import Column, is_value

UNITS = frozenset(
    (
        *("%", "‰", "°", "°C", "°F", "t", "ha", "a", "ppm", "ppb", "min", "h", "s", "d", "n", "no"),
        *("EUR", "USD", "GBP", "€", "$", "£", "no.", "score", "date", "text", "code"),
        *(f"{size}{unit}" for size in ("", *"kmcµnh") for unit in "gmlLJW"),
        *(f"{size}m{power}" for size in ("", *"mck") for power in "²³23"),
    )
)
"""What stands over numbers as their unit, or over others as what they are."""
LONGER_UNITS = ("mEq", "meq", "yyyy", "dd", "hh")
"""How longer ones begin: equivalents, and forms of dates and times."""
SCALE = late(r"\d+\s?[-–]\s?\d+")
LONGEST_UNIT, LONGEST_PART = 15, 8
"""Characters of a unit in brackets, and of one beside a slash."""

FULL_ROW = 0.6
"""A row with this share of the usual cells filled may be the heading; titles fill fewer."""


PROSE_WORDS, PROSE_LENGTH = 3, 1.5
"""A lone text of so many words, longer by this factor than all others of its column, is a title."""


def is_prose(cell: str, column: Column) -> bool:
    """Is a text unlike the others of its column: of more words, and longer?"""
    text = cell.strip()
    if len(text.split()) < PROSE_WORDS or is_value(text):
        return False
    return len(text) > PROSE_LENGTH * max(map(len, column.texts), default=0)


def words_over_values(row: Row, columns: Sequence[Column]) -> bool:
    """All words, over columns some of which hold values."""
    if any(is_value(cell) for cell in row.cells if cell.strip()):
        return False
    pairs = zip(row.cells, columns, strict=True)
    return any(
        cell.strip() not in ("", *MISSING_MARKS) and column.of_values for cell, column in pairs
    )


def is_labels(names: Row, row: Row, columns: Sequence[Column]) -> bool:
    """A row that says in more words what the names mean; `columns` are what stands below it."""
    rows = columns[0].rows if columns else 0
    if not rows or any(map(is_value, filter(str.strip, row.cells))):
        return False
    if not words_over_values(row, columns):
        held = [pair for pair in zip(row.cells, columns, strict=True) if pair[0].strip()]
        prose = sum(is_prose(cell, column) for cell, column in held)
        return rows > 1 and prose > 0.5 * len(held) and row.filled >= 0.5 * names.filled
    short = sum(len(cell.strip()) for cell in names.cells)
    long = sum(len(cell.strip()) for cell in row.cells)
    spaced = sum(" " in cell.strip() for cell in row.cells)
    return row.filled >= 0.5 * names.filled and long > 1.5 * short and spaced * 2 >= row.filled


def is_units(row: Row, columns: Sequence[Column]) -> bool:
    """A row of units: short words of the kind that stands over numbers."""
    filled = [cell.strip() for cell in row.cells if cell.strip()]
    if not filled or any(is_value(cell) for cell in filled):
        return False
    likely = sum(map(is_unit, filled))
    over_numbers = any(
        cell.strip() and column.of_values for cell, column in zip(row.cells, columns, strict=True)
    )
    return likely >= FULL_ROW * len(filled) and over_numbers


def is_unit(cell: str) -> bool:
    """A unit, a scale (`0-10`), or a form of dates (`dd.mm.yyyy`), with nothing around it."""
    if cell in UNITS:
        return True
    if not cell or "\n" in cell:
        return False
    if cell.startswith(LONGER_UNITS) or (cell[0].isdigit() and SCALE.fullmatch(cell)):
        return True
    if cell[0] in "([" and cell[-1] in ")]":
        return 0 < len(cell) - 2 <= LONGEST_UNIT
    return "/" in cell and len(cell.split()) == 1 and _is_ratio(cell)


def _is_ratio(cell: str) -> bool:
    """One unit for each of another: `mg/kg`."""
    if cell.lower().startswith(("g/", "kg/")):
        return len(cell) > cell.index("/") + 1
    return any(
        char == "/" and 0 < at <= LONGEST_PART and 0 < len(cell) - at - 1 <= LONGEST_PART
        for at, char in enumerate(cell)
    )
