"""What the cells of a variable look like, and which of them look otherwise."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .. import kernels
from ..columns.cell_texts import source_texts, value_texts
from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..declaration.codes import FIRST_CODE
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC
from ..errors import PlanError
from ..kernels.buffers import numpy_of, or_empty
from ..kernels.types import Ints

NONE = np.zeros(0, np.int64)
NO_TEXTS = kernels.strings([])
PATTERNS = {
    "number": r"^[+-]?\d[\d.,]*$",
    "date": r"^(\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4})([ T]\d\d:\d\d.*)?$",
    "text": r"^[^\d]*[^\W\d][^\d]*$",
}
MOSTLY = 0.9
"""The share of cells that make a variable look like one kind."""
FEW_ODD = 0.1
"""Cells that do not look like most, as a share: more are no accident."""


def coded(column: Column) -> Column:
    """A column of texts with each different one once."""
    values = column.values
    if not (pa.types.is_string(values.type) or pa.types.is_large_string(values.type)):
        return column
    return Column(column.variable, encoded(values), column.reasons, column.withheld)


def of_kind(texts: pa.Array, kind: str) -> np.ndarray:
    """Which texts look like that."""
    hit = pc.match_substring_regex(texts, PATTERNS[kind])
    return numpy_of(hit, False)


def odd_cells(column: Column) -> tuple[str, Ints, pa.Array]:
    """What most cells look like, the few filled ones that do not, and what stands in these."""
    kind, odd = _fits(column)
    if len(odd) > FEW_ODD * len(column):
        odd = NONE
    return kind, odd, texts_of(column.taken(odd)) if len(odd) else NO_TEXTS


def texts_of(column: Column) -> pa.Array:
    """What stands in each cell, as far as it is known; empty where nothing does."""
    try:
        return source_texts(column)
    except PlanError:  # of an older packed file
        return or_empty(value_texts(column))


def _fits(column: Column) -> tuple[str, Ints]:
    kind = column.variable.type
    if kind in NUMERIC or kind in ("date", "datetime"):
        return "number" if kind in NUMERIC else "date", np.flatnonzero(column.reasons == 2)
    if kind not in ("text", "category"):
        column = Column(column.variable, value_texts(column), column.reasons, column.withheld)
    coded = encoded(column.values)
    words, reasons = _with_codes(column, coded.dictionary)
    index = numpy_of(coded.indices).astype(np.int64)
    index = np.where(column.reasons == 0, index, reasons[column.reasons])
    there = numpy_of(pc.utf8_length(words)) > 0
    counts = np.bincount(index, minlength=len(words)) * there
    for name in PATTERNS:
        good = of_kind(words, name)
        if counts.any() and counts[good].sum() >= MOSTLY * counts.sum():
            return name, np.flatnonzero((there & ~good)[index])
    return "text", NONE


def _with_codes(column: Column, words: pa.Array) -> tuple[pa.Array, Ints]:
    """Words with those that codes stand for behind them, and the place of each reason's word."""
    missing = column.variable.missing
    codes = ["" if code.value is None else value_text(code.value) for code in missing]
    all_words = pa.concat_arrays([words, kernels.strings(["", *codes]).cast(words.type)])
    places = np.full(256, len(words), np.int64)
    places[FIRST_CODE : FIRST_CODE + len(codes)] = len(words) + 1 + np.arange(len(codes))
    return all_words, places


def cells_with(column: Column, text: str) -> Ints:
    """The cells in which exactly this stands."""
    wanted = kernels.strings([text])
    if column.variable.type in ("text", "category"):
        coded = encoded(column.values)
        place = coded.dictionary.index(wanted.cast(coded.dictionary.type)[0]).as_py()
        if place < 0:
            return NONE
        return np.flatnonzero(numpy_of(coded.indices, -1) == place)
    held = column.withheld
    if not len(held):
        return NONE
    hit = numpy_of(pc.equal(held.texts, wanted.cast(held.texts.type)[0]), False)
    return np.asarray(held.cells[hit], np.int64)
