"""The kernels in NumPy: clear, portable, always there."""

from . import sheetxml, times
from .ahead import (
    AnyWanted,
    Foresight,
    ReadAhead,
    TextsRead,
    TimesRead,
    WantedTexts,
    WantedTimes,
    records_ahead,
    split_ahead,
)
from .blanks import blank, table, trimmed, trimmed_table
from .columns import read_column
from .gather import (
    FEW,
    arrow,
    bitmap,
    encoded,
    is_utf8,
    joined_texts,
    match,
    or_minus_one,
    ranges,
    squeezed,
    strings,
    texts,
    whole_numbers,
)
from .numbers import NumbersRead, Wanted, read_numbers
from .sheetxml import SheetRead, SheetRule, read_sheet
from .structure import LineMarks, Marks, Seen, Structure, Table, cut, line_marks, split, structure
from .times import read_times
from .words import PAD, Bytes, Flags, Ints, padded

__all__ = [
    "FEW",
    "PAD",
    "AnyWanted",
    "Bytes",
    "Flags",
    "Foresight",
    "Ints",
    "LineMarks",
    "Marks",
    "NumbersRead",
    "ReadAhead",
    "Seen",
    "SheetRead",
    "SheetRule",
    "Structure",
    "Table",
    "TextsRead",
    "TimesRead",
    "Wanted",
    "WantedTexts",
    "WantedTimes",
    "arrow",
    "bitmap",
    "blank",
    "cut",
    "encoded",
    "is_utf8",
    "joined_texts",
    "line_marks",
    "match",
    "or_minus_one",
    "padded",
    "ranges",
    "read_column",
    "read_numbers",
    "read_sheet",
    "read_times",
    "records_ahead",
    "sheetxml",
    "split",
    "split_ahead",
    "squeezed",
    "strings",
    "structure",
    "table",
    "texts",
    "times",
    "trimmed",
    "trimmed_table",
    "whole_numbers",
]
