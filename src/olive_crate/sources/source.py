"""Bytes that can be opened again and again."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

import msgspec

from ..errors import SourceError


class Source(msgspec.Struct, frozen=True, eq=False):
    """Bytes that can be opened again and again."""

    name: str
    """How messages call it."""
    path: Path | None
    size: int | None
    """Bytes, after any decompression; None where that is not known without reading it all."""
    open: Callable[[], IO[bytes]]
    compression: str | None = None
    workbook: str | None = None
    """`xlsx` or `ods`, where it is a workbook."""

    def head(self, count: int) -> bytes:
        """The first `count` bytes, or all if there are fewer."""
        with self.open() as stream:
            return _read_up_to(stream, count)

    def part(self, start: int, count: int) -> bytes:
        """Up to `count` bytes from `start` on; only for sources of known size."""
        with self.open() as stream:
            stream.seek(start)
            return _read_up_to(stream, count)


def _read_up_to(stream: IO[bytes], count: int) -> bytes:
    pieces = []
    while count > 0:
        piece = stream.read(min(count, 1 << 24))
        if not piece:
            break
        pieces.append(piece)
        count -= len(piece)
    return b"".join(pieces)


class Inflating:
    """A decompressing stream whose failures speak of the file."""

    def __init__(self, stream: Any, name: str, kind: str) -> None:
        self._stream, self._name, self._kind = stream, name, kind

    def read(self, count: int = -1) -> bytes:
        try:
            return bytes(self._stream.read(count))
        except Exception as error:  # zlib, lzma, OSError, Arrow: each its own
            raise SourceError(
                f"{self._name}: the {self._kind} data is damaged or cut short ({error}); "
                "ask for the file again"
            ) from None

    def __enter__(self) -> Inflating:
        return self

    def __exit__(self, *_: object) -> None:
        self._stream.close()
