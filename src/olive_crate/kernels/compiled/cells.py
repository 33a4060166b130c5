"""The cells of one column: numbers, times, texts."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import lru_cache, partial
from typing import Any

import numpy as np
import pyarrow as pa

from .. import reference
from ..buffers import allocate, arrow
from ..types import (
    DAYS,
    OF_DAY,
    PAD,
    SINCE_1970,
    Bytes,
    CodeValues,
    Course,
    Extremes,
    Flags,
    Ints,
    NumberRequest,
    NumbersRead,
    Pattern,
    TimeRequest,
    TimesRead,
    Validity,
    Words,
    Writing,
)
from . import _native

NONE = np.zeros(0, np.int32)
NO_REASONS = np.zeros(0, np.uint8)
UNITS = {DAYS: 0, OF_DAY: 1, SINCE_1970: 2}
LOWEST, HIGHEST = -342, 308
MOST_WORDS = 200
BEYOND = (1 << 31) - 1


def _powers_of_five() -> np.ndarray:
    """The first 128 bits of each power of five, those from -27 to -1 rounded up; high word first.

    D. Lemire, "Number parsing at a gigabyte per second", Software: Practice and Experience 51
    (2021), section 6.
    """
    words, low = [], (1 << 64) - 1
    five = 5**-LOWEST
    for power in range(LOWEST, 0):
        value = (1 << (five.bit_length() + 127)) // five + (power >= -27)
        words += [value >> 64, value & low]
        five //= 5
    for _ in range(HIGHEST + 1):
        shift = 128 - five.bit_length()
        value = five << shift if shift >= 0 else five >> -shift
        words += [value >> 64, value & low]
        five *= 5
    return np.array(words, np.uint64)


_native.powers(_powers_of_five())


narrow = partial(np.ascontiguousarray, dtype=np.int32)
"""Positions as they go over; a copy only where they are not so already."""


def blank(buffer: Bytes, starts: Ints, ends: Ints) -> Flags:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.blank(buffer, starts, ends)
    found = np.empty(len(starts), bool)
    _native.blank(buffer, narrow(starts), narrow(ends), found)
    return found


def trimmed(
    buffer: Bytes, starts: Ints, ends: Ints, left: bool = True, right: bool = True
) -> tuple[Ints, Ints]:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.trimmed(buffer, starts, ends, left, right)
    room: Any = np.empty((2, len(starts)), np.int32)
    low, high = room
    changed = _native.trim(buffer, narrow(starts), narrow(ends), left, right, low, high)
    return (low, high) if changed else (starts, ends)


def texts(buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None) -> pa.StringArray:
    """As in the reference; the runs may lie in any order."""
    if len(buffer) > BEYOND:
        return reference.texts(buffer, starts, ends, reasons)
    given = (buffer, narrow(starts), narrow(ends))
    why = NO_REASONS if reasons is None or not reasons.any() else reasons
    size = _native.total_length(*given, why)
    if size > BEYOND:
        return reference.texts(buffer, starts, ends, reasons)
    offsets = allocate(len(starts) + 1, np.int32)
    data = allocate(size + PAD, np.uint8)
    _native.gather(*given, why, offsets, data)
    return side_by_side(offsets, data[:size], why)


def listed(buffer: Bytes, starts: Ints, ends: Ints) -> list[str]:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.listed(buffer, starts, ends)
    made: list[str] = _native.listed(buffer, narrow(starts), narrow(ends))
    return made


def side_by_side(offsets: Any, data: Any, reasons: Bytes) -> pa.StringArray:
    """Texts that lie side by side, one more offset than texts; without any reason, none is null."""
    valid = validity(reasons).bitmap if len(reasons) else None
    made = pa.py_buffer(offsets), pa.py_buffer(data)
    return pa.StringArray.from_buffers(len(offsets) - 1, *made, valid)


def encoded(
    buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None, most: int | None = None
) -> pa.DictionaryArray | None:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.encoded(buffer, starts, ends, reasons, most)
    why = NO_REASONS if reasons is None or not reasons.any() else reasons
    codes = np.empty(len(starts), np.int32)
    most = len(starts) if most is None else most
    returned = _native.encode(buffer, narrow(starts), narrow(ends), why, codes, most)
    return (
        None if returned is None else dictionary_of(codes, why == 0 if len(why) else None, returned)
    )


def dictionary_of(codes: Any, valid: Flags | None, returned: tuple[bytes, bytes]) -> pa.Array:
    """Numbers of texts, and the texts with their offsets, as an Arrow array."""
    words, offsets = returned
    buffers = pa.py_buffer(offsets), pa.py_buffer(words)
    dictionary = pa.StringArray.from_buffers(len(offsets) // 4 - 1, *buffers)
    places = arrow(codes, valid, pa.int32())
    return pa.DictionaryArray.from_arrays(places, dictionary, safe=False)


def different(buffer: Bytes, starts: Ints, ends: Ints, most: int) -> list[str] | None:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.different(buffer, starts, ends, most)
    codes = np.empty(len(starts), np.int32)
    given = (buffer, narrow(starts), narrow(ends), NO_REASONS)
    returned = _native.encode(*given, codes, most)
    if returned is None:
        return None
    words, offsets = returned
    at = memoryview(offsets).cast("i").tolist()
    return [words[low:high].decode() for low, high in itertools.pairwise(at)]


@lru_cache(maxsize=256)
def _side_by_side(words: tuple[str, ...]) -> tuple[Any, Any]:
    pieces = [word.encode("utf-8") for word in words]
    offsets = np.zeros(len(pieces) + 1, np.int32)
    np.cumsum([len(piece) for piece in pieces], out=offsets[1:])
    return np.frombuffer(b"".join(pieces) + bytes(1), np.uint8), offsets


def match(buffer: Bytes, starts: Ints, ends: Ints, words: Sequence[str]) -> Ints:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.match(buffer, starts, ends, words)
    found = np.empty(len(starts), np.int64)
    given = (buffer, narrow(starts), narrow(ends))
    _native.match(*given, *_side_by_side(tuple(words)), found)
    return found


def read_numbers(buffer: Bytes, starts: Ints, ends: Ints, wanted: NumberRequest) -> NumbersRead:
    """As in the reference; numerals that the reference leaves are read, if `writing` tells how."""
    if len(buffer) > BEYOND:
        return reference.read_numbers(buffer, starts, ends, wanted)
    return _numbers((buffer, narrow(starts), narrow(ends), 0, 0, 0, 0), len(starts), wanted)


def read_column(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, wanted: NumberRequest
) -> NumbersRead:
    """As in the reference."""
    return _numbers((buffer, NONE, NONE, first, stride, width, rows), rows, wanted)


def _numbers(cells: tuple[Any, ...], count: int, wanted: NumberRequest) -> NumbersRead:
    values = np.empty(count, np.int64 if wanted.whole else np.float64)
    reasons = np.empty(count, np.uint8)
    rule = (wanted.whole, wanted.decimal, wanted.strict, wanted.implied, parts_of(wanted.writing))
    returned = _native.read_numbers(*cells, *rule, values, reasons)
    left, _, worded, inexact, most, span = returned
    return NumbersRead(values, reasons, most, left, span, None, worded > 0, inexact)


@lru_cache(maxsize=256)
def parts_of(writing: Writing) -> bytes:
    """A manner of writing as the kernels take it: its parts, each text behind its length.

    Cells with words that are left out are left, too.
    """
    parts = [bytes([bool(writing.signs)]), _sized(writing.unit)]
    for marks in (writing.signs, writing.grouping):
        parts += [bytes([len(marks)]), *map(_sized, marks)]
    for word, reason in _words_sent(writing):
        parts += [bytes([reason]), _sized(word)]
    return b"".join([*parts, bytes(8)])


def _words_sent(writing: Writing) -> list[tuple[bytes, int]]:
    """The words that go over, with their reasons, without those that are too many or too long."""
    words = [word.encode("utf-8") for word in writing.words]
    told = zip(words, writing.reasons, strict=True)
    return [(word, reason) for word, reason in told if len(word) < 256][:MOST_WORDS]


def _sized(text: bytes) -> bytes:
    return bytes([len(text)]) + text


@lru_cache(maxsize=256)
def steps_of(patterns: tuple[Pattern, ...], exact: tuple[bool, ...]) -> bytes:
    """Patterns as the kernels take them.

    For each, two bytes for the number of its steps, whether it is exact, and two bytes a
    step: a directive and 0, or 0 and a literal byte.
    """
    parts = []
    for pattern, strictly in zip(patterns, exact, strict=True):
        count = len(pattern.steps)
        parts.append(bytes([count >> 8, count & 255, strictly]))
        parts += [bytes([ord(s.kind), 0] if s.kind else [0, s.byte]) for s in pattern.steps]
    return b"".join(parts)


@lru_cache(maxsize=256)
def all_words_fit(writing: Writing) -> bool:
    """Do kernels look for all the words?"""
    return len(_words_sent(writing)) == len(writing.words)


def read_times(buffer: Bytes, starts: Ints, ends: Ints, wanted: TimeRequest) -> TimesRead:
    """As in the reference, by all the patterns; words are read as well."""
    if len(buffer) > BEYOND:
        return reference.read_times(buffer, starts, ends, wanted)
    values = np.empty(len(starts), np.int32 if wanted.unit == DAYS else np.int64)
    reasons = np.empty(len(starts), np.uint8)
    cells = (buffer, narrow(starts), narrow(ends), 0, 0, 0, 0)
    how = (steps_of(wanted.patterns, wanted.exact), parts_of(wanted.writing), UNITS[wanted.unit])
    left, _, worded = _native.read_times(*cells, *how, values, reasons)
    looked_for = all_words_fit(wanted.writing)
    return TimesRead(values, reasons, left, None, worded > 0 if looked_for else None)


def tally(reasons: Bytes) -> Ints:
    """As in the reference."""
    counts = np.zeros(256, np.int64)
    _native.tally(np.ascontiguousarray(reasons), counts)
    return counts


def validity(reasons: Bytes) -> Validity:
    """As in the reference."""
    bits = np.empty(-(-len(reasons) // 8), np.uint8)
    missing, only = _native.validity(np.ascontiguousarray(reasons), bits)
    return Validity(missing, pa.py_buffer(bits) if missing else None, only)


def find_codes(values: np.ndarray, reasons: Bytes, codes: CodeValues) -> int:
    """As in the reference."""
    whole = values.dtype == np.int64
    if not (values.flags.c_contiguous and reasons.flags.c_contiguous):
        return reference.find_codes(values, reasons, codes)
    found: int = _native.find_codes(values, whole, reasons, *codes)
    return found


def extremes(values: np.ndarray, reasons: Bytes | None, looks: np.ndarray) -> Extremes:
    """As in the reference."""
    counts = np.zeros(len(looks), np.int64)
    why = NO_REASONS if reasons is None else np.ascontiguousarray(reasons)
    whole = values.dtype == np.int64
    given = (np.ascontiguousarray(values), whole, why, looks, counts)
    low, high = _native.extremes(*given)
    hit = np.flatnonzero(counts)
    met = dict(zip(looks[hit].tolist(), counts[hit].tolist(), strict=True))
    return Extremes(low, high, met)


def course(numbers: Ints, reasons: Bytes | None) -> Course:
    """As in the reference."""
    why = NO_REASONS if reasons is None else np.ascontiguousarray(reasons)
    return Course(*_native.course(np.ascontiguousarray(numbers), why))


def mixed(raw: Words, reasons: Bytes | None, salt: np.uint64) -> Words:
    """As in the reference."""
    made = np.empty(len(raw), np.uint64)
    why = NO_REASONS if reasons is None else np.ascontiguousarray(reasons)
    _native.mix(np.ascontiguousarray(raw), why, np.array([salt], np.uint64), made)
    return made
