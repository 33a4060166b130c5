"""Files on the web: fetched once, while they are read, by HTTP/1.1 (RFC 9110).

The bytes that have come are kept in a temporary file, so that whoever reads a part again reads the
same bytes, and a large file is never held in memory. A connection that breaks off is taken up again
where it broke (ranges, RFC 9110, 14; `If-Range`, 13.1.5). User, password and query string are never
shown.
"""

from __future__ import annotations

import email.message
import http.client
import os
import tempfile
import threading
import time
import zlib
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import IO, Any
from urllib.parse import unquote, urlsplit

from ..errors import SourceError
from .addresses import full_address, safe_address
from .requests import PAUSE, TRIES, Moment, asked, why
from .source import Source

LARGEST = 64 << 30
"""Bytes of a file; raised by `OLIVE_CRATE_MOST_BYTES`."""
IN_MEMORY = 16 << 20
"""Bytes that are kept in memory before they go to a temporary file."""
FAR = 8 << 20
"""A piece that lies further ahead is asked for by itself, where the server gives ranges."""
PIECE = 256 << 10


class WebFile:
    """A file on the web, as far as it has come."""

    def __init__(self, address: str, known: Moment | None = None) -> None:
        self.address, self.name = address, safe_address(address)
        self._copy = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY)  # noqa: SIM115
        self._lock = threading.RLock()
        self._came = 0
        self._left_tries = TRIES
        self._answer = asked(address, 0, known, None)
        headers = self._answer.headers
        self.size = _length(headers)
        self.moment = Moment(
            self.name,
            time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
            headers.get("ETag", ""),
            headers.get("Last-Modified", ""),
        )
        self._inflate = _inflater(headers.get("Content-Encoding", ""), self.name)
        self._raw = 0
        self._whole = False
        self._largest = int(os.environ.get("OLIVE_CRATE_MOST_BYTES", LARGEST))
        if self.size is not None and self.size > self._largest:
            raise _too_large(self.name, self._largest)
        if self._inflate is not None:
            self.raw_size, self.size = self.size, None
        else:
            self.raw_size = self.size

    @property
    def headers(self) -> email.message.Message:
        """What the server said of it."""
        headers: email.message.Message = self._answer.headers
        return headers

    @property
    def final(self) -> str:
        """Where redirects have led to."""
        return self._answer.address

    def read(self, start: int, count: int) -> bytes:
        """Up to `count` bytes from `start` on."""
        with self._lock:
            if start > self._came + FAR and self._gives_ranges():
                return self._apart(start, count)
            while not self._whole and self._came < start + count:
                self._more()
            self._copy.seek(start)
            return self._copy.read(count)

    def _gives_ranges(self) -> bool:
        return self._inflate is None and self._ranges()

    def _ranges(self) -> bool:
        return self.headers.get("Accept-Ranges", "") == "bytes" and bool(self._mark())

    def _apart(self, start: int, count: int) -> bytes:
        """A piece from far ahead, asked for by itself: the end of a large file."""
        mark = self._mark()
        answer = asked(self.address, start, None, mark)
        try:
            if answer.status != 206:
                raise SourceError(f"{self.name}: was changed while it was read; read it again")
            return bytes(answer.body.read(count))
        except (OSError, http.client.HTTPException) as error:
            raise SourceError(f"{self.name}: {why(error)}") from None
        finally:
            answer.close()

    def _mark(self) -> str:
        """What tells that a file is still the same (RFC 9110, 13.1.5)."""
        strong = self.moment.etag if not self.moment.etag.startswith("W/") else ""
        return strong or self.moment.modified

    def whole_size(self) -> int:
        """The bytes of all of it, which is fetched."""
        with self._lock:
            while not self._whole:
                self._more()
            return self._came

    def _more(self) -> None:
        """Fetch another piece; a connection that broke is taken up again."""
        try:
            piece = self._answer.body.read(PIECE)
            fault: Exception | None = None
        except http.client.IncompleteRead as error:
            piece, fault = error.partial, error
        except (OSError, http.client.HTTPException) as error:
            piece, fault = b"", error
        self._raw += len(piece)
        self._keep(piece)
        expected = self.raw_size
        if fault is None and piece:
            return
        if fault is None and (expected is None or self._raw >= expected):
            self._whole = True
            self._keep(b"", final=True)
            self._answer.close()
            return
        self._again(fault)

    def _keep(self, piece: bytes, final: bool = False) -> None:
        if self._inflate is not None:
            piece = self._inflate(piece, final)
        if piece:
            self._copy.seek(self._came)
            self._copy.write(piece)
            self._came += len(piece)
        if self._came > self._largest:
            raise _too_large(self.name, self._largest)

    def _again(self, fault: Exception | None) -> None:
        """Go on where the connection broke, if the server has the same file still."""
        self._left_tries -= 1
        self._answer.close()
        said = why(fault) if fault is not None else "the connection was closed early"
        mark = self._mark()
        if self._left_tries <= 0 or not self._ranges():
            of = f" of {self.raw_size:,}" if self.raw_size is not None else ""
            raise SourceError(
                f"{self.name}: only {self._raw:,}{of} bytes came: {said}; try again"
            ) from None
        time.sleep(PAUSE)
        answer = asked(self.address, self._raw, None, mark)
        if answer.status != 206:
            answer.close()
            raise SourceError(f"{self.name}: was changed while it was read; read it again")
        self._answer.body, self._answer.close = answer.body, answer.close


