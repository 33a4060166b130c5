"""The binary form in which PostgreSQL copies rows (manual, "COPY", File Formats), as Arrow arrays.

A row is one message: the number of fields in two bytes, then for each field its length in four
bytes (-1 for null) and its bytes, all numbers with the high byte first. Many rows are taken apart
at once, field by field: where a field begins is told by the lengths of those before it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
import pyarrow as pa

from ... import kernels
from ...errors import SourceError
from ...kernels.buffers import arrow, padded
from ...kernels.types import PAD, Bytes, Flags, Ints

SIGNATURE = b"PGCOPY\n\xff\r\n\x00"
HEAD = len(SIGNATURE) + 8
"""Bytes before the first row: the signature, flags, and the length of what else may follow."""
END = b"\xff\xff"
"""Stands where a row would begin."""
EPOCH = int(np.datetime64("2000-01-01").astype(np.int64))
"""The day from which PostgreSQL counts, in days from 1970."""
FIRST_DAY, LAST_DAY = (
    int(np.datetime64(day).astype(np.int64)) for day in ("0001-01-01", "9999-12-31")
)
INFINITIES = {-(2**31): "-infinity", 2**31 - 1: "infinity"}
NOT_FINITE = {"nan": "NaN", "inf": "Infinity", "-inf": "-Infinity"}

Field = Callable[[Bytes, Ints, Ints, Flags], pa.Array]
"""Makes an array of fields: their buffer, where they start and end, and which of them are null."""


def batches(
    messages: Iterator[tuple[bytearray, list[int]]], types: Sequence[int]
) -> Iterator[list[pa.Array]]:
    """What the server sends, as arrays; `types` are the numbers of their types."""
    head = -1
    for piece, lengths in messages:
        if head < 0:
            head = _head(piece)
            lengths[0] -= head
            del lengths[: lengths[0] == 0]  # a message of its own
        begin, head = head, 0
        if lengths and lengths[-1] == len(END) and piece.endswith(END):
            lengths.pop()
        if lengths:
            yield arrays_of(memoryview(piece)[begin:], lengths, types)


def _head(piece: bytearray) -> int:
    """The bytes before the first row. Raises `SourceError` for another form."""
    if not piece.startswith(SIGNATURE):
        raise SourceError("the database copies rows in a form that is not known")
    return HEAD + int.from_bytes(piece[HEAD - 4 : HEAD], "big")


def arrays_of(piece: memoryview, lengths: Sequence[int], types: Sequence[int]) -> list[pa.Array]:
    """An array for each field of the rows in a piece, which have these lengths."""
    buffer = padded(piece)
    sizes = np.array(lengths, np.int64)
    at = PAD + 2 + np.cumsum(sizes) - sizes
    found = []
    for kind in types:
        size = _numbers(buffer, at, 4)
        starts, is_null = at + 4, size < 0
        at = starts + np.where(is_null, 0, size)
        found.append(FIELDS[kind](buffer, starts, at, is_null))
    return found


def _numbers(buffer: Bytes, at: Ints, width: int) -> Ints:
    """The numbers of so many bytes that begin at these positions."""
    found = kernels.big_endian(buffer, at, width)
    if found is None:
        raise SourceError("the database has sent a row that ends too early")
    return found


def _whole(width: int) -> Field:
    def read(buffer: Bytes, starts: Ints, _: Ints, is_null: Flags) -> pa.Array:
        return arrow(_numbers(buffer, starts, width), ~is_null, pa.int64())

    return read


def _floating(buffer: Bytes, starts: Ints, _: Ints, is_null: Flags) -> pa.Array:
    """Numbers; as texts where some of them are not finite, in the words of the database."""
    values = _numbers(buffer, starts, 8).view(np.float64)
    numbers = arrow(values, ~is_null, pa.float64())
    odd = ~np.isfinite(values) & ~is_null
    if not odd.any():
        return numbers
    texts = numbers.cast(pa.string()).to_pylist()
    for place in np.flatnonzero(odd).tolist():
        texts[place] = NOT_FINITE[str(values[place])]
    return pa.array(texts, pa.string())


def _days(buffer: Bytes, starts: Ints, _: Ints, is_null: Flags) -> pa.Array:
    """Days; as texts where some of them lie beyond the years of four digits."""
    counted = _numbers(buffer, starts, 4)
    days = counted + EPOCH
    usual = ((days >= FIRST_DAY) & (days <= LAST_DAY)) | is_null
    if usual.all():
        return arrow(days.astype(np.int32), ~is_null, pa.date32())
    texts = np.datetime_as_string(days.astype("datetime64[D]")).tolist()
    for place in np.flatnonzero(~usual).tolist():
        texts[place] = INFINITIES.get(int(counted[place])) or _far_day(texts[place])
    return pa.array(texts, pa.string(), mask=is_null)


def _far_day(text: str) -> str:
    """A day beyond years of four digits as the database writes it: there is no year 0 in it."""
    year, month_and_day = text[:-6], text[-6:]
    if int(year) > 0:
        return text
    return f"{1 - int(year):04}{month_and_day} BC"


def _texts(buffer: Bytes, starts: Ints, ends: Ints, is_null: Flags) -> pa.Array:
    """Texts; what is no UTF-8, of a database without an encoding, with the mark for that."""
    found = kernels.texts(buffer, starts, ends, is_null.astype(np.uint8))
    try:
        found.validate(full=True)
        return found
    except pa.ArrowInvalid:
        pass
    pieces = [buffer[start:end].tobytes() for start, end in zip(starts, ends, strict=True)]
    return pa.array([each.decode("utf-8", "replace") for each in pieces], pa.string(), mask=is_null)


def _hexadecimal(buffer: Bytes, starts: Ints, ends: Ints, is_null: Flags) -> pa.Array:
    pieces = zip(starts.tolist(), ends.tolist(), strict=True)
    texts = [buffer[start:end].tobytes().hex() for start, end in pieces]
    return pa.array(texts, pa.string(), mask=is_null)


FIELDS: dict[int, Field] = {
    21: _whole(2),
    23: _whole(4),
    20: _whole(8),
    701: _floating,
    1082: _days,
    17: _hexadecimal,
    **dict.fromkeys((19, 25, 1042, 1043), _texts),
}
"""The types that are taken as they are, by their numbers in the catalogue `pg_type`: int2, int4,
int8, float8, date, bytea, name, text, char, varchar. Others are asked for as text."""
TEXT = 25
