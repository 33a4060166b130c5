"""A source of bytes: its head, its parts, a sample of it; and the names of encodings."""

from __future__ import annotations

import codecs
from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import IO, Any, cast

import msgspec

from ..errors import Advice, PlanError, SourceError, nearest
from ..evidence import Evidence
from .limits import NO_RATIO_BELOW, Limits, beyond

HEAD = 128 << 10
LONGEST_HEAD = 8 << 20
"""First lines that are longer are not looked for the end of."""
LINE_ENDS = (b"\n", b"\r")
FEWEST_LINES, LARGEST_REST = 4, 1 / 8
"""Line ends that a head has, and the part of it that may be a line whose end it does not show.

So a heading is seen however long it is and whatever stands above it, and something below it.
"""
PIECE = 64 << 10
MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
READING = {"utf-8": "utf-8-sig"}
"""Codecs to read with, of the commonest names; a byte-order mark is never part of the text."""
COMMON = ("utf-8", "utf-16", "utf-32", "ascii", "cp1252", "latin-1", "cp1250", "cp1251", "cp437")
MULTIBYTE = (
    "utf_",
    "utf-",
    "cp932",
    "cp936",
    "cp949",
    "cp950",
    "gb",
    "big5",
    "euc",
    "shift",
    "iso2022",
    "johab",
    "hz",
)


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
    """`xlsx`, `ods`, `fods` (flat), `xml` (of 2003) or `xls`, where it is a workbook."""
    stamp: tuple[int, int] | None = None
    """Bytes of the file and when it was changed last, as it was opened; of local files only."""
    form: str = ""
    """`page`, `feed`, `database` or `frame`, where it is one; empty for text and workbooks."""
    database: Any = None
    """Where a database is; `None` for what is none."""
    frame: Any = None
    """An Arrow table; `None` for what is no table in memory."""
    charset: str = ""
    """The encoding that a server says it has."""
    address: str = ""
    """Of a page or feed: where it lies, so that links in it can be followed."""
    sheet: str = ""
    """The sheet that a link names."""
    moment: Any = None
    """Of a file on the web: what the server said of it when it was fetched."""
    notes: tuple[Evidence, ...] = ()
    """What opening it has shown."""

    def has_changed(self) -> bool:
        """Has the file another size or time of change than when it was opened?"""
        return (
            self.stamp is not None and self.path is not None and stamp_of(self.path) != self.stamp
        )

    def fingerprint(self) -> str:
        """A hash of a local file's size, its first and its last bytes; empty for other sources."""
        if self.path is None or self.stamp is None:
            return ""
        import hashlib  # a look takes no fingerprint

        size = self.stamp[0]
        with self.path.open("rb") as stream:
            known = hashlib.sha256(str(size).encode("ascii"))
            known.update(stream.read(PIECE))
            if size > PIECE:
                stream.seek(max(PIECE, size - PIECE))
                known.update(stream.read(PIECE))
        return known.hexdigest()

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
    """A decompressing stream whose failures speak of the file, and that stops at limits."""

    def __init__(self, stream: Any, by: Inflater) -> None:
        self._stream, self._by = stream, by
        self._out = 0

    def read(self, count: int = -1) -> bytes:
        if count < 0:
            return b"".join(iter(lambda: self.read(1 << 20), b""))
        by = self._by
        try:
            piece = bytes(self._stream.read(count))
        except MemoryError:
            raise
        except Exception as error:  # zlib, lzma, OSError, Arrow: each its own
            raise SourceError(
                f"{by.name}: the {by.kind} data is damaged or truncated ({error}); "
                "request the file again"
            ) from None
        self._out += len(piece)
        if self._out > by.most:
            raise beyond(by.name, *by.beyond)
        return piece

    def __enter__(self) -> Inflating:
        return self

    def __exit__(self, *_: object) -> None:
        self._stream.close()


class Inflater(msgspec.Struct, frozen=True):
    """Opens a compressed stream, again and again."""

    opened: Callable[[], Any]
    name: str
    kind: str
    stored: int | None
    """Bytes when compressed; `None` where that is not known."""
    limits: Limits = Limits()

    def __call__(self) -> IO[bytes]:
        return cast(IO[bytes], Inflating(self.opened(), self))

    @property
    def most(self) -> int:
        """Bytes that may come out."""
        if self.stored is None:
            return self.limits.text
        by_ratio = max(self.stored * self.limits.ratio, NO_RATIO_BELOW)
        return min(by_ratio, self.limits.text)

    @property
    def beyond(self) -> tuple[str, str]:
        """The limit that is the lower one, and what is said of it."""
        if self.most == self.limits.text:
            return "text", f"more than {self.most:,} bytes come out of the {self.kind} data"
        return "ratio", f"the {self.kind} data inflates {self.limits.ratio:,} times"


