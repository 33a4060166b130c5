"""Ranges of a sheet, as people write them."""

from __future__ import annotations

from typing import NamedTuple

from ..declaration.patterns import late
from ..errors import PlanError

MOST_ROWS, MOST_COLUMNS = 1 << 20, 1 << 14

CELL = late(r"\$?([A-Za-z]{1,3})\$?(\d{1,7})")

COLUMN = late(r"\$?([A-Za-z]{1,3})")


class Area(NamedTuple):
    """A rectangle of cells, all ends included, counted from 1."""

    first_row: int
    first_column: int
    last_row: int
    last_column: int

    def __str__(self) -> str:
        low = f"{letters(self.first_column)}{self.first_row}"
        return f"{low}:{letters(self.last_column)}{self.last_row}"


def turned_area(area: Area) -> Area:
    """The same cells where rows and columns have changed places."""
    return Area(area.first_column, area.first_row, area.last_column, area.last_row)


def letters(column: int) -> str:
    """The letters of a column, as spreadsheets show them: 1 is A, 27 is AA."""
    text = ""
    while column:
        column, rest = divmod(column - 1, 26)
        text = chr(65 + rest) + text
    return text


def column_number(text: str) -> int:
    """The column that letters mean."""
    number = 0
    for letter in text.upper():
        number = number * 26 + ord(letter) - 64
    return number


def cell_of(text: str) -> tuple[int, int] | None:
    """Row and column of `B9`; `None` for anything else."""
    match = CELL.fullmatch(text.strip())
    return (int(match[2]), column_number(match[1])) if match else None


def area_of(text: str) -> Area | None:
    """The rectangle that `B9:K310`, `B9:`, `B:K` or `B9` means; ends left open are 0."""
    first, colon, last = text.strip().partition(":")
    low, high = cell_of(first), cell_of(last)
    if low and high:
        rows, columns = sorted((low[0], high[0])), sorted((low[1], high[1]))
        return Area(rows[0], columns[0], rows[1], columns[1])
    if low and not last:
        return Area(*low, 0, 0) if colon else Area(*low, *low)
    if COLUMN.fullmatch(first.strip()) and COLUMN.fullmatch(last.strip()):
        columns = sorted(column_number(each.strip().lstrip("$")) for each in (first, last))
        return Area(1, columns[0], 0, columns[1])
    return None


SHEET = late(r"(?:'((?:[^']|'')+)'|([^'!]+))!(.+)")


def sheet_and_range(text: str) -> tuple[str | None, str]:
    """The sheet and the rest of `'Table 1'!A4:I26`; without a sheet, `None` and the text."""
    match = SHEET.fullmatch(text.strip())
    if match is None:
        return None, text.strip()
    return (match[1] or match[2]).replace("''", "'"), match[3]


def check_range(text: object, at: str = "range") -> str:
    """A range as it is written. Raises `PlanError` for what cannot be one or a name."""
    if not isinstance(text, str) or not text.strip():
        raise PlanError(f'{at}: expected a range such as "B9:K310", or a name, got {text!r}')
    return text.strip()