class _Stream:
    """One reader's place in a file on the web."""

    def __init__(self, file: WebFile) -> None:
        self._file, self._at = file, 0

    def read(self, count: int = -1) -> bytes:
        if count < 0:
            count = max(0, self._file.whole_size() - self._at)
        piece = self._file.read(self._at, count)
        self._at += len(piece)
        return piece

    def seek(self, position: int, whence: int = os.SEEK_SET) -> int:
        base = {os.SEEK_SET: 0, os.SEEK_CUR: self._at}.get(whence)
        self._at = (self._file.whole_size() if base is None else base) + position
        return self._at

    def tell(self) -> int:
        return self._at

    def seekable(self) -> bool:
        return True

    def readable(self) -> bool:
        return True

    def close(self) -> None:
        return None

    def __enter__(self) -> _Stream:
        return self

    def __exit__(self, *_: object) -> None:
        return None


def web_source(address: str) -> Source:
    """The source at an address of the web. Raises `SourceError` for what the server refuses."""
    file = WebFile(full_address(address))
    return source_of(file)


def source_of(file: WebFile) -> Source:
    """A file on the web as a source."""

    def opened() -> IO[bytes]:
        return _Stream(file)  # type: ignore[return-value]

    return Source(
        file.name,
        None,
        file.size,
        opened,
        charset=file.headers.get_content_charset() or "",
        address=file.final,
        moment=file.moment,
    )


def _length(headers: Any) -> int | None:
    text = headers.get("Content-Length", "")
    return int(text) if text.isdigit() else None


def _inflater(encoding: str, name: str) -> Any:
    """What undoes a `Content-Encoding` that a server sends unasked; `None` for none."""
    if encoding.strip().lower() in ("", "identity"):
        return None
    if encoding.strip().lower() not in ("gzip", "x-gzip", "deflate"):
        raise SourceError(f"{name}: the server sends it encoded as {encoding}, which is not known")
    undo = zlib.decompressobj(zlib.MAX_WBITS | 32)

    def inflate(piece: bytes, final: bool) -> bytes:
        try:
            return undo.flush() if final else undo.decompress(piece)
        except zlib.error as error:
            raise SourceError(f"{name}: what the server sent is damaged ({error})") from None

    return inflate


def _too_large(name: str, most: int) -> SourceError:
    return SourceError(f"{name}: over {most:,} bytes; set OLIVE_CRATE_MOST_BYTES to allow more")


def file_name(address: str) -> str:
    """The last part of an address's path, for a copy of it."""
    return PurePosixPath(unquote(urlsplit(address).path)).name or "page.html"


def pieces_of(source: Source) -> Iterator[bytes]:
    """All bytes of a source, some at a time."""
    with source.open() as stream:
        while piece := stream.read(1 << 20):
            yield piece
