"""What a stored value means: serial numbers to dates and times, and numerals to their numbers.

Serial days are those of ECMA-376 Part 1, 18.17.4: in the 1900 system day 1 is 1 January 1900 and
day 60 the 29 February 1900 that never was, and there is no day 0: such cells stay the numbers that
they are. In the 1904 system day 0 is 1 January 1904. Times are taken to the millisecond, which is
what the writers keep.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...kernels.types import Ints
from .grid import DATE, DATETIME, DURATION, TIME

DAY_MS = 86_400_000
TWO_DIGITS = np.frombuffer("".join(f"{n:02d}" for n in range(100)).encode(), np.uint8).reshape(
    -1, 2
)
LAST_SERIAL = 2_958_466
"""One day after 31 December 9999."""


class Written(NamedTuple):
    """Texts for some of the cells."""

    at: Ints
    texts: np.ndarray
    """Byte strings of one width, or the bytes of all texts, joined."""
    lengths: Ints | None = None
    """How long each of joined texts is."""


def serial_texts(
    serials: np.ndarray, kinds: np.ndarray, from_1904: bool
) -> tuple[list[Written], np.ndarray]:
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
    lost = dated & ((days < 0) | (((days == 60) | (days == 0)) & (not from_1904)))
    kinds[~good | lost] = 0
    written = []
    for kind in (DATE, DATETIME, TIME, DURATION):
        at = np.flatnonzero(kinds == kind)
        if not len(at):
            continue
        if kind == DATE:
            written.append(Written(at, _joined(_dates(since[at]))))
            continue
        if kind == DURATION:
            texts = [duration_text(value).encode() for value in whole[at].tolist()]
            lengths = np.array([len(each) for each in texts], np.int64)
            written.append(Written(at, np.frombuffer(b"".join(texts), np.uint8), lengths))
            continue
        exact = rest[at] % 1000 == 0
        for some in (at[exact], at[~exact]):
            clock = _clocks(rest[some])
            if kind == DATETIME:
                mark = np.full((len(some), 1), ord("T"), np.uint8)
                clock = np.hstack((_dates(since[some]), mark, clock))
            if len(some):
                written.append(Written(some, _joined(clock)))
    return written, kinds


def _dates(days: Ints) -> np.ndarray:
    """Days since 1970 as `2025-10-06`, shaped (days, 10); each different day is written once."""
    different, place = np.unique(days, return_inverse=True)
    words = np.datetime_as_string(different.astype("datetime64[D]")).astype("S10")
    table = np.frombuffer(words.tobytes(), np.uint8).reshape(-1, 10)
    shown: np.ndarray = table[place.ravel()]
    return shown


def _clocks(millis: Ints) -> np.ndarray:
    """Milliseconds of a day as `18:04:00`, or `18:04:00.500` where any has a fraction."""
    seconds, rest = np.divmod(millis, 1000)
    width = 12 if rest.any() else 8
    shown = np.full((len(millis), width), ord(":"), np.uint8)
    for place, value in ((0, seconds // 3600), (3, seconds // 60 % 60), (6, seconds % 60)):
        shown[:, place : place + 2] = TWO_DIGITS[value]
    if width == 12:
        shown[:, 8] = ord(".")
        shown[:, 9] = rest // 100 + 48
        shown[:, 10:12] = TWO_DIGITS[rest % 100]
    return shown


def _joined(table: np.ndarray) -> np.ndarray:
    """Rows of bytes as byte strings."""
    return np.ascontiguousarray(table).view(f"S{table.shape[1]}").ravel()


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
