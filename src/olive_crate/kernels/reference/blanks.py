"""Blanks around cells: found by looking at one byte at each end."""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Flags, Ints

BLANK = np.zeros(256, bool)
BLANK[[9, 10, 11, 12, 13, 32]] = True
HIGHEST = 32


def trimmed(
    buffer: Bytes, starts: Ints, ends: Ints, left: bool = True, right: bool = True
) -> tuple[Ints, Ints]:
    """Starts and ends moved in past blanks. The arrays are only copied if something moves."""
    if left:
        starts = _moved(buffer, starts, ends, starts, 1)
    if right:
        ends = _moved(buffer, starts, ends, ends, -1)
    return starts, ends


def _moved(buffer: Bytes, starts: Ints, ends: Ints, edge: Ints, step: int) -> Ints:
    look = 0 if step > 0 else -1
    byte = buffer[edge + look]
    at = np.flatnonzero((byte <= HIGHEST) & (starts < ends))
    at = at[BLANK[byte[at]]]
    if not len(at):
        return edge
    edge = edge.copy()
    other = ends if step > 0 else starts
    while len(at):
        edge[at] += step
        at = at[edge[at] != other[at]]
        at = at[BLANK[buffer[edge[at] + look]]]
    return edge


def blank(buffer: Bytes, starts: Ints, ends: Ints) -> Flags:
    """Cells that are empty or hold nothing but blanks."""
    empty: Flags = starts == ends
    maybe = np.flatnonzero((buffer[starts] <= HIGHEST) & ~empty)
    if len(maybe):
        low, high = trimmed(buffer, starts[maybe], ends[maybe], right=False)
        empty[maybe[low == high]] = True
    return empty


def table(buffer: Bytes, first: int, stride: int, width: int, rows: int) -> Bytes:
    """Runs of one width at equal distances as a table of bytes, shaped (rows, width); no copy."""
    return np.ndarray((rows, width), np.uint8, buffer.data, first, (stride, 1))


def trimmed_table(
    buffer: Bytes, first: int, stride: int, width: int, rows: int, left: bool, right: bool
) -> tuple[Ints, Ints]:
    """Where the text of each run starts and ends without blanks, counted from the run's start."""
    text = np.ascontiguousarray(table(buffer, first, stride, width, rows))
    filled = ~BLANK[text]
    low, high = np.zeros(rows, np.int64), np.full(rows, width, np.int64)
    if right:
        high = width - filled[:, ::-1].argmax(axis=1)
    if left:
        low = filled.argmax(axis=1)
    empty = ~filled[np.arange(rows), low] if left else ~filled[np.arange(rows), high - 1]
    if empty.any():
        low = np.where(empty, 0, low)
        high = np.where(empty, 0, high)
    return low, high
