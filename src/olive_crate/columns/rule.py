"""Kinds that a column may be, and the rule by which its cells are converted."""

from __future__ import annotations

import math
import operator
import re
from collections.abc import Sequence
from functools import lru_cache

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import FIRST_CODE, MissingCode
from ..declaration.patterns import late
from ..kernels.spans import Cells
from ..kernels.types import CodeValues, Ints, Place
from .column import NOTHING, Withheld

PRESENT, IS_BLANK, IS_UNREADABLE, IS_NOT_IN_FILE = 0, 1, 2, 3
FIRST_MARK = 200
"""The reasons of well-known marks while a column is read; in the end they follow the codes."""
MISSING_MARKS = [
    "NA",
    "N/A",
    "n/a",
    "na",
    "NaN",
    "nan",
    "NULL",
    "null",
    "Null",
    "None",
    "none",
    "#N/A",
    "#NA",
    "#NULL!",
    "#DIV/0!",
    "#VALUE!",
    "#REF!",
    "#NAME?",
    "#NUM!",
    ".",
    "..",
    "-",
    "--",
    "*",
    "**",
    "?",
    "…",
    "–",
]
"""Texts that people write for "no value". See "Missing values" in the design."""
MARKS = frozenset(MISSING_MARKS)
UNKNOWN = ""
"""The kind of a block in which no cell holds a value."""
NARROW = ("integer", "number", "date", "datetime", "zoned", "time")
FIRST_CHARACTER = operator.itemgetter(slice(1))
DIGIT = late(r"\d")
DIGITS = frozenset("0123456789")
BROKEN = {mark: late(rf"[-+]?[0-9]*[{mark}][0-9]*[1-9]0*(?:[eE]-[0-9]+)?") for mark in ".,"}
"""Numerals that are no integers, by their decimal mark."""
DATELIKE = late(r"[0-9]{1,4}(?:([-/])[0-9]{1,2}\1[0-9]{1,4}|\.[0-9]{1,2}\.(?:[0-9]{4}|[0-9]{1,2}))")
"""Digits between points are a number only if the last group has three digits."""
PADDED = late(r"0\d")
"""How a numeral begins that has a zero before its other digits."""
UNIT_SIGNS = "€$£¥₹₺₽₪%‰"
"""Signs of currency, percent and per mille."""
NO_NUMERAL = {*"ABCDFGHIJKLMNOPQRSTUVWXYZabcdfghijklmnopqrstuvwxyz:", *UNIT_SIGNS}
"""What stands in no numeral: letters but for that of an exponent, colons, signs of a unit."""
ISO_STARTS = {
    "date": late(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}(?![0-9T ])"),
    "datetime": late(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}[T ](?!.*(?:[Zz]|[+-][0-9:]+)$)"),
    "zoned": late(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}[T ].*(?:[Zz]|[+-][0-9:]+)$"),
    "time": late(r"[0-9]{1,2}:"),
}
"""How each kind begins where no format is declared: ISO 8601."""
DATE_MARKS = ("-", "/")
GLANCE = 8
LEAST, MOST = -(2**63), 2**63 - 1


class Rule(msgspec.Struct, frozen=True, eq=False):
    """How the cells of one variable are to be taken."""

    kind: str
    decimal: str = "."
    grouping: str = ""
    format: str | None = None
    true: tuple[str, ...] = ()
    false: tuple[str, ...] = ()
    codes: tuple[MissingCode, ...] = ()
    trim: bool | str | None = None
    implied: int = 0
    """Decimals of numbers in which no decimal mark is written."""
    sign: str | None = None
    """`trailing` or `overpunched`, where the sign does not stand in front."""
    typed_cells: bool = False
    """Dates and times of the source's own kind come as ISO 8601, whatever the format."""
    early: bool = False
    """Texts that repeat may be given as places in a dictionary."""
    strict: bool = False
    """Only what is surely of this kind counts: no currency signs, no numbers padded with zeros."""
    flags: tuple[str, ...] = ()
    """Signs behind a value that are no part of it."""
    takes_flag: bool = False
    """The sign behind the value is what is taken."""
    unit: str = ""
    """The sign of currency or percent that every number carries."""


