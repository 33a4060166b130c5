"""The rows of a sheet's XML, read by the compiled scan."""

from __future__ import annotations

import numpy as np

from ..types import Bytes, DocumentRows, Ints, SheetRead, SheetRule
from . import _native

SHORTER = 20
"""Characters of a shorter numeral at most."""
SHORTEST_STRING = len("<si><t></t></si>")


def read_sheet(buffer: Bytes, low: int, high: int, rule: SheetRule) -> SheetRead | None:
    """As in the reference; dates, times and logical values are understood here too."""
    starts = np.ascontiguousarray(rule.string_starts, np.int64)
    ends = np.ascontiguousarray(rule.string_ends, np.int64)
    how = (rule.format_kinds, rule.from_1904, rule.hiding)
    found = _native.read_sheet(buffer, low, high, starts, ends, *how)
    if found is None:
        return None
    rows, columns, kinds, types, styles, begin, stop, texts, special, hidden, unknown, order = found
    return SheetRead(
        np.frombuffer(rows, np.int32),
        np.frombuffer(columns, np.int16),
        np.frombuffer(kinds, np.uint8),
        np.frombuffer(types, np.uint8),
        np.frombuffer(styles, np.int32),
        np.frombuffer(begin, np.int64),
        np.frombuffer(stop, np.int64),
        np.frombuffer(texts, np.uint8),
        np.frombuffer(special, np.int32),
        np.frombuffer(hidden, np.int32).tolist(),
        unknown,
        order,
    )


def document_rows(buffer: bytes, low: int, high: int) -> DocumentRows | None:
    """As in the reference: rows from `low` on, as long as they are in the usual form."""
    returned = _native.document_rows(buffer, low, high)
    consumed, count, rows, columns, styles, types, ends, texts, special, names = returned
    words = names.decode("utf-8", "replace").split("\0")[:-1]
    return DocumentRows(
        consumed,
        count,
        np.frombuffer(rows, np.int32),
        np.frombuffer(columns, np.int32),
        np.frombuffer(styles, np.int32),
        np.frombuffer(types, np.uint8),
        np.frombuffer(ends, np.int64),
        texts,
        np.frombuffer(special, np.int32).tolist(),
        list(zip(words[::2], words[1::2], strict=True)),
    )


def read_strings(buffer: Bytes, low: int, high: int) -> tuple[Ints, Ints] | None:
    """As in the reference."""
    starts, ends = np.empty((2, (high - low) // SHORTEST_STRING + 1), np.int64)
    count = _native.read_strings(buffer, low, high, starts, ends)
    return None if count < 0 else (starts[:count], ends[:count])


def shorter_numerals(buffer: Bytes, starts: Ints, ends: Ints) -> tuple[np.ndarray, Bytes]:
    """As in the reference."""
    starts, ends = np.ascontiguousarray(starts, np.int64), np.ascontiguousarray(ends, np.int64)
    lengths = np.empty(len(starts), np.int8)
    texts = np.empty(SHORTER * len(starts), np.uint8)
    used = _native.shorter_numerals(buffer, starts, ends, lengths, texts)
    return lengths, texts[:used]
