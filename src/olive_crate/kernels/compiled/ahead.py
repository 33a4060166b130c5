"""Columns read while a block is being split, piece by piece, with their text in the cache."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple, cast

import numpy as np

from ..reference import (
    AnyWanted,
    Bytes,
    Foresight,
    Ints,
    Marks,
    NumbersRead,
    ReadAhead,
    Seen,
    Structure,
    Table,
    TextsRead,
    Wanted,
    WantedTexts,
    WantedTimes,
)
from ..reference.times import DAYS
from . import _native
from .cells import NO_REASONS, NONE, UNITS, dictionary_of, positions, steps_of
from .structure import scan_of, split

POSITIONS, INTEGERS, NUMBERS, TIMES, TEXTS = range(5)
UNEVEN, NEEDS_COPY = 1, 2


class _Task(NamedTuple):
    """A column that is read ahead: what goes over, and where it is put."""

    given: tuple[Any, ...]
    wanted: AnyWanted | None
    values: Any
    reasons: Any
    starts: Any
    ends: Any

    def result(self, count: int, told: tuple[Any, ...]) -> ReadAhead | None:
        """What was read of so many cells."""
        if self.wanted is None:
            return None
        left, blanks, decimals, words, span = told
        values, reasons = self.values[:count], self.reasons[:count]
        if isinstance(self.wanted, WantedTimes):
            return self.wanted, (values, reasons.view(bool))
        if isinstance(self.wanted, WantedTexts):
            codes = None
            if words is not None:
                codes = dictionary_of(values, reasons == 0 if blanks else None, words)
            return self.wanted, TextsRead(reasons.view(bool), codes)
        return self.wanted, NumbersRead(values, reasons, decimals, left, span)


def _task(place: int, width: int, wanted: AnyWanted | None, room: int, located: bool) -> _Task:
    located = located or wanted is None or isinstance(wanted, WantedTexts)
    starts, ends = positions(room) if located else (NONE, NONE)
    values: Any = NO_REASONS
    reasons = NO_REASONS if wanted is None else np.empty(room, np.uint8)
    rule: tuple[Any, ...]
    if wanted is None:
        rule = (POSITIONS, place, width, 0, False, 0, b"", 0, False, 0, 0)
    elif isinstance(wanted, WantedTexts):
        values = np.empty(room if wanted.most else 0, np.int32)
        rule = (TEXTS, place, width, 0, False, 0, b"", 0, False, 0, wanted.most)
    elif isinstance(wanted, WantedTimes):
        values = np.empty(room, np.int32 if wanted.unit == DAYS else np.int64)
        how = (steps_of(wanted.pattern), wanted.pattern.width, wanted.exact, UNITS[wanted.unit])
        rule = (TIMES, place, width, 0, False, 0, *how, 0)
    else:
        values = np.empty(room, np.int64 if wanted.whole else np.float64)
        kind = INTEGERS if wanted.whole else NUMBERS
        marks = (wanted.decimal, wanted.strict, wanted.implied)
        rule = (kind, place, width, *marks, b"", 0, False, 0, 0)
    return _Task((*rule, values, reasons, starts, ends), wanted, values, reasons, starts, ends)


def split_ahead(
    buffer: Bytes,
    low: int,
    high: int,
    marks: Marks,
    fields: int,
    foresight: Foresight,
    seen: Seen,
    name: bytes,
) -> Structure | Table:
    """As in the reference; fields whose text has to be changed are closed up in a copy."""
    scan = scan_of(buffer, low, high, marks, True, seen) if fields > 1 and foresight else None
    if scan is None:
        return split(buffer, low, high, marks, True, fields)
    room = scan.records
    tasks = [_task(index, 0, wanted, room, False) for index, wanted in foresight.items()]
    lines = np.empty(room + 1, np.int64)
    given = (low, high, *scan.marks, fields, room, lines, name, [task.given for task in tasks])
    text = buffer
    told = _native.read_rows(text, False, *given)
    if told[0] == NEEDS_COPY:
        text = buffer.copy()
        told = _native.read_rows(text, True, *given)
    status, count, consumed, opened, line_ends, is_ascii, has_name, each_told = told
    if status == UNEVEN or not count:
        return split(buffer, low, high, marks, True, fields)
    ready: dict[int, ReadAhead] = {}
    known: dict[int, tuple[Ints, Ints]] = {}
    for task, each in zip(tasks, each_told, strict=True):
        index, result = task.given[1], task.result(count, each)
        if result is not None:
            ready[index] = result
        told_apart = isinstance(task.wanted, WantedTexts) and (each[0] or each[3] is not None)
        if len(task.starts) and not told_apart:
            known[index] = task.starts[:count], task.ends[:count]
    whole: list[Table] = []

    def columns(index: int) -> tuple[Ints, Ints]:
        if index in known:
            return known[index]
        if not whole:
            whole.append(cast(Table, split(buffer, low, high, marks, True, fields)))
        return whole[0].columns(index)

    table = Table(text, lines[: count + 1], consumed, opened, columns, ready)
    table.line_ends, table.is_ascii, table.has_name = line_ends, is_ascii, has_name
    return table


def records_ahead(
    buffer: Bytes,
    first: int,
    stride: int,
    length: int,
    rows: int,
    places: Mapping[int, tuple[int, int]],
    foresight: Foresight,
) -> dict[int, ReadAhead]:
    """As in the reference; the columns are read some records at a time."""
    tasks = {
        index: _task(*places[index], wanted, rows, False)
        for index, wanted in foresight.items()
        if isinstance(wanted, (Wanted, WantedTimes)) and index in places
    }
    if not tasks:
        return {}
    given = [task.given for task in tasks.values()]
    told = _native.read_records(buffer, first, stride, length, rows, given)
    pairs = zip(tasks.items(), told, strict=True)
    done = {index: task.result(rows, each) for (index, task), each in pairs}
    return {index: result for index, result in done.items() if result is not None}
