"""What a stored value means: serial numbers to dates and times, and numerals to their numbers.

Serial days are those of ECMA-376 Part 1, 18.17.4: in the 1900 system day 1 is 1 January 1900 and
day 60 the 29 February 1900 that never was; in the 1904 system day 0 is 1 January 1904. Times are
taken to the millisecond, which is what the writers keep.
"""

from __future__ import annotations

import numpy as np

from ..kernels.reference import Ints
from .grid import DATE, DATETIME, DURATION, TIME

DAY_MS = 86_400_000
LAST_SERIAL = 2_958_466
"""One day after 31 December 9999."""


def serial_texts(
    serials: np.ndarray, kinds: np.ndarray, from_1904: bool
) -> tuple[list[str], np.ndarray]:
    """Serial numbers as ISO 8601, and the kind that each turns out to be.

    A date with a part of a day is a date-time, a time of a day or more a duration, a date-time
    below one day a time. What is no day of the calendar stays a number (kind 0).
    """
    millis = np.rint(serials * DAY_MS)
    good = np.isfinite(millis) & (np.abs(serials) < LAST_SERIAL)
    whole = np.where(good, millis, 0).astype(np.int64)
    days, rest = np.divmod(whole, DAY_MS)
    kinds = kinds.copy()
    kinds[(kinds == DATE) & (rest != 0)] = DATETIME
    kinds[(kinds == DATETIME) & (days == 0) & (rest != 0)] = TIME
    kinds[(kinds == TIME) & (days != 0)] = DURATION
    dated = (kinds == DATE) | (kinds == DATETIME)
    epoch = np.datetime64("1904-01-01" if from_1904 else "1899-12-30", "D").astype(np.int64)
    since = days + epoch
    if not from_1904:
        since += (days < 60) & (days > 0)
    lost = dated & ((days < 0) | ((days == 60) & (not from_1904)))
    kinds[~good | lost] = 0
    texts = np.full(len(serials), "", dtype=object)
    at = np.flatnonzero(kinds == DATE)
    texts[at] = np.datetime_as_string(since[at].astype("datetime64[D]"))
    at = np.flatnonzero(kinds == DATETIME)
    texts[at] = _stamps(since[at] * DAY_MS + rest[at])
    at = np.flatnonzero(kinds == TIME)
    texts[at] = [text[11:] for text in _stamps(rest[at])]
    at = np.flatnonzero(kinds == DURATION)
    texts[at] = [duration_text(value) for value in whole[at].tolist()]
    return texts.tolist(), kinds


def _stamps(millis: Ints) -> list[str]:
    stamps = millis.astype("datetime64[ms]")
    if not (millis % 1000).any():
        stamps = stamps.astype("datetime64[s]")
    return [str(text) for text in np.datetime_as_string(stamps)]


def duration_text(millis: int) -> str:
    """ISO 8601-1:2019, 5.5.2, in seconds."""
    sign, millis = ("-", -millis) if millis < 0 else ("", millis)
    seconds, rest = divmod(millis, 1000)
    return f"{sign}PT{seconds}{f'.{rest:03d}' if rest else ''}S"


def shortest_numeral(text: str) -> str:
    """The number with the fewest digits that is written so to 16 digits.

    Common writers cut numbers to 16 digits, which is one too few to tell neighbours apart: 69.6
    is written 69.59999999999999.
    """
    value = float(text)
    short = float(f"{value:.15g}")
    return repr(short) if f"{short:.16g}" == f"{value:.16g}" else text
