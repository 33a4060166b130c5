"""The rows of a table in memory as batches of arrays of the few types that columns convert."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
import pyarrow as pa

from ...declaration.values import duration_text
from ...errors import LayoutError
from ..base import Tally
from ..records.layout import Batch, Wanted

ROWS_A_BATCH = 65_536
STRING = pa.string()


class FrameRecords(msgspec.Struct, frozen=True, eq=False):
    """The rows of a table."""

    name: str
    table: pa.Table

    def place(self, index: int) -> str:
        """What a cell of this column is called."""
        return f'column "{self.table.column_names[index]}"'

    def batches(self, wanted: Wanted, tally: Tally) -> Iterator[Batch]:
        """The rows asked for, numbered from 1."""
        total = self.table.num_rows
        last = total if wanted.last is None or wanted.last < 0 else min(wanted.last, total)
        if wanted.limit is not None and wanted.first - 1 + wanted.limit < last:
            last, tally.stopped = wanted.first - 1 + wanted.limit, True
        tally.lines += max(0, last - wanted.first + 1)
        columns = range(self.table.num_columns) if wanted.columns is None else wanted.columns
        for at in range(wanted.first - 1, last, ROWS_A_BATCH):
            count = min(ROWS_A_BATCH, last - at)
            held = {index: self._array(index, at, count) for index in columns}
            yield Batch(np.arange(at + 1, at + count + 1), held)

    def _array(self, index: int, at: int, count: int) -> pa.Array:
        """Some rows of a column. Raises `LayoutError` for a type that is no value of a cell."""
        piece = self.table.column(index).slice(at, count)
        try:
            return _plain(piece.combine_chunks() if piece.num_chunks != 1 else piece.chunk(0))
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, pa.ArrowTypeError):
            called = self.table.column_names[index]
            raise LayoutError(
                f'{self.name}: column "{called}" holds {piece.type}, which is no single value; '
                "leave it out with keep, or turn it into text first"
            ) from None


def _plain(array: pa.Array) -> pa.Array:
    """Text, whole numbers of 64 bits, numbers of binary64 or days; other types as text."""
    kind, types = array.type, pa.types
    if isinstance(array, pa.ChunkedArray):
        array = pa.concat_arrays(array.chunks) if array.num_chunks else pa.array([], kind)
    if types.is_dictionary(kind):
        return _plain(array.dictionary_decode())
    if kind in (STRING, pa.int64(), pa.float64(), pa.date32()):
        return array
    if types.is_integer(kind):
        return array.cast(STRING if types.is_uint64(kind) else pa.int64())
    if types.is_floating(kind):
        return array.cast(pa.float64())
    if types.is_date(kind):
        return array.cast(pa.date32())
    if types.is_duration(kind):
        values = array.cast(pa.duration("us")).to_pylist()
        return pa.array([None if each is None else duration_text(each) for each in values], STRING)
    if types.is_binary(kind) or types.is_large_binary(kind) or types.is_fixed_size_binary(kind):
        values = array.to_pylist()
        return pa.array([None if each is None else each.hex() for each in values], STRING)
    return array.cast(STRING)
