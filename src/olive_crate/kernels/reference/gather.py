"""Runs of bytes picked out of a buffer: the index arithmetic that several kernels share."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa

from ..types import PAD, Bytes, Flags, Ints


def ranges(starts: Ints, lengths: Ints) -> Ints:
    """The positions start, start + 1 … of every run, one after another."""
    before = np.cumsum(lengths) - lengths
    return np.repeat(starts - before, lengths) + np.arange(int(lengths.sum()))


def squeezed(buffer: Bytes, starts: Ints, ends: Ints, kept: Flags) -> tuple[Bytes, Ints, Ints]:
    """The runs copied into a buffer of their own, without the bytes for which `kept` is false.

    `kept` has one flag for each byte of all runs together, in order. Returns the new buffer and
    the new starts and ends.
    """
    lengths = ends - starts
    new = buffer[ranges(starts, lengths)[kept]]
    reach = np.concatenate(([0], np.cumsum(kept)))
    last = np.cumsum(lengths)
    packed = np.zeros(len(new) + 2 * PAD, np.uint8)
    packed[PAD : PAD + len(new)] = new
    return packed, reach[last - lengths] + PAD, reach[last] + PAD


FEW = 1024
BEYOND = 2**31 - 1


def texts(buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None) -> pa.StringArray:
    """Runs as an Arrow string array; null where `reasons` is not 0.

    Runs must follow one another in the buffer. Fields and what lies between them are taken as one
    array of twice as many strings, of which Arrow then takes every other one: no index per byte.
    """
    count = len(starts)
    valid: Flags | None = None
    if reasons is not None and bool(reasons.any()):
        valid = reasons == 0
    if valid is not None:
        ends = np.where(valid, ends, starts)
    if count <= FEW:
        taken = _few_texts(buffer, starts, ends)
    else:
        offsets = np.empty(2 * count + 1, np.int32)
        offsets[0:-1:2] = starts
        offsets[1::2] = ends
        offsets[-1] = ends[-1]
        both = pa.StringArray.from_buffers(2 * count, pa.py_buffer(offsets), pa.py_buffer(buffer))
        taken = both.take(whole_numbers(np.arange(0, 2 * count, 2)))
    if valid is None:
        return taken
    _, offset_buffer, data = taken.buffers()
    return pa.StringArray.from_buffers(count, offset_buffer, data, bitmap(valid))


def encoded(
    buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None, most: int | None = None
) -> pa.DictionaryArray | None:
    """Runs as places in a dictionary of the different ones, in the order in which they appear.

    Null where `reasons` is not 0; `None` if there are more than `most` different ones.
    """
    found = texts(buffer, starts, ends, reasons).dictionary_encode()
    return found if most is None or len(found.dictionary) <= most else None


def different(arrays: Sequence[pa.StringArray]) -> int:
    """How many different texts there are in these arrays, none of which has nulls."""
    chunked: pa.ChunkedArray = pa.chunked_array(arrays, pa.string())
    return len(chunked.unique())


def joined_texts(arrays: Sequence[pa.Array], reasons: Sequence[Bytes]) -> pa.Array:
    """Texts of several blocks as one array; some are places in a dictionary."""
    plain = [each.cast(pa.string()) for each in arrays]
    if sum(each.nbytes for each in plain) > BEYOND:
        plain = [each.cast(pa.large_string()) for each in plain]
    return pa.concat_arrays(plain)


def match(buffer: Bytes, starts: Ints, ends: Ints, words: Sequence[str]) -> Ints:
    """For each run the place of the word that it is, or -1."""
    found = np.full(len(starts), -1, np.int64)
    longest = max((len(word.encode("utf-8")) for word in words), default=-1)
    maybe = np.flatnonzero(ends - starts <= longest)
    if not len(maybe):
        return found
    held = texts(buffer, starts[maybe], ends[maybe])
    if len(held) <= FEW:  # without waking up Arrow's compute functions
        place = {word: index for index, word in enumerate(words)}
        found[maybe] = [place.get(text, -1) for text in held.to_pylist()]
        return found
    import pyarrow.compute as pc

    found[maybe] = or_minus_one(pc.index_in(held, strings(words)))
    return found


def is_utf8(buffer: Bytes, low: int, high: int) -> bool:
    """Is this piece of a buffer valid UTF-8?"""
    try:
        str(memoryview(buffer)[low:high], "utf-8")  # type: ignore[arg-type]
    except UnicodeDecodeError:
        return False
    return True


def _few_texts(buffer: Bytes, starts: Ints, ends: Ints) -> pa.StringArray:
    """The same for few runs, without waking up Arrow's compute functions."""
    view = memoryview(buffer)  # type: ignore[arg-type]
    pieces = [view[start:end] for start, end in zip(starts.tolist(), ends.tolist(), strict=True)]
    return _strings(pieces)


def strings(words: Sequence[str]) -> pa.StringArray:
    """Words as an Arrow array. (Arrow's own way looks for a data frame package first.)"""
    return _strings([word.encode("utf-8") for word in words])


def _strings(pieces: Sequence[bytes | memoryview]) -> pa.StringArray:
    offsets = np.zeros(len(pieces) + 1, np.int32)
    np.cumsum([len(piece) for piece in pieces], out=offsets[1:])
    data = pa.py_buffer(b"".join(pieces))
    return pa.StringArray.from_buffers(len(pieces), pa.py_buffer(offsets), data)


def whole_numbers(values: Ints) -> pa.Int64Array:
    """64-bit integers as an Arrow array, without a copy."""
    return pa.Array.from_buffers(pa.int64(), len(values), [None, pa.py_buffer(values)])


def or_minus_one(places: pa.Int32Array) -> Ints:
    """Places as integers, -1 for null. (Arrow's own way looks for a data frame package first.)"""
    validity, data = places.buffers()
    found = np.frombuffer(data, np.int32)[places.offset : places.offset + len(places)]
    if validity is None or not places.null_count:
        return found.astype(np.int64)
    bits = np.unpackbits(np.frombuffer(validity, np.uint8), bitorder="little")
    valid = bits[places.offset : places.offset + len(places)].astype(bool)
    return np.where(valid, found, -1)


SHARED = 1 << 22
"""Longer arrays are not held for others once nobody needs them."""


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


def none_missing(reasons: Bytes) -> bool:
    """Have all of these cells a value?"""
    return reasons.base is _Shared.reasons or not reasons.any()


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
    known = None if valid is None or bool(valid.all()) else bitmap(valid)
    buffers = [known, pa.py_buffer(np.ascontiguousarray(values))]
    return pa.Array.from_buffers(kind, len(values), buffers)


def padded(text: bytes | memoryview) -> Bytes:
    """A buffer that holds `text` from position `PAD` on."""
    buffer = np.empty(len(text) + 2 * PAD, np.uint8)
    buffer[:PAD] = buffer[PAD + len(text) :] = 0
    buffer[PAD : PAD + len(text)] = np.frombuffer(text, np.uint8)
    return buffer


def by_field(flat: Ints, fields: int) -> Ints:
    """Positions record by record as (rows, fields) that lie field by field in memory."""
    return np.ascontiguousarray(flat.reshape(-1, fields).T).T
