"""Records one behind another, and numbers as machines write them."""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Ints
from . import _native


def record_places(data: bytes, at: int, begins: int, ends: int) -> tuple[Ints, Ints] | None:
    """As in the reference."""
    if at > len(data):
        return None
    most = len(data) // 4 + 1
    kinds, places = np.empty(most, np.uint16), np.empty(most, np.int64)
    count = _native.record_places(data, at, begins, ends, kinds, places)
    if count < 0:
        return None
    return kinds[:count].astype(np.int64), places[:count].copy()


def big_endian(buffer: Bytes, at: Ints, width: int) -> Ints | None:
    """As in the reference."""
    numbers = np.empty(len(at), np.int64)
    found = _native.big_endian(buffer, np.ascontiguousarray(at, np.int64), width, numbers)
    return numbers if found else None
