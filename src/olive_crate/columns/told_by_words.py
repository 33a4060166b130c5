"""Columns of few different words: what they are is told by the words, each looked at once."""

from __future__ import annotations

import pyarrow as pa

from .. import kernels
from ..kernels.buffers import no_reasons
from ..kernels.spans import Cells
from .convert import BLANKS, FEW_TEXTS, NO_CELLS, TypedBlock, missing
from .rule import MARKS, UNKNOWN, Converted, Rule, has_digits, texts_of
from .written import boolean_kinds, date_kinds

FEW = 128
"""Different words, at most."""


def told_by_words(cells: Cells, rule: Rule) -> TypedBlock | tuple[str, ...] | None:
    """The cells as text, or of no type yet; or the kinds that their words for true and false fit.

    `None` where there are too many words, or any that may be a number, a date or the like.
    """
    cells = cells.trimmed(rule.trim)
    buffer, starts, ends = cells.buffer, cells.starts, cells.ends
    different = kernels.different(buffer, starts, ends, FEW)
    if different is None:
        return None
    codes = texts_of(rule.codes)[0]
    present = {word: bare for word in different if (bare := word.strip(BLANKS)) not in ("", *codes)}
    if not present:
        return TypedBlock(UNKNOWN, Converted(pa.nulls(len(cells)), missing(cells, rule), NO_CELLS))
    words = [bare for bare in present.values() if bare not in MARKS]
    if not words or (has_digits(words) and not _are_names(words)):
        return None
    if kinds := boolean_kinds({word.casefold() for word in words}):
        return kinds
    all_there = len(present) == len(different)
    reasons = no_reasons(len(cells)) if all_there else missing(cells, rule)
    making = kernels.texts if len(starts) <= FEW_TEXTS else kernels.encoded
    values = making(buffer, starts, ends, None if all_there else reasons)
    return TypedBlock("text", Converted(values, reasons, NO_CELLS), words=tuple(present))


def _are_names(words: list[str]) -> bool:
    """Do all of these begin with a letter, and none as a date does?"""
    return "".join([word[0] for word in words]).isalpha() and not any(map(date_kinds, words))
