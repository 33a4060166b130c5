"""A variable as the checks see it: its values by what they are, even where marks made them text.

A star in one cell makes numbers text; a check that then looked at texts alone would miss all that
is wrong with the numbers. So texts that are nearly all numbers or dates are seen as these, and what
is not is a finding of its own. Rows that have a finding as rows (a heading, a total) are not seen.
"""

from __future__ import annotations

from itertools import compress
from typing import Literal

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..columns.rule import Rule, base, form
from ..columns.search import Declared, TypeSearch
from ..columns.written import date_kinds
from ..declaration.variable import NUMERIC
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags, Ints
from ..plan.model import Decisions
from ..reading.redeclaring import cells_of

Kind = Literal["number", "date", "text", "other"]
MOSTLY = 0.75
"""The share of texts that have to be numbers or dates for a variable to be seen as these."""
FEWEST = 5
"""With fewer texts than these nothing is said of them."""
WORDS_TRIED = 20
"""Words with digits that are looked at for ways of writing dates."""
LONG = 5
"""Digits from which on numbers of one length are identifiers."""
DAY = 86_400_000_000
"""Microseconds of a day."""


class Words(msgspec.Struct, frozen=True, eq=False):
    """The texts of a variable, each different one once."""

    words: list[str]
    counts: Ints
    index: Ints
    """The word of each filled cell."""


class TakenAs(msgspec.Struct, frozen=True, eq=False):
    """Texts that are nearly all of another type."""

    type: str
    format: str
    good: Flags
    """Which words are."""
    share: float


class Seen(msgspec.Struct, frozen=True, eq=False):
    """What is seen of a variable; `values` and `cases` go together, `words` are of texts."""

    column: Column
    name: str
    kind: Kind
    values: np.ndarray
    """Numbers, or microseconds of dates and times; empty for texts."""
    cases: Ints
    """The cases that have these values."""
    filled: Ints
    """The cases that have any value."""
    words: Words | None = None
    taken_as: TakenAs | None = None
    rows_left_out: bool = False


def seen(column: Column, left_out: Flags | None, plan: Decisions) -> Seen:
    """A variable without the rows left out."""
    there = column.reasons == 0
    if left_out is not None:
        there &= ~left_out
    filled = np.flatnonzero(there)
    kind = column.variable.type or "text"
    name = column.variable.name
    nothing = np.zeros(0)
    if kind in NUMERIC or kind in ("date", "datetime"):
        values = _numbers(column, filled)
        return Seen(column, name, "number" if kind in NUMERIC else "date", values, filled, filled)
    if kind not in ("text", "category"):
        return Seen(column, name, "other", nothing, filled, filled)
    words = _words(column, filled)
    taken = _taken_as(words, plan) if len(filled) >= FEWEST else None
    if taken is None:
        return Seen(column, name, "text", nothing, filled[:0], filled, words)
    as_kind, values = taken
    fits = as_kind.good[words.index]
    return Seen(
        column,
        name,
        "number" if as_kind.type in NUMERIC else "date",
        values[words.index[fits]],
        filled[fits],
        filled,
        words,
        as_kind,
        left_out is not None,
    )


def _numbers(column: Column, filled: Ints) -> np.ndarray:
    """Values that are there, dates and times as microseconds."""
    values = column.values
    if len(filled) + values.null_count != len(values):
        values = values.take(kernels.whole_numbers(filled))
    values = values.drop_null() if values.null_count else values
    return _plain(values)


def _plain(values: pa.Array) -> np.ndarray:
    if pa.types.is_date32(values.type):
        return numpy_of(values).astype(np.int64) * DAY
    if pa.types.is_timestamp(values.type):
        return numpy_of(values.cast(pa.timestamp("us", values.type.tz)))
    return numpy_of(values)


def _words(column: Column, filled: Ints) -> Words:
    values = column.values
    if len(filled) + values.null_count != len(values):
        values = values.take(kernels.whole_numbers(filled))
    coded = encoded(values.drop_null() if values.null_count else values)
    index = numpy_of(coded.indices).astype(np.int64)
    counts = np.bincount(index, minlength=len(coded.dictionary))
    words = coded.dictionary
    if not counts.all():
        kept = np.flatnonzero(counts)
        places = np.zeros(len(counts), np.int64)
        places[kept] = np.arange(len(kept))
        words, index, counts = words.take(kernels.whole_numbers(kept)), places[index], counts[kept]
    return Words(words.to_pylist(), counts, index)


def _taken_as(words: Words, plan: Decisions) -> tuple[TakenAs, np.ndarray] | None:
    """Texts as numbers or dates, if nearly all of them are."""
    decimal, grouping = plan.delimited.decimal or ".", plan.delimited.grouping or ""
    written = [any(map(str.isdigit, word)) for word in words.words]
    if words.counts[written].sum() < MOSTLY * words.counts.sum():
        return None
    tried = list(compress(words.words, written))[:WORDS_TRIED]
    texts = cells_of(kernels.strings(words.words))
    best: tuple[TakenAs, np.ndarray] | None = None
    for kind in ("number", *_ways(tried)):
        rule = Rule(base(kind), decimal, grouping, form(kind), strict=True)
        taken = TypeSearch(rule, Declared(rule.kind)).take(texts, np.arange(len(words.words)))
        good = taken.converted.reasons == 0
        share = words.counts[good].sum() / words.counts.sum()
        if share < MOSTLY or int(np.count_nonzero(good)) < min(3, len(good)):
            continue
        if like_identifiers(words.words, good):
            return None
        if best is None or share > best[0].share:
            values = _plain(taken.converted.values)
            best = TakenAs(base(kind), form(kind) or "", good, float(share)), values
        if share > 0.98:
            break
    return best


def _ways(words: list[str]) -> list[str]:
    """Ways of writing dates that some of the words follow."""
    found: list[str] = ["date"]
    if any(":" in word for word in words):
        found.insert(0, "datetime")
    for word in words:
        found += [kind for kind in date_kinds(word) if kind not in found]
    return found[:6]


def like_identifiers(words: list[str], good: Flags) -> bool:
    """Digits of one length, or with zeros in front: a number only by its looks.

    Three or four digits are more often a number, unless what is no number is as long: `A12`.
    """
    numbers = [word for word, fits in zip(words, good, strict=True) if fits]
    digits = [word for word in numbers if word.isdigit()]
    if len(digits) < 0.9 * len(numbers):
        return False
    if any(word[0] == "0" and len(word) > 1 for word in digits):
        return True
    length = len(digits[0])
    if len({len(word) for word in digits}) > 1 or length < 3:
        return False
    others = [word for word, fits in zip(words, good, strict=True) if not fits]
    alike = sum(len(word) == length and any(map(str.isdigit, word)) for word in others)
    return length >= LONG or alike > 0.5 * len(others)
