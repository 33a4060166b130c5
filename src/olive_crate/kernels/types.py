"""What kernels receive and return, in both implementations.

A kernel that splits a block can convert columns at the same time, while the text is in the cache.
The search for a column's type makes a `Request` (numbers, times or texts, and how they are
written). A `Forecast` maps columns to requests. The kernel returns each result together with the
request it answers (`EarlyColumn`), and the search uses it only if the request is its own: a type
that was widened meanwhile makes a new request, and the old result is ignored.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa

Bytes = np.ndarray[tuple[Any, ...], np.dtype[np.uint8]]
Ints = np.ndarray[tuple[Any, ...], np.dtype[np.int64]]
Words = np.ndarray[tuple[Any, ...], np.dtype[np.uint64]]
Flags = np.ndarray[tuple[Any, ...], np.dtype[np.bool_]]

PAD = 32
"""Bytes that may be read before the first and after the last byte of text in a buffer."""


DAYS, OF_DAY, SINCE_1970 = "days", "of day", "since 1970"
"""The units of dates and times: days, microseconds of a day, microseconds since 1970."""


class Dialect(msgspec.Struct, frozen=True, eq=False):
    """The bytes that give delimited text its structure."""

    delimiter: bytes
    """Empty: one field a line."""
    blanks: bool = False
    """Fields are separated by runs of blanks and tabs; `delimiter` is not looked at."""
    quote: int = 0
    escape: int = 0
    comment: bytes = b""
    skip_blanks: bool = False
    """A quote may open after blanks."""
    returns: bool = True
    """There may be carriage returns in the text."""


class Structure(msgspec.Struct, frozen=True, eq=False):
    """Fields of a block in order, and the records they make up.

    `buffer` is the one that was split, or a copy in which quoted fields are closed up; `starts` and
    `ends` hold the text of each field without its quotes; `record` holds the index of each record's
    first field, and one more for the end; `heads` the position where each record starts; `lines`
    the number of line ends before each record, and one more for the end.
    """

    buffer: Bytes
    starts: Ints
    ends: Ints
    record: Ints
    heads: Ints
    lines: Ints
    comments: Flags
    consumed: int
    open_quote: int
    """Where a quote stands that is never closed in this block; -1 if none."""


class Table(msgspec.Struct, eq=False):
    """A block in which every record has as many fields as it should.

    `columns` gives the starts and ends of a field in all records, and is asked only for fields that
    are needed; `ready` holds columns that were read on the way. The rest is as in `Structure`.
    """

    buffer: Bytes
    count: int
    """How many records there are."""
    lines: Ints
    consumed: int
    open_quote: int
    columns: Callable[[int], tuple[Ints, Ints]]
    ready: Mapping[int, Any] = {}
    line_ends: int | None = None
    """Line ends in the bytes, where they were counted on the way."""
    is_ascii: bool | None = None
    has_name: bool = True
    """The name may stand in the first field of a record."""


class LineMarks(msgspec.Struct, frozen=True):
    """Line feeds, carriage returns, and how many returns have a feed right behind them."""

    feeds: int
    returns: int
    pairs: int
    line_ends: int
    """How many lines they end."""


class TextMarks(msgspec.Struct, frozen=True):
    """What a piece of text holds that has to be known before it can be cut by position."""

    lines: LineMarks
    tabs: int
    is_ascii: bool


class CutPoint(msgspec.Struct, frozen=True):
    """A guess where the last record of a piece ends, and what was met in the whole piece."""

    cut: int
    feeds: int
    returns: int
    quotes: int
    records: int
    """Line ends up to the cut that are not quoted, by the same guess."""


class Step(msgspec.Struct, frozen=True):
    """One directive (`kind` is its letter) or one literal byte (`kind` is empty)."""

    kind: str
    byte: int = 0


class Pattern(msgspec.Struct, frozen=True, eq=False):
    """A pattern ready to read with."""

    text: str
    steps: tuple[Step, ...]
    width: int
    """Bytes that a cell has if each directive is at its full width; 0 if that is not fixed."""

    @property
    def has_date(self) -> bool:
        return any(step.kind in ("Y", "y") for step in self.steps)

    @property
    def has_time(self) -> bool:
        return any(step.kind in ("H", "I") for step in self.steps)

    @property
    def has_zone(self) -> bool:
        return any(step.kind == "z" for step in self.steps)


class NumbersRead(msgspec.Struct, frozen=True):
    """A column of a block as numbers.

    `reasons` has 0 for a cell that was read, 1 for a blank one, and 2 for one that is no plain
    numeral or needs more care; `left` counts the last. Values are those nearest to what is written.
    """

    values: np.ndarray
    reasons: Bytes
    most_decimals: int
    left: int
    span: tuple[float, float] | None = None
    """The smallest and the largest number read, where that was looked at."""
    place: Any = None
    """Where the values lie in an array for the whole column, if they do."""
    worded: bool = False
    """Some cells hold a word that stands for "no value", and have its reason."""
    inexact: int = 0
    """Numerals of more digits than binary64 can hold."""


class Writing(msgspec.Struct, frozen=True):
    """What else may stand in a cell of numbers, which a kernel may read or leave."""

    words: tuple[str, ...] = ()
    """Texts that stand for "no value"."""
    reasons: tuple[int, ...] = ()
    """The reason of each of them, above 2."""
    signs: tuple[bytes, ...] = ()
    """What may stand around a numeral without being part of it; empty if nothing may."""
    unit: bytes = b""
    """The sign that every number has to carry."""
    grouping: tuple[bytes, ...] = ()
    """Marks between groups of three digits."""


class NumberRequest(msgspec.Struct, frozen=True):
    """What is taken as a number."""

    whole: bool
    """As 64-bit integers; otherwise as binary64."""
    decimal: int
    """The byte of the decimal mark; not looked at for integers."""
    strict: bool = False
    """Zeros in front of another digit make it no number."""
    implied: int = 0
    """Decimals where no mark is written."""
    writing: Writing = Writing()


class TimeRequest(msgspec.Struct, frozen=True):
    """What is taken as a date or time."""

    patterns: tuple[Pattern, ...]
    """The ways in which cells may be written; the reference tries the first alone."""
    exact: tuple[bool, ...]
    """For each of them, whether numbers need all the digits of their width."""
    unit: str
    writing: Writing = Writing()
    """Words that may stand in a cell."""


class Place(msgspec.Struct, frozen=True):
    """Where the values of a block lie in an array for the whole column."""

    column: np.ndarray
    start: int


class TimesRead(msgspec.Struct, frozen=True):
    """A column of a block as dates or times; `reasons` and `left` are as in `NumbersRead`."""

    values: np.ndarray
    reasons: Bytes
    left: int
    place: Place | None = None
    worded: bool | None = None
    """Some cells hold a word that stands for "no value"; `None` if none was looked for."""


class TextRequest(msgspec.Struct, frozen=True):
    """Text as it stands; different ones are told apart as long as they are no more than `most`."""

    most: int = 0
    room: int = 0
    """Bytes for each text, where texts are put side by side; those that need more are not."""


class TextsRead(msgspec.Struct, frozen=True):
    """Which cells are blank, and the texts: as places in a dictionary, or side by side."""

    blank: Flags
    codes: pa.DictionaryArray | None
    texts: pa.StringArray | None = None


Request = NumberRequest | TimeRequest | TextRequest

Forecast = Mapping[int, Request | None]
"""How each column that is wanted will be taken; `None` if that is not known."""

EarlyResult = NumbersRead | TimesRead | TextsRead
EarlyColumn = tuple[Request, EarlyResult]
"""What was wanted of a column, and what came of it."""


class Validity(msgspec.Struct, frozen=True):
    """Which cells of a block have a value."""

    missing: int
    bitmap: pa.Buffer | None
    """Arrow's, the lowest bit first; `None` if none is missing."""
    only: int = 0
    """The reason of all that are missing, if they have one and the same."""


