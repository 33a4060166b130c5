"""Inflating, with the fastest package that is there: ISA-L where it is installed, zlib otherwise.

RFC 1951 (deflate) and RFC 1952 (gzip); the members of zip archives are found by the standard
library's reading of their directory, and their sizes and checksums are held against it.
"""

from __future__ import annotations

import struct
import zipfile
import zlib
from typing import IO, Any

LOCAL_HEADER = struct.Struct("<4s5H3I2H")
PIECE = 1 << 18


def _fast() -> Any:
    """The module to inflate with."""
    try:
        from isal import isal_zlib
    except ImportError:
        return zlib
    return isal_zlib


def gzip_stream(stream: IO[bytes]) -> Any:
    """A gzip stream, inflated."""
    try:
        from isal import igzip
    except ImportError:
        import gzip

        return gzip.GzipFile(fileobj=stream)
    opened: Any = igzip.IGzipFile
    return opened(fileobj=stream)


def member_stream(archive: zipfile.ZipFile, stream: IO[bytes], entry: zipfile.ZipInfo) -> Any:
    """A member of an archive, inflated; `stream` is the archive once more, and ours alone.

    Raises what the standard library raises at a damaged archive.
    """
    if entry.compress_type != zipfile.ZIP_DEFLATED or entry.flag_bits & 0x1:
        stream.close()
        return archive.open(entry)
    return _Member(stream, entry)


class _Member:
    """A deflated member."""

    def __init__(self, stream: IO[bytes], entry: zipfile.ZipInfo) -> None:
        self._stream, self._entry = stream, entry
        stream.seek(entry.header_offset)
        header = stream.read(LOCAL_HEADER.size)
        if len(header) < LOCAL_HEADER.size or header[:4] != b"PK\x03\x04":
            raise zipfile.BadZipFile("a part does not begin where the directory says")
        *_, name, extra = LOCAL_HEADER.unpack(header)
        stream.seek(entry.header_offset + LOCAL_HEADER.size + name + extra)
        self._left = entry.compress_size
        self._zlib = _fast()
        self._inflater = self._zlib.decompressobj(-15)
        self._held = b""
        self._checksum = self._size = 0

    def __enter__(self) -> _Member:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the archive."""
        self._stream.close()

    def read(self, size: int = -1) -> bytes:
        """Up to so many bytes; all if `size` is below 0."""
        if size < 0:
            pieces = iter(lambda: self.read(1 << 20), b"")
            return b"".join(pieces)
        while not self._inflater.eof:
            if not self._held and self._left:
                self._held = self._stream.read(min(PIECE, self._left))
                if not self._held:
                    raise EOFError("the archive ends within a part")
                self._left -= len(self._held)
            at_end = not self._held
            try:
                piece: bytes = self._inflater.decompress(self._held, size)
            except self._zlib.error as error:
                raise zlib.error(str(error)) from None
            self._held = self._inflater.unconsumed_tail
            if piece:
                self._size += len(piece)
                self._checksum = self._zlib.crc32(piece, self._checksum)
                return piece
            if at_end and not self._inflater.eof:
                raise EOFError("a part is cut short")
        if self._checksum != self._entry.CRC or self._size != self._entry.file_size:
            raise zipfile.BadZipFile(f"bad checksum or size of {self._entry.filename!r}")
        return b""


ARCHIVE_FAULTS = (
    *(zipfile.BadZipFile, zlib.error, struct.error, OSError, EOFError, ValueError, KeyError),
    *(IndexError, OverflowError, NotImplementedError, RuntimeError),
)
"""Whatever the standard library raises at a damaged archive."""
