"""The kinds that a column may turn out to be: a type, and how it is written.

A kind is a short text: a type alone (`integer`), or a type with the one way of writing that the
column follows (`date|%d.%m.%Y`, `boolean|ja|nein`). `zoned` are date-times with a zone.
"""

from __future__ import annotations

import re
from functools import lru_cache

import msgspec

from .rule import Rule

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

NUMERIC_DATE = re.compile(r"\d{1,2}([./-])\d{1,2}\1(\d{4}|\d{2})(\s\d{1,2}:\d{2}(:\d{2})?)?")
YEAR_FIRST = re.compile(r"\d{4}([./])\d{1,2}\1\d{1,2}(\s\d{1,2}:\d{2}(:\d{2})?)?")
WORDED = re.compile(r"\d{1,2}([ -])[A-Za-z]{3,9}\1(\d{4}|\d{2})")
MONTH_FIRST = re.compile(r"[A-Za-z]{3,9} \d{1,2}, \d{4}")
TWELVE_HOURS = re.compile(r"\d{1,2}:\d{2}(:\d{2})? [AaPp][Mm]")


@lru_cache(maxsize=256)
def base(kind: str) -> str:
    """The type of a kind."""
    name = kind.partition("|")[0]
    return {"zoned": "datetime", "": "text"}.get(name, name)


def form(kind: str) -> str | None:
    """The way of writing that belongs to a kind."""
    return kind.partition("|")[2] or None


def rule_for(rule: Rule, kind: str, strict: bool) -> Rule:
    """The rule to take cells as this kind."""
    name, _, written = kind.partition("|")
    if name == "boolean" and written:
        true, _, false = written.partition("|")
        return msgspec.structs.replace(rule, kind=name, true=(true,), false=(false,), strict=strict)
    return msgspec.structs.replace(rule, kind=name, format=written or rule.format, strict=strict)


def date_kinds(text: str) -> tuple[str, ...]:
    """The ways of writing a date or date-time, other than ISO 8601, that this text may follow.

    Where the order of day and month cannot be seen, both are given.
    """
    if match := NUMERIC_DATE.fullmatch(text):
        mark, year, clock, seconds = match.groups()
        tail = f"{mark}{'%Y' if len(year) == 4 else '%y'}{_clock(clock, seconds)}"
        kind = "datetime" if clock else "date"
        return (f"{kind}|%d{mark}%m{tail}", f"{kind}|%m{mark}%d{tail}")
    if match := YEAR_FIRST.fullmatch(text):
        mark, clock, seconds = match.groups()
        kind = "datetime" if clock else "date"
        return (f"{kind}|%Y{mark}%m{mark}%d{_clock(clock, seconds)}",)
    if match := WORDED.fullmatch(text):
        mark, year = match.groups()
        return (f"date|%d{mark}%b{mark}{'%Y' if len(year) == 4 else '%y'}",)
    if MONTH_FIRST.fullmatch(text):
        return ("date|%b %d, %Y",)
    if match := TWELVE_HOURS.fullmatch(text):
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
    if not words or len(words) > 2:
        return ()
    return tuple(f"boolean|{pair[0]}|{pair[1]}" for pair in PAIRS if words <= set(pair))
