"""Signs that do not stand in front of a number: behind it, or punched over its last digit.

The overpunch is that of zoned decimals as they are printed in EBCDIC and ASCII: `{` and `A` to `I`
for a positive last digit 0 to 9, `}` and `J` to `R` for a negative one; `p` to `y` as well, which
some ASCII systems write for a negative digit.
"""

from __future__ import annotations

import numpy as np

from .. import kernels
from ..kernels.spans import Cells
from ..kernels.types import PAD

MINUS, PLUS = 45, 43
DIGIT = np.arange(256, dtype=np.uint8)
NEGATIVE = np.zeros(256, bool)
for place, sign in enumerate(b"{ABCDEFGHI"):
    DIGIT[sign] = 48 + place
for place, sign in enumerate(b"}JKLMNOPQR"):
    DIGIT[sign], NEGATIVE[sign] = 48 + place, True
for place, sign in enumerate(b"pqrstuvwxy"):
    DIGIT[sign], NEGATIVE[sign] = 48 + place, True


def sign_in_front(cells: Cells, sign: str) -> Cells:
    """The cells with a minus in front where there is one behind, or over the last digit."""
    cells = cells.trimmed()
    lengths = cells.ends - cells.starts
    room = lengths + 1
    after = np.cumsum(room) + PAD
    starts, ends = after - room, after
    buffer = np.full(int(room.sum()) + 2 * PAD, 32, np.uint8)
    buffer[kernels.ranges(starts + 1, lengths)] = cells.buffer[
        kernels.ranges(cells.starts, lengths)
    ]
    filled = lengths > 0
    last = buffer[ends - 1]
    if sign == "trailing":
        negative = filled & (last == MINUS)
        signed = negative | (filled & (last == PLUS))
        ends = ends - signed
    else:
        digits = filled & ((lengths == 1) | _is_digit(buffer[ends - 2]))
        negative = digits & NEGATIVE[last]
        buffer[(ends - 1)[digits]] = DIGIT[last[digits]]
    buffer[starts[negative]] = MINUS
    return Cells(buffer, starts + ~negative, ends)


def _is_digit(byte: np.ndarray) -> np.ndarray:
    found: np.ndarray = (byte >= 48) & (byte <= 57)
    return found
