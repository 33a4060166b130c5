"""Cells to text, categories, and booleans."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..kernels import reference as kernels
from ..records.spans import Cells
from .missing import by_text
from .rule import IS_UNREADABLE, PRESENT, Converted, Rule, reason_of

TRUE = ("true", "t", "yes", "y", "1")
FALSE = ("false", "f", "no", "n", "0")


def convert_text(cells: Cells, rule: Rule) -> Converted:
    """Take cells as `text` or `category`, just as they are written."""
    cells = cells.trimmed(rule.trim)
    reasons = _missing(cells, rule)
    values = kernels.texts(cells.buffer, cells.starts, cells.ends, reasons == PRESENT)
    if rule.kind == "category":
        values = values.dictionary_encode()
    return Converted(values, reasons, np.zeros(0, np.int64))


def _missing(cells: Cells, rule: Rule) -> np.ndarray:
    blank = kernels.blank(cells.buffer, cells.starts, cells.ends)
    reasons = blank.astype(np.uint8)  # IS_BLANK is 1
    if rule.codes:
        code = by_text(cells.trimmed(), rule.codes)
        reasons = np.where(code >= 0, reason_of(0) + code, reasons).astype(np.uint8)
    return reasons


def convert_booleans(cells: Cells, rule: Rule) -> Converted:
    """Take cells as `boolean`, by the words declared for true and false, without regard to case."""
    cells = cells.trimmed()
    reasons = _missing(cells, rule)
    texts = kernels.texts(cells.buffer, cells.starts, cells.ends).dictionary_encode()
    true = {word.casefold() for word in rule.true or TRUE}
    false = {word.casefold() for word in rule.false or FALSE}
    words = [word.casefold() for word in texts.dictionary.to_pylist()]
    index = texts.indices.to_numpy()
    is_true = np.array([word in true for word in words], bool)[index]
    known = np.array([word in true or word in false for word in words], bool)[index]
    unread = np.flatnonzero(~known & (reasons == PRESENT))
    reasons[unread] = IS_UNREADABLE
    valid = reasons == PRESENT
    values = pa.Array.from_buffers(
        pa.bool_(), len(cells), [kernels.bitmap(valid), kernels.bitmap(is_true & valid)]
    )
    return Converted(values, reasons, unread)