class Converted(msgspec.Struct, frozen=True, gc=False):
    """A block of one variable. `values` is null exactly where `reasons` is not 0."""

    values: pa.Array
    reasons: np.ndarray
    unread: Ints
    """Indices of the cells that could not be taken; their reason is `unreadable`."""
    decimals: int = 0
    """The most decimals that were written."""
    inexact: int = 0
    """Numbers with more digits than binary64 can hold."""
    span: tuple[float, float] | None = None
    """The smallest and the largest number, where that is known already."""
    place: Place | None = None
    """Where the values lie in an array for the whole column, if they do."""
    ranged: Withheld = NOTHING
    """The numbers of cells that a range of codes made missing."""
    worded: bool = False
    """Some cells hold a well-known mark or a code, and have its reason already."""
    only: int = 0
    """The reason of all cells without a value, if they are known to have one and the same."""


def reason_of(code: int) -> int:
    """The value in `reasons` that stands for the missing code at this place in the list."""
    return FIRST_CODE + code


def number_of(text: str, decimal: str = ".", implied: int = 0) -> float | None:
    """A code's text as a number, if it is one; with implied decimals as it stands in the file."""
    try:
        if not any(map(str.isdigit, text)):
            return None
        scale = 10**implied if implied and decimal not in text else 1
        return float(text.replace(decimal, ".")) / scale
    except ValueError:
        return None


