"""Decimal numerals to numbers, a column of a block at a time.

A numeral is fetched as one to three words that end where it ends. Its decimal mark is taken out by
closing the gap, so that what is left are digits only, which three multiplications turn into a
number. mantissa / 10^decimals is then correctly rounded whenever the mantissa is below 2^53 and the
power is exact (at most 22): W. D. Clinger, "How to read floating point numbers accurately", PLDI
1990. Numerals beyond that are told apart (`exact`), for the caller to read the long way.
"""

from __future__ import annotations

import msgspec
import numpy as np

from ..types import Bytes, Flags, Ints, NumberRequest, NumbersRead, Words
from .blanks import blank, trimmed
from .machine_words import (
    ALL,
    EIGHT,
    ONE,
    ZEROS,
    are_digits,
    digits_value,
    fetch,
    lowest_match,
    unzeroed,
)

LONGEST = 24
POWERS = 10.0 ** np.arange(23)
MINUS, PLUS, ZERO = 45, 43, 48


class Numerals(msgspec.Struct, frozen=True):
    """What the numerals of a column say; each array has one element for each cell."""

    mantissa: Words
    decimals: Ints | int
    """A single number where it is the same in all cells."""
    negative: Flags | None
    """`None` if none is."""
    ok: Flags
    """A plain numeral of at most 19 digits: optional sign, digits, at most one decimal mark."""
    padded: Flags | None
    """A zero stands before another digit, as in postal codes; `None` if nowhere."""
    small: bool
    """All mantissas have fewer than 16 digits."""
    marked: Flags | int = 0
    """Where a decimal mark is written; 1 if everywhere, 0 if nowhere."""

    def most_decimals(self) -> int:
        """The most decimals of a numeral that is ok."""
        if isinstance(self.decimals, int):
            return self.decimals if self.ok.any() else 0
        return int(self.decimals.max(initial=0, where=self.ok))


def read_numbers(buffer: Bytes, starts: Ints, ends: Ints, wanted: NumberRequest) -> NumbersRead:
    """Read the plain numerals of a column, without the blanks around them."""
    if wanted.writing.unit:
        return no_numbers(buffer, starts, ends, wanted)
    numerals = parse(buffer, starts, ends, 0 if wanted.whole else wanted.decimal)
    values, ok, most = valued(numerals, wanted)
    return and_blanks(buffer, starts, ends, wanted, (values, ok, most))


def no_numbers(buffer: Bytes, starts: Ints, ends: Ints, wanted: NumberRequest) -> NumbersRead:
    """What there is to read where every number carries a sign, so that none is plain."""
    reasons = np.where(blank(buffer, starts, ends), 1, 2).astype(np.uint8)
    values = np.zeros(len(reasons), np.int64 if wanted.whole else np.float64)
    return NumbersRead(values, reasons, 0, int(np.count_nonzero(reasons == 2)))


def valued(numerals: Numerals, wanted: NumberRequest) -> tuple[np.ndarray, Flags, int]:
    """Numerals as numbers, where they are such, and the most decimals."""
    if wanted.implied:
        numerals = with_implied(numerals, wanted.implied)
    values, ok = integers(numerals) if wanted.whole else floats(numerals)
    if wanted.strict and numerals.padded is not None:
        ok = ok & ~numerals.padded
    return values, ok, numerals.most_decimals()


def and_blanks(
    buffer: Bytes,
    starts: Ints,
    ends: Ints,
    wanted: NumberRequest,
    read: tuple[np.ndarray, Flags, int],
) -> NumbersRead:
    """What was read, and the cells that have blanks around them, or nothing in them."""
    values, ok, most = read
    reasons = np.zeros(len(values), np.uint8)
    if ok.all():
        return NumbersRead(values, reasons, most, 0)
    rest = np.flatnonzero(~ok)
    low, high = trimmed(buffer, starts[rest], ends[rest])
    empty = low == high
    reasons[rest] = np.where(empty, 1, 2)
    again = np.flatnonzero(~empty & ((low != starts[rest]) | (high != ends[rest])))
    if len(again):
        numerals = parse(buffer, low[again], high[again], 0 if wanted.whole else wanted.decimal)
        more, good, deep = valued(numerals, wanted)
        values = values.copy()
        values[rest[again[good]]] = more[good]
        reasons[rest[again[good]]] = 0
        most = max(most, deep)
    return NumbersRead(values, reasons, most, int(np.count_nonzero(reasons == 2)))


