"""The rows that close a table: totals and notes, known by what they are.

A row is a total if a word says so where no word belongs, or if its numbers are the sums or means
of rows above. It is a note if nothing it holds fits the column it stands in. A row is never set
aside for what it lacks: a last case of which only the number is known is a case.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

import msgspec

from ...columns.rule import MARKS
from ...declaration.patterns import late
from ...evidence import ClosingRows, Example, LeftOutByPosition
from ...plan.model import Rows
from ..base import Row
from .cells import Column, column_of, columns_of, is_value, number_of, usual_filled
from .closing_words import begins_note, is_note_word, is_total_word
from .heading import example_of
from .row_kinds import is_prose

STARRED = late(r"([*†‡]+|\(?\d\))\s*[^\W\d]{3}.*")
"""A footnote: a star or a number in brackets before words."""
RULES, SHORTEST_RULE = "-=_*~", 3
"""What lines across a page are drawn with."""
ENOUGH_SUMMED = 5
"""A number is the sum of so many others hardly by chance."""
NEARLY = 1e-6
"""A sum of binary64 numbers further off than this share of them all is another sum."""
FAR = 10
"""So many times as large as all above may be the total of a file too large to look at whole."""
FEWEST_ROWS = 3
"""Rows that a sum or a mean is made of, at least."""
ENOUGH_ABOVE = 60
"""Rows above that show what columns hold."""
MOST_EXAMPLES = 3
EMPTY_LEAD = 0.9
"""Where this share of rows have a first cell, a row without one lacks a name of its own."""
TOTALS, NOTES, EMPTY, PERHAPS = "total", "note", "empty", "perhaps"


class Closing(msgspec.Struct, frozen=True):
    """What stands below the data."""

    evidence: ClosingRows
    rows: int
    """Rows from the first of them to the end of the source; 0 where none is left out."""


class Tail(msgspec.Struct, frozen=True):
    """The end of a source."""

    rows: Sequence[Row]
    """The last rows of data, and what stands below them."""
    last: int
    """The number of the source's last row; -1 where rows are counted from the end."""
    whole: Callable[[], Sequence[Row]] | None = None
    """Gives all rows of data, where they are at hand."""
    about: Callable[[int, int], tuple[float, float] | None] | None = None
    """Gives about the sum of a column's numbers above a row, and of their amounts, where that costs
    less; `None` where they are no plain numerals."""


