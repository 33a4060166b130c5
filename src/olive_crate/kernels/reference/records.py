"""Records one behind another: a kind and a length, two bytes each, low byte first, and the data."""

from __future__ import annotations

import struct
from array import array

import numpy as np

from ..types import Bytes, Ints


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


def big_endian(buffer: Bytes, at: Ints, width: int) -> Ints | None:
    """Numbers of so many bytes (2, 4 or 8), high byte first, that begin at these positions.

    `None` where one of them, or the eight bytes from there on, does not lie in the buffer.
    """
    if len(at) and (int(at.min()) < 0 or int(at.max()) > len(buffer) - 8):
        return None
    form = f">i{width}"
    every = np.ndarray((len(buffer) - width + 1,), form, buffer.data, strides=(1,))
    return np.asarray(every[at], np.int64)
