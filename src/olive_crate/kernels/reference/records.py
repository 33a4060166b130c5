"""Records one behind another: a kind and a length, two bytes each, low byte first, and the data."""

from __future__ import annotations

import struct
from array import array

import numpy as np

from ..types import Ints


def record_places(data: bytes, at: int, begins: int, ends: int) -> tuple[Ints, Ints] | None:
    """The kind of each record, and where its data begin.

    From `at` to the end of the part that begins there; parts lie in one another, between records of
    the kinds `begins` and `ends`. `None` where the data end before it.
    """
    unpack, depth, size = struct.Struct("<HH").unpack_from, 0, len(data)
    kinds, places = array("H"), array("q")
    while at + 4 <= size:
        kind, length = unpack(data, at)
        kinds.append(kind)
        places.append(at + 4)
        at += 4 + length
        if at > size:
            return None
        depth += (kind == begins) - (kind == ends)
        if kind == ends and depth <= 0:
            return np.array(kinds, np.int64), np.array(places, np.int64)
    return None
