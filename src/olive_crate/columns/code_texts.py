"""The texts by which codes and well-known marks stand in cells."""

from __future__ import annotations

from functools import lru_cache

from ..declaration.codes import MissingCode
from .rule import FIRST_MARK, MISSING_MARKS, reason_of, texts_of


@lru_cache(maxsize=256)
def words_for(codes: tuple[MissingCode, ...]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Texts of codes and well-known marks, and the reason of each."""
    ways, places = texts_of(codes)
    marks = [mark for mark in MISSING_MARKS if mark not in ways]
    coded = [reason_of(place) for place in places]
    marked = [FIRST_MARK + MISSING_MARKS.index(mark) for mark in marks]
    return (*ways, *marks), (*coded, *marked)
