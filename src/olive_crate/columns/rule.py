"""What a conversion needs to know, and what it gives back."""

from __future__ import annotations

from typing import NamedTuple

import msgspec
import numpy as np
import pyarrow as pa

from ..declaration.codes import FIRST_CODE, MissingCode
from ..kernels.types import Ints, Place
from .withheld import NOTHING, Withheld

PRESENT, IS_BLANK, IS_UNREADABLE = 0, 1, 2

FIRST_MARK = 200
"""The reasons of well-known marks while a column is read; in the end they follow the codes."""
MISSING_MARKS = [
    "NA",
    "N/A",
    "n/a",
    "na",
    "NaN",
    "nan",
    "NULL",
    "null",
    "Null",
    "None",
    "none",
    "#N/A",
    "#NA",
    "#NULL!",
    "#DIV/0!",
    "#VALUE!",
    "#REF!",
    "#NAME?",
    "#NUM!",
    ".",
    "..",
    "-",
    "--",
    "*",
    "**",
    "?",
    "…",
    "–",
]
"""Texts that people write for "no value". See "Missing values" in the design."""


class Rule(msgspec.Struct, frozen=True, eq=False):
    """How the cells of one variable are to be taken."""

    kind: str
    decimal: str = "."
    grouping: str = ""
    format: str | None = None
    true: tuple[str, ...] = ()
    false: tuple[str, ...] = ()
    codes: tuple[MissingCode, ...] = ()
    trim: bool | str | None = None
    implied: int = 0
    """Decimals of numbers in which no decimal mark is written."""
    sign: str | None = None
    """`trailing` or `overpunched`, where the sign does not stand in front."""
    typed_cells: bool = False
    """Dates and times of the source's own kind come as ISO 8601, whatever the format."""
    early: bool = False
    """Texts that repeat may be given as places in a dictionary."""
    strict: bool = False
    """Only what is surely of this kind counts: no currency signs, no numbers padded with zeros."""


class Converted(NamedTuple):
    """A block of one variable. `values` is null exactly where `reasons` is not 0."""

    values: pa.Array
    reasons: np.ndarray
    unread: Ints
    """Indices of the cells that could not be taken; their reason is `unreadable`."""
    decimals: int = 0
    """The most decimals that were written."""
    inexact: int = 0
    """Numbers with more digits than binary64 can hold."""
    span: tuple[float, float] | None = None
    """The smallest and the largest number, where that is known already."""
    place: Place | None = None
    """Where the values lie in an array for the whole column, if they do."""
    ranged: Withheld = NOTHING
    """The numbers of cells that a range of codes made missing."""


def reason_of(code: int) -> int:
    """The value in `reasons` that stands for the missing code at this place in the list."""
    return FIRST_CODE + code


def number_of(text: str, decimal: str = ".", implied: int = 0) -> float | None:
    """A code's text as a number, if it is one; with implied decimals as it stands in the file."""
    try:
        if not any(map(str.isdigit, text)):
            return None
        scale = 10**implied if implied and decimal not in text else 1
        return float(text.replace(decimal, ".")) / scale
    except ValueError:
        return None
