"""Runs of bytes picked out of a buffer: the index arithmetic that several kernels share."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa

from ..buffers import FEW, bitmap, numpy_of, strings, strings_of, whole_numbers
from ..types import PAD, Bytes, Flags, Ints, Words


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


def listed(buffer: Bytes, starts: Ints, ends: Ints) -> list[str]:
    """Runs as texts of Python. Raises `UnicodeDecodeError` where one is not UTF-8."""
    view = memoryview(buffer)  # type: ignore[arg-type]
    pairs = zip(starts.tolist(), ends.tolist(), strict=True)
    return [str(view[start:end], "utf-8") for start, end in pairs]


def encoded(
    buffer: Bytes, starts: Ints, ends: Ints, reasons: Bytes | None = None, most: int | None = None
) -> pa.DictionaryArray | None:
    """Runs as places in a dictionary of the different ones, in the order in which they appear.

    Null where `reasons` is not 0; `None` if there are more than `most` different ones.
    """
    found = texts(buffer, starts, ends, reasons).dictionary_encode()
    return found if most is None or len(found.dictionary) <= most else None


def different(buffer: Bytes, starts: Ints, ends: Ints, most: int) -> list[str] | None:
    """The different texts of runs in the order in which they appear; `None` if more than `most`."""
    found = dict.fromkeys(texts(buffer, starts, ends).to_pylist())
    return list(found) if len(found) <= most else None


def all_differ(arrays: Sequence[pa.StringArray]) -> bool:
    """Do all texts of these arrays, none of which has nulls, differ?"""
    chunked: pa.ChunkedArray = pa.chunked_array(arrays, pa.string())
    return len(chunked.unique()) == len(chunked)


def text_hashes(texts: pa.Array) -> Words:
    """A number for each text; those of different texts are the same once in 2^64 pairs."""
    from hashlib import blake2b  # which takes as long as a small file

    coded = texts.dictionary_encode().fill_null("")
    digests = [
        blake2b(word.encode(), digest_size=8).digest() for word in coded.dictionary.to_pylist()
    ]
    hashes: Words = np.frombuffer(b"".join(digests), np.uint64)[coded.indices.to_numpy()]
    return hashes


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

    found[maybe] = numpy_of(pc.index_in(held, strings(words)), -1)
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
    return strings_of(pieces)
