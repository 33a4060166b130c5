"""What cells look like, what columns hold and are called, before any type is decided."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from decimal import Decimal
from functools import lru_cache

import msgspec

from ...columns.rule import MARKS
from ...declaration.patterns import late
from ...errors import PlanError
from ...evidence import Note, RenamedColumn, UnnamedColumns
from ...plan.model import Decisions
from ...sources.source import Source
from ..base import Row

NUMBER = late(r"[+-]?[€$£]? ?(\d+([.,' \u00a0]\d+)*\.?|[.,]\d+)([eE][+-]?\d+)? ?[%€]?")
MOMENT = late(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}([T ]\d.*)?|\d{1,2}:\d{2}(:\d{2}.*)?")
YEAR = late(r"(1[6-9]|20)\d\d")
ALIKE = str.maketrans("012345678", "9" * 9)
USUAL_MOMENTS = frozenset(("9999-99-99", "99.99.9999", "99/99/9999", "99:99", "99:99:99"))
"""Shapes of dates and times that need no pattern; each digit is a 9."""
IN_NUMBERS = "9+-$ .,'eE%"
MOMENT_MARKS = frozenset("-./:")
"""One of them stands behind the first digits of a date or time."""
NO_TEXTS = MARKS | {""}
MOSTLY = 0.5
"""A column holds values if more than this share of its cells are values."""
AROUND = " \u00a0\u202f'’€$£%"
"""Signs beside numbers, and blanks and apostrophes within them."""
BARE = dict.fromkeys(map(ord, AROUND))
PLAIN = late(r"[+-]?(\d+(?:\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?")
RUN = late(r"(?s)(.)\1+")
RECORD = 20
"""Shorter texts are not taken for records of several fields."""
REPEATS = 3
"""Words that occur so often on average are the codes of a column, not words of their own."""


@lru_cache(maxsize=1 << 14)
def is_value(cell: str) -> bool:
    """Does this look like a measured value, not like a word?"""
    return _is_value(cell.strip().translate(ALIKE))


@lru_cache(maxsize=4096)
def _is_value(text: str) -> bool:
    """The same of a text in which digits are not told apart."""
    if text.isdecimal() or text[:1].isalpha():  # known without a pattern
        return text.isdecimal()
    whole, mark, decimals = text.removeprefix("-").partition("," if "," in text else ".")
    if (whole.isdecimal() and (decimals.isdecimal() or not mark)) or text in USUAL_MOMENTS:
        return True
    if text.isascii():
        is_word = text.strip(IN_NUMBERS) and not MOMENT_MARKS.intersection(text[1:5])
    else:
        is_word = not any(map(str.isdecimal, text))
    if is_word:  # known without a pattern
        return False
    return bool(NUMBER.fullmatch(text) or MOMENT.fullmatch(text))


@lru_cache(maxsize=1 << 14)
def number_of(cell: str) -> Decimal | None:
    """The number that a cell shows, whatever its marks are; `None` if it shows none."""
    text = cell.translate(BARE)
    comma, point = text.rfind(","), text.rfind(".")
    if comma >= 0 and point >= 0:
        group = "." if comma > point else ","
        text = text.replace(group, "").replace(",", ".")
    elif comma >= 0 and (text.count(",") > 1 or len(text) - comma == 4):
        text = text.replace(",", "")
    else:
        text = text.replace(",", ".")
    if not PLAIN.fullmatch(text):
        return None
    return Decimal(text)


class Column(msgspec.Struct, eq=False):
    """What a column holds in some rows."""

    texts: tuple[str, ...]
    """Its cells that hold anything but a missing mark, without the blanks around them."""
    of_values: bool
    """Most of them are values."""
    rows: int
    """How many rows were looked at."""
    known_shape: str | None = None
    """What `shape` has worked out."""

    @property
    def shape(self) -> str:
        """The shape that all of its texts have; empty if they differ."""
        if self.known_shape is None:
            first = shape_of(self.texts[0]) if self.texts else ""
            alike = all(map(first.__eq__, map(shape_of, self.texts)))
            self.known_shape = first if alike else ""
        return self.known_shape

    @property
    def of_moments(self) -> bool:
        """Most of them are dates or times."""
        moments = sum(bool(MOMENT.fullmatch(text.translate(ALIKE))) for text in self.texts)
        return moments > MOSTLY * len(self.texts)

    @property
    def repeats(self) -> bool:
        """Its words occur again and again."""
        return len(self.texts) >= REPEATS * max(1, len(set(self.texts)))

    def fits(self, cell: str) -> bool:
        """Could this be a cell of the column?"""
        text = cell.strip()
        return not self.of_values or not text or text in MARKS or is_value(text)

    def is_coded_unlike(self, text: str) -> bool:
        """Is a word not of the one shape, with digits in it, that all of its texts have?"""
        shape = "" if self.of_values else self.shape
        return "9" in shape and shape_of(text) != shape

    def is_coded_like(self, text: str) -> bool:
        """Has a text the one shape, with digits in it, that all of its texts have?"""
        shape = "" if self.of_values else self.shape
        return "9" in shape and shape_of(text) == shape

    def is_record_like(self, text: str) -> bool:
        """Could a text be one of the column's records, which all have the same length?"""
        lengths = {len(each) for each in (text, *self.texts)}
        return lengths == {len(text)} and len(text) >= RECORD and any(map(str.isdigit, text))

    def is_apart(self, number: Decimal) -> bool:
        """Is a number of another scale than all of the column's?"""
        numbers = [each for text in self.texts if (each := number_of(text)) is not None]
        if not numbers:
            return bool(self.texts)
        low, high = min(numbers), max(numbers)
        reach = high - low
        return number > high + 2 * reach + 1 or number < low - 2 * reach - 1


