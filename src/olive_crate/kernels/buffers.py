"""Room for large arrays, which is kept for the next one once nobody looks at it any more.

Memory that was touched before costs nothing; what the system gives anew has to be found, cleared
and mapped, which on a rented machine takes longer than reading the text that goes there. So a load
that follows another one begins in the memory which that one has let go of.

What is kept is offered back to the system (`MADV_FREE`), which takes it as soon as it needs memory
for anything else. Before large room is asked for anew, kept room is given back, as far as all of it
together is more than what was ever looked at at one time, and a part of that.
"""

from __future__ import annotations

import mmap
import weakref
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from .types import (
    DAYS,
    PAD,
    Bytes,
    Flags,
    Forecast,
    Ints,
    NumberRequest,
    Place,
    Request,
    TimeRequest,
    Validity,
)

LARGE = 2 << 20
"""Bytes of a large page of memory."""
SMALL = 256 << 10
"""Bytes below which an array is not worth it."""
MOST = 256 << 20
"""Bytes that are kept at most."""
SPARE = 4
"""This part of what was looked at at one time may be kept beyond it."""
OFFERED = getattr(mmap, "MADV_FREE", None)
"""How memory is offered back; `None` where a system knows no such thing."""
_kept: dict[int, list[mmap.mmap]] = {}
"""By their sizes. Each step on it is whole: a thread, or the end of an array, may come between any
two."""
_used: dict[int, int] = {}
"""Sizes of blocks that are looked at."""
_peak = [0]
"""Bytes that were looked at at the same time, at most."""
FEW = 1024
"""So few texts are looked at one by one, without waking up Arrow's compute functions."""
SHARED = 1 << 22
"""Longer arrays are not held for others once nobody needs them."""


def allocate(count: int, kind: Any) -> Any:
    """An array that is still to be filled; a large one begins where a large page does.

    Where the system has such pages, few of them take the place of many small ones. Raises
    `MemoryError`.
    """
    size = count * np.dtype(kind).itemsize
    if size < SMALL:
        return np.empty(count, kind)
    spare = LARGE if size >= LARGE else 0
    if OFFERED is None:
        whole = np.empty(size + spare, np.uint8)
    else:
        block = _taken(size + spare) or _new(size + spare)
        _used[id(block)] = len(block)
        whole = np.frombuffer(block, np.uint8)
        weakref.finalize(whole, _let_go, block).atexit = False  # once nothing refers to it
    begin = -whole.ctypes.data % LARGE if spare else 0
    return whole[begin : begin + size].view(kind)


def _taken(size: int) -> mmap.mmap | None:
    """Of what is kept, the smallest that fits and is not much too large."""
    most = size + size // 8 + (LARGE if size >= LARGE else SMALL)
    for length in sorted(each for each in list(_kept) if size <= each <= most):
        with suppress(IndexError, KeyError):  # none is left of these
            return _kept[length].pop()
    return None


