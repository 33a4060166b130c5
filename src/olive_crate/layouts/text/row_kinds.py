"""What a row of words is, by the columns below it: units, labels, prose, names over values."""

from __future__ import annotations

from collections.abc import Sequence

from ...columns.rule import MISSING_MARKS
from ...declaration.patterns import late
from ..base import Row
from .cells import Column, is_value

UNIT = late(
    r"[(\[].{1,15}[)\]]|%|‰|°[CF]?|[kmcµnh]?[gmlLJW]|t|ha|a|[mck]?m[²³2³]|[kK]?[gG]/\S+|\S{1,8}/\S{1,8}|"
    r"mEq.*|meq.*|ppm|ppb|min|h|s|d|EUR|USD|GBP|€|\$|£|n|no\.?|score|0\s?[-–]\s?\d+|\d+\s?[-–]\s?\d+|"
    r"yyyy.*|dd.*|hh.*|date|text|code",
)


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
    likely = sum(bool(UNIT.fullmatch(cell)) for cell in filled)
    over_numbers = any(
        cell.strip() and column.of_values for cell, column in zip(row.cells, columns, strict=True)
    )
    return likely >= FULL_ROW * len(filled) and over_numbers
