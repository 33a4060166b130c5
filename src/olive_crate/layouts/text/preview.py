"""A look at text as it is: its first and last lines, and the part that each plays."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import msgspec

from ...plan.model import Decisions
from ...sources.source import Sample, decoded
from ..base import RawRow
from .completing import without_mark

MOST_READ = 4 << 20
"""A file that is no larger is read whole to count its lines."""
RAW_ROWS, TAIL_ROWS = 10, 3
"""Lines shown of the head and the tail."""
LINE_KEPT = 2000
"""Characters kept of a line."""


class Bounds(msgspec.Struct, frozen=True):
    """Which rows hold data, and how the bytes are encoded."""

    encoding: str
    first: int
    last: int | None


class RawView(NamedTuple):
    """The first and the last lines, and how many there are."""

    lines: int | None
    lines_estimated: int | None
    rows: tuple[RawRow, ...]
    tail: tuple[RawRow, ...]


def lines_of(text: str) -> list[str]:
    """Lines as they are counted when reading: ended by LF, CR LF or CR, and by nothing else."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return lines[:-1] if lines[-1] == "" else lines


def raw_view(
    sample: Sample,
    plan: Decisions,
    bounds: Bounds,
    lines: Sequence[str],
    total: int | None,
    tail: bool = True,
) -> RawView:
    """The first of these lines, and the last ones of the source.

    `total` is how many lines there are, if that is known.
    """
    shown = max(RAW_ROWS, min(bounds.first + 3, 3 * RAW_ROWS))
    rows = tuple(
        RawRow(number, _part(plan, bounds, number, line), line[:LINE_KEPT])
        for number, line in enumerate(lines[:shown], 1)
    )
    last = _tail(sample, plan, bounds, lines, total, len(rows)) if tail else ()
    return RawView(total, total if total is not None else _estimated(sample, lines), rows, last)


def counted(sample: Sample, shown: int, count: Callable[[bytes], int]) -> int | None:
    """The lines of a file small enough to be read whole for this; else `None`."""
    if sample.is_whole:
        return shown
    size = sample.source.size
    if size is None or size > MOST_READ:
        return None
    return count(sample.source.head(size))


def _estimated(sample: Sample, lines: Sequence[str]) -> int | None:
    size = sample.source.size
    return None if size is None else round(size * len(lines) / len(sample.head))


def _part(plan: Decisions, bounds: Bounds, number: int, line: str) -> str:
    heading = plan.rows.part_of(number)
    if heading:
        return heading
    if not line.strip():
        return "blank"
    comment = plan.delimited.comment
    if comment and line.startswith(comment):
        return "comment"
    return "data" if number >= bounds.first else "skipped"


def _tail(
    sample: Sample,
    plan: Decisions,
    bounds: Bounds,
    lines: Sequence[str],
    total: int | None,
    shown: int,
) -> tuple[RawRow, ...]:
    ends, start = lines, max(len(lines) - TAIL_ROWS, shown)
    if not sample.is_whole:
        if sample.tail is None:
            return ()
        encoding = without_mark(bounds.encoding, sample.head)
        ends = lines_of(decoded(sample.tail, encoding, True))
        start = max(1, len(ends) - TAIL_ROWS)
    rows = []
    for index in range(start, len(ends)):
        behind = index - len(ends)
        row = None if total is None else total + 1 + behind
        part = _part(plan, bounds, max(row or 0, bounds.first), ends[index])
        part = "skipped" if _is_outside(bounds.last, row, behind) else part
        rows.append(RawRow(behind if row is None else row, part, ends[index][:LINE_KEPT]))
    return tuple(rows)


def _is_outside(last: int | None, row: int | None, behind: int) -> bool:
    """Does a row, counted from the start and from the end, come after the last row of data?"""
    if last is None:
        return False
    return behind > last if last < 0 else row is not None and row > last
