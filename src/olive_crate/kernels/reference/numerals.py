"""Numerals that a writer has cut to 16 digits, and the shorter numbers that are written so.

Common writers cut numbers to 16 digits, which is one too few to tell neighbours apart: 69.6 is
written 69.59999999999999. Of a numeral of 16 digits D, the number of 15 digits M next to it is
meant if it is written D too. Let c be the binary64 number of M. It is written with 16 digits as
10 M + 10 r, rounded, where r / P is what c is more than M / P, and P is the power of ten of the
places behind the point; an exact product (T. J. Dekker, Numerische Mathematik 18, 1971) gives r. So
D can only end in 9 or 1, one off from 10 M = D - s, and M is meant if s r is at least 0.05.
"""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Ints

MOST_CHARACTERS, MOST_DECIMALS = 20, 22
"""Longer ones, and those of more places than powers of ten are exact, are looked at one by one."""
LEAST = 1e-4
"""Smaller numbers are written with an exponent."""
SPLIT = float(2**27 + 1)
LOW, HIGH = 10**15, 10**16
POINT, MINUS, ZERO, EXPONENT, SMALL = ord("."), ord("-"), ord("0"), ord("e"), 0x20
UNKNOWN = -1


def shorter_numerals(buffer: Bytes, starts: Ints, ends: Ints) -> tuple[np.ndarray, Bytes]:
    """How long the shorter numeral of each is, and the texts of those that have one, joined.

    0 is for one that has none, -1 for one that has to be looked at by itself.
    """
    found = np.zeros(len(starts), np.int8)
    likely = _may_be_cut(buffer, ends)
    texts: dict[int, bytes] = {}
    lengths = ends[likely] - starts[likely]
    for length in np.flatnonzero(np.bincount(lengths)).tolist():
        at = likely[lengths == length]
        if length > MOST_CHARACTERS:
            found[at] = UNKNOWN
            continue
        text = buffer[starts[at][:, None] + np.arange(length)]
        plain, point = _plain(text)
        found[at[~plain]] = UNKNOWN
        for place in np.flatnonzero(np.bincount(point[plain])).tolist():
            own = np.flatnonzero(plain & (point == place))
            hit, values = _meant(text[own], place)
            small = np.abs(values) < LEAST
            found[at[own[hit[small]]]] = UNKNOWN
            made = [repr(value).encode("ascii") for value in values[~small].tolist()]
            texts |= zip(at[own[hit[~small]]].tolist(), made, strict=True)
    for place, each in texts.items():
        found[place] = len(each)
    joined = b"".join(texts[place] for place in sorted(texts))
    return found, np.frombuffer(joined, np.uint8)


def _may_be_cut(buffer: Bytes, ends: Ints) -> Ints:
    """Those that end in 9 or 1, or in an exponent."""
    last = buffer[ends - 1]
    found = (last == ZERO + 9) | (last == ZERO + 1)
    for back in (3, 4, 5):
        found |= buffer[ends - back] | SMALL == EXPONENT
    return np.flatnonzero(found)


def _plain(text: np.ndarray) -> tuple[np.ndarray, Ints]:
    """Which rows are digits with one point and perhaps a sign, and where the point is."""
    points = text == POINT
    digits = (text >= ZERO) & (text <= ZERO + 9)
    digits[:, 0] |= text[:, 0] == MINUS
    point = points.argmax(axis=1)
    decimals = text.shape[1] - 1 - point
    plain = (points.sum(axis=1) == 1) & (digits | points).all(axis=1)
    return plain & (decimals >= 1) & (decimals <= MOST_DECIMALS) & (text[:, -1] != ZERO), point


def _meant(text: np.ndarray, point: int) -> tuple[Ints, np.ndarray]:
    """Of numerals with the point at one place: those with a shorter one, and its number."""
    columns = [each for each in range(text.shape[1]) if each != point]
    negative = text[:, 0] == MINUS
    digits = text[:, columns].astype(np.int64) - ZERO
    digits[negative, 0] = 0
    whole = digits @ 10 ** np.arange(len(columns) - 1, -1, -1, dtype=np.int64)
    off = np.where(whole % 10 == 9, -1, 1)
    likely = (whole >= LOW) & (whole < HIGH) & ((whole % 10 == 9) | (whole % 10 == 1))
    found = np.flatnonzero(likely)
    short = ((whole[found] - off[found]) // 10).astype(np.float64)
    power = float(10 ** (text.shape[1] - 2 - point))
    number = short / power
    good = off[found] * _remainder(number, power, short) >= 0.05
    values = number[good]
    return found[good], np.where(negative[found[good]], -values, values)


def _remainder(number: np.ndarray, power: float, short: np.ndarray) -> np.ndarray:
    """`number * power - short`, exactly."""
    product = number * power
    high = SPLIT * number - (SPLIT * number - number)
    low = number - high
    above = SPLIT * power - (SPLIT * power - power)
    below = power - above
    lost = ((high * above - product) + high * below + low * above) + low * below
    made: np.ndarray = (product - short) + lost
    return made
