"""Records and fields, found by the compiled scan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, cast

import msgspec
import numpy as np

from .. import reference
from ..buffers import ColumnStart, allocate, array_type_of, counted, no_reasons
from ..types import (
    PAD,
    Bytes,
    CutPoint,
    Dialect,
    EarlyColumn,
    Forecast,
    Ints,
    LineMarks,
    NumberRequest,
    NumbersRead,
    Place,
    Request,
    Structure,
    Table,
    TextMarks,
    TextRequest,
    TextsRead,
    TimeRequest,
    TimesRead,
)
from . import _native
from .cells import (
    BEYOND,
    NO_REASONS,
    NONE,
    UNITS,
    all_words_fit,
    dictionary_of,
    parts_of,
    side_by_side,
    steps_of,
)

TAB, RETURN = 9, 13
POSITIONS, INTEGERS, NUMBERS, TIMES, TEXTS = range(5)
UNEVEN, NEEDS_COPY, FULL = 1, 2, 3
GIVEN_UP = -1
"""In place of how many cells were left: the column seems to be of another type, and is not read."""
WORDS = 5
"""Where a task tells of the different texts."""


class Scan(msgspec.Struct, frozen=True):
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
        returned = _native.survey(buffer, low, high, delimiter, marks.quote)
        delimiters, feeds, returns, _, quotes, _ = returned
    else:
        feeds, returns, quotes = seen.feeds, seen.returns, seen.quotes
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
        starts, ends = np.empty((2, fields, room), np.int32)
        lines = np.empty(room + 1, np.int64)
        returned = _native.split(*scan.given, fields, room, starts, ends, NONE, NONE, lines)
        _, count, consumed, opened, closing, even = returned
        if even and count:
            starts, ends = starts[:, :count], ends[:, :count]
            if closing:
                buffer = buffer.copy()
                for start, end in zip(starts, ends, strict=True):
                    _native.close_up(buffer, scan.quote, start, end)
            return Table(
                buffer,
                count,
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
    places: Any = np.empty((2, scan.fields), np.int32)
    starts, ends = places
    record, lines = np.empty((2, scan.records + 1), np.int64)
    heads = np.empty(scan.records, np.int64)
    returned = _native.split(*scan.given, 0, 0, starts, ends, record, heads, lines)
    fields, count, consumed, opened, closing, _ = returned
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
    return LineMarks(feeds, returns, pairs, feeds + returns - pairs)


def text_marks(buffer: Bytes, low: int, high: int) -> TextMarks:
    """As in the reference."""
    tabs, feeds, returns, pairs, _, is_ascii = _native.survey(buffer, low, high, TAB, 0)
    return TextMarks(LineMarks(feeds, returns, pairs, feeds + returns - pairs), tabs, is_ascii)


def cut(buffer: Bytes, low: int, high: int, quote: int) -> CutPoint:
    """As in the reference."""
    return CutPoint(*_native.cut(buffer, low, high, quote))


def is_utf8(buffer: Bytes, low: int, high: int) -> bool:
    """As in the reference."""
    return bool(_native.invalid_utf8(buffer, low, high) < 0)


class _Task(msgspec.Struct, frozen=True):
    """A column that is read ahead: what goes over, and where it is put."""

    given: tuple[Any, ...]
    wanted: Request | None
    values: Any
    reasons: Any
    starts: Any
    ends: Any
    data: Any
    place: Place | None

    def result(
        self, count: int, returned: tuple[Any, ...], some: bool, keep: bool
    ) -> EarlyColumn | None:
        """What was read of so many cells, of which `some` have a reason to be without a value.

        `keep` their room as it is, which is one for all columns.
        """
        if self.wanted is None or returned[0] == GIVEN_UP:
            return None
        left, blanks, worded, inexact, decimals, words, span, filled = returned
        values, reasons = self.values[:count], no_reasons(count)
        if some:
            reasons = self.reasons[:count] if keep else self.reasons[:count].copy()
        if isinstance(self.wanted, NumberRequest):
            more = (span, self.place, worded > 0, inexact)
            return self.wanted, NumbersRead(values, reasons, decimals, left, *more)
        if isinstance(self.wanted, TimeRequest):
            fits = worded > 0 if all_words_fit(self.wanted.writing) else None
            return self.wanted, TimesRead(values, reasons, left, self.place, fits)
        codes = None
        if words is not None:
            codes = dictionary_of(values, reasons == 0 if blanks else None, words)
        texts = None
        if filled >= 0:
            texts = side_by_side(self.values[: count + 1], self.data[:filled], reasons)
        return self.wanted, TextsRead(reasons.view(bool), codes, texts)


def _results(
    tasks: Sequence[_Task], count: int, all_returned: Sequence[tuple[Any, ...]]
) -> list[EarlyColumn | None]:
    """What was read of each column.

    The room for reasons is kept if most columns have some; else it is soon free again.
    """
    have_some = [
        bool(blanks or worded or (left and words is None))
        for left, blanks, worded, _, _, words, _, _ in all_returned
    ]
    keep = 2 * sum(have_some) > len(tasks)
    triples = zip(tasks, all_returned, have_some, strict=True)
    return [task.result(count, returned, some, keep) for task, returned, some in triples]


def _tasks(
    columns: Sequence[tuple[int, tuple[int, int], Request | None]],
    room: int,
    start: ColumnStart | None,
) -> list[_Task]:
    """A task for each column: its number, where it is, how it is taken; so many cells of each."""
    asked = [wanted is not None for _, _, wanted in columns]
    all_reasons = iter(allocate(sum(asked) * room, np.uint8).reshape(-1, room) if room else ())
    return [
        _task(*column, room, start, next(all_reasons, NO_REASONS) if any_ else NO_REASONS)
        for column, any_ in zip(columns, asked, strict=True)
    ]


def _task(
    index: int,
    at: tuple[int, int],
    wanted: Request | None,
    room: int,
    start: ColumnStart | None,
    reasons: Any,
) -> _Task:
    values: Any = NO_REASONS
    if isinstance(wanted, NumberRequest):  # what most are, so it is asked first
        values, place = _room(index, array_type_of(wanted), room, start)
        kind = INTEGERS if wanted.whole else NUMBERS
        marks = (wanted.decimal, wanted.strict, wanted.implied)
        rule = (kind, *at, *marks, b"", 0, 0, parts_of(wanted.writing))
        given = (*rule, values, reasons, NONE, NONE, NO_REASONS)
        return _Task(given, wanted, values, reasons, NONE, NONE, NO_REASONS, place)
    beside = wanted.room if isinstance(wanted, TextRequest) else 0
    located = at[1] == 0 and not beside and (wanted is None or isinstance(wanted, TextRequest))
    starts, ends = np.empty((2, room), np.int32) if located else (NONE, NONE)
    data: Any = allocate(room * beside + PAD, np.uint8) if beside else NO_REASONS
    place = None
    if wanted is None:
        rule = (POSITIONS, *at, 0, False, 0, b"", 0, 0, b"")
    elif isinstance(wanted, TextRequest):
        if beside:
            values = allocate(room + 1, np.int32)
        else:
            values, _ = _room(index, array_type_of(wanted), room, start)
        rule = (TEXTS, *at, 0, False, 0, b"", 0, wanted.most, b"")
    else:
        values, place = _room(index, array_type_of(wanted), room, start)
        how = (steps_of(wanted.patterns, wanted.exact), UNITS[wanted.unit], 0)
        rule = (TIMES, *at, 0, False, 0, *how, parts_of(wanted.writing))
    given = (*rule, values, reasons, starts, ends, data)
    return _Task(given, wanted, values, reasons, starts, ends, data, place)


def _room(
    index: int, kind: type[np.generic] | None, count: int, start: ColumnStart | None
) -> tuple[Any, Place | None]:
    """An array for so many numbers: a part of the whole column's, if there is one."""
    if kind is None:
        return NO_REASONS, None
    place = start.keeping.place(index, kind, start.row, count) if start is not None else None
    if place is None:
        return np.empty(count, kind), None
    return place.column[place.start : place.start + count], place


