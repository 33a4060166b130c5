"""Numerals that a writer has cut to 16 digits: the shorter numbers that are written so.

See `kernels.reference.numerals`; what that leaves open is looked at one by one.
"""

from __future__ import annotations

import numpy as np

from ... import kernels
from ...kernels.types import Bytes, Ints
from .values import shortest_numeral

LONG = 17
"""Characters of a numeral with a point and 16 digits."""


def shorter(buffer: Bytes, starts: Ints, ends: Ints) -> tuple[Ints, Ints, Bytes]:
    """Which of these numerals have a shorter one, how long that is, and their texts, joined."""
    lengths, texts = kernels.shorter_numerals(buffer, starts, ends)
    places = np.flatnonzero(lengths > 0)
    rest = np.flatnonzero(lengths < 0)
    more: dict[int, bytes] = {}
    for each in rest.tolist():
        numeral = buffer[starts[each] : ends[each]].tobytes().decode("ascii", "replace")
        short = _by_itself(numeral)
        if short != numeral:
            more[each] = short.encode()
    joined = np.frombuffer(b"".join(more.values()), np.uint8)
    own = np.array([len(each) for each in more.values()], np.int64)
    return (
        np.concatenate((places, np.array(list(more), np.int64))),
        np.concatenate((lengths[places].astype(np.int64), own)),
        np.concatenate((texts, joined)),
    )


def _by_itself(text: str) -> str:
    digits = text.lstrip("-").partition("E")[0].replace(".", "").lstrip("0")
    try:
        return shortest_numeral(text) if len(digits) == 16 else text
    except ValueError:
        return text