@lru_cache(maxsize=1024)
def texts_of(codes: tuple[MissingCode, ...]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Every way a single-value code may be written, with the code's place in the list."""
    ways: dict[str, int] = {}
    for place, code in enumerate(codes):
        if code.value is None:
            continue
        ways.setdefault(str(code.value), place)
        if isinstance(code.value, float) and code.value.is_integer():
            ways.setdefault(str(int(code.value)), place)
    return tuple(ways), tuple(ways.values())


def by_text(cells: Cells, codes: tuple[MissingCode, ...]) -> Ints:
    """For each (trimmed) cell the place of the code it is the text of, or -1."""
    ways, places = texts_of(codes)
    if not ways:
        return np.full(len(cells), -1, np.int64)
    found = kernels.match(cells.buffer, cells.starts, cells.ends, ways)
    return np.append(np.array(places, np.int64), -1)[found]


def by_value(
    values: np.ndarray,
    reasons: np.ndarray,
    codes: tuple[MissingCode, ...],
    decimal: str,
    implied: int = 0,
) -> int:
    """Give the reasons of codes to the numbers that are codes; returns how many there are."""
    known = code_values(codes, decimal, implied, values.dtype == np.int64)
    return kernels.find_codes(values, reasons, known) if len(known.reasons) else 0


@lru_cache(maxsize=256)
def code_values(
    codes: tuple[MissingCode, ...], decimal: str, implied: int, whole: bool
) -> CodeValues:
    """The numbers that the codes stand for, as integers if the column is `whole`."""
    lows, highs, reasons = [], [], []
    for place, code in enumerate(codes):
        low, high = _span(code, decimal, implied)
        if low is None and high is None:
            continue
        low, high = -math.inf if low is None else low, math.inf if high is None else high
        if whole:
            low = LEAST if low <= LEAST else math.ceil(low)
            high = MOST if high >= MOST else math.floor(high)
            if low > MOST or high < LEAST:
                continue
        lows.append(low)
        highs.append(high)
        reasons.append(FIRST_CODE + place)
    kind = np.int64 if whole else np.float64
    return CodeValues(np.array(lows, kind), np.array(highs, kind), np.array(reasons, np.uint8))


def ranged(values: np.ndarray, reasons: np.ndarray, codes: tuple[MissingCode, ...]) -> Withheld:
    """The numbers that ranges of codes made missing, as texts."""
    numbers = [reason_of(place) for place, code in enumerate(codes) if code.value is None]
    if not numbers:
        return NOTHING
    cells = np.flatnonzero(np.isin(reasons, numbers))
    if not len(cells):
        return NOTHING
    return Withheld(cells, kernels.strings([plain_text(each) for each in values[cells].tolist()]))


def plain_text(number: float) -> str:
    """A number as a text that can be read again without knowing of any marks."""
    text = repr(number)
    return text[:-2] if text.endswith(".0") else text


def _span(code: MissingCode, decimal: str, implied: int) -> tuple[float | None, float | None]:
    if isinstance(code.value, str):
        number = number_of(code.value, decimal, implied)
        return number, number
    if code.value is not None:
        return code.value, code.value
    return code.from_, code.to


class SourceColumn(msgspec.Struct, frozen=True):
    """What a layout knows of a column before its cells are read."""

    implied_decimals: int = 0
    """Decimals of numbers in which no decimal mark is written."""
    sign: str | None = None
    """`trailing` or `overpunched`, where the sign does not stand in front."""
    padded: bool = False
    """Cells are filled up with blanks."""
    type: str = ""
    """The type that the source itself says; it is widened where cells contradict it."""
    typed_cells: bool = False
    """Dates and times of the source's own kind come as ISO 8601, whatever the format."""
    errors: tuple[str, ...] = ()
    """Texts that the source has in place of a value, such as `#N/A`."""
    shown_decimals: int | None = None
    """As many decimals as the source shows."""


@lru_cache(maxsize=256)
def base(kind: str) -> str:
    """The type of a kind."""
    name = kind.partition("|")[0]
    return {"zoned": "datetime", "": "text"}.get(name, name)


@lru_cache(maxsize=256)
def form(kind: str) -> str | None:
    """The way of writing that belongs to a kind."""
    return kind.partition("|")[2] or None


def rule_for(rule: Rule, kind: str, strict: bool) -> Rule:
    """The rule to take cells as this kind."""
    name, _, written = kind.partition("|")
    if name == "boolean" and written:
        true, _, false = written.partition("|")
        return msgspec.structs.replace(rule, kind=name, true=(true,), false=(false,), strict=strict)
    if name == "number" and written:
        return msgspec.structs.replace(rule, kind=name, unit=written)
    return msgspec.structs.replace(rule, kind=name, format=written or rule.format, strict=strict)


def words_of(cells: Cells) -> list[str]:
    """What stands in cells, without the blanks around it."""
    return texts_in(cells.trimmed())


def texts_in(cells: Cells) -> list[str]:
    """What stands in cells."""
    return kernels.listed(cells.buffer, cells.starts, cells.ends)


def impossible(words: Sequence[str], rule: Rule) -> set[str]:
    """Types that a few cells show to be out of the question, without an attempt to read them.

    The cells hold neither well-known marks nor the texts of codes.
    """
    every, words = words, words[:GLANCE]
    dashed = all(word[4:5] == "-" for word in words)  # most columns need no pattern
    colons = all(":" in word[1:3] for word in words)
    found = (
        set()
        if rule.format
        else {
            kind
            for kind, start in ISO_STARTS.items()
            if not (colons if kind == "time" else dashed) or not all(map(start.match, words))
        }
    )
    decimal, grouping = rule.decimal, rule.grouping
    if not (rule.sign or rule.flags or rule.takes_flag or NO_NUMERAL & {decimal, grouping}):
        marks = decimal != grouping and any(word.count(decimal) > 1 for word in words)
        marked = [word for word in words if "-" in word[1:] or "/" in word or word.count(".") == 2]
        dates = grouping not in DATE_MARKS and any(map(DATELIKE.fullmatch, marked))
        odd = marks or dates or not NO_NUMERAL.isdisjoint("".join(words))
        if odd or (not grouping and any(map(no_numeral(decimal).match, every))):
            return found | set(NARROW[:2])
    ranges = any(code.value is None for code in rule.codes)  # which may hold what is no integer
    if ranges or rule.implied or grouping == decimal:
        return found
    plain = [word.replace(grouping, "") if grouping else word for word in words]
    broken = decimal in BROKEN and any(map(BROKEN[decimal].fullmatch, plain))
    return found | {"integer"} if broken else found


@lru_cache(maxsize=16)
def no_numeral(decimal: str) -> re.Pattern[str]:
    """How a text begins that is no number where nothing is declared of how numbers are written.

    It holds something that stands in no numeral, or a zero before its other digits.
    """
    return late(rf"(?s)0\d|.*?[^0-9eE+\-{re.escape(decimal)}]")


def has_digits(words: Sequence[str]) -> bool:
    """Is there a digit in any of these words?"""
    return bool(DIGIT.search("".join(words[:GLANCE])) or DIGIT.search("".join(words)))


def thinkable(words: Sequence[str], decimal: str, share: float = 1.0) -> tuple[str, ...]:
    """The types that at least this share of the cells may have, judged by their first character."""
    leads = list(map(FIRST_CHARACTER, words))
    digits = sum(map(DIGITS.__contains__, leads))
    if digits >= share * len(words) and words:
        return NARROW
    signed = digits + sum(map(leads.count, {"-", "+", decimal}))
    return NARROW[:2] if signed >= share * len(words) and has_digits(words) else ()
