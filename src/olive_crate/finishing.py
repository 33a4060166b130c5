"""What the whole source settles of a variable: its type, its declaration, its values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, cast

import msgspec
import numpy as np
import pyarrow as pa

from . import kernels
from .codes import MissingCode
from .convert import convert
from .convert.dates import ANY_ZONED
from .convert.finding import FIRST_MARK, NONE_YET, Found
from .convert.kinds import base, form, rule_for
from .convert.rule import MARKS, reason_of
from .kernels.reference import Place
from .reading import MOST_DECIMALS, Slot
from .records.spans import Cells
from .variables import Variable


def final_kind(slot: Slot) -> str:
    """The type that the whole source allows."""
    finder = slot.finder
    kind = (finder.kind or finder.rule.kind) if finder.declared else finder.kind
    if base(kind) == "boolean" and not (finder.declared or finder.fixed or finder.told):
        both = 0 < finder.trues < finder.fitting
        return kind if both else "text"  # one word alone says nothing
    return kind or "text"


def is_stale(slot: Slot, block: Found) -> bool:
    """Was this block taken as something that cannot be cast to the final type?"""
    kind = final_kind(slot)
    if block.kind == kind or (block.kind == "integer" and kind == "number"):
        return False
    return block.kind != NONE_YET or block.marks


def arrow_type(slot: Slot) -> pa.DataType:
    """The Arrow type that the variable ends up with."""
    kind = final_kind(slot)
    if kind == "category":
        return pa.dictionary(pa.int32(), pa.string())
    empty = Cells(kernels.padded(b""), np.zeros(0, np.int64), np.zeros(0, np.int64))
    return convert(empty, rule_for(slot.finder.rule, kind, False)).values.type


def settled_values(slot: Slot, blocks: Sequence[Found]) -> pa.Array:
    """The values of blocks as one array of the final type; text beyond 2 GB gets wide offsets."""
    kind = arrow_type(slot)
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


def text_bytes(blocks: Sequence[Found]) -> float:
    """About how many bytes of text blocks have to be put together from."""
    arrays = [block.converted.values for block in blocks]
    kinds = pa.types
    size = 0.0
    for each in arrays:
        if kinds.is_string(each.type):
            size += each.nbytes
        elif kinds.is_dictionary(each.type):
            size += len(each) * each.dictionary.nbytes / max(1, len(each.dictionary))
    return size


def _in_place(blocks: Sequence[Found], arrays: Sequence[pa.Array]) -> pa.Array | None:
    """One array of blocks that were read side by side; those before them are moved there."""
    kind = arrays[0].type
    places = [block.converted.place for block in blocks]
    first = next((at for at, place in enumerate(places) if place is not None), None)
    if first is None or not all(array.type == kind and not array.offset for array in arrays):
        return None
    begin = cast(Place, places[first])
    if begin.column.itemsize * 8 != kind.bit_width:
        return None
    end = begin.start
    for place, array, block in zip(places[first:], arrays[first:], blocks[first:], strict=True):
        same = place is not None and place.column is begin.column and place.start == end
        if not same or array is not block.converted.values:
            return None
        end += len(array)
    before = sum(len(array) for array in arrays[:first])
    if before > begin.start:
        return None
    at = low = begin.start - before
    for array in arrays[:first]:
        own = np.frombuffer(array.buffers()[1], begin.column.dtype)[: len(array)]
        begin.column[at : at + len(own)] = own
        at += len(own)
    missing = any(array.null_count for array in arrays)
    reasons = [block.converted.reasons == 0 for block in blocks] if missing else []
    valid = kernels.bitmap(np.concatenate(reasons)) if missing else None
    data = pa.py_buffer(begin.column[low:end])
    return pa.Array.from_buffers(kind, end - low, [valid, data])


def _as_type(values: pa.Array, kind: pa.DataType) -> pa.Array:
    """A block as the final type; repeated texts may stay places in a dictionary."""
    if values.type == kind:
        return values
    if pa.types.is_null(values.type):
        return pa.nulls(len(values), kind)
    repeated = pa.types.is_dictionary(values.type) and pa.types.is_string(kind)
    return values if repeated else values.cast(kind, safe=False)


def final_reasons(slot: Slot, reasons: np.ndarray) -> np.ndarray:
    """Reasons numbered by the variable's final list of missing codes."""
    table = _reason_table(slot)
    return reasons if table is None else table[reasons]


def _reason_table(slot: Slot) -> np.ndarray | None:
    marks = _marks_met(slot)
    if not marks:
        return None
    own = len(slot.variable.missing)
    table = np.arange(256, dtype=np.uint8)
    shared = len(slot.finder.rule.codes) - own
    for place in range(own, own + shared):
        table[reason_of(place)] = reason_of(place + len(marks))
    for place, mark in enumerate(marks):
        table[FIRST_MARK + MARKS.index(mark)] = reason_of(own + place)
    return table


def _marks_met(slot: Slot) -> list[str]:
    """Well-known marks that were taken as missing, in the order of the alphabet."""
    if final_kind(slot) in ("text", "category"):
        return []
    return sorted(MARKS[index] for index in np.flatnonzero(slot.finder.mark_counts))


def final_variable(slot: Slot) -> Variable:
    """The declaration as the whole source settles it."""
    variable, finder = slot.variable, slot.finder
    kind = final_kind(slot)
    own = len(variable.missing)
    marks = tuple(MissingCode(value=mark) for mark in _marks_met(slot))
    decimals = variable.decimals
    if decimals is None and kind == "number" and 0 < finder.decimals <= MOST_DECIMALS:
        decimals = finder.decimals
    if variable.decimals is None and kind == "number" and slot.decimals is not None:
        decimals = slot.decimals
    return msgspec.structs.replace(
        variable,
        type=base(kind),
        decimals=decimals,
        **_way_of_writing(variable, kind),
        missing=variable.missing + marks + finder.rule.codes[own:],
    )


def _way_of_writing(variable: Variable, kind: str) -> dict[str, Any]:
    """The parts of the declaration that say how a kind is written."""
    if kind == "zoned":
        return {"format": ANY_ZONED}
    written = form(kind)
    if written is None:
        return {}
    if base(kind) == "boolean":
        true, _, false = written.partition("|")
        return {"true": (true,), "false": (false,)}
    return {"format": written}
