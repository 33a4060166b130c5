"""JSON and plain values made into structs, by any number of threads.

What a struct is made of is found out when it is first asked for. msgspec (0.22) does not lock that:
a second thread that asks for the same struct meanwhile meets one that is half described, and the
process ends. So the first time goes through a lock here, for each type with all that it holds.
"""

from __future__ import annotations

import threading
from typing import Any, TypeVar

import msgspec

T = TypeVar("T")
_LOCK = threading.Lock()
_known: set[Any] = set()


def _described(kind: type[T]) -> type[T]:
    """The type, after all that it holds has been found out once."""
    if kind not in _known:
        with _LOCK:
            msgspec.json.Decoder(kind)
            _known.add(kind)
    return kind


def decoded(data: Any, kind: type[T]) -> T:
    """A value of this type from JSON. Raises what msgspec raises, and `UnicodeDecodeError`."""
    return msgspec.json.decode(data, type=_described(kind))


def converted(value: Any, kind: type[T], strict: bool = True) -> T:
    """A value of this type from plain values. Raises `msgspec.ValidationError`."""
    return msgspec.convert(value, _described(kind), strict=strict)