def _new(size: int) -> mmap.mmap:
    """Memory that the system gives, in whole large pages if there is one of them."""
    page = LARGE if size >= LARGE else mmap.PAGESIZE
    size = -(-size // page) * page
    if size >= LARGE:
        _make_way(size)
    try:
        block = mmap.mmap(-1, size, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    except OSError:
        raise MemoryError(f"no room for {size:,} bytes") from None
    if size >= LARGE and hasattr(mmap, "MADV_HUGEPAGE"):
        with suppress(OSError):  # a system without such pages
            block.madvise(mmap.MADV_HUGEPAGE)
    return block


def _make_way(size: int) -> None:
    """Give back to the system what is kept beyond the most that was ever looked at, and a bit."""
    used = sum(list(_used.values())) + size
    _peak[0] = max(_peak[0], used)
    left = used + _held() - _peak[0] - _peak[0] // SPARE
    for length, blocks in list(_kept.items()):
        while blocks and left > 0:
            with suppress(IndexError):  # another thread was faster
                blocks.pop()
                left -= length
        if not blocks:
            _kept.pop(length, None)


def _held() -> int:
    """Bytes that are kept."""
    return sum(length * len(blocks) for length, blocks in list(_kept.items()))


def _let_go(block: mmap.mmap) -> None:
    """Keep a block for the next one who asks; beyond `MOST` it goes back at once."""
    _used.pop(id(block), None)
    if OFFERED is None or _held() + len(block) > MOST:
        return
    with suppress(OSError):  # a system that does not take offers
        block.madvise(OFFERED)
        blocks = _kept.pop(len(block), [])
        blocks.append(block)
        _kept[len(block)] = blocks  # sizes that were met last stand last


def strings(words: Sequence[str | None]) -> pa.StringArray:
    """Words as an Arrow array. (Arrow's own way looks for a data frame package first.)"""
    made = strings_of([(word or "").encode("utf-8") for word in words])
    if None not in words:
        return made
    valid = bitmap(np.array([word is not None for word in words]))
    return pa.StringArray.from_buffers(len(words), *made.buffers()[1:], valid)


def strings_of(pieces: Sequence[bytes | memoryview]) -> pa.StringArray:
    offsets = np.zeros(len(pieces) + 1, np.int32)
    np.cumsum([len(piece) for piece in pieces], out=offsets[1:])
    data = pa.py_buffer(b"".join(pieces))
    return pa.StringArray.from_buffers(len(pieces), pa.py_buffer(offsets), data)


def room_for(texts: pa.StringArray) -> int:
    """Bytes to reserve for each text, if the next ones are as long as these on average."""
    return size_of(texts) * 5 // (4 * len(texts)) + 2


def size_of(texts: pa.StringArray) -> int:
    """How many bytes these texts have together."""
    offsets = np.frombuffer(texts.buffers()[1], np.int32)
    return int(offsets[texts.offset + len(texts)] - offsets[texts.offset])


def whole_numbers(values: Ints) -> pa.Int64Array:
    """64-bit integers as an Arrow array, without a copy."""
    return pa.Array.from_buffers(pa.int64(), len(values), [None, pa.py_buffer(values)])


def valid_cells(array: pa.Array) -> Flags:
    """Which cells are not null. (Arrow's own way looks for a data frame package first.)"""
    validity = array.buffers()[0]
    if validity is None:
        return np.ones(len(array), bool)
    bits = np.unpackbits(np.frombuffer(validity, np.uint8), bitorder="little")
    return bits[array.offset : array.offset + len(array)].astype(bool)


def numpy_of(values: pa.Array, null: Any = 0) -> np.ndarray:
    """Values of a fixed width, `null` where there is none; dates and times as whole numbers.

    They are not to be changed. (Arrow's own way looks for a data frame package first.)
    """
    if isinstance(values, pa.ChunkedArray):
        values = values.combine_chunks()
    kind = values.type
    if pa.types.is_null(kind):
        return np.full(len(values), null)
    data, at = values.buffers()[1], slice(values.offset, values.offset + len(values))
    data = b"" if data is None else data
    if pa.types.is_boolean(kind):
        made: np.ndarray = np.unpackbits(np.frombuffer(data, np.uint8), bitorder="little")[at] > 0
    else:
        letter = "u" if pa.types.is_unsigned_integer(kind) else "i"
        letter = "f" if pa.types.is_floating(kind) else letter
        made = np.frombuffer(data, f"{letter}{kind.bit_width // 8}")[at]
    return np.where(valid_cells(values), made, np.asarray(null)) if values.null_count else made


def arrow_flags(mask: Flags) -> pa.BooleanArray:
    """True and false as an Arrow array. (See `numpy_of`.)"""
    return pa.Array.from_buffers(pa.bool_(), len(mask), [None, bitmap(mask)])


def or_empty(texts: pa.Array) -> pa.Array:
    """Texts, empty where there is none. (See `numpy_of`.)"""
    import pyarrow.compute as pc

    return pc.coalesce(texts, strings([""]).cast(texts.type)[0]) if texts.null_count else texts


class _Shared:
    """Arrays that are only read, so that many may stand for the same."""

    reasons: Bytes = np.zeros(0, np.uint8)
    numbers: Ints = np.zeros(0, np.int64)


def no_reasons(count: int) -> Bytes:
    """Reasons of so many cells that all have a value: shared, and only to be read."""
    held = _Shared.reasons  # another thread may put another in its place
    if count > len(held):
        held = np.zeros(1 << max(16, (count - 1).bit_length()), np.uint8)
        held.flags.writeable = False
        _Shared.reasons = held
    return held[:count]


def all_present(count: int) -> Bytes:
    """Reasons of a whole column in which no cell is missing."""
    return no_reasons(count) if count < SHARED else np.zeros(count, np.uint8)


def may_be_missing(reasons: Bytes) -> bool:
    """May one of these cells have no value? Known without looking at them."""
    return reasons.base is not _Shared.reasons


def none_missing(reasons: Bytes) -> bool:
    """Have all of these cells a value?"""
    return not (may_be_missing(reasons) and np.count_nonzero(reasons))


def counted(count: int) -> Ints:
    """0, 1, 2 … so many: shared, and only to be read."""
    held = _Shared.numbers
    if count > len(held):
        held = np.arange(1 << max(17, (count - 1).bit_length()))
        held.flags.writeable = False
        _Shared.numbers = held
    return held[:count]


def writable(reasons: Bytes) -> Bytes:
    """Reasons that may be changed."""
    return reasons if reasons.flags.writeable else reasons.copy()


def bitmap(valid: Flags) -> pa.Buffer:
    """Flags as an Arrow validity bitmap."""
    return pa.py_buffer(np.packbits(valid, bitorder="little"))


def arrow(values: np.ndarray, valid: Flags | None, kind: pa.DataType) -> pa.Array:
    """Numbers of Arrow's own memory form as an Arrow array, null where `valid` is false."""
    missing = 0 if valid is None else len(valid) - int(np.count_nonzero(valid))
    known = Validity(missing, bitmap(valid)) if valid is not None and missing else None
    return masked(values, known, kind)


def distinct(values: np.ndarray) -> np.ndarray:
    """The different values in order; `np.unique` would import the arrays with masks."""
    ordered = np.sort(values)
    new = np.ones(len(ordered), bool)
    new[1:] = ordered[1:] != ordered[:-1]
    return ordered[new]


def median(values: np.ndarray) -> float:
    """The middle one of these numbers; `np.median` would import the arrays with masks."""
    ordered = np.sort(values)
    low, high = ordered[(len(ordered) - 1) // 2], ordered[len(ordered) // 2]
    return float((low + high) / 2)


def masked(values: np.ndarray, validity: Validity | None, kind: pa.DataType) -> pa.Array:
    """The same, null where cells have no value; `None`: all have one."""
    data = pa.py_buffer(np.ascontiguousarray(values))
    if validity is None:
        return pa.Array.from_buffers(kind, len(values), [None, data], 0)
    return pa.Array.from_buffers(kind, len(values), [validity.bitmap, data], validity.missing)


def padded(text: bytes | memoryview) -> Bytes:
    """A buffer that holds `text` from position `PAD` on."""
    buffer = np.empty(len(text) + 2 * PAD, np.uint8)
    buffer[:PAD] = buffer[PAD + len(text) :] = 0
    buffer[PAD : PAD + len(text)] = np.frombuffer(text, np.uint8)
    return buffer


def by_field(flat: Ints, fields: int) -> Ints:
    """Positions record by record as (rows, fields) that lie field by field in memory."""
    return np.ascontiguousarray(flat.reshape(-1, fields).T).T


class WholeColumns:
    """Room for whole columns, into which blocks are read at the places that they seem to have.

    What is read so need not be put together afterwards. Room that is not used costs nothing.
    """

    def __init__(self, rows: int) -> None:
        self.rows = rows
        self._columns: dict[tuple[int, type[np.generic]], np.ndarray] = {}

    def place(self, index: int, kind: type[np.generic], start: int, count: int) -> Place | None:
        """The room of a block in a column of numbers of this kind; `None` where it has none."""
        if start + count > self.rows:
            return None
        key = index, kind
        column = self._columns.get(key)
        if column is None:
            try:
                column = self._columns.setdefault(key, allocate(self.rows, kind))
            except MemoryError:  # more was expected than there is room for: do without
                return None
        return Place(column, start)

    def prepare(self, forecast: Forecast) -> None:
        """Get the room for these columns.

        Done by the thread that lives on: what another one's heap has held stays with that heap.
        """
        for index, wanted in forecast.items():
            kind = array_type_of(wanted)
            if kind is not None:
                self.place(index, kind, 0, 0)


class ColumnStart(msgspec.Struct, frozen=True):
    """Where a block seems to begin in the whole columns, and how many rows it seems to have.

    More than these it must not fill: what is behind them is for the next block.
    """

    keeping: WholeColumns
    row: int
    rows: int


def array_type_of(wanted: Request | None) -> type[np.generic] | None:
    """What is put into the array of a column; `None` if there is none."""
    if wanted is None:
        return None
    if isinstance(wanted, NumberRequest):
        return np.int64 if wanted.whole else np.float64
    if isinstance(wanted, TimeRequest):
        return np.int32 if wanted.unit == DAYS else np.int64
    return np.int32 if wanted.most else None
