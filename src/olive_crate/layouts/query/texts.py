"""Values of a driver as Arrow arrays, column by column, so that they are converted like text.

Whole numbers and binary64 numbers stay what they are; everything else becomes text as ISO 8601 and
our own readers have it.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import pyarrow as pa

from ...declaration.values import duration_text

STRING = pa.string()
BINARY = "binary"
"""Bytes that are no text; written in hexadecimal digits."""
HELD: dict[type, pa.DataType] = {int: pa.int64(), float: pa.float64(), date: pa.date32()}


def array_of(values: Sequence[Any], kind: str = "") -> pa.Array:
    """The values of a column, `None` as null. `kind` is what the database says they are."""
    if kind in ("boolean", "time", BINARY):
        values = [_as_said(each, kind) for each in values]
    kinds = set(map(type, values))
    kinds.discard(type(None))
    try:
        if kinds <= {str, bytes}:
            return pa.array(values, STRING)
        if kind == "number" and kinds and kinds <= {int, float}:  # SQLite keeps 50.0 as 50
            return pa.array(values, pa.float64())
        if kinds == {int, float}:
            return pa.array([each if each is None else repr(each) for each in values], STRING)
        if len(kinds) == 1 and (held := HELD.get(kinds.pop())):
            return pa.array(values, held)
    except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError, UnicodeEncodeError):
        pass
    return pa.array([None if each is None else written(each) for each in values], STRING)


def _as_said(value: Any, kind: str) -> Any:
    """A truth that is kept as 1 or 0; a time of day that comes as a span."""
    if kind == BINARY and isinstance(value, (bytes, bytearray, memoryview)):
        return bytes(value).hex()
    if kind == "boolean" and type(value) is int and value in (0, 1):
        return value == 1
    if kind == "time" and isinstance(value, timedelta) and timedelta() <= value < timedelta(1):
        return (datetime.min + value).time()
    return value


def written(value: Any) -> str:
    """A value as text: ISO 8601 for dates and times, the shortest numeral that is read back."""
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode("utf-8")
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, (datetime, date, time)):
        return value.isoformat()
    if isinstance(value, timedelta):
        return duration_text(value)
    if isinstance(value, (bytes, bytearray, memoryview)):
        return _of_bytes(bytes(value))
    if isinstance(value, (list, dict, tuple)):
        return json.dumps(value, ensure_ascii=False, default=str)
    return str(value)


def _of_bytes(value: bytes) -> str:
    """Text where the bytes are UTF-8, else two hexadecimal digits for each."""
    try:
        return value.decode("utf-8")
    except UnicodeDecodeError:
        return value.hex()
