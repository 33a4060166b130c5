"""Missing codes met while converting: by text before, by value after."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from .. import kernels
from ..declaration.codes import MissingCode
from ..kernels.spans import Cells
from ..kernels.types import Flags, Ints
from .rule import PRESENT, number_of, reason_of
from .withheld import NOTHING, Withheld


@lru_cache(maxsize=1024)
def texts_of(codes: tuple[MissingCode, ...]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Every way a single-value code may be written, with the code's place in the list."""
    ways: dict[str, int] = {}
    for place, code in enumerate(codes):
        if code.value is None:
            continue
        ways.setdefault(str(code.value), place)
        if isinstance(code.value, float) and code.value.is_integer():
            ways.setdefault(str(int(code.value)), place)
    return tuple(ways), tuple(ways.values())


def by_text(cells: Cells, codes: tuple[MissingCode, ...]) -> Ints:
    """For each (trimmed) cell the place of the code it is the text of, or -1."""
    ways, places = texts_of(codes)
    if not ways:
        return np.full(len(cells), -1, np.int64)
    found = kernels.match(cells.buffer, cells.starts, cells.ends, ways)
    return np.append(np.array(places, np.int64), -1)[found]


def found_in(cells: Cells, words: Sequence[str]) -> Ints:
    """For each (trimmed) cell the place of the word it is, or -1."""
    return kernels.match(cells.buffer, cells.starts, cells.ends, words)


def by_value(
    values: np.ndarray,
    reasons: np.ndarray,
    codes: tuple[MissingCode, ...],
    decimal: str,
    implied: int = 0,
) -> None:
    """Give the reasons of codes to the numbers that are codes; changes `reasons`."""
    valid: Flags | None = None
    for place, code in enumerate(codes):
        low, high = _span(code, decimal, implied)
        if low is None and high is None:
            continue
        if valid is None:
            valid = reasons == PRESENT
        hit = valid.copy()
        if low is not None:
            hit &= values >= low
        if high is not None:
            hit &= values <= high
        if hit.any():
            reasons[hit] = reason_of(place)
            valid &= ~hit


def ranged(values: np.ndarray, reasons: np.ndarray, codes: tuple[MissingCode, ...]) -> Withheld:
    """The numbers that ranges of codes made missing, as texts."""
    numbers = [reason_of(place) for place, code in enumerate(codes) if code.value is None]
    if not numbers:
        return NOTHING
    cells = np.flatnonzero(np.isin(reasons, numbers))
    if not len(cells):
        return NOTHING
    return Withheld(cells, kernels.strings([plain_text(each) for each in values[cells].tolist()]))


def plain_text(number: float) -> str:
    """A number as a text that can be read again without knowing of any marks."""
    text = repr(number)
    return text[:-2] if text.endswith(".0") else text


def _span(code: MissingCode, decimal: str, implied: int) -> tuple[float | None, float | None]:
    if isinstance(code.value, str):
        number = number_of(code.value, decimal, implied)
        return number, number
    if code.value is not None:
        return code.value, code.value
    return code.from_, code.to
