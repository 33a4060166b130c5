"""Columns read while a block is being split, those of which the conversion is known already.

This is for speed alone. What is read ahead is just what `read_numbers` and `read_times` give for
the same cells; the reference reads nothing ahead.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from .numbers import NumbersRead, Wanted
from .structure import Marks, Structure, Table, split
from .times import Pattern
from .words import Bytes, Flags


class WantedTimes(NamedTuple):
    """What is taken as a date or time: the arguments of `read_times`."""

    pattern: Pattern
    exact: bool
    unit: str


TimesRead = tuple[np.ndarray, Flags]
Foresight = Mapping[int, Wanted | WantedTimes | None]
"""How each column that is wanted will be taken; `None` if that is not known."""
ReadAhead = tuple[Wanted | WantedTimes, NumbersRead | TimesRead]
"""What was wanted of a column, and what came of it."""


def split_ahead(
    buffer: Bytes, low: int, high: int, marks: Marks, fields: int, foresight: Foresight
) -> Structure | Table:
    """As `split` with `final`; columns of a table may have been read on the way."""
    return split(buffer, low, high, marks, True, fields)


def records_ahead(
    buffer: Bytes,
    first: int,
    stride: int,
    length: int,
    rows: int,
    places: Mapping[int, tuple[int, int]],
    foresight: Foresight,
) -> dict[int, ReadAhead]:
    """Columns of records of one length, of which `places` gives where each begins and its width."""
    return {}
