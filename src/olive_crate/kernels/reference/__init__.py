"""The kernels in NumPy: clear, portable, always there."""

from . import numbers, times
from .blanks import blank, trimmed
from .gather import arrow, bitmap, ranges, squeezed, texts
from .structure import Marks, Structure, split
from .words import PAD, Bytes, Flags, Ints, padded

__all__ = [
    "PAD",
    "Bytes",
    "Flags",
    "Ints",
    "Marks",
    "Structure",
    "arrow",
    "bitmap",
    "blank",
    "numbers",
    "padded",
    "ranges",
    "split",
    "squeezed",
    "texts",
    "times",
    "trimmed",
]
