"""The kernels in NumPy: clear, portable, always there."""

from . import columns, numbers, sheetxml, times
from .blanks import blank, table, trimmed, trimmed_table
from .gather import (
    FEW,
    arrow,
    bitmap,
    or_minus_one,
    ranges,
    squeezed,
    strings,
    texts,
    whole_numbers,
)
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
    "columns",
    "numbers",
    "or_minus_one",
    "padded",
    "ranges",
    "sheetxml",
    "split",
    "squeezed",
    "strings",
    "table",
    "texts",
    "times",
    "trimmed",
    "trimmed_table",
    "whole_numbers",
]
