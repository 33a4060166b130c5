"""Which rows are headings, units, labels, data and totals; and the names that headings give."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

from ...columns.rule import MISSING_MARKS
from ...errors import PlanError
from ...evidence import (
    ClosingRows,
    Evidence,
    Example,
    HeadingFound,
    LabelsFound,
    NoHeading,
    Note,
    RenamedColumn,
    UnitsFound,
    UnnamedColumns,
)
from ...plan.model import Decisions
from ...sources.source import Source
from ..base import Row

NUMBER = re.compile(r"[+-]?[€$£]? ?(\d+([.,' \u00a0]\d+)*|[.,]\d+)([eE][+-]?\d+)? ?[%€]?")
MOMENT = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}([T ]\d.*)?|\d{1,2}:\d{2}(:\d{2}.*)?")
UNIT = re.compile(
    r"[(\[].{1,15}[)\]]|%|‰|°[CF]?|[kmcµnh]?[gmlLJW]|t|ha|a|[mck]?m[²³2³]|[kK]?[gG]/\S+|\S{1,8}/\S{1,8}|"
    r"mEq.*|meq.*|ppm|ppb|min|h|s|d|EUR|USD|GBP|€|\$|£|n|no\.?|score|0\s?[-–]\s?\d+|\d+\s?[-–]\s?\d+|"
    r"yyyy.*|dd.*|hh.*|date|text|code",
)
FULL_ROW = 0.6
"""A row with this share of the fields filled may be the heading; titles fill fewer."""
LOOKED_BELOW = 50
"""Rows below a heading that show what its columns hold."""
EXAMPLE_LENGTH = 80
"""Characters of a row that are kept as an example."""
ALIKE = str.maketrans("012345678", "9" * 9)
YEAR = re.compile(r"(19|20)\d\d")
TOTAL = re.compile(
    r"\s*(grand |sub)?-?(total|totals|totale|totaal|sum|summe|gesamt|insgesamt|somme|suma|soma|"
    r"mean|average|mittelwert|source|note|end of)\b.*",
    re.IGNORECASE,
)


class RowsFound(NamedTuple):
    """Which rows play which part, as far as the head shows it."""

    names: HeadingFound | NoHeading
    first: int
    """The first row of data."""
    heading: tuple[int, ...] = ()
    """The rows of the heading."""
    units: int | None = None
    labels: int | None = None
    more: tuple[Evidence, ...] = ()
    """Evidence for units or labels."""


def is_value(cell: str) -> bool:
    """Does this look like a measured value, not like a word?"""
    return _is_value(cell.strip().translate(ALIKE))


@lru_cache(maxsize=4096)
def _is_value(text: str) -> bool:
    """The same of a text in which digits are not told apart."""
    return bool(NUMBER.fullmatch(text) or MOMENT.fullmatch(text))


def find_rows(rows: Sequence[Row], fields: int) -> RowsFound:
    """Which rows are the heading, the units or the labels, and where the data begin."""
    least = max(1, min(2, fields), math.ceil(FULL_ROW * fields))
    place = next((place for place, row in enumerate(rows) if row.filled >= least), None)
    if place is None:
        return _no_heading(rows[0].number if rows else 1, rows)
    below = rows[place + 1 :]
    if not _is_heading(rows[place], below[:LOOKED_BELOW]):
        return _no_heading(rows[place].number, rows)
    levels, below = _levels(rows, place, below)
    heading = tuple(row.number for row in levels)
    found = RowsFound(_names_evidence(levels, rows), levels[-1].number + 1, heading)
    if not below:
        return found
    second, rest = below[0], below[1:LOOKED_BELOW]
    if _is_units(second, rest):
        units = UnitsFound(
            value=str(second.number), supporting=second.filled, examples=_example(second)
        )
        found = found._replace(units=second.number, more=(units,))
    elif _is_labels(levels[-1], second, rest):
        labels = LabelsFound(
            value=str(second.number), supporting=second.filled, examples=_example(second)
        )
        found = found._replace(labels=second.number, more=(labels,))
    data = below[1:] if found.more else below
    return found._replace(first=data[0].number if data else second.number + 1)


def _levels(
    rows: Sequence[Row], place: int, below: Sequence[Row]
) -> tuple[list[Row], Sequence[Row]]:
    """The rows of a heading of one or two rows, and what stands below them."""
    heading = rows[place]
    if below and _continues(heading, below[0], below[1:LOOKED_BELOW]):
        return [heading, below[0]], below[1:]
    if place and _stands_over(rows[place - 1], heading, below[:LOOKED_BELOW]):
        return [rows[place - 1], heading], below
    return [heading], below


def _names_evidence(levels: Sequence[Row], rows: Sequence[Row]) -> HeadingFound:
    first = levels[0]
    return HeadingFound(
        value=", ".join(str(row.number) for row in levels),
        names=max(row.filled for row in levels),
        levels=len(levels),
        titles=sum(row.number < first.number and row.filled > 0 for row in rows),
        supporting=max(row.filled for row in levels),
        examples=tuple(each for row in levels for each in _example(row)),
        certain=len(levels) == 1 and not _are_years(levels[0]),
        alternatives=(str(levels[-1].number),) if len(levels) > 1 else (),
    )


def _words_over_values(row: Row, below: Sequence[Row]) -> bool:
    """All words, over columns some of which hold values."""
    if any(is_value(cell) for cell in row.cells if cell.strip()):
        return False
    return any(cell.strip() and _holds_values(index, below) for index, cell in enumerate(row.cells))


def _holds_values(index: int, below: Sequence[Row]) -> bool:
    column = [each.cells[index].strip() for each in below if index < len(each.cells)]
    held = [text for text in column if text and text not in MISSING_MARKS]
    return bool(held) and sum(map(is_value, held)) > 0.5 * len(held)


def _continues(first: Row, second: Row, below: Sequence[Row]) -> bool:
    """Is the second row the lower part of a heading of two rows?"""
    words = [cell.strip() for cell in first.cells if cell.strip()]
    whole = len(words) == len(first.cells) == len(set(words))
    if whole or not below:  # a heading by itself
        return False
    open_columns = [
        index
        for index, cell in enumerate(first.cells)
        if not cell.strip() or first.cells.count(cell) > 1
    ]
    covers = len(second.cells) == len(first.cells) and all(
        second.cells[index].strip() for index in open_columns
    )
    if second.filled < first.filled and not covers:
        return False
    return _words_over_values(second, below) and not _is_units(second, below)


def _stands_over(upper: Row, heading: Row, below: Sequence[Row]) -> bool:
    """Is the row above a full heading its upper part, with words over several columns each?"""
    return (
        len(upper.cells) == len(heading.cells)
        and upper.filled >= 2
        and not any(is_value(cell) for cell in upper.cells if cell.strip())
        and _words_over_values(heading, below)
    )


def _is_labels(names: Row, row: Row, below: Sequence[Row]) -> bool:
    """A row that says in more words what the names mean."""
    if not below or not _words_over_values(row, below):
        return False
    short = sum(len(cell.strip()) for cell in names.cells)
    long = sum(len(cell.strip()) for cell in row.cells)
    spaced = sum(" " in cell.strip() for cell in row.cells)
    return row.filled >= 0.5 * names.filled and long > 1.5 * short and spaced * 2 >= row.filled


def _are_years(row: Row) -> bool:
    """Are the values in this row neighbouring years, as they head the columns of a series?"""
    values = [cell.strip() for cell in row.cells if is_value(cell)]
    if len(values) < 2 or not all(YEAR.fullmatch(value) for value in values):
        return False
    years = [int(value) for value in values]
    steps = {after - year for year, after in pairwise(years)}
    return len(steps) == 1 and steps <= {-1, 1, 5, 10}


def _no_heading(number: int, rows: Sequence[Row]) -> RowsFound:
    row = next((row for row in rows if row.number == number), None)
    names = NoHeading(
        examples=_example(row) if row else (),
        alternatives=(str(number),),
        certain=row is None,
    )
    return RowsFound(names, number)


def _example(row: Row) -> tuple[Example, ...]:
    return (Example(row.number, " | ".join(row.cells)[:EXAMPLE_LENGTH]),)


def _is_heading(row: Row, below: Sequence[Row]) -> bool:
    """A heading is not like what stands below it: words over values, and no word twice."""
    others = [each for each in below if each.cells != row.cells]
    if any(_holds_values(index, others) for index in range(len(row.cells))):
        below = others  # without repetitions of the heading
    if _are_years(row) and not any(_are_years(each) for each in below[:3]):
        return True
    values = words = fit = 0
    for index, cell in enumerate(row.cells):
        if not cell.strip():
            continue
        column = [each.cells[index].strip() for each in below if index < len(each.cells)]
        held = [text for text in column if text and text not in MISSING_MARKS]
        mostly_values = bool(held) and sum(map(is_value, held)) > 0.5 * len(held)
        if is_value(cell):
            values += mostly_values or not held
        elif mostly_values:
            words += 1
        elif held and cell.strip() not in held:
            fit += 1
    if words or values:
        return words > values
    distinct = len({cell for cell in row.cells if cell.strip()}) == row.filled
    return (fit > 0 and distinct) or not below


def _is_units(row: Row, below: Sequence[Row]) -> bool:
    """A row of units: short words of the kind that stands over numbers."""
    cells = [cell.strip() for cell in row.cells]
    filled = [cell for cell in cells if cell]
    if not filled or any(is_value(cell) for cell in filled):
        return False
    likely = sum(bool(UNIT.fullmatch(cell)) for cell in filled)
    over_numbers = 0
    for index, cell in enumerate(cells):
        column = [each.cells[index].strip() for each in below if index < len(each.cells)]
        held = [text for text in column if text and text not in MISSING_MARKS]
        over_numbers += bool(cell and held) and sum(map(is_value, held)) > 0.5 * len(held)
    return likely >= 0.6 * len(filled) and over_numbers > 0


def find_last(tail: Sequence[Row], fields: int) -> ClosingRows | None:
    """Rows at the end that are no data: totals, notes."""
    if fields < 2 or len(tail) < 3:
        return None
    left = len(tail)
    usual = sorted(row.filled for row in tail)[len(tail) // 2]
    leads = sum(is_value(_first(row)) for row in tail) > 0.5 * len(tail)
    while left > 1 and _is_footer(tail[left - 1], usual, leads):
        left -= 1
    if left == len(tail) or left <= len(tail) // 2:
        return None
    out = tail[left:]
    count = tail[-1].number - out[0].number + 1
    return ClosingRows(
        value=str(-1 - count),
        rows=count,
        total=any(TOTAL.match(_first(row)) for row in out),
        supporting=count,
        examples=tuple(each for row in out[:3] for each in _example(row)),
    )


def _first(row: Row) -> str:
    return next((cell for cell in row.cells if cell.strip()), "")


def _is_footer(row: Row, usual: int, leads: bool) -> bool:
    """Is this row no data? `leads`: the rows above begin with a value, not with a word."""
    if row.filled == 0:
        return True
    if row.filled <= max(1, usual // 4) and usual > 2:
        return True
    return bool(TOTAL.match(_first(row))) and (row.filled < usual or leads)


def headings_of(
    plan: Decisions, heading: Sequence[Row], fields: int, source: Source
) -> tuple[str, ...]:
    """The heading of each column; empty where there is none."""
    if plan.names is not None:
        if len(plan.names) != fields:
            raise PlanError(
                f"names: {len(plan.names)} names for the {fields} columns of {source.name}"
            )
        return plan.names
    upper = [_spread(row.cells, fields) for row in heading[:-1]]
    lower = [padded_cells(row.cells, fields) for row in heading[-1:]]
    levels = [*upper, *lower]
    return tuple(
        " ".join(dict.fromkeys(part for level in levels if (part := level[column].strip())))
        for column in range(fields)
    )


def _spread(cells: Sequence[str], fields: int) -> list[str]:
    """A heading's upper row: a word stands over the empty cells to its right as well."""
    spread, last = [], ""
    for cell in padded_cells(cells, fields):
        last = cell if cell.strip() else last
        spread.append(last)
    return spread


def padded_cells(cells: Sequence[str], fields: int) -> list[str]:
    """As many cells as there are columns."""
    return [*cells[:fields], *[""] * (fields - len(cells))]


def unique_names(headings: Sequence[str]) -> tuple[list[str], list[Note]]:
    """Names for columns: headings as written, made unique; and a note on each one changed."""
    names: list[str] = []
    notes: list[Note] = []
    taken = {heading for heading in headings if heading}
    used: set[str] = set()
    for number, heading in enumerate(headings, 1):
        name = heading or f"column_{number}"
        if not heading or name in used:
            name = _free_name(name, heading, used, taken)
            if heading:
                notes.append(RenamedColumn(column=number, heading=heading, name=name))
        names.append(name)
        used.add(name)
    unnamed = tuple(number for number, heading in enumerate(headings, 1) if not heading)
    if unnamed and any(headings):
        notes.append(UnnamedColumns(columns=unnamed))
    return names, notes


def _free_name(base: str, heading: str, used: set[str], taken: set[str]) -> str:
    """A name that no other column has, made of this one and a number."""
    name, count = base, 2
    while name in used or (name in taken and name != heading) or name == heading:
        name, count = f"{base}_{count}", count + 1
    return name
