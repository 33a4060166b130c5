"""The kernels in NumPy: clear, portable, always there."""

from . import numbers, times
from .blanks import blank, trimmed
from .gather import FEW, arrow, bitmap, ranges, squeezed, strings, texts, whole_numbers
from .structure import Marks, Structure, split
from .words import PAD, Bytes, Flags, Ints, padded

__all__ = [
    "FEW",
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
    "strings",
    "texts",
    "times",
    "trimmed",
    "whole_numbers",
]
