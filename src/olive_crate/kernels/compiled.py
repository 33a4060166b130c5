"""The compiled kernels, with the interface of the reference.

Positions go over as 32-bit integers, NumPy's memory is read and written in place, and the
interpreter is free for other threads meanwhile. Text whose structure is beyond the scan (escapes,
comments, runs of blanks, delimiters of several characters) is split by the reference.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from . import _native, reference
from .reference import Bytes, Flags, Ints, Marks, NumbersRead, Structure, Table, Wanted
from .reference.gather import FEW, bitmap
from .reference.times import DAYS, OF_DAY, SINCE_1970, Pattern
from .reference.words import PAD

NONE = np.zeros(0, np.int32)
NO_REASONS = np.zeros(0, np.uint8)
UNITS = {DAYS: 0, OF_DAY: 1, SINCE_1970: 2}
LOWEST, HIGHEST = -64, 64
BEYOND = (1 << 31) - 1
RETURN = 13


def _powers_of_five() -> np.ndarray:
    """The first 128 bits of each power of five, those from -27 to -1 rounded up; high word first.

    D. Lemire, "Number parsing at a gigabyte per second", Software: Practice and Experience 51
    (2021), section 6.
    """
    words = []
    for power in range(LOWEST, HIGHEST + 1):
        if power >= 0:
            value = 5**power
            shift = 128 - value.bit_length()
            value = value << shift if shift >= 0 else value >> -shift
        else:
            divisor = 5**-power
            bits = divisor.bit_length()
            value = (1 << (bits + 127)) // divisor + (power >= -27)
        words += [value >> 64, value & (2**64 - 1)]
    return np.array(words, np.uint64)


_native.powers(_powers_of_five())


def instructions(name: str | None = None) -> str:
    """The instruction set in use; with a name, that one from now on.

    Raises `ValueError` for one that this processor does not have.
    """
    return str(_native.instructions(name) if name else _native.instructions())


def _narrow(positions: Ints) -> Ints:
    return np.ascontiguousarray(positions, np.int32)


def _positions(*shape: int) -> tuple[Any, Any]:
    """Room for starts and ends."""
    starts, ends = np.empty((2, *shape), np.int32)
    return starts, ends


class _Scan(NamedTuple):
    """What a scan is given, and what there is room for."""

    given: tuple[Any, ...]
    quote: int
    records: int
    fields: int


def _scan(buffer: Bytes, low: int, high: int, marks: Marks, final: bool) -> _Scan | None:
    """The scan that can tell this structure, if there is one."""
    if marks.blanks or len(marks.delimiter) > 1 or len(buffer) > BEYOND:
        return None
    delimiter = marks.delimiter[0] if marks.delimiter else -1
    delimiters, feeds, returns, _, quotes, _ = _native.survey(
        buffer, low, high, delimiter, marks.quote
    )
    quote = marks.quote if quotes else 0
    if marks.escape or marks.comment or (marks.skip_blanks and quote):
        return None
    if not final and high > low and buffer[high - 1] == RETURN:
        high -= 1  # a line feed may follow
    has_returns = marks.returns and returns > 0
    records = feeds + (returns if has_returns else 0) + 1
    given = (buffer, low, high, delimiter, quote, has_returns, final)
    return _Scan(given, quote, records, records + delimiters)


def split(
    buffer: Bytes, low: int, high: int, marks: Marks, final: bool, fields: int
) -> Structure | Table:
    """As in the reference."""
    scan = _scan(buffer, low, high, marks, final)
    if scan is None:
        return reference.split(buffer, low, high, marks, final, fields)
    if fields > 1:
        room = scan.records
        starts, ends = _positions(fields, room)
        lines = np.empty(room + 1, np.int64)
        told = _native.split(*scan.given, fields, room, starts, ends, NONE, NONE, lines)
        _, count, consumed, opened, closing, _, even = told
        if even and count:
            starts, ends = starts[:, :count], ends[:, :count]
            if closing:
                buffer = buffer.copy()
                for start, end in zip(starts, ends, strict=True):
                    _native.close_up(buffer, scan.quote, start, end)
            return Table(buffer, starts.T, ends.T, lines[: count + 1], consumed, opened)
    return _structure(scan)


def structure(buffer: Bytes, low: int, high: int, marks: Marks, final: bool) -> Structure:
    """As in the reference."""
    scan = _scan(buffer, low, high, marks, final)
    if scan is None:
        return reference.structure(buffer, low, high, marks, final)
    return _structure(scan)


def _structure(scan: _Scan) -> Structure:
    """Records with whatever fields they have."""
    buffer = scan.given[0]
    starts, ends = _positions(scan.fields)
    record, lines = np.empty((2, scan.records + 1), np.int64)
    heads = np.empty(scan.records, np.int64)
    told = _native.split(*scan.given, 0, 0, starts, ends, record, heads, lines)
    fields, count, consumed, opened, closing, _, _ = told
    starts, ends = starts[:fields], ends[:fields]
    if closing:
        buffer = buffer.copy()
        _native.close_up(buffer, scan.quote, starts, ends)
    return Structure(
        buffer,
        starts,
        ends,
        record[: count + 1],
        heads[:count],
        lines[: count + 1],
        np.zeros(count, bool),
        consumed,
        opened,
    )


def line_ends(buffer: Bytes, low: int, high: int) -> int:
    """As in the reference."""
    _, feeds, returns, pairs, _, _ = _native.survey(buffer, low, high, -1, 0)
    return int(feeds + returns - pairs)


def cut(buffer: Bytes, low: int, high: int, quote: int) -> int:
    """As in the reference."""
    return int(_native.cut(buffer, low, high, quote))


def is_utf8(buffer: Bytes, low: int, high: int) -> bool:
    """As in the reference."""
    return bool(_native.invalid_utf8(buffer, low, high) < 0)


def blank(buffer: Bytes, starts: Ints, ends: Ints) -> Flags:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.blank(buffer, starts, ends)
    found = np.empty(len(starts), bool)
    _native.blank(buffer, _narrow(starts), _narrow(ends), found)
    return found


def trimmed(
    buffer: Bytes, starts: Ints, ends: Ints, left: bool = True, right: bool = True
) -> tuple[Ints, Ints]:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.trimmed(buffer, starts, ends, left, right)
    low, high = _positions(len(starts))
    changed = _native.trim(buffer, _narrow(starts), _narrow(ends), left, right, low, high)
    return (low, high) if changed else (starts, ends)


def texts(buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None) -> pa.StringArray:
    """As in the reference; the runs may lie in any order."""
    if len(buffer) > BEYOND:
        return reference.texts(buffer, starts, ends, reasons)
    given = (buffer, _narrow(starts), _narrow(ends))
    why = NO_REASONS if reasons is None or not reasons.any() else reasons
    size = _native.total_length(*given, why)
    if size > BEYOND:
        return reference.texts(buffer, starts, ends, reasons)
    offsets = np.empty(len(starts) + 1, np.int32)
    data = np.empty(size + PAD, np.uint8)
    _native.gather(*given, why, offsets, data)
    valid = bitmap(why == 0) if len(why) else None
    made = pa.py_buffer(offsets), pa.py_buffer(data[:size])
    return pa.StringArray.from_buffers(len(starts), *made, valid)


def encoded(
    buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None, most: int | None = None
) -> pa.DictionaryArray | None:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.encoded(buffer, starts, ends, reasons, most)
    starts, ends = _narrow(starts), _narrow(ends)
    why = NO_REASONS if reasons is None or not reasons.any() else reasons
    most = len(starts) if most is None else min(most, len(starts))
    codes, firsts = np.empty(len(starts), np.int32), np.empty(most, np.int32)
    known = _native.encode(buffer, starts, ends, why, codes, firsts, most)
    if known < 0:
        return None
    firsts = firsts[:known]
    valid = why == 0 if len(why) else None
    places = reference.arrow(codes, valid, pa.int32())
    words = texts(buffer, starts[firsts], ends[firsts])
    return pa.DictionaryArray.from_arrays(places, words)


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
    given = (buffer, _narrow(starts), _narrow(ends))
    _native.match(*given, *_side_by_side(tuple(words)), found)
    return found


def read_numbers(buffer: Bytes, starts: Ints, ends: Ints, wanted: Wanted) -> NumbersRead:
    """As in the reference; numerals with an exponent or of up to 17 digits are read as well."""
    if len(buffer) > BEYOND:
        return reference.read_numbers(buffer, starts, ends, wanted)
    return _numbers((buffer, _narrow(starts), _narrow(ends), 0, 0, 0, 0), len(starts), wanted)


def read_column(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, wanted: Wanted
) -> NumbersRead:
    """As in the reference."""
    return _numbers((buffer, NONE, NONE, first, stride, width, rows), rows, wanted)


def _numbers(cells: tuple[Any, ...], count: int, wanted: Wanted) -> NumbersRead:
    values = np.empty(count, np.int64 if wanted.whole else np.float64)
    reasons = np.empty(count, np.uint8)
    rule = (wanted.whole, wanted.decimal, wanted.strict, wanted.implied)
    left, _, most = _native.read_numbers(*cells, *rule, values, reasons)
    return NumbersRead(values, reasons, most, left)


@lru_cache(maxsize=256)
def _steps(pattern: Pattern) -> bytes:
    return b"".join(
        bytes([ord(step.kind), 0]) if step.kind else bytes([0, step.byte]) for step in pattern.steps
    )


def read_times(
    buffer: Bytes, starts: Ints, ends: Ints, pattern: Pattern, exact: bool, unit: str
) -> tuple[np.ndarray, Flags]:
    """As in the reference."""
    if len(buffer) > BEYOND:
        return reference.read_times(buffer, starts, ends, pattern, exact, unit)
    values = np.empty(len(starts), np.int32 if unit == DAYS else np.int64)
    good = np.empty(len(starts), bool)
    cells = (buffer, _narrow(starts), _narrow(ends), 0, 0, 0, 0)
    _native.read_times(*cells, _steps(pattern), pattern.width, exact, UNITS[unit], values, good)
    return values, good


__all__ = [
    "FEW",
    "blank",
    "cut",
    "encoded",
    "instructions",
    "is_utf8",
    "line_ends",
    "match",
    "read_column",
    "read_numbers",
    "read_times",
    "split",
    "structure",
    "texts",
    "trimmed",
]
