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

from ...kernels.types import Bytes, Ints
from .values import shortest_numeral

LONG = 17
"""Characters of a numeral with a point and 16 digits."""
MOST_CHARACTERS, MOST_DECIMALS = 20, 22
"""Longer ones, and those of more places than powers of ten are exact, are looked at one by one."""
SPLIT = float(2**27 + 1)
LOW, HIGH = 10**15, 10**16
POINT, MINUS, ZERO, EXPONENT, SMALL = ord("."), ord("-"), ord("0"), ord("e"), 0x20


def shorter(buffer: Bytes, starts: Ints, ends: Ints) -> tuple[Ints, list[bytes]]:
    """Which of these numerals have a shorter one, and that."""
    likely = _may_be_cut(buffer, ends)
    places, made = _shorter(buffer, starts[likely], ends[likely])
    return likely[places], made


def _may_be_cut(buffer: Bytes, ends: Ints) -> Ints:
    """Those that end in 9 or 1, or in an exponent."""
    last = buffer[ends - 1]
    found = (last == ZERO + 9) | (last == ZERO + 1)
    for back in (3, 4, 5):
        found |= buffer[ends - back] | SMALL == EXPONENT
    return np.flatnonzero(found)


def _shorter(buffer: Bytes, starts: Ints, ends: Ints) -> tuple[Ints, list[bytes]]:
    places: list[Ints] = []
    numbers: list[np.ndarray] = []
    rest: list[Ints] = []
    lengths = ends - starts
    for length in np.flatnonzero(np.bincount(lengths)).tolist():
        at = np.flatnonzero(lengths == length)
        if length > MOST_CHARACTERS:
            rest.append(at)
            continue
        text = buffer[starts[at][:, None] + np.arange(length)]
        plain, point = _plain(text)
        rest.append(at[~plain])
        for place in np.flatnonzero(np.bincount(point[plain])).tolist():
            own = np.flatnonzero(plain & (point == place))
            found, values = _meant(text[own], place)
            places.append(at[own[found]])
            numbers.append(values)
    made = [repr(value).encode() for some in numbers for value in some.tolist()]
    for each in np.concatenate(rest).tolist() if rest else []:
        numeral = buffer[starts[each] : ends[each]].tobytes().decode("ascii", "replace")
        short = _by_itself(numeral)
        if short != numeral:
            places.append(np.array([each]))
            made.append(short.encode())
    return np.concatenate([np.zeros(0, np.int64), *places]), made


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


def _by_itself(text: str) -> str:
    digits = text.lstrip("-").partition("E")[0].replace(".", "").lstrip("0")
    try:
        return shortest_numeral(text) if len(digits) == 16 else text
    except ValueError:
        return text
