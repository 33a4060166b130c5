"""The kernels in NumPy: clear, portable, always there."""

from ..buffers import arrow, bitmap, or_minus_one, padded, strings, whole_numbers
from .blanks import blank, table, trimmed, trimmed_table
from .columns import read_column
from .early_columns import records_early, split_early
from .figures import extremes, tally
from .gather import (
    FEW,
    all_differ,
    encoded,
    is_utf8,
    joined_texts,
    match,
    ranges,
    squeezed,
    text_hashes,
    texts,
)
from .numbers import read_numbers
from .numerals import shorter_numerals
from .records import record_places
from .sheet_xml import document_rows, read_sheet, read_strings
from .structure import cut, line_marks, split, structure, text_marks
from .times import read_times

__all__ = [
    "FEW",
    "all_differ",
    "arrow",
    "bitmap",
    "blank",
    "cut",
    "document_rows",
    "encoded",
    "extremes",
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
    "read_strings",
    "read_times",
    "record_places",
    "records_early",
    "shorter_numerals",
    "split",
    "split_early",
    "squeezed",
    "strings",
    "structure",
    "table",
    "tally",
    "text_hashes",
    "text_marks",
    "texts",
    "trimmed",
    "trimmed_table",
    "whole_numbers",
]
