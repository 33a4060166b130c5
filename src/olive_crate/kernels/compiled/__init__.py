"""The compiled kernels, with the interface of the reference.

Positions go over as 32-bit integers, NumPy's memory is read and written in place, and the
interpreter is free for other threads meanwhile. Text whose structure is beyond the scan (escapes,
comments, runs of blanks, delimiters of several characters) is split by the reference, and so is
everything in a buffer of 2 GB and more.
"""

from .cells import (
    all_differ,
    blank,
    encoded,
    extremes,
    instructions,
    joined_texts,
    match,
    read_column,
    read_numbers,
    read_times,
    tally,
    text_hashes,
    texts,
    trimmed,
)
from .records import record_places
from .sheet import document_rows, read_sheet, read_strings, shorter_numerals
from .structure import (
    cut,
    is_utf8,
    line_marks,
    records_early,
    split,
    split_early,
    structure,
    text_marks,
)

__all__ = [
    "all_differ",
    "blank",
    "cut",
    "document_rows",
    "encoded",
    "extremes",
    "instructions",
    "is_utf8",
    "joined_texts",
    "line_marks",
    "match",
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
    "structure",
    "tally",
    "text_hashes",
    "text_marks",
    "texts",
    "trimmed",
]
