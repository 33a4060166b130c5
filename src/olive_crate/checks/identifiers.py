"""Identifiers that a program took for numbers: lost zeros, lost digits, exponents."""

from __future__ import annotations

import re

import numpy as np

from ..declaration.patterns import late
from ..evidence import Mend
from .distribution import different, drawn, repeats_often
from .findings import Finding, RowsOf
from .kinds import LostDigits, LostZeros
from .seen import Seen, Words

LONG = 1e9
"""From here on, numbers may have been cut to few digits."""
EXACT = 2.0**53
"""From here on, binary64 does not hold every whole number."""
ENOUGH, EVEN_FROM = 20, 100
"""Identifiers that show how long they are, and how evenly they are spread."""
NAMED = late(
    r"(post(al)?|zip|pin)[ _-]?codes?|plz|codigo[ _-]?postal|cap\b|fips|phone|tel(efono|ephone)?\b|"
    r"(national|tax|social|personal|member|patient|sample|parcel|respondent)[ _-]?"
    r"(id|no|nr|number)",
    re.IGNORECASE,
)
"""Headings of what is digits of one length."""
SAME = 0.5
"""The share of identifiers that still have the whole length."""
SHORTEST = 4


def is_identifier(seen: Seen) -> bool:
    """Whole numbers that all differ, like a running number, or that are said to be names."""
    variable, values = seen.column.variable, seen.values
    if variable.level == "nominal":
        return True
    if variable.type not in ("integer", "text", "category") or repeats_often(seen.column.values):
        return False
    if not np.array_equal(values, np.floor(values)) or not len(values):
        return False
    return different(values) > 0.98 * len(values) and bool(np.ptp(values) >= len(values) / 2)


def zeros_of_texts(seen: Seen, rows: RowsOf) -> list[Finding]:
    """Digits of one length, some of which lack the zeros that others begin with."""
    words = seen.words
    if words is None or len(seen.filled) < ENOUGH:
        return []
    digits = np.array([word.isdigit() for word in words.words])
    if words.counts[digits].sum() < 0.98 * words.counts.sum():
        return []
    lengths = np.array([len(word) for word in words.words])
    usual = int(np.argmax(np.bincount(lengths[digits], words.counts[digits])))
    padded = _starting(words, digits & (lengths == usual))
    shorter = digits & (lengths < usual)
    if usual < SHORTEST or not padded or not shorter.any() or (lengths[digits] > usual).any():
        return []
    if (
        _starting(words, shorter)
        or words.counts[lengths == usual].sum() < SAME * words.counts.sum()
    ):
        return []
    return _lost_zeros(seen, shorter[words.index], usual, rows, True)


def _starting(words: Words, which: np.ndarray) -> bool:
    """Does one of these words start with a zero?"""
    return any(words.words[place][0] == "0" for place in np.flatnonzero(which))


def _lost_zeros(
    seen: Seen, hit: np.ndarray, length: int, rows: RowsOf, sure: bool
) -> list[Finding]:
    return [
        LostZeros(
            severity="serious" if sure else "doubtful",
            sure=0.97 if sure else 0.6,
            variables=(seen.name,),
            count=int(np.count_nonzero(hit)),
            rows=rows(seen.filled[hit]),
            length=length,
            in_part=sure,
        )
    ]


def number_identifiers(seen: Seen, rows: RowsOf) -> list[Finding]:
    """What identifiers lose when they are read as numbers."""
    values = seen.values
    if not len(values):
        return []
    top = max(abs(float(values.min())), abs(float(values.max())))
    if top < LONG:
        return _zeros_of_numbers(seen, rows)
    return _digits(seen, rows)


def _zeros_of_numbers(seen: Seen, rows: RowsOf) -> list[Finding]:
    """Whole numbers spread evenly up to a length that most have: some began with zeros."""
    values = seen.values
    if len(seen.cases) != len(seen.filled) or len(values) < EVEN_FROM or values.min() < 0:
        return []
    some = np.sort(drawn(values))
    if not np.array_equal(some, np.floor(some)) or some[-1] < 10 ** (SHORTEST - 1):
        return []
    length = len(str(int(some[-1])))
    least = 10 ** (length - 1)
    whole = float(np.mean(some >= least))
    named = NAMED.search(seen.column.variable.heading) is not None
    if whole == 1 or whole < (0.2 if named else SAME):
        return []
    if not named and not (length >= 5 and _even(some) and not _runs(values)):
        return []
    return _lost_zeros(seen, values < least, length, rows, False)


def _even(ordered: np.ndarray) -> bool:
    """Are they spread evenly from zero to the greatest, and do they hardly repeat?

    By the distance of A. Kolmogorov, "Sulla determinazione empirica di una legge di distribuzione"
    (1933): at most 1.36 over the root of their number in 19 of 20 even samples.
    """
    count = len(ordered)
    places = ordered / ordered[-1]
    apart = np.max(np.abs(places - (np.arange(1, count + 1) - 0.5) / count))
    return bool(apart * np.sqrt(count) < 1.36 and different(ordered) > 0.98 * count)


def _runs(values: np.ndarray) -> bool:
    """Do they rise, or fill their range?"""
    steps = np.diff(values)
    return bool((steps >= 0).mean() > 0.9 or np.ptp(values) < 3 * len(values))


def _digits(seen: Seen, rows: RowsOf) -> list[Finding]:
    """Numbers too long for binary64, or cut to few digits by exponents."""
    values = seen.values
    sizes = np.abs(values.astype(np.float64))
    is_text = seen.taken_as is not None
    if values.dtype != np.int64 and not is_text and bool((long := sizes >= EXACT).mean() > 0.5):
        return [
            LostDigits(
                severity="serious",
                variables=(seen.name,),
                count=int(np.count_nonzero(long)),
                rows=rows(seen.cases[long]),
                by_exponent=False,
                mend=Mend({"type": "text"}, seen.name),
            )
        ]
    large = sizes >= LONG
    whole = large & (np.floor(sizes) == sizes)
    if np.count_nonzero(whole) < 5 or np.count_nonzero(whole) < 0.9 * np.count_nonzero(large):
        return []
    cut = whole & (sizes % 1e4 == 0)
    many = int(np.count_nonzero(cut))
    if many < 2 or many < 20 * np.count_nonzero(whole) / 1e4 or different(sizes[large]) < 5:
        return []
    if 0.5 * np.count_nonzero(whole) < many < 0.9 * np.count_nonzero(whole):
        return []
    if different(sizes[large]) < 0.9 * np.count_nonzero(large):
        return []
    return [
        LostDigits(
            severity="serious" if many < 0.5 * np.count_nonzero(whole) else "doubtful",
            variables=(seen.name,),
            count=many,
            rows=rows(seen.cases[cut]),
            by_exponent=True,
        )
    ]
