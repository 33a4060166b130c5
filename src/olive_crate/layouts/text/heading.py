"""Which rows at the top are titles, headings, units and labels, and where the data begin.

A row is judged by what stands below it. Words over a column of values make a heading; values like
those below make data. A row is never set aside for being short: sparse first records are data,
as long as what they hold fits its columns. Where columns hold only words, a row is a heading if
its words differ in kind from those below; where nothing but chance tells, the point stays open.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import msgspec

from ...columns.rule import MARKS
from ...evidence import (
    Evidence,
    Example,
    HeadingFound,
    LabelsFound,
    NoHeading,
    TitlesFound,
    UnitsFound,
)
from ..base import Row
from .cells import (
    Column,
    are_years,
    columns_of,
    is_value,
    names_from_second,
    number_of,
    shape_of,
    usual_filled,
)
from .row_kinds import FULL_ROW, is_labels, is_prose, is_units, words_over_values

LOOKED_BELOW = 50
"""Rows below a heading that show what its columns hold."""
EXAMPLE_LENGTH = 80
"""Characters of a row that are kept as an example."""
FEWEST_VALUES = 3
"""Numbers below that show of which scale a column is."""
ENOUGH_ROWS = 8
"""Rows below that a table of words needs before it tells a heading for certain."""
NONE = "none"
"""The alternative to a heading: there is none."""


class RowsFound(msgspec.Struct, frozen=True):
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
    titles: tuple[Evidence, ...] = ()
    """Evidence for rows above that are left out."""


class _Judged(msgspec.Struct, frozen=True):
    """What a row seems to be."""

    is_heading: bool
    certain: bool


def find_rows(rows: Sequence[Row], fields: int) -> RowsFound:
    """Which rows are the heading, the units or the labels, and where the data begin."""
    place = _first_full(rows, fields)
    if place is None:
        return RowsFound(NoHeading(), rows[0].number if rows else 1)
    top = place
    if fields == 1:
        place = _last_of_words(rows, place)
    judged = _judged(rows[place], rows[place + 1 :], fields)
    judged = msgspec.structs.replace(judged, certain=judged.certain and place == top)
    if place and not any(row.filled for row in rows[place + 1 :]):
        judged = _Judged(False, False)  # the only full row is the last
    if not judged.is_heading:
        sparse = _sparse_heading(rows, place, fields)
        if sparse is None:
            return _without_heading(rows, place, fields, judged.certain)
        place, judged = sparse
    levels, below = _levels(rows, place, rows[place + 1 :])
    heading = tuple(row.number for row in levels)
    first = below[0].number if below else levels[-1].number + 1
    top = levels[0].number
    titles = _titles(rows, top, fields, judged.certain) if rows[0].number < top else ()
    certain = judged.certain and not rows[place].is_comment
    names = _names_evidence(levels, certain)
    found = RowsFound(names, first, heading, titles=titles)
    return _below_heading(found, levels[-1], below)


def _last_of_words(rows: Sequence[Row], place: int) -> int:
    """Of several lines of words above a single column of values, the one just above them."""
    following = [at for at in range(place, len(rows)) if rows[at].filled]
    words = list(itertools.takewhile(lambda at: not is_value(rows[at].cells[0]), following))
    return words[-1] if words and len(words) < len(following) / 2 else place


def _first_full(rows: Sequence[Row], fields: int) -> int | None:
    """The place of the first row with about as many filled cells as is usual."""
    usual = min(fields, usual_filled(rows[len(rows) // 2 :]))
    least = max(1, min(2, fields), math.ceil(FULL_ROW * usual))
    return next((place for place, row in enumerate(rows) if row.filled >= least), None)


def _below_heading(found: RowsFound, heading: Row, below: Sequence[Row]) -> RowsFound:
    """The units or the labels in the first row below the heading."""
    if not below:
        return found
    second, rest = below[0], below[1:LOOKED_BELOW]
    if any(is_value(cell) for cell in second.cells if cell.strip()):
        return found
    kind: type[UnitsFound | LabelsFound]
    columns = columns_of(rest, len(second.cells))
    if is_units(second, columns):
        kind, found = UnitsFound, msgspec.structs.replace(found, units=second.number)
    elif is_labels(heading, second, columns):
        kind, found = LabelsFound, msgspec.structs.replace(found, labels=second.number)
    else:
        return found
    evidence = kind(value=str(second.number), supporting=second.filled, examples=example_of(second))
    first = rest[0].number if rest else second.number + 1
    return msgspec.structs.replace(found, more=(evidence,), first=first)


def _sparse_heading(rows: Sequence[Row], place: int, fields: int) -> tuple[int, _Judged] | None:
    """A heading above the first full row that names some of the columns only."""
    columns = columns_of(rows[place:][:LOOKED_BELOW], fields)
    for index in range(place - 1, -1, -1):
        row = rows[index]
        if not row.filled:
            continue
        judged = _judged(row, rows[index + 1 :], fields)
        named = row.filled > 1 or not row.cells[0].strip()
        if judged.is_heading and not _may_be_title(row, fields):
            return index, msgspec.structs.replace(judged, certain=judged.certain and named)
        if not _fits(row, columns):
            return None
    return None


def _may_be_title(row: Row, fields: int) -> bool:
    """Is a text alone in its row more likely a title than a name?"""
    if row.filled > 1 or fields == 1 or not row.cells[0].strip():
        return False
    return len(row.cells) != fields - 1 or " " in row.cells[0].strip()


def _without_heading(rows: Sequence[Row], place: int, fields: int, certain: bool) -> RowsFound:
    """No heading: the data begin with the first row from which on all that is held fits."""
    columns = columns_of(rows[place:][:LOOKED_BELOW], fields)
    first = place
    ragged = sum(len(row.cells) == 1 and row.filled > 0 for row in rows[place:]) > 1
    for index in range(place - 1, -1, -1):
        row = rows[index]
        unlike = not ragged and len(row.cells) == 1 < fields and not is_value(row.cells[0])
        if row.filled and (unlike or not _fits(row, columns)):
            break
        first = index if row.filled else first
    number = rows[first].number
    whole = all(len(row.cells) >= fields or not row.filled for row in rows[first:place])
    certain = certain and whole
    names = NoHeading(
        examples=example_of(rows[first]),
        alternatives=() if certain else (str(number),),
        certain=certain,
    )
    return RowsFound(names, number, titles=_titles(rows, number, fields, False))


def _fits(row: Row, columns: Sequence[Column]) -> bool:
    """Could this be a row of data, whatever it lacks?"""
    if row.runs_on:
        return False
    if len(row.cells) == 1 < len(columns) and is_prose(row.cells[0], columns[0]):
        return False
    pairs = zip(row.cells, columns, strict=False)
    held = [(cell, column) for cell, column in pairs if cell.strip()]
    if len(held) == 1 and is_prose(*held[0]):
        return False
    fit = all(
        column.fits(cell) and not column.is_coded_unlike(cell.strip()) for cell, column in held
    )
    return len(row.cells) <= len(columns) and fit


def _titles(rows: Sequence[Row], first: int, fields: int, certain: bool) -> tuple[TitlesFound, ...]:
    """Evidence for the rows above, if anything stands there."""
    above = [row for row in rows if row.number < first and row.filled]
    if not above:
        return ()
    alone = all(row.filled == 1 or len(row.cells) < fields for row in above)
    certain = certain or all(row.runs_on for row in above)
    return (
        TitlesFound(
            value=_runs_of([row.number for row in above]),
            rows=len(above),
            supporting=len(above),
            examples=tuple(each for row in above[:3] for each in example_of(row)),
            alternatives=() if certain and alone else (f"{above[0].number}..",),
            certain=certain and alone,
        ),
    )


def _runs_of(numbers: Sequence[int]) -> str:
    """Row numbers with neighbours joined: `1-3, 5`."""
    runs = itertools.groupby(enumerate(numbers), key=lambda pair: pair[1] - pair[0])
    ends = [[number for _, number in run] for _, run in runs]
    return ", ".join(str(a[0]) if len(a) == 1 else f"{a[0]}-{a[-1]}" for a in ends)


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


def _names_evidence(levels: Sequence[Row], certain: bool) -> HeadingFound:
    one = len(levels) == 1
    other = NONE if one else str(levels[-1].number)
    certain = certain and one
    return HeadingFound(
        value=", ".join(str(row.number) for row in levels),
        names=max(row.filled for row in levels),
        levels=len(levels),
        in_comment=levels[-1].is_comment,
        supporting=max(row.filled for row in levels),
        examples=tuple(each for row in levels for each in example_of(row)),
        certain=certain,
        alternatives=() if certain else (other,),
    )


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
    columns = columns_of(below, len(second.cells))
    return words_over_values(second, columns) and not is_units(second, columns)


def _stands_over(upper: Row, heading: Row, below: Sequence[Row]) -> bool:
    """Is the row above a full heading its upper part, with words over several columns each?"""
    return (
        len(upper.cells) == len(heading.cells)
        and upper.filled >= 2
        and not any(is_value(cell) for cell in upper.cells if cell.strip())
        and words_over_values(heading, columns_of(below, len(heading.cells)))
    )


def example_of(row: Row) -> tuple[Example, ...]:
    """A row as evidence quotes it."""
    held = [cell.strip() for cell in row.cells if cell.strip()]
    return (Example(row.number, " | ".join(held)[:EXAMPLE_LENGTH]),)


def _judged(row: Row, below: Sequence[Row], fields: int) -> _Judged:
    """A heading is not like what stands below it: words over values, or words of another kind."""
    if row.runs_on:
        return _Judged(False, False)
    below = below[:LOOKED_BELOW]
    shifted = len(row.cells) < fields and names_from_second(row.cells, fields)
    cells = ("", *row.cells) if shifted else row.cells
    others = [each for each in below if each.cells != row.cells]
    columns = columns_of(others, max(1, len(cells)))
    of_values = any(column.of_values for column in columns)
    if not of_values and len(others) < len(below):  # words repeated may be data
        columns = columns_of(below, len(cells))
    held = [
        (text, column)
        for cell, column in zip(cells, columns, strict=False)
        if (text := cell.strip()) and text not in MARKS
    ]
    over = [is_value(text) for text, _ in held]
    if any(over) and are_years(cells) and not any(are_years(each.cells) for each in below[:3]):
        words_fit = all(text not in column.texts for text, column in held if not is_value(text))
        return _Judged(True, words_fit and sum(over) > 2)
    pairs = list(zip(over, held, strict=True))
    values = sum([is_one and (c.of_values or not c.texts) for is_one, (_, c) in pairs])
    words = sum([not is_one and c.of_values and text not in c.texts for is_one, (text, c) in pairs])
    if values > 1 and all(over) and _of_another_scale(held):
        return _Judged(True, False)
    if words or values:
        first = columns[0].texts  # a heading one name short stands over names of rows
        clear = not (words and values) and not (shifted and len(set(first)) < len(first))
        return _Judged(words > values, clear)
    return _judged_words(held, below, row)


def _of_another_scale(held: Sequence[tuple[str, Column]]) -> bool:
    """Are these numbers in order, each far from all numbers of its column?"""
    over = [(number_of(text), column) for text, column in held if is_value(text)]
    numbers = [number for number, _ in over if number is not None]
    if len(numbers) != len(over) or numbers not in (sorted(set(numbers)), sorted(numbers)[::-1]):
        return False
    return all(
        column.of_values
        and len(column.texts) >= FEWEST_VALUES
        and number is not None
        and column.is_apart(number)
        for number, column in over
    )


def _judged_words(held: Sequence[tuple[str, Column]], below: Sequence[Row], row: Row) -> _Judged:
    """A row of words over columns of words."""
    if not below:
        return _Judged(True, False)
    met = sum(text in column.texts or column.is_coded_like(text) for text, column in held)
    if len(held) == 1 == len(row.cells) and len(below) >= ENOUGH_ROWS:
        met += held[0][1].is_record_like(held[0][0])
    strong = sum(_is_unlike(text, column) for text, column in held)
    distinct = len({cell for cell in row.cells if cell.strip()}) == row.filled
    new = sum(bool(column.texts) and text not in column.texts for text, column in held)
    is_heading = new > 0 and distinct and (not met or strong > met)
    return _Judged(is_heading, is_heading and strong > 0 and not met)


def _is_unlike(text: str, column: Column) -> bool:
    """Does a word differ in kind from those of its column?"""
    if text in column.texts or len(column.texts) < ENOUGH_ROWS:
        return False
    shape = column.shape
    return column.repeats or (shape != "" and shape_of(text) != shape)
