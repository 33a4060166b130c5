"""Decimal numerals in columns of one width, as fixed layouts have them.

All cells lie at equal distances, so that words are read by stride and not by index, and every shift
is the same for the whole column. Blanks in front count as zeros. What is no plain numeral this way
(blanks behind, marks of grouping) is told apart and read the general way.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..types import Bytes, Flags, Ints, NumberRequest, NumbersRead, Words
from .machine_words import ALL, HIGH, ONE, are_digits, digits_value, splat, unzeroed
from .numbers import LONGEST, Numerals, and_blanks, close_mark, read_numbers, valued

SEVEN = np.uint64(7)
LOW_SEVEN = ~HIGH
BLANKS = splat(0x20)
TO_ZERO = splat(0x10)
BEFORE_LAST = np.uint64(1 << 55)
MINUS, PLUS = 45, 43


def read_column(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, wanted: NumberRequest
) -> NumbersRead:
    """Read the numerals of cells of one width at equal distances, the first at `first`."""
    starts = first + stride * np.arange(rows)
    ends = starts + width
    if wanted.writing.unit or not 0 < width <= LONGEST:
        return read_numbers(buffer, starts, ends, wanted)
    decimal = 0 if wanted.whole else wanted.decimal
    numerals = parse(buffer, first, stride, width, rows, decimal, wanted.strict)
    return and_blanks(buffer, starts, ends, wanted, valued(numerals, wanted))


def parse(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, decimal: int, strict: bool
) -> Numerals:
    """Read a column of numerals, the first of which begins at `first`.

    `decimal` is the byte of the decimal mark, or 0 to allow none. Numerals padded with zeros are
    only told apart if `strict`.
    """
    count = -(-width // 8)
    words = [
        _column(buffer, first + width - 8 * back, stride, rows) for back in range(count, 0, -1)
    ]
    outside = 8 * count - width
    if outside:
        low = np.uint64((1 << (8 * outside)) - 1)
        words[0] &= ~low
        words[0] |= BLANKS & low
    behind = None
    if decimal:
        behind = _same_place(buffer, first, stride, width, rows, decimal)
    read = _read(words, behind, decimal, width, strict)
    if read.ok.all():
        return read
    return _with_signs(read, words, decimal, width, strict)


def _read(
    words: list[Words], behind: int | None, decimal: int, width: int, strict: bool
) -> Numerals:
    """Columns without signs."""
    words, ok, alone, first = _unblanked(words)
    closed: list[Words] = words
    decimals: Ints | int = 0
    marked: Flags | int = 0
    if decimal:
        closed, marked, decimals = close_mark(words, behind, decimal)
        if not isinstance(decimals, int) or not decimals:
            ok &= ~(alone & (decimals == 0) & (marked != 0))
    plain = [unzeroed(word) for word in closed]
    for word in plain:
        ok &= are_digits(word)
    value = digits_value(plain[-1])
    if len(words) > 1:
        value += digits_value(plain[-2]) * np.uint64(10**8)
    if len(words) > 2:
        value += digits_value(plain[-3]) * np.uint64(10**16)
        ok &= (plain[-3] & np.uint64(0xFFFFFFFFFF)) == 0
    padded = _padded(words, first, marked, decimals) if strict else None
    return Numerals(value, decimals, None, ok, padded, width < 16, marked)


def _with_signs(
    read: Numerals, words: list[Words], decimal: int, width: int, strict: bool
) -> Numerals:
    """What was not read, read again with the signs in front taken for blanks."""
    at = np.flatnonzero(~read.ok)
    rest = [word[at] for word in words]
    minus = np.zeros(len(at), bool)
    signed = np.zeros(len(at), bool)
    before: Flags | None = None
    for word in rest:
        blanks = _equal(word, 0x20)
        mask = (blanks >> SEVEN) * np.uint64(255)
        begins = np.where((mask & (mask + ONE)) == 0, mask + ONE, np.uint64(0)) << SEVEN
        if before is not None:
            begins *= before
        for sign in (MINUS, PLUS):
            hit = (_equal(word, sign) & begins) != 0
            word ^= (begins >> SEVEN) * hit * np.uint64(sign ^ 0x20)
            signed |= hit
            minus |= hit & (sign == MINUS)
        before = mask == ALL if before is None else before & (mask == ALL)
    if not signed.any():
        return read
    again = _read(rest, None, decimal, width, strict)
    ok, value = read.ok.copy(), read.mantissa.copy()
    hit = at[signed]
    ok[hit], value[hit] = again.ok[signed], again.mantissa[signed]
    negative = np.zeros(len(ok), bool)
    negative[hit] = minus[signed]
    padded = read.padded
    if padded is not None and again.padded is not None:
        padded = padded.copy()
        padded[hit] = again.padded[signed]
    decimals = _merged(read.decimals, again.decimals, hit, signed, len(ok))
    marked = _merged(read.marked, again.marked, hit, signed, len(ok))
    return Numerals(value, decimals, negative, ok, padded, read.small, marked)


def _merged(old: Any, new: Any, at: Ints, chosen: Flags, rows: int) -> Any:
    """One array of what both readings say; a single number where they agree on it."""
    if isinstance(old, int) and isinstance(new, int) and old == new:
        return old
    merged = np.broadcast_to(np.asarray(old), (rows,)).copy()
    merged[at] = np.broadcast_to(np.asarray(new), (len(chosen),))[chosen]
    return merged


def _padded(
    words: list[Words], first: list[Words], marked: Flags | int, decimals: Ints | int
) -> Flags:
    """Where a zero stands before another digit."""
    zero = np.zeros(len(words[0]), bool)
    held = np.zeros(len(words[0]), np.int64)
    before: Flags | None = None
    for word, begins in zip(words, first, strict=True):
        whole = begins == 0  # all eight are blank
        here = ((word ^ (begins * np.uint64(0x30))) & (begins * np.uint64(255))) == 0
        here &= ~whole
        zero |= here if before is None else here & before
        held += np.where(whole, 0, 8 - (np.bitwise_count(begins - ONE) >> 3).astype(np.int64))
        before = whole if before is None else before & whole
    return zero & (held - marked - decimals > 1)


def _unblanked(words: list[Words]) -> tuple[list[Words], Flags, Flags, list[Words]]:
    """The words with blanks in front as zeros.

    Returns also where only blanks in front were met and there is something behind them, where but
    one character is left, and the bit at which each word's first character begins.
    """
    ok = np.ones(len(words[0]), bool)
    alone = np.zeros(len(words[0]), bool)
    cleared, first = [], []
    before: Flags | None = None
    for word in words:
        hits = _equal(word, 0x20)
        mask = (hits >> SEVEN) * np.uint64(255)
        begins = mask + ONE
        ok &= (mask & begins) == 0
        whole = mask == ALL
        if before is not None:
            ok &= before | (mask == 0)
        cleared.append(word ^ (mask & TO_ZERO))
        first.append(begins)
        alone = (hits & BEFORE_LAST) != 0
        before = whole if before is None else before & whole
    ok &= ~(before if before is not None else alone)
    return cleared, ok, alone, first


def _column(buffer: Bytes, at: int, stride: int, rows: int) -> Words:
    strided: Words = np.ndarray((rows,), "<u8", buffer.data, at, (stride,))
    return strided.copy()


def _same_place(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, mark: int
) -> int | None:
    """How many characters stand behind the mark, where that is the same in all cells."""
    if not rows:
        return None
    cell = buffer[first : first + width].tobytes()
    at = cell.rfind(bytes([mark]))
    if at < 0:
        return None
    column = np.ndarray((rows,), np.uint8, buffer.data, first + at, (stride,))
    return width - 1 - at if bool((column == mark).all()) else None


def _equal(words: Words, byte: int) -> Words:
    """The high bit of every byte that equals this one, exactly."""
    other = words ^ splat(byte)
    hits: Words = ~(((other & LOW_SEVEN) + LOW_SEVEN) | other | LOW_SEVEN)
    return hits


__all__ = ["parse", "read_column"]
