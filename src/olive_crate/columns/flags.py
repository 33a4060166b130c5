"""Flags behind a measurement: `12.5*` is a number, and `*` is kept beside it in a second variable.

A cell that is a flag and nothing else is no measurement; it stays as it is, for a missing code.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..declaration.variable import Variable
from ..kernels.spans import Cells
from ..kernels.types import Ints

BESIDE = "_flag"
"""What the name of the variable with the flags ends with."""


def flag_variable(variable: Variable) -> Variable:
    """The variable that holds the flags of another one."""
    label = f"Flag of {variable.label or variable.name}"
    return Variable(variable.name + BESIDE, type="category", label=label)


def without_flags(cells: Cells, flags: Sequence[str]) -> Cells:
    """The measurements alone."""
    cells = cells.trimmed()
    lengths = _lengths(cells, flags)
    return Cells(cells.buffer, cells.starts, cells.ends - lengths).trimmed()


def flags_alone(cells: Cells, flags: Sequence[str]) -> Cells:
    """The flags alone; an empty cell where there is none."""
    cells = cells.trimmed()
    lengths = _lengths(cells, flags)
    return Cells(cells.buffer, cells.ends - lengths, cells.ends)


def _lengths(cells: Cells, flags: Sequence[str]) -> Ints:
    """How many bytes the flag at the end of each cell takes; of several, the longest."""
    lengths = np.zeros(len(cells), np.int64)
    for flag in sorted(flags, key=len, reverse=True):
        data = flag.encode("utf-8")
        hit = (lengths == 0) & (cells.ends - cells.starts > len(data))
        for place, byte in enumerate(reversed(data), 1):
            hit &= cells.buffer[cells.ends - place] == byte
        lengths[hit] = len(data)
    return lengths