def parse(buffer: Bytes, starts: Ints, ends: Ints, decimal: int) -> Numerals:
    """Read plain numerals. `decimal` is the byte of the decimal mark, or 0 to allow none."""
    lengths = (ends - starts).astype(np.int64, copy=False)
    first = buffer[starts]
    negative = None
    if len(first) and int(first.min()) < ZERO:
        negative = first == MINUS
        signed = negative | (first == PLUS)
        if signed.any():
            lengths = lengths - signed
            first = buffer[starts + signed]
    longest = int(lengths.max(initial=0))
    count = min(max(1, -(-longest // 8)), LONGEST // 8)
    words = _aligned(buffer, ends, lengths, count)
    decimals: Ints | int = 0
    digits = lengths
    found: Flags | int = 0
    if decimal:
        words, found, decimals = _without_mark(buffer, ends, words, lengths, decimal)
        digits = lengths - found
    ok = digits > 0
    if longest > LONGEST:
        ok &= lengths <= LONGEST
    plain = [unzeroed(word) for word in words]
    for word in plain:
        ok &= are_digits(word)
    value = digits_value(plain[-1])
    if count > 1:
        value += digits_value(plain[-2]) * np.uint64(10**8)
    if count > 2:
        value += digits_value(plain[-3]) * np.uint64(10**16)
        ok &= (plain[-3] & np.uint64(0xFFFFFFFFFF)) == 0  # at most 19 digits that count
    padded = first == ZERO
    if padded.any():
        padded &= digits - decimals > 1
    return Numerals(value, decimals, negative, ok, padded, longest < 16, found)


def _aligned(buffer: Bytes, ends: Ints, lengths: Ints, count: int) -> list[Words]:
    """Words that end where the numeral ends, most significant first, zeros before its start."""
    words = []
    for back in range(count, 0, -1):
        held = lengths if count == 1 else np.minimum(np.maximum(lengths - 8 * (back - 1), 0), 8)
        bits = held.view(np.uint64) << np.uint64(3)
        outside = np.uint64(64) - bits
        word = fetch(buffer, ends - 8 * back)
        word >>= outside
        word <<= outside
        word |= ZEROS >> bits
        words.append(word)
    return words


def _without_mark(
    buffer: Bytes, ends: Ints, words: list[Words], lengths: Ints, mark: int
) -> tuple[list[Words], Flags | int, Ints | int]:
    """Take out one decimal mark: what stands before it moves up by a byte."""
    return close_mark(words, _same_place(buffer, ends, lengths, mark), mark)


def close_mark(
    words: list[Words], behind: int | None, mark: int
) -> tuple[list[Words], Flags | int, Ints | int]:
    """Take out the mark, which stands before so many characters, or anywhere (`None`)."""
    if behind is None:
        return _wherever(words, mark)
    closed = list(words)
    place, offset = len(words) - 1 - behind // 8, 7 - behind % 8
    low = np.uint64((1 << (8 * offset)) - 1)
    high = np.uint64(((1 << 64) - 1) ^ ((1 << (8 * offset + 8)) - 1))
    for index in range(place, -1, -1):
        word = words[index]
        before = word & low if index == place else word
        carried = words[index - 1] >> np.uint64(56) if index else np.uint64(ZERO)
        closed[index] = (before << EIGHT) | carried
        if index == place:
            closed[index] |= word & high
    return closed, 1, behind


def _same_place(buffer: Bytes, ends: Ints, lengths: Ints, mark: int) -> int | None:
    """How many digits stand behind the mark, where that is the same in all cells."""
    if not len(ends):
        return None
    tail = buffer[int(ends[0]) - LONGEST : int(ends[0])][::-1]
    behind = int(np.argmax(tail == mark))
    if tail[behind] != mark or behind >= int(lengths.min()):
        return None
    return behind if bool((buffer[ends - (behind + 1)] == mark).all()) else None


def _wherever(words: list[Words], mark: int) -> tuple[list[Words], Flags, Ints]:
    """The mark stands anywhere, or nowhere, in each cell."""
    found = np.zeros(len(words[0]), bool)
    decimals = np.zeros(len(words[0]), np.int64)
    closed = list(words)
    for place in range(len(words) - 1, -1, -1):
        word = words[place]
        hit = lowest_match(word, mark)
        here = hit != 0
        if place < len(words) - 1:
            here &= ~found
        if here.any():
            seventh = hit >> np.uint64(7)
            before = seventh - ONE
            behind = 7 - (np.bitwise_count(before) >> 3).astype(np.int64)
            behind += 8 * (len(words) - 1 - place)
            behind *= here
            decimals += behind
            mark_byte = seventh * np.uint64(255)
            if not here.all():
                before = np.where(here, before, np.where(found, ALL, np.uint64(0)))
                mark_byte = np.where(here, mark_byte, np.uint64(0))
        elif found.any():
            before, mark_byte = np.where(found, ALL, np.uint64(0)), np.zeros_like(word)
        else:
            continue
        found = found | here
        carried = words[place - 1] >> np.uint64(56) if place else np.uint64(ZERO)
        low = ((word & before) << EIGHT) | np.where(found, carried, np.uint64(0))
        closed[place] = low | (word & ~(before | mark_byte))
    return closed, found, decimals


def with_implied(numerals: Numerals, implied: int) -> Numerals:
    """The numerals with decimals that are not written, where no decimal mark is."""
    marked = numerals.marked
    if isinstance(marked, int):
        decimals = numerals.decimals if marked else implied
    else:
        decimals = np.where(marked, numerals.decimals, implied)
    return msgspec.structs.replace(numerals, decimals=decimals)


def integers(numerals: Numerals) -> tuple[Ints, Flags]:
    """As 64-bit integers, and where they are such: no decimals, within range."""
    value, ok, negative = numerals.mantissa.view(np.int64), numerals.ok, numerals.negative
    if not numerals.small:
        limit = np.uint64(2**63)
        fits = numerals.mantissa < limit
        if negative is not None:
            fits |= negative & (numerals.mantissa == limit)
        ok = ok & fits
    if negative is not None and negative.any():
        value = np.where(negative, -value, value)
    return value, ok & (numerals.decimals == 0)


def floats(numerals: Numerals, exponent: Ints | None = None) -> tuple[np.ndarray, Flags]:
    """As binary64, and where the result is surely the nearest one to what is written."""
    exact, decimals, negative = numerals.ok, numerals.decimals, numerals.negative
    if not numerals.small:
        exact = exact & (numerals.mantissa <= np.uint64(2**53))
    value = numerals.mantissa.astype(np.float64)
    if exponent is not None:
        scale = exponent - decimals
        power = POWERS[np.minimum(np.abs(scale), 22)]
        value = np.where(scale < 0, value / power, value * power)
        exact = exact & (np.abs(scale) <= 22)
    elif isinstance(decimals, int):
        if decimals:
            value /= POWERS[min(decimals, 22)]
        exact = exact & (decimals <= 22)
    elif decimals.any():
        value /= POWERS[np.minimum(decimals, 22)]
        exact = exact & (decimals <= 22)
    if negative is not None and negative.any():
        value = np.where(negative, -value, value)
    return value, exact


__all__ = [
    "LONGEST",
    "NumberRequest",
    "NumbersRead",
    "Numerals",
    "and_blanks",
    "close_mark",
    "floats",
    "integers",
    "parse",
    "read_numbers",
    "valued",
    "with_implied",
]
