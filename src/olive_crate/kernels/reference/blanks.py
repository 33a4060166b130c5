"""Blanks around cells: found by looking at one byte at each end."""

from __future__ import annotations

import numpy as np

from .words import Bytes, Flags, Ints

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
