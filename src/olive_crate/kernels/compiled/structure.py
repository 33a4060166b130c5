"""Records and fields, found by the compiled scan."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from .. import reference
from ..types import Bytes, CutPoint, Dialect, LineMarks, Structure, Table, TextMarks
from . import _native
from .cells import BEYOND, NONE, positions

TAB, RETURN = 9, 13


class Scan(NamedTuple):
    """What a scan is given, and what there is room for."""

    given: tuple[Any, ...]
    marks: tuple[int, int, bool, bool]
    quote: int
    records: int
    fields: int


def scan_of(
    buffer: Bytes, low: int, high: int, marks: Dialect, final: bool, seen: CutPoint | None = None
) -> Scan | None:
    """The scan that can tell this structure, if there is one."""
    if marks.blanks or len(marks.delimiter) > 1 or len(buffer) > BEYOND:
        return None
    delimiter = marks.delimiter[0] if marks.delimiter else -1
    delimiters = 0
    if seen is None:
        told = _native.survey(buffer, low, high, delimiter, marks.quote)
        delimiters, feeds, returns, _, quotes, _ = told
    else:
        _, feeds, returns, quotes, _ = seen
    quote = marks.quote if quotes else 0
    if marks.escape or marks.comment or (marks.skip_blanks and quote):
        return None
    if not final and high > low and buffer[high - 1] == RETURN:
        high -= 1  # a line feed may follow
    has_returns = marks.returns and returns != 0
    records = feeds + (max(returns, 0) if has_returns else 0) + 1
    scan = (delimiter, quote, has_returns, final)
    return Scan((buffer, low, high, *scan), scan, quote, records, records + delimiters)


def split(
    buffer: Bytes, low: int, high: int, marks: Dialect, final: bool, fields: int
) -> Structure | Table:
    """As in the reference."""
    scan = scan_of(buffer, low, high, marks, final)
    if scan is None:
        return reference.split(buffer, low, high, marks, final, fields)
    if fields > 1:
        room = scan.records
        starts, ends = positions(fields, room)
        lines = np.empty(room + 1, np.int64)
        told = _native.split(*scan.given, fields, room, starts, ends, NONE, NONE, lines)
        _, count, consumed, opened, closing, even = told
        if even and count:
            starts, ends = starts[:, :count], ends[:, :count]
            if closing:
                buffer = buffer.copy()
                for start, end in zip(starts, ends, strict=True):
                    _native.close_up(buffer, scan.quote, start, end)
            return Table(
                buffer,
                lines[: count + 1],
                consumed,
                opened,
                lambda index: (starts[index], ends[index]),
            )
    return _structure(scan)


def structure(buffer: Bytes, low: int, high: int, marks: Dialect, final: bool) -> Structure:
    """As in the reference."""
    scan = scan_of(buffer, low, high, marks, final)
    if scan is None:
        return reference.structure(buffer, low, high, marks, final)
    return _structure(scan)


def _structure(scan: Scan) -> Structure:
    """Records with whatever fields they have."""
    buffer = scan.given[0]
    starts, ends = positions(scan.fields)
    record, lines = np.empty((2, scan.records + 1), np.int64)
    heads = np.empty(scan.records, np.int64)
    told = _native.split(*scan.given, 0, 0, starts, ends, record, heads, lines)
    fields, count, consumed, opened, closing, _ = told
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


def line_marks(buffer: Bytes, low: int, high: int) -> LineMarks:
    """As in the reference."""
    _, feeds, returns, pairs, _, _ = _native.survey(buffer, low, high, -1, 0)
    return LineMarks(feeds, returns, pairs)


def text_marks(buffer: Bytes, low: int, high: int) -> TextMarks:
    """As in the reference."""
    tabs, feeds, returns, pairs, _, is_ascii = _native.survey(buffer, low, high, TAB, 0)
    return TextMarks(LineMarks(feeds, returns, pairs), tabs, is_ascii)


def cut(buffer: Bytes, low: int, high: int, quote: int) -> CutPoint:
    """As in the reference."""
    return CutPoint(*_native.cut(buffer, low, high, quote))


def is_utf8(buffer: Bytes, low: int, high: int) -> bool:
    """As in the reference."""
    return bool(_native.invalid_utf8(buffer, low, high) < 0)
