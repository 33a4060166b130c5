"""Types that a few cells of a column show to be possible, likely, or out of the question."""

from __future__ import annotations

import re

import numpy as np

from .. import kernels
from ..kernels.spans import Cells
from .candidates import boolean_kinds, date_kinds, packed_kinds
from .rule import Rule

NARROW = ("integer", "number", "date", "datetime", "zoned", "time")
NUMBERLIKE = re.compile(r"[+-]?[\d.,'’ \u00a0\u202f]*\d[.,]?")
DATELIKE = re.compile(r"[0-9]{1,4}([-/])[0-9]{1,2}\1[0-9]{1,4}")
DATE_MARKS = ("-", "/")
GLANCE = 8
SAFE = 12
"""Characters of a numeral whose decimals do not vanish by rounding."""


def written(cells: Cells, packed: bool = False) -> tuple[str, ...]:
    """Kinds with a way of writing that the cells may follow, judged by a few of them.

    With `packed`, digits alone may be a date.
    """
    rest = cells.trimmed()
    words = kernels.texts(rest.buffer, rest.starts, rest.ends).to_pylist()
    dates = [date_kinds(word) or (packed_kinds(word) if packed else ()) for word in words[:9]]
    usual = max(dates, key=dates.count) if dates else ()
    return usual or boolean_kinds({word.casefold() for word in words})


def all_digits(cells: Cells) -> bool:
    """Are nearly all of these numbers but for zeros in front?"""
    rest = cells.trimmed()
    words = kernels.texts(rest.buffer, rest.starts, rest.ends).to_pylist()
    digits = sum(word.isdigit() and word.isascii() for word in words)
    padded = sum(word[:1] == "0" and len(word) > 1 for word in words)
    return bool(padded > 0 and digits > 0.9 * len(words))


def numberlike(cells: Cells) -> bool:
    """Are nearly all of these numbers, in whatever way of marking decimals and groups?"""
    rest = cells.trimmed()
    words = kernels.texts(rest.buffer, rest.starts, rest.ends).to_pylist()
    return sum(bool(NUMBERLIKE.fullmatch(word)) for word in words) > 0.9 * len(words)


def impossible(cells: Cells, rule: Rule) -> tuple[str, ...]:
    """Types that a few cells show to be out of the question, without an attempt to read them."""
    rest = cells.at(np.arange(min(len(cells), GLANCE))).trimmed()
    words = kernels.texts(rest.buffer, rest.starts, rest.ends).to_pylist()
    if rule.grouping not in DATE_MARKS and any(map(DATELIKE.fullmatch, words)):
        return NARROW[:2]
    ranges = any(code.value is None for code in rule.codes)  # which may hold what is no integer
    if ranges or rule.implied or rule.grouping == rule.decimal:
        return ()
    parts = [word.partition(rule.decimal) for word in words if len(word) <= SAFE]
    broken = (left + right for left, _, right in parts if right.strip("0"))
    return NARROW[:1] if any(each.isdigit() and each.isascii() for each in broken) else ()


def thinkable(cells: Cells, decimal: str, share: float = 1.0) -> tuple[str, ...]:
    """The types that at least this share of the cells may have, judged by their first character."""
    rest = cells.trimmed()
    lead = rest.buffer[rest.starts]
    digit = (lead >= ord("0")) & (lead <= ord("9"))
    if digit.sum() >= share * len(lead):
        return NARROW
    signed = digit | (lead == ord("-")) | (lead == ord("+")) | (lead == ord(decimal))
    return NARROW[:2] if signed.sum() >= share * len(lead) else ()