def find_closing(end: Tail, fields: int) -> Closing | None:
    """What closes the data: totals and notes, or a row that only may be such."""
    tail, above = end.rows, len(end.rows)
    kinds: list[str] = []
    while above > max(1, len(tail) // 2):
        kind = _kind(end, above - 1, fields)
        if kind == "" or (kind == PERHAPS and kinds):
            break
        above -= 1
        kinds.append(kind)
        if kind == PERHAPS:
            return _perhaps(tail[above:])
    while kinds and kinds[-1] == EMPTY:
        kinds.pop()
        above += 1
    if not kinds:
        return None
    return _found(tail[above:], kinds, end.last)


def _found(out: Sequence[Row], kinds: Sequence[str], last: int) -> Closing:
    by_row = zip(reversed(out), kinds, strict=True)
    total = next((row.cells for row, kind in by_row if kind == TOTALS), ())
    evidence = ClosingRows(
        value="skip",
        rows=sum(row.filled > 0 for row in out),
        total=TOTALS in kinds,
        cells=total,
        supporting=len(out),
        examples=_examples(out),
        certain=False,
        alternatives=("keep",),
    )
    return Closing(evidence, last - out[0].number + 1)


def as_declared(closing: ClosingRows) -> ClosingRows:
    """The evidence where the plan leaves such rows out."""
    if closing.value != "skip":
        return closing
    return msgspec.structs.replace(closing, declared=True, certain=True, alternatives=())


def as_kept(closing: ClosingRows) -> ClosingRows:
    """The evidence where the plan says which rows are data, and these are among them."""
    if closing.value == "keep":  # only a position leaves it out
        return closing
    return msgspec.structs.replace(closing, value="keep", alternatives=("skip",))


def left_out_by_position(last: int, tail: Tail, fields: int) -> list[LeftOutByPosition]:
    """Evidence for rows behind the last one that a person gave, where they look like data."""
    bound = tail.last + 1 + last if last < 0 else last
    if not tail.rows or (bound < 0) != (tail.rows[-1].number < 0):
        return []
    above = [row for row in tail.rows if row.number <= bound and row.filled]
    columns = columns_of(above, fields)
    out = [
        row
        for row in tail.rows
        if row.number > bound and row.filled and len(above) >= FEWEST_ROWS
        if _is_like(row, columns)
        and not any(is_total_word(cell.strip()) or begins_note(cell) for cell in row.cells)
    ]
    if not out:
        return []
    first = LeftOutByPosition(
        value=str(last),
        rows=len(out),
        supporting=len(out),
        examples=_examples(out),
        certain=False,
        alternatives=(f"{above[0].number if bound > 0 else ''}..",),
    )
    return [first]


def left_out_above(
    given: Rows, heading: int, head: Sequence[Row], fields: int
) -> list[LeftOutByPosition]:
    """Evidence for rows above the data that the plan leaves out, if they look like data."""
    first = given.first
    if first is None:
        return []
    between = [row for row in head if heading < row.number < first and row.filled]
    data = [row for row in head if row.number >= first and row.filled]
    if not between or len(data) < FEWEST_ROWS:
        return []
    columns = columns_of(data, fields)
    out = [row for row in between if len(row.cells) > 1 or fields == 1]
    out = [row for row in out if _is_like(row, columns)]
    if not out:
        return []
    found = LeftOutByPosition(
        value=f"{first}..",
        rows=len(out),
        supporting=len(out),
        examples=_examples(out),
        certain=False,
        alternatives=(f"{out[0].number}..",),
    )
    return [found]


def _is_like(row: Row, columns: Sequence[Column]) -> bool:
    """Does all that a row holds fit, with at least one value among values?"""
    pairs = zip(row.cells, columns, strict=False)
    held = [(cell, column) for cell, column in pairs if cell.strip()]
    values = [column for cell, column in held if column.of_values and is_value(cell)]
    return all(column.fits(cell) for cell, column in held) and bool(
        values or not any(column.of_values for column in columns)
    )


def _perhaps(out: Sequence[Row]) -> Closing:
    """A row that may be a total, and stays in the data."""
    evidence = ClosingRows(
        value="keep",
        rows=1,
        total=True,
        supporting=1,
        examples=_examples(out),
        certain=False,
        alternatives=("..-2",),
    )
    return Closing(evidence, 0)


def _examples(out: Sequence[Row]) -> tuple[Example, ...]:
    held = [row for row in out if row.filled]
    return tuple(each for row in held[:MOST_EXAMPLES] for each in example_of(row))


def _kind(tail: Tail, place: int, fields: int) -> str:
    """What the row at this place is; empty if it is data."""
    row = tail.rows[place]
    if not row.filled:
        return EMPTY
    texts = [text for cell in row.cells if (text := cell.strip())]
    drawn = all(len(text) >= SHORTEST_RULE and not text.strip(RULES) for text in texts)
    if row.runs_on or drawn:
        return NOTES
    rows = [each for each in tail.rows[max(0, place - ENOUGH_ABOVE) : place] if each.filled]
    if len(rows) < FEWEST_ROWS:
        return ""
    held = [
        (index, text)
        for index, cell in enumerate(row.cells[:fields])
        if (text := cell.strip()) and text not in MARKS
    ]
    words = [(text, column_of(rows, index)) for index, text in held if not is_value(text)]
    apart = [
        text for text, column in words if not column.fits(text) or column.is_coded_unlike(text)
    ]
    if any(map(is_total_word, apart)):
        return TOTALS
    if apart and len(apart) == len(held) and not _is_record(row, rows):
        return NOTES
    first = row.cells[0].strip()
    if first in apart and begins_note(first) and row.filled < usual_filled(rows):
        return NOTES  # cut by the delimiters within it
    if (
        words
        and len(words) == len(held)
        and _is_note(row, [text for text, _ in words], apart, rows)
    ):
        return NOTES
    word = next((text for text, column in words if _says_total(text, column)), "")
    numbers = {at: number for at, text in held if (number := number_of(text))}
    beyond = [at for at, number in numbers.items() if _is_beyond(number, rows, at)]
    alone = bool(word) or (not row.cells[0].strip() and _have_first(rows))
    likely = alone or len(beyond) == len(numbers)
    if numbers and likely and _sums(row, rows, numbers, tail, alone):
        return TOTALS
    if len(held) == len(words) == 1 and is_prose(*words[0]):
        return NOTES
    if any(_is_total(numbers[at], at, row.number, rows, tail) for at in beyond):
        return PERHAPS
    if tail.whole is None and beyond and _is_far_beyond(numbers, rows):
        return PERHAPS
    word_first = words[0][0] if words and len(words) == len(held) else ""
    if word or (word_first and (is_note_word(word_first) or begins_note(word_first))):
        return PERHAPS
    return ""


def _is_note(row: Row, words: list[str], apart: list[str], rows: Sequence[Row]) -> bool:
    """Words that say so, where a record would hold other cells as well, or others."""
    short = row.filled < usual_filled(rows)
    if begins_note(words[0]):
        return short or bool(apart)
    if is_note_word(words[0]):
        return bool(apart)
    return len(row.cells) == 1 < usual_filled(rows) and bool(STARRED.fullmatch(words[0]))


def _is_record(row: Row, rows: Sequence[Row]) -> bool:
    """As full as the others: a record whose texts do not fit, such as answers refused."""
    return row.filled > 1 and row.filled >= usual_filled(rows)


def _says_total(text: str, column: Column) -> bool:
    """A word for a total in a column of words that does not use it otherwise."""
    return not column.of_values and text not in column.texts and is_total_word(text)


def _sums(
    row: Row, rows: Sequence[Row], cells: dict[int, Decimal], tail: Tail, alone: bool
) -> bool:
    """Are the numbers of this row the sums or the means of at least three rows above?

    Of a row that has a word for a total, or no name of its own, one number `alone` is enough.
    """
    columns = {index: column_of(rows, index) for index in cells}
    cells = {i: n for i, n in cells.items() if columns[i].of_values and not columns[i].of_moments}
    if len(cells) < (1 if alone else 2):
        return False
    if not alone and tail.about is not None:
        for index, number in cells.items():
            about = tail.about(index, row.number)
            least = sum(_numbers(rows[-FEWEST_ROWS:], index), Decimal())
            if about is not None and about[0] == about[1] and least > number:
                return False  # none is negative, and the last ones alone are more
    every = tail.whole
    above = rows if every is None else [each for each in every() if each.number < row.number]
    numbers = {index: _numbers(above, index) for index in cells}
    if any(sum(map(bool, held)) < FEWEST_ROWS or len(set(held)) == 1 for held in numbers.values()):
        return False
    if all(_is_sum(cells[index], held, len(cells) > 1) for index, held in numbers.items()):
        return _same_rows(cells, above)
    means = all(
        _near(sum(held, Decimal()) / len(held), cells[index]) for index, held in numbers.items()
    )
    return means and alone


def _is_total(number: Decimal, index: int, row: int, rows: Sequence[Row], tail: Tail) -> bool:
    """Is a number, larger than all above it, the sum of all of them?"""
    about = None if tail.about is None else tail.about(index, row)
    if about is not None and abs(about[0] - float(number)) > NEARLY * about[1]:
        return False
    above = rows if tail.whole is None else [each for each in tail.whole() if each.number < row]
    held = _numbers(above, index)
    return sum(map(bool, held)) >= ENOUGH_SUMMED and sum(held, Decimal()) == number


def _is_far_beyond(numbers: dict[int, Decimal], rows: Sequence[Row]) -> bool:
    """May these be totals of more rows than are at hand: far beyond all that are?"""
    return all(_is_beyond(number / FAR, rows, index) for index, number in numbers.items())


def _is_beyond(number: Decimal, rows: Sequence[Row], index: int) -> bool:
    """Is a number larger than all those above it? The nearest are looked at first."""
    size = abs(number)
    for row in reversed(rows):
        above = number_of(row.cells[index].strip()) if index < len(row.cells) else None
        if above is not None and size <= abs(above):
            return False
    return size > 0


def _have_first(rows: Sequence[Row]) -> bool:
    return sum(bool(row.cells[0].strip()) for row in rows) >= EMPTY_LEAD * len(rows)


def _numbers(rows: Sequence[Row], index: int) -> list[Decimal]:
    return [
        number
        for row in rows
        if index < len(row.cells)
        and (cell := row.cells[index])
        and (number := number_of(cell.strip())) is not None
    ]


def _is_sum(number: Decimal, held: Sequence[Decimal], parts: bool) -> bool:
    """Is a number the sum of all of these, or, where `parts` may be summed, of the last ones?"""
    if _near(sum(held, Decimal()), number):
        return True
    return parts and number in _running(held)


def _running(held: Sequence[Decimal]) -> set[Decimal]:
    total, sums = Decimal(), set()
    for count, number in enumerate(reversed(held), 1):
        total += number
        if count >= FEWEST_ROWS:
            sums.add(total)
    return sums


def _same_rows(cells: dict[int, Decimal], above: Sequence[Row]) -> bool:
    """Is it one and the same run of rows of which all of these numbers are the sums?"""
    totals = dict.fromkeys(cells, Decimal())
    for count, row in enumerate(reversed(above), 1):
        for index in cells:
            cell = row.cells[index] if index < len(row.cells) else ""
            totals[index] += number_of(cell.strip()) or Decimal()
        if count >= FEWEST_ROWS and all(_near(totals[i], cells[i]) for i in cells):
            return True
    return False


def _near(exact: Decimal, shown: Decimal) -> bool:
    """Is this what is shown, rounded to the decimals that are shown?"""
    exponent = shown.as_tuple().exponent
    half = Decimal(5).scaleb(int(exponent) - 1 if isinstance(exponent, int) else -1)
    return abs(exact - shown) <= half if exact != shown else True
