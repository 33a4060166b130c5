"""One number for each row, equal where all its cells are: rows are compared without being held.

The number is a sum over the columns of each cell's value, mixed (`kernels.mixed`). Rows that differ
have the same number once in 2^64 pairs; who needs to be sure looks at these few rows again.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.column import Column, in_pieces
from ..kernels.buffers import numpy_of
from ..kernels.types import Ints, Words

GOLDEN, NOTHING = np.uint64(0x9E3779B97F4A7C15), np.uint64(0)


def cell_hashes(column: Column, place: int) -> Words:
    """A number for each cell of the column at this place; missing ones by their reason."""
    salt = mixed(np.array([place + 1], np.uint64))[0]
    made = np.empty(len(column), np.uint64)
    begin = 0
    for piece in in_pieces(column):
        reasons = piece.reasons if piece.values.null_count or piece.reasons.any() else None
        made[begin : begin + len(piece)] = kernels.mixed(_raw(piece.values), reasons, salt)
        begin += len(piece)
    return made


def mixed(raw: Words, salt: np.uint64 = NOTHING) -> Words:
    """Whole numbers turned into others that look as if drawn at random, one for one."""
    return kernels.mixed(raw, None, salt)


def repeated(hashes: Words) -> Ints:
    """The cases that are equal to one before them."""
    ordered = np.sort(hashes)
    if not (ordered[1:] == ordered[:-1]).any():
        return np.zeros(0, np.int64)
    order = np.argsort(hashes, kind="stable")
    same = hashes[order[1:]] == hashes[order[:-1]]
    return np.sort(order[1:][same])


def _raw(values: pa.Array) -> Words:
    """What a value is, as 64 bits."""
    kind = values.type
    if pa.types.is_boolean(kind):
        return numpy_of(values, False).astype(np.uint64)
    if pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_dictionary(kind):
        return _of_texts(values)
    if pa.types.is_null(kind):
        return np.zeros(len(values), np.uint64)
    width = np.int32 if kind.bit_width == 32 else np.int64
    held = np.frombuffer(values.buffers()[1], width)[values.offset : values.offset + len(values)]
    if pa.types.is_floating(kind):
        held = (held.view(np.float64) + 0.0).view(np.int64)  # the zero below zero is zero
    return held.astype(np.int64).view(np.uint64)


def _of_texts(values: pa.Array) -> Words:
    if not pa.types.is_dictionary(values.type):
        return kernels.text_hashes(values)
    words = np.append(kernels.text_hashes(values.dictionary), np.uint64(0))  # where all are missing
    return np.asarray(words[numpy_of(values.indices)])
