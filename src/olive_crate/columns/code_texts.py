"""The texts by which codes and well-known marks stand in cells."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from .. import kernels
from ..declaration.codes import MissingCode
from ..kernels.spans import Cells
from ..kernels.types import Ints
from .rule import FIRST_MARK, MISSING_MARKS, reason_of


@lru_cache(maxsize=1024)
def texts_of(codes: tuple[MissingCode, ...]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Every way a single-value code may be written, with the code's place in the list."""
    ways: dict[str, int] = {}
    for place, code in enumerate(codes):
        if code.value is None:
            continue
        ways.setdefault(str(code.value), place)
        if isinstance(code.value, float) and code.value.is_integer():
            ways.setdefault(str(int(code.value)), place)
    return tuple(ways), tuple(ways.values())


@lru_cache(maxsize=256)
def words_for(codes: tuple[MissingCode, ...]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Texts of codes and well-known marks, and the reason of each."""
    ways, places = texts_of(codes)
    marks = [mark for mark in MISSING_MARKS if mark not in ways]
    coded = [reason_of(place) for place in places]
    marked = [FIRST_MARK + MISSING_MARKS.index(mark) for mark in marks]
    return (*ways, *marks), (*coded, *marked)


def by_text(cells: Cells, codes: tuple[MissingCode, ...]) -> Ints:
    """For each (trimmed) cell the place of the code it is the text of, or -1."""
    ways, places = texts_of(codes)
    if not ways:
        return np.full(len(cells), -1, np.int64)
    found = kernels.match(cells.buffer, cells.starts, cells.ends, ways)
    return np.append(np.array(places, np.int64), -1)[found]
