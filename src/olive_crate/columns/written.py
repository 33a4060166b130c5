"""The ways of writing dates, truth values, numbers with a unit, that a few cells follow."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from ..declaration.patterns import late
from .month_names import date_kind
from .rule import MARKS, PADDED, UNIT_SIGNS, has_digits

PAIRS = (
    ("yes", "no"),
    ("y", "n"),
    ("true", "false"),
    ("ja", "nein"),
    ("j", "n"),
    ("ja", "nee"),
    ("ja", "nej"),
    ("oui", "non"),
    ("o", "n"),
    ("sí", "no"),
    ("si", "no"),
    ("sì", "no"),
    ("s", "n"),
    ("sim", "não"),
    ("tak", "nie"),
    ("ano", "ne"),
    ("da", "ne"),
    ("da", "nu"),
    ("evet", "hayır"),
    ("ναι", "όχι"),
    ("да", "нет"),
    ("wahr", "falsch"),
    ("vrai", "faux"),
    ("verdadero", "falso"),
    ("vero", "falso"),
    ("verdadeiro", "falso"),
    ("waar", "onwaar"),
)
"""Words for true and false that may be taken as such when a column holds no others."""
TRUTH_WORDS = frozenset(word for pair in PAIRS for word in pair)
NUMERIC_DATE = late(r"\d{1,2}([./-])\d{1,2}\1(\d{4}|\d{2})(\s\d{1,2}:\d{2}(:\d{2})?)?")
YEAR_FIRST = late(r"\d{4}([./])\d{1,2}\1\d{1,2}(\s\d{1,2}:\d{2}(:\d{2})?)?")
BEHIND_FIRST = frozenset("./-")
"""Marks behind the first number of a date."""
BEFORE_YEAR = frozenset(", -")
"""What stands before the year where the name of a month comes first."""
UNIT_SIGN = f"(?P<{{}}>[{UNIT_SIGNS}])"
WITH_UNIT = late(
    rf"[-+(]?(?:{UNIT_SIGN.format('before')}\s?[-+]?\d[\d.,'’\s]*"
    rf"|\d[\d.,'’\s]*?\s?{UNIT_SIGN.format('behind')})\)?"
)
"""A number with a sign of currency or percent."""
CLOCK = late(r"(\d{1,2}):\d{2}(:\d{2})?")
TWELVE_HOURS = late(r"\d{1,2}:\d{2}(:\d{2})? [AaPp][Mm]")
MONTHS_OF_YEAR = 12
FIRST_WORDS = 9
"""Cells by which a way of writing is looked for."""
LONGEST_DATE = 40
"""Longer texts are no dates, however the months are called."""
NUMBERLIKE = late("[+-]?[\\d.,'’ \u00a0\u202f]*\\d[.,]?")


@lru_cache(maxsize=4096)
def date_kinds(text: str) -> tuple[str, ...]:
    """The ways of writing a date or date-time, other than ISO 8601, that this text may follow.

    Where the order of day and month cannot be seen, both are given.
    """
    if text[:1].isalpha() and not (text[-4:].isdecimal() and text[-5:-4] in BEFORE_YEAR):
        return ()  # only the name of a month stands before the day
    if len(text) > LONGEST_DATE or not any(map(str.isdigit, text)):
        return ()
    if not BEHIND_FIRST.isdisjoint(text[1:3]) and (match := NUMERIC_DATE.fullmatch(text)):
        mark, year, clock, seconds = match.groups()
        tail = f"{mark}{'%Y' if len(year) == 4 else '%y'}{_clock(clock, seconds)}"
        kind = "datetime" if clock else "date"
        return (f"{kind}|%d{mark}%m{tail}", f"{kind}|%m{mark}%d{tail}")
    if text[4:5] in (".", "/") and (match := YEAR_FIRST.fullmatch(text)):
        mark, clock, seconds = match.groups()
        kind = "datetime" if clock else "date"
        return (f"{kind}|%Y{mark}%m{mark}%d{_clock(clock, seconds)}",)
    if not any(map(str.isalpha, text)):
        return ()
    if kind := date_kind(text):
        return (kind,)
    if text[-1] in "Mm" and (match := TWELVE_HOURS.fullmatch(text)):
        return ("time|%I:%M:%S %p" if match.group(1) else "time|%I:%M %p",)
    return ()


def packed_kinds(text: str) -> tuple[str, ...]:
    """The ways of writing a declared date or date-time by digits alone that this text may follow.

    ISO 8601-1:2019, basic format (5.2.2.1). Where no type is declared, such digits are a number.
    """
    if not text.isascii() or not text.isdigit():
        return ()
    return {8: ("date|%Y%m%d",), 14: ("datetime|%Y%m%d%H%M%S",)}.get(len(text), ())


def _clock(clock: str | None, seconds: str | None) -> str:
    if not clock:
        return ""
    return " %H:%M:%S" if seconds else " %H:%M"


def boolean_kinds(words: set[str]) -> tuple[str, ...]:
    """The pairs of words for true and false that these words are of."""
    if not words or len(words) > 2 or not words <= TRUTH_WORDS:
        return ()
    return tuple(f"boolean|{pair[0]}|{pair[1]}" for pair in PAIRS if words <= set(pair))


def written(words: Sequence[str], packed: bool = False, mostly: bool = False) -> tuple[str, ...]:
    """Kinds with a way of writing that these cells may follow, judged by a few of them.

    With `packed`, digits alone may be a date; with `mostly`, half of them may follow no way.
    """
    if not has_digits(words):
        return words_of_truth(words)
    first = words[:FIRST_WORDS]
    dates = [date_kinds(word) or (packed_kinds(word) if packed else ()) for word in first]
    usual = max(dates, key=dates.count) if dates else ()
    if usual := usual or unit_kinds(words, mostly) or clock_kinds(words, mostly):
        return usual
    return words_of_truth(words)


def words_of_truth(words: Sequence[str]) -> tuple[str, ...]:
    """The same of words as they are written, some of them more than once."""
    if not words or words[0].casefold() not in TRUTH_WORDS:
        return ()
    return boolean_kinds(set(map(str.casefold, set(words))))


def possible(kinds: tuple[str, ...], words: Sequence[str]) -> tuple[str, ...]:
    """Of two orders of day and month, those by which none of these words has a month above 12."""
    if len(kinds) != 2 or not kinds[0].startswith("date"):
        return kinds
    mark = kinds[0].partition("|")[2][2]
    parts = [word.split(mark, 2)[:2] for word in words if mark in word]
    first, second = map(set, zip(*parts, strict=True)) if parts else (set(), set())
    return tuple(
        kind
        for kind, months in zip(kinds, (second, first), strict=True)
        if not any(each.isdecimal() and int(each) > MONTHS_OF_YEAR for each in months)
    )


def clock_kinds(words: Sequence[str], mostly: bool = False) -> tuple[str, ...]:
    """The kind of times with one-digit hours.

    Cells that all begin with the same number may be ratios (`1:10`, `1:20`), and are none.
    """
    if not any(":" in word for word in words[:FIRST_WORDS]):
        return ()
    matches = [CLOCK.fullmatch(word) for word in words if word not in MARKS]
    found = [match for match in matches if match]
    if not _enough(found, matches, mostly) or len({match[1] for match in found}) < 2:
        return ()
    seconds = {match[2] is not None for match in found}
    return (f"time|%H:%M{':%S' if seconds.pop() else ''}",) if len(seconds) == 1 else ()


def unit_kinds(words: Sequence[str], mostly: bool = False) -> tuple[str, ...]:
    """The kind of numbers that all carry one sign of currency or percent."""
    first = words[: FIRST_WORDS if mostly else 1]
    if not any(sign in word for word in first for sign in UNIT_SIGNS):
        return ()
    matches = [WITH_UNIT.fullmatch(word) for word in words if word not in MARKS]
    found = [match for match in matches if match]
    signs = {match["before"] or match["behind"] for match in found}
    if len(signs) != 1 or not _enough(found, matches, mostly):
        return ()
    return (f"number|{signs.pop()}",)


def _enough(found: Sequence[Any], tried: Sequence[Any], mostly: bool) -> bool:
    return len(found) == len(tried) or (mostly and 2 * len(found) > len(tried))


def all_digits(words: Sequence[str]) -> bool:
    """Are nearly all of these numbers but for zeros in front?"""
    if not any(map(PADDED.match, words)):
        return False
    digits = [word for word in words if word.isdigit() and word.isascii()]
    enough = len(digits) > 0.9 * len(words)
    return enough and any(word[0] == "0" and len(word) > 1 for word in digits)


def numberlike(words: Sequence[str]) -> bool:
    """Are nearly all of these numbers, in whatever way of marking decimals and groups?"""
    odd = [word for word in words if not (word.isdecimal() or NUMBERLIKE.fullmatch(word))]
    return bool(words) and len(odd) < 0.1 * len(words)


def is_numberlike(word: str) -> bool:
    """A sign, digits with marks and blanks among them, and a mark behind them or none."""
    return NUMBERLIKE.fullmatch(word) is not None