def split_early(
    buffer: Bytes,
    low: int,
    high: int,
    marks: Dialect,
    fields: int,
    forecast: Forecast,
    seen: CutPoint,
    name: bytes,
    start: ColumnStart | None = None,
) -> Structure | Table:
    """As in the reference; fields whose text has to be changed are closed up in a copy."""
    changes = False
    for counts, begin in ((seen, start), (None, start), (None, None)):
        scan = scan_of(buffer, low, high, marks, True, counts) if fields > 1 and forecast else None
        if scan is None:
            return split(buffer, low, high, marks, True, fields)
        room = scan.records if begin is None else min(scan.records, begin.rows)
        tasks = _tasks([(at, (at, 0), wanted) for at, wanted in forecast.items()], room, begin)
        lines = np.empty(room + 1, np.int64)
        given = (low, high, *scan.marks, fields, room, lines, name, [task.given for task in tasks])
        text = buffer.copy() if changes else buffer
        returned = _native.read_rows(text, changes, *given)
        if returned[0] == NEEDS_COPY:
            text, changes = buffer.copy(), True
            returned = _native.read_rows(text, True, *given)
        if returned[0] != FULL:  # as many records as were expected
            break
    status, count, consumed, opened, line_ends, is_ascii, has_name, plain, each_returned = returned
    if status == UNEVEN or not count:
        return split(buffer, low, high, marks, True, fields)
    lines = counted(count + 1) if plain else lines[: count + 1]
    ready: dict[int, EarlyColumn] = {}
    known: dict[int, tuple[Ints, Ints]] = {}
    results = _results(tasks, count, each_returned)
    for task, each, result in zip(tasks, each_returned, results, strict=True):
        index = task.given[1]
        if result is not None:
            ready[index] = result
        told_apart = each[0] or each[WORDS] is not None
        kept_apart = isinstance(task.wanted, TextRequest) and told_apart
        if len(task.starts) and not kept_apart:
            known[index] = task.starts[:count], task.ends[:count]
    whole: list[Table] = []

    def columns(index: int) -> tuple[Ints, Ints]:
        if index in known:
            return known[index]
        if not whole:
            whole.append(cast(Table, split(buffer, low, high, marks, True, fields)))
        return whole[0].columns(index)

    more = (line_ends, is_ascii, has_name)
    return Table(text, count, lines, consumed, opened, columns, ready, *more)


def records_early(
    buffer: Bytes,
    first: int,
    stride: int,
    length: int,
    rows: int,
    places: Mapping[int, tuple[int, int]],
    forecast: Forecast,
    start: ColumnStart | None = None,
) -> dict[int, EarlyColumn]:
    """As in the reference; the columns are read some records at a time."""
    columns = [
        (index, places[index], wanted)
        for index, wanted in forecast.items()
        if isinstance(wanted, (NumberRequest, TimeRequest)) and index in places
    ]
    if not columns:
        return {}
    tasks = _tasks(columns, rows, start)
    given = [task.given for task in tasks]
    returned = _native.read_records(buffer, first, stride, length, rows, given)
    pairs = zip(columns, _results(tasks, rows, returned), strict=True)
    return {index: result for (index, _, _), result in pairs if result is not None}
