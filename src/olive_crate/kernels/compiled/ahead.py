"""Columns read while a block is being split, piece by piece, with their text in the cache."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple, cast

import numpy as np

from ..reference import (
    Bytes,
    Foresight,
    Ints,
    Marks,
    NumbersRead,
    ReadAhead,
    Structure,
    Table,
    Wanted,
    WantedTimes,
)
from ..reference.times import DAYS
from . import _native
from .cells import NO_REASONS, NONE, UNITS, positions, steps_of
from .structure import scan_of, split

POSITIONS, INTEGERS, NUMBERS, TIMES = range(4)
UNEVEN, NEEDS_COPY = 1, 2


class _Task(NamedTuple):
    """A column that is read ahead: what goes over, and where it is put."""

    given: tuple[Any, ...]
    wanted: Wanted | WantedTimes | None
    values: Any
    reasons: Any
    starts: Any
    ends: Any

    def result(self, count: int, told: tuple[int, int, int]) -> ReadAhead | None:
        """What was read of so many cells."""
        if self.wanted is None:
            return None
        values, reasons = self.values[:count], self.reasons[:count]
        if isinstance(self.wanted, WantedTimes):
            return self.wanted, (values, reasons.view(bool))
        return self.wanted, NumbersRead(values, reasons, told[2], told[0])


def _task(
    place: int, width: int, wanted: Wanted | WantedTimes | None, room: int, located: bool
) -> _Task:
    starts, ends = positions(room) if located else (NONE, NONE)
    values: Any = NO_REASONS
    reasons: Any = NO_REASONS
    rule: tuple[Any, ...]
    if wanted is None:
        rule = (POSITIONS, place, width, 0, False, 0, b"", 0, False, 0)
    elif isinstance(wanted, WantedTimes):
        values = np.empty(room, np.int32 if wanted.unit == DAYS else np.int64)
        reasons = np.empty(room, np.uint8)
        how = (steps_of(wanted.pattern), wanted.pattern.width, wanted.exact, UNITS[wanted.unit])
        rule = (TIMES, place, width, 0, False, 0, *how)
    else:
        values = np.empty(room, np.int64 if wanted.whole else np.float64)
        reasons = np.empty(room, np.uint8)
        kind = INTEGERS if wanted.whole else NUMBERS
        marks = (wanted.decimal, wanted.strict, wanted.implied)
        rule = (kind, place, width, *marks, b"", 0, False, 0)
    return _Task((*rule, values, reasons, starts, ends), wanted, values, reasons, starts, ends)


def split_ahead(
    buffer: Bytes, low: int, high: int, marks: Marks, fields: int, foresight: Foresight
) -> Structure | Table:
    """As in the reference; fields whose text has to be changed are closed up in a copy."""
    scan = scan_of(buffer, low, high, marks, True) if fields > 1 and foresight else None
    if scan is None:
        return split(buffer, low, high, marks, True, fields)
    room = scan.records
    tasks = [
        _task(index, 0, wanted, room, wanted is None or index == 0)
        for index, wanted in foresight.items()
    ]
    if 0 not in foresight:
        tasks.append(_task(0, 0, None, room, True))
    lines = np.empty(room + 1, np.int64)
    given = (low, high, *scan.marks, fields, room, lines, [task.given for task in tasks])
    text = buffer
    status, count, consumed, opened, _, told = _native.read_rows(text, False, *given)
    if status == NEEDS_COPY:
        text = buffer.copy()
        status, count, consumed, opened, _, told = _native.read_rows(text, True, *given)
    if status == UNEVEN or not count:
        return split(buffer, low, high, marks, True, fields)
    ready: dict[int, ReadAhead] = {}
    known: dict[int, tuple[Ints, Ints]] = {}
    for task, each in zip(tasks, told, strict=True):
        index, result = task.given[1], task.result(count, each)
        if result is not None:
            ready[index] = result
        if len(task.starts):
            known[index] = task.starts[:count], task.ends[:count]
    whole: list[Table] = []

    def columns(index: int) -> tuple[Ints, Ints]:
        if index in known:
            return known[index]
        if not whole:
            whole.append(cast(Table, split(buffer, low, high, marks, True, fields)))
        return whole[0].columns(index)

    return Table(text, lines[: count + 1], consumed, opened, columns, ready)


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
        if wanted is not None and index in places
    }
    if not tasks:
        return {}
    given = [task.given for task in tasks.values()]
    told = _native.read_records(buffer, first, stride, length, rows, given)
    pairs = zip(tasks.items(), told, strict=True)
    done = {index: task.result(rows, each) for (index, task), each in pairs}
    return {index: result for index, result in done.items() if result is not None}