def within(source: Source, limits: Limits) -> Source:
    """The source with other limits of what may come out of it."""
    if not isinstance(source.open, Inflater) or source.open.limits == limits:
        return source
    return msgspec.structs.replace(source, open=msgspec.structs.replace(source.open, limits=limits))


class Sample(msgspec.Struct, frozen=True, dict=True, eq=False):
    """Bytes read from a source, once."""

    source: Source
    head: bytes
    """The first bytes: more of them where the first lines are longer."""
    is_whole: bool
    """The head is all there is."""
    thorough: bool = True
    """Read through to the end where there is no other way to reach the tail."""
    as_utf8: dict[str, bytes] = {}
    """The head as UTF-8, by the encoding that it was taken to be in."""

    def utf8(self, encoding: str) -> bytes:
        """The head as UTF-8, up to its last whole line; it is decoded once."""
        if encoding not in self.as_utf8:
            text = decoded(self.head, encoding, self.is_whole).encode("utf-8", "replace")
            end = max(text.rfind(b"\n"), text.rfind(b"\r")) + 1
            self.as_utf8[encoding] = text if self.is_whole or not end else text[:end]
        return self.as_utf8[encoding]

    @cached_property
    def middle(self) -> bytes:
        """A piece from half-way, starting anywhere in a character or line."""
        size = self.source.size
        if self.is_whole or size is None or size < HEAD + 2 * PIECE:
            return b""
        return self.source.part(size // 2, PIECE)

    @property
    def beyond_head(self) -> bytes:
        """The part of the tail that the head does not hold already."""
        tail, size = self.tail or b"", self.source.size
        shared = 0 if size is None else max(0, len(self.head) - (size - len(tail)))
        return tail[shared:]

    @cached_property
    def tail(self) -> bytes | None:
        """The last bytes; `None` if they were not to be had cheaply."""
        if self.is_whole:
            return self.head
        if self.source.size is not None:
            return self.source.part(max(0, self.source.size - PIECE), PIECE)
        if not self.thorough:
            return None
        last = b""
        with self.source.open() as stream:
            while piece := stream.read(1 << 20):
                last = (last + piece)[-PIECE:]
        return last


def sample_of(source: Source, thorough: bool = True) -> Sample:
    """The head of a source, and the way to what lies beyond it."""
    size = HEAD
    head = source.head(size)
    while len(head) == size < LONGEST_HEAD and (
        max(map(head.count, LINE_ENDS)) < FEWEST_LINES
        or size - max(map(head.rfind, LINE_ENDS)) > LARGEST_REST * size
    ):
        size *= 4
        head = source.head(size)
    return Sample(source, head, len(head) < size, thorough)


def stamp_of(path: Path) -> tuple[int, int] | None:
    """A file's size and time of change (in nanoseconds); `None` if it is gone."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_size, found.st_mtime_ns


def byte_order_mark(head: bytes) -> str | None:
    """The encoding that a byte-order mark at the start of the source tells, if there is one."""
    return next((name for mark, name in MARKS if head.startswith(mark)), None)


def codec_name(name: str) -> str:
    """The codec's own name; `PlanError` if Python has no such text codec."""
    try:
        found = codecs.lookup(name)
        "".encode(name)
    except (LookupError, ValueError, TypeError):
        raise PlanError(f'there is no encoding "{name}"{nearest(name, COMMON)}') from None
    return found.name


def is_multibyte(encoding: str) -> bool:
    """May a character take several bytes in this encoding, which is not UTF-8?"""
    name = codec_name(encoding)
    return name not in ("utf-8", "utf-8-sig") and name.startswith(MULTIBYTE)


def is_ebcdic(encoding: str) -> bool:
    """Is this one of the EBCDIC code pages?"""
    try:
        return "a1".encode(codec_name(encoding)) == b"\x81\xf1"
    except UnicodeError:
        return False


def decoded(data: bytes, encoding: str, final: bool = False) -> str:
    """A piece from the start of a source as text; what cannot be decoded shows as U+FFFD."""
    decoder = codecs.getincrementaldecoder(READING.get(encoding) or _reading(encoding))("replace")
    try:
        return decoder.decode(data, final)
    except UnicodeError as error:
        raise _no_mark(encoding, error) from None


def _no_mark(encoding: str, error: UnicodeError) -> SourceError:
    """UTF-16 or UTF-32 that does not say in which order its bytes are."""
    orders = (f"{encoding}-le", f"{encoding}-be")
    return SourceError(
        str(error),
        Advice(
            "use {}",
            " or ".join(f'encoding="{each}"' for each in orders),
            " or ".join(f"--encoding {each}" for each in orders),
        ),
    )


def _reading(encoding: str) -> str:
    """The codec to read with: a byte-order mark is never part of the text."""
    name = codec_name(encoding)
    return "utf-8-sig" if name == "utf-8" else name
