"""Blocks of a variable put together to one column.

Most of the time goes into copying, so that blocks which kernels have put side by side in one array
already are left where they are, and texts are joined by a kernel.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

import numpy as np
import pyarrow as pa

from .. import kernels
from ..kernels.reference.gather import all_present, none_missing
from ..kernels.types import Place
from .block import TypedBlock
from .column import Column
from .outcome import Outcome
from .withheld import followed


def joined(outcome: Outcome, blocks: Sequence[TypedBlock]) -> Column:
    """The blocks of a variable as one column."""
    reasons = [block.converted.reasons for block in blocks]
    held = followed([(len(block.converted.reasons), block.withheld) for block in blocks])
    if all(map(none_missing, reasons)):
        numbers = all_present(sum(map(len, reasons)))
    else:
        numbers = outcome.reasons(np.concatenate(reasons))
    return Column(outcome.variable, joined_values(outcome.arrow_type, blocks), numbers, held)


def joined_values(kind: pa.DataType, blocks: Sequence[TypedBlock]) -> pa.Array:
    """The values of blocks as one array of a type; text beyond 2 GB gets wide offsets."""
    if not blocks:
        return pa.nulls(0, kind)
    arrays = [_as_type(block.converted.values, kind) for block in blocks]
    if pa.types.is_string(kind):
        if len(arrays) == 1 and arrays[0].type == kind:
            return arrays[0]
        return kernels.joined_texts(arrays, [block.converted.reasons for block in blocks])
    if len(arrays) == 1:
        return arrays[0]
    if pa.types.is_dictionary(kind):
        return pa.chunked_array(arrays).unify_dictionaries().combine_chunks()
    whole = _in_place(blocks, arrays)
    return pa.concat_arrays(arrays) if whole is None else whole


def text_bytes(blocks: Sequence[TypedBlock]) -> float:
    """About how many bytes of text blocks have to be put together from."""
    kinds = pa.types
    size = 0.0
    for each in (block.converted.values for block in blocks):
        if kinds.is_string(each.type):
            size += each.nbytes
        elif kinds.is_dictionary(each.type):
            size += len(each) * each.dictionary.nbytes / max(1, len(each.dictionary))
    return size


def _as_type(values: pa.Array, kind: pa.DataType) -> pa.Array:
    """A block as the final type; repeated texts may stay places in a dictionary."""
    if values.type == kind:
        return values
    if pa.types.is_null(values.type):
        return pa.nulls(len(values), kind)
    repeated = pa.types.is_dictionary(values.type) and pa.types.is_string(kind)
    return values if repeated else values.cast(kind, safe=False)


def _in_place(blocks: Sequence[TypedBlock], arrays: Sequence[pa.Array]) -> pa.Array | None:
    """One array of blocks that were read side by side; those before them are moved there."""
    kind = arrays[0].type
    places = [block.converted.place for block in blocks]
    first = next((at for at, place in enumerate(places) if place is not None), None)
    if first is None or not all(array.type == kind and not array.offset for array in arrays):
        return None
    begin = cast(Place, places[first])
    before = sum(len(array) for array in arrays[:first])
    end = _end_of_run(begin, blocks[first:], arrays[first:])
    if begin.column.itemsize * 8 != kind.bit_width or end is None or before > begin.start:
        return None
    low = begin.start - before
    _move(begin.column, low, arrays[:first])
    missing = any(array.null_count for array in arrays)
    reasons = [block.converted.reasons == 0 for block in blocks] if missing else []
    valid = kernels.bitmap(np.concatenate(reasons)) if missing else None
    data = pa.py_buffer(begin.column[low:end])
    return pa.Array.from_buffers(kind, end - low, [valid, data])


def _end_of_run(
    begin: Place, blocks: Sequence[TypedBlock], arrays: Sequence[pa.Array]
) -> int | None:
    """Where blocks end that follow each other in one array; `None` if they do not."""
    end = begin.start
    for block, array in zip(blocks, arrays, strict=True):
        place = block.converted.place
        beside = place is not None and place.column is begin.column and place.start == end
        if not beside or array is not block.converted.values:
            return None
        end += len(array)
    return end


def _move(column: np.ndarray, at: int, arrays: Sequence[pa.Array]) -> None:
    """Copy arrays to their place in the whole column."""
    for array in arrays:
        own = np.frombuffer(array.buffers()[1], column.dtype)[: len(array)]
        column[at : at + len(own)] = own
        at += len(own)
