"""Texts of a column side by side in one array from the start."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa

from ..kernels.buffers import allocate, size_of
from ..kernels.types import Place
from .convert import TypedBlock

MORE = 1.25
"""Factor of the expected size to reserve; memory that is not used costs nothing."""
SPARE = 1 << 16
MOST = (1 << 31) - 1
"""Bytes that narrow offsets reach."""


class WholeTexts:
    """The texts of one column, to which those of each block are added as they come.

    They need not be put together afterwards, and the room of a block is free for the next one.
    """

    def __init__(self) -> None:
        self._offsets = np.zeros(0, np.int32)
        self._data = np.zeros(0, np.uint8)
        self._rows = self._filled = 0
        self._apart = False

    def add(self, blocks: Sequence[TypedBlock], share: float) -> None:
        """Move the texts of the last block, if those of all before it were moved.

        `share` is what stands before this block, as a part of the source.
        """
        if self._apart or (len(self._offsets) and self._move(blocks[-1])):
            return
        plain = all(map(_is_plain, blocks)) and share > 0
        self._apart = not (plain and self._begin(blocks, share) and all(map(self._move, blocks)))

    def _begin(self, blocks: Sequence[TypedBlock], share: float) -> bool:
        """Make room for all of the source; false where that is out of reach."""
        *before, last = [each.converted.values for each in blocks]
        rows = sum(map(len, before)) / share * MORE + len(last)
        size = sum(map(size_of, before)) / share * MORE + size_of(last) + SPARE
        if size > MOST:
            return False
        try:
            self._offsets, self._data = (
                allocate(int(rows) + 1, np.int32),
                allocate(int(size), np.uint8),
            )
        except MemoryError:
            return False
        self._rows = self._filled = 0
        return True

    def _move(self, block: TypedBlock) -> bool:
        """Add a block; false if it is no plain text, or there is no room for it."""
        values = block.converted.values
        if not _is_plain(block):
            return False
        count, size = len(values), size_of(values)
        if self._rows + count >= len(self._offsets) or self._filled + size > len(self._data):
            return False
        valid, offsets, data = values.buffers()
        own = self._offsets[self._rows : self._rows + count + 1]
        at = np.frombuffer(offsets, np.int32)[: count + 1]
        np.add(at, self._filled - at[0], out=own)
        if size:
            texts = np.frombuffer(data, np.uint8)[at[0] : at[0] + size]
            self._data[self._filled : self._filled + size] = texts
        buffers = [valid, pa.py_buffer(own), pa.py_buffer(self._data)]
        moved = pa.Array.from_buffers(pa.string(), count, buffers, values.null_count)
        place = Place(self._offsets, self._rows)
        block.converted = msgspec.structs.replace(block.converted, values=moved, place=place)
        self._rows += count
        self._filled += size
        return True


def _is_plain(block: TypedBlock) -> bool:
    return pa.types.is_string(block.converted.values.type) and not block.converted.values.offset
