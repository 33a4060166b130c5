"""Columns read while a block is being split, those of which the conversion is known already.

This is for speed alone. What is read ahead is just what `read_numbers` and `read_times` give for
the same cells; the reference reads nothing ahead.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from ..room import room_for
from .numbers import NumbersRead, Wanted
from .structure import Marks, Seen, Structure, Table, split
from .times import DAYS, Pattern
from .words import Bytes, Flags


class WantedTimes(NamedTuple):
    """What is taken as a date or time: the arguments of `read_times`."""

    pattern: Pattern
    exact: bool
    unit: str


class Place(NamedTuple):
    """Where the values of a block lie in an array for the whole column."""

    column: np.ndarray
    start: int


class Keeping:
    """Room for whole columns, into which blocks are read at the places that they seem to have.

    What is read so need not be put together afterwards. Room that is not used costs nothing.
    """

    def __init__(self, rows: int) -> None:
        self.rows = rows
        self._columns: dict[tuple[int, type[np.generic]], np.ndarray] = {}

    def place(self, index: int, kind: type[np.generic], start: int, count: int) -> Place | None:
        """The room of a block in a column of numbers of this kind; `None` where it has none."""
        if start + count > self.rows:
            return None
        key = index, kind
        column = self._columns.get(key)
        if column is None:
            try:
                column = self._columns.setdefault(key, room_for(self.rows, kind))
            except MemoryError:  # more was expected than there is room for: do without
                return None
        return Place(column, start)

    def prepare(self, foresight: Foresight) -> None:
        """Get the room for these columns.

        Done by the thread that lives on: what another one's heap has held stays with that heap.
        """
        for index, wanted in foresight.items():
            kind = kind_of(wanted)
            if kind is not None:
                self.place(index, kind, 0, 0)


class Start(NamedTuple):
    """Where a block seems to begin in the whole columns, and how many rows it seems to have.

    More than these it must not fill: what is behind them is for the next block.
    """

    keeping: Keeping
    row: int
    rows: int


class TimesRead(NamedTuple):
    """A column of a block as dates or times, and where it could be read so."""

    values: np.ndarray
    good: Flags
    place: Place | None = None


class WantedTexts(NamedTuple):
    """Text as it stands; different ones are told apart as long as they are no more than `most`."""

    most: int = 0


class TextsRead(NamedTuple):
    """Which cells are blank, and the texts as places in a dictionary, if they are few enough."""

    blank: Flags
    codes: pa.DictionaryArray | None


AnyWanted = Wanted | WantedTimes | WantedTexts
Foresight = Mapping[int, AnyWanted | None]
"""How each column that is wanted will be taken; `None` if that is not known."""
ReadAhead = tuple[AnyWanted, NumbersRead | TimesRead | TextsRead]
"""What was wanted of a column, and what came of it."""


def kind_of(wanted: AnyWanted | None) -> type[np.generic] | None:
    """What is put into the array of a column; `None` if there is none."""
    if isinstance(wanted, WantedTimes):
        return np.int32 if wanted.unit == DAYS else np.int64
    if isinstance(wanted, WantedTexts):
        return np.int32 if wanted.most else None
    if wanted is None:
        return None
    return np.int64 if wanted.whole else np.float64


def split_ahead(
    buffer: Bytes,
    low: int,
    high: int,
    marks: Marks,
    fields: int,
    foresight: Foresight,
    seen: Seen,
    name: bytes,
    start: Start | None = None,
) -> Structure | Table:
    """As `split` with `final`; columns of a table may have been read on the way.

    `seen` is what `cut` met; `name` is looked for in the first field.
    """
    return split(buffer, low, high, marks, True, fields)


def records_ahead(
    buffer: Bytes,
    first: int,
    stride: int,
    length: int,
    rows: int,
    places: Mapping[int, tuple[int, int]],
    foresight: Foresight,
    start: Start | None = None,
) -> dict[int, ReadAhead]:
    """Columns of records of one length, of which `places` gives where each begins and its width."""
    return {}
