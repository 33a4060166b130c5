"""The hot loops: one interface, and two implementations that give the same results.

`reference` is in NumPy: clear, portable, always there. `compiled` does the same in C++, several
times as fast, where the package could be built with a compiler. The environment variable
`OLIVE_CRATE_KERNELS` chooses one of them; without it the compiled ones are used if they are there.
"""

from __future__ import annotations

import os
from types import ModuleType

from ..errors import OliveCrateError
from . import reference
from .reference import (
    FEW,
    arrow,
    bitmap,
    or_minus_one,
    padded,
    ranges,
    squeezed,
    strings,
    table,
    trimmed_table,
    whole_numbers,
)
from .types import PAD, Bytes

CHOICE = "OLIVE_CRATE_KERNELS"
NAMES = ("compiled", "reference")

all_differ = reference.all_differ
blank = reference.blank
cut = reference.cut
document_rows = reference.document_rows
encoded = reference.encoded
extremes = reference.extremes
is_utf8 = reference.is_utf8
joined_texts = reference.joined_texts
line_marks = reference.line_marks
text_hashes = reference.text_hashes
text_marks = reference.text_marks
match = reference.match
read_column = reference.read_column
read_numbers = reference.read_numbers
read_sheet = reference.read_sheet
read_strings = reference.read_strings
read_times = reference.read_times
shorter_numerals = reference.shorter_numerals
record_places = reference.record_places
records_early = reference.records_early
split = reference.split
split_early = reference.split_early
structure = reference.structure
tally = reference.tally
texts = reference.texts
trimmed = reference.trimmed

SWITCHED = (
    "all_differ",
    "blank",
    "cut",
    "document_rows",
    "encoded",
    "extremes",
    "is_utf8",
    "joined_texts",
    "line_marks",
    "text_hashes",
    "text_marks",
    "match",
    "read_column",
    "read_numbers",
    "read_sheet",
    "read_strings",
    "read_times",
    "shorter_numerals",
    "record_places",
    "records_early",
    "split",
    "split_early",
    "structure",
    "tally",
    "texts",
    "trimmed",
)
_in_use = "reference"


def _module(name: str) -> ModuleType:
    if name == "reference":
        return reference
    from . import compiled

    return compiled


def use(name: str) -> None:
    """Read with the kernels of this name from now on.

    Raises `OliveCrateError` for a name that is not of `NAMES`, or if the compiled kernels were not
    built.
    """
    global _in_use
    if name not in NAMES:
        raise OliveCrateError(f'{CHOICE}: there are no kernels "{name}"; take {" or ".join(NAMES)}')
    try:
        module = _module(name)
    except ImportError as error:
        raise OliveCrateError(
            f"{CHOICE}: the compiled kernels are not there ({error}); install the package where "
            "there is a C++ compiler, or take the reference kernels"
        ) from None
    for each in SWITCHED:
        globals()[each] = getattr(module, each)
    _in_use = name


def in_use() -> str:
    """The name of the kernels in use, and what the compiled ones run on: `compiled (avx2)`."""
    if _in_use == "reference":
        return _in_use
    from .compiled import instructions

    return f"{_in_use} ({instructions()})"


def any_order(buffer: Bytes) -> bool:
    """May runs of this buffer lie in any order to be gathered?"""
    return are_compiled() and len(buffer) < 1 << 31


def are_compiled() -> bool:
    """Are the compiled kernels in use?"""
    return _in_use == "compiled"


def _start() -> None:
    wanted = os.environ.get(CHOICE, "")
    if wanted:
        use(wanted)
        return
    try:
        use("compiled")
    except OliveCrateError:
        use("reference")


_start()

# What is imported and handed on; the switched names above are this module's own.
__all__ = [
    "FEW",
    "NAMES",
    "PAD",
    "any_order",
    "are_compiled",
    "arrow",
    "bitmap",
    "in_use",
    "or_minus_one",
    "padded",
    "ranges",
    "squeezed",
    "strings",
    "table",
    "trimmed_table",
    "use",
    "whole_numbers",
]