class CodeValues(NamedTuple):
    """Numbers that stand for a missing value, of the kind of the column's values."""

    lows: np.ndarray
    highs: np.ndarray
    """Both ends count; nothing lies between them where the low one is above."""
    reasons: Bytes


class Extremes(msgspec.Struct, frozen=True):
    """The smallest and the largest number, but for those that look like codes and lie beyond.

    `low` is infinite, and so is `high`, where there is no other number.
    """

    low: float
    high: float
    beyond: dict[float, int]
    """The numbers that look like codes, with their counts."""


COURSE_HEAD = 256
"""Numbers in which most variables repeat one already."""


class Course(msgspec.Struct, frozen=True):
    """How whole numbers follow each other."""

    repeats: bool
    """One of the first `COURSE_HEAD` comes twice among them."""
    rises: bool
    """Each is above the one before; false where one repeats."""


class SheetRule(msgspec.Struct, frozen=True):
    """How the cells of a sheet are to be understood."""

    string_starts: Ints
    string_ends: Ints
    """Where the shared strings lie."""
    format_kinds: Bytes
    """The kind of cell that each style makes of a number."""
    from_1904: bool
    hiding: bool
    """Rows may be hidden."""


class DocumentRows(msgspec.Struct, frozen=True):
    """Rows of an OpenDocument sheet: filled cells, with the text of each side by side."""

    consumed: int
    """Where the first row begins that was not read."""
    height: int
    """How many rows were read."""
    rows: Ints
    """Counted from 0."""
    columns: Ints
    styles: Ints
    """Places in `style_names`."""
    types: Bytes
    """What a cell says it is: 1 number, 2 text, 3 boolean, 4 date, 5 time, 6 both."""
    ends: Ints
    texts: bytes
    special: list[int]
    """Cells whose text has entities, or blanks that do not count as they stand."""
    style_names: list[tuple[str, str]]
    """A cell style, which may be empty, and a currency."""


class SheetRead(msgspec.Struct, frozen=True):
    """Filled cells. Positions are those of a shared string, or in `texts`."""

    rows: Ints
    columns: Ints
    kinds: Bytes
    types: Bytes
    styles: Ints
    starts: Ints
    ends: Ints
    texts: Bytes
    special: Ints
    """Cells of which only the raw value is given, to be worked on by their type and style."""
    hidden: list[int]
    unknown_strings: int
    in_order: bool