def columns_of(rows: Sequence[Row], fields: int) -> list[Column]:
    """What each of the columns holds in these rows."""
    if not rows or any(len(row.cells) < fields for row in rows):
        return [column_of(rows, index) for index in range(fields)]
    return [_column(cells, len(rows)) for cells in zip(*(row.cells for row in rows), strict=False)][
        :fields
    ]


def column_of(rows: Sequence[Row], index: int) -> Column:
    """What one of the columns holds in these rows."""
    return _column([row.cells[index] for row in rows if index < len(row.cells)], len(rows))


def _column(cells: Sequence[str], rows: int) -> Column:
    """A column of so many rows that has these cells."""
    if "".join(cells).isdecimal():  # nothing but whole numbers
        return Column(tuple(filter(None, cells)), True, rows)
    texts = tuple(map(str.strip, cells))
    if not NO_TEXTS.isdisjoint(texts):
        texts = tuple([text for text in texts if text not in NO_TEXTS])
    values = sum(map(is_value, texts)) > MOSTLY * len(texts)
    return Column(texts, bool(texts) and values, rows)


def usual_filled(rows: Sequence[Row]) -> int:
    """How many cells of a row are filled, in the middle one of these rows."""
    filled = sorted(count for row in rows if (count := row.filled))
    return filled[len(filled) // 2] if filled else 0


def are_years(cells: Sequence[str]) -> bool:
    """Are the values in this row years in order, as they head the columns of a series?"""
    values = [cell.strip() for cell in cells if is_value(cell)]
    if len(values) < 2 or not all(YEAR.fullmatch(value) for value in values):
        return False
    steps = [int(after) - int(year) for year, after in itertools.pairwise(values)]
    return min(steps) > 0 or max(steps) < 0


@lru_cache(maxsize=8192)
def shape_of(text: str) -> str:
    """A text with digits, capitals and small letters not told apart, and runs of them as one."""
    if text.isalpha() and text.islower():  # as many words are
        return "a"
    return RUN.sub(r"\1", text.translate(KINDS))


class _Kinds(dict[int, str]):
    """What stands for each character in a shape."""

    def __missing__(self, code: int) -> str:
        char = chr(code)
        kind = "9" if char.isdigit() else char
        if char.isalpha():
            kind = "A" if char.isupper() else "a"
        self[code] = kind
        return kind


KINDS = _Kinds()


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
    if len(heading) == 1 and len(heading[0].cells) == fields:
        return tuple(map(str.strip, heading[0].cells))
    upper = [_spread(row.cells, fields) for row in heading[:-1]]
    lower = [_last_level(row.cells, fields) for row in heading[-1:]]
    levels = [*upper, *lower]
    return tuple(
        " ".join(dict.fromkeys(part for level in levels if (part := level[column].strip())))
        for column in range(fields)
    )


def names_from_second(cells: Sequence[str], fields: int) -> bool:
    """Does a heading one name short leave the first column nameless?"""
    return len(cells) == fields - 1 and all(cell.strip() for cell in cells)


def _last_level(cells: Sequence[str], fields: int) -> list[str]:
    if names_from_second(cells, fields):
        return ["", *cells]
    return padded_cells(cells, fields)


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
    counts: dict[str, int] = {}
    for number, heading in enumerate(headings, 1):
        name = heading or f"column_{number}"
        if not heading or name in used:
            name = _free_name(name, heading, used, taken, counts)
            if heading:
                notes.append(RenamedColumn(column=number, heading=heading, name=name))
        names.append(name)
        used.add(name)
    unnamed = tuple(number for number, heading in enumerate(headings, 1) if not heading)
    if unnamed and any(headings):
        notes.append(UnnamedColumns(columns=unnamed))
    return names, notes


def _free_name(
    base: str, heading: str, used: set[str], taken: set[str], counts: dict[str, int]
) -> str:
    """A name that no other column has, made of this one and a number, which is counted on."""
    name, count = base, counts.get(base, 2)
    while name in used or (name in taken and name != heading) or name == heading:
        name, count = f"{base}_{count}", count + 1
    counts[base] = count
    return name
