"""Arrow arrays of texts: compared, hashed, joined."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from .. import reference
from ..buffers import allocate, padded
from ..types import PAD, Bytes, Ints, Words
from . import _native
from .cells import BEYOND, NO_REASONS, narrow, validity

SHORT = 16
"""Bytes of texts for which room is given as if all were as long as the longest."""


def all_differ(arrays: Sequence[pa.StringArray]) -> bool:
    """As in the reference: where no two hashes are the same, no two texts are."""
    filled = [array for array in arrays if len(array)]
    if not filled:
        return True
    hashes = np.concatenate([text_hashes(array) for array in filled])
    ordered = np.sort(hashes)
    met_twice = ordered[1:][ordered[1:] == ordered[:-1]]
    if not len(met_twice):
        return True
    begins = np.cumsum([0, *map(len, filled)])
    alike = np.flatnonzero(hashes == met_twice[0])[:2]
    piece = np.searchsorted(begins, alike, "right") - 1
    one, other = (filled[at][row] for at, row in zip(piece, alike - begins[piece], strict=True))
    return one != other and reference.all_differ(arrays)


def text_hashes(texts: pa.Array) -> Words:
    """As in the reference, but other numbers."""
    if not len(texts):
        return np.zeros(0, np.uint64)
    width = np.int64 if pa.types.is_large_string(texts.type) else np.int32
    _, offsets, data = texts.buffers()
    all_at: Ints = np.frombuffer(offsets, width)
    at = all_at[texts.offset : texts.offset + len(texts) + 1]
    low, high = int(at[0]), int(at[-1])
    if high - low > BEYOND - PAD:
        if len(texts) == 1:
            return reference.text_hashes(texts)
        half = len(texts) // 2
        return np.concatenate([text_hashes(texts[:half]), text_hashes(texts[half:])])
    buffer = padded(b"" if data is None else memoryview(data)[low:high])
    at = narrow(at - low + PAD)
    hashes = np.empty(len(texts), np.uint64)
    _native.hashes(buffer, at[:-1], at[1:], hashes)
    return hashes


def joined_texts(arrays: Sequence[pa.Array], reasons: Sequence[Bytes]) -> pa.Array:
    """As in the reference."""
    parts = [_part(array, why) for array, why in zip(arrays, reasons, strict=True)]
    room = sum(_room_for_part(*part, SHORT) for part in parts)
    if room > BEYOND:
        room = sum(_room_for_part(*part) for part in parts)
    count = sum(len(array) for array in arrays)
    if room > BEYOND or any(array.offset for array in arrays):
        return reference.joined_texts(arrays, reasons)
    all_offsets = allocate(count + 1, np.int32)
    all_offsets[0] = 0
    data = allocate(room + PAD, np.uint8)
    base = row = 0
    for array, (codes, why, offsets, words) in zip(arrays, parts, strict=True):
        into = all_offsets[row : row + len(array) + 1]
        if codes is None:
            np.add(offsets, base - offsets[0], out=into)
            data[base : base + len(words)] = words
            base += len(words)
        else:
            base = _native.spread(codes, why, offsets, words, base, into, data)
        row += len(array)
    missing = any(array.null_count for array in arrays)
    valid = validity(np.concatenate(list(reasons))).bitmap if missing else None
    made = pa.py_buffer(all_offsets), pa.py_buffer(data[:base])
    return pa.StringArray.from_buffers(count, *made, valid)


def _room_for_part(codes: Any, why: Any, offsets: Any, words: Any, short: int = 0) -> int:
    """Bytes that a part takes; as many as it can take, where all its texts are this short.

    Room that is not used costs nothing, and counting takes as long as reading.
    """
    if codes is None:
        return len(words)
    longest = int(np.diff(offsets).max(initial=0))
    return len(codes) * longest if longest <= short else _native.spread_length(codes, why, offsets)


def _part(array: pa.Array, reasons: Bytes) -> tuple[Any, Any, Any, Any]:
    """Codes (`None` for plain texts), reasons, and the texts: offsets and bytes."""
    if not pa.types.is_dictionary(array.type):
        _, offsets, data = array.buffers()
        places = np.frombuffer(offsets, np.int32)[: len(array) + 1]
        words = np.frombuffer(data, np.uint8) if data is not None else NO_REASONS
        held = words[int(places[0]) : int(places[-1])] if len(places) else NO_REASONS
        return None, NO_REASONS, places, held
    _, offsets, data = array.dictionary.buffers()
    codes = np.frombuffer(array.indices.buffers()[1], np.int32)[: len(array)]
    why = reasons if array.null_count else NO_REASONS
    words = np.zeros((data.size if data is not None else 0) + PAD, np.uint8)
    if data is not None:
        words[: data.size] = np.frombuffer(data, np.uint8)
    return codes, why, np.frombuffer(offsets, np.int32), words
