"""Opening bytes: wherever a source lies, what comes out is one plain stream that can be reread.

A source is a path, a URL, bytes, or a file that is open for reading bytes. Compressed files are
recognised by their first bytes, not by their names. Whatever cannot be read twice (a pipe) is
copied to a temporary file first, because a type may be found wrong late and its column reread.
"""

from __future__ import annotations

import io
import os
from pathlib import Path
from typing import IO, Any, cast

import msgspec

from ..errors import SourceError, nearest
from .addresses import database_kind, full_address, is_web, safe_address
from .limits import Limits
from .sets import PATTERN, Files
from .source import Inflater, Source, stamp_of, within

IN_MEMORY = 64 << 20
MAGIC = {
    b"\x1f\x8b": "gzip",
    b"BZh": "bzip2",
    b"\xfd7zXZ\x00": "xz",
    b"\x28\xb5\x2f\xfd": "zstd",
    b"PK\x03\x04": "zip",
}
TAR, TAR_AT = b"ustar", 257
"""What a tar archive has, and where."""
BEFORE_MARKUP = b"\xef\xbb\xbf\xff\xfe\0 \t\r\n"
"""What may stand before the first character of markup."""
HEAD_BYTES = 512
"""As much as tells what a file is."""
SQLITE = b"SQLite format 3\x00"
"""What an SQLite file begins with (its file format, section 1.3)."""
OLD_OFFICE = b"\xd0\xcf\x11\xe0"
FORMATS = {
    b"PAR1": "a Parquet file, not a text file; open it with unpack",
    b"ARROW1": "an Arrow file, not a text file",
    b"%PDF": "a PDF document, not a text file",
    b"\x89PNG": "a picture, not a text file",
    b"\xff\xd8\xff": "a picture, not a text file",
    b"\x7fELF": "a program, not a text file",
}


def open_source(source: Any, by_user: bool = True, limits: Limits = Limits()) -> Source:
    """Make a `Source` of a path, an address, bytes or an open file.

    `by_user` is false for what a plan names. Raises `SourceError` for what is not there, is a
    folder, or is nothing that can be read.
    """
    if isinstance(source, Source):
        known = source.workbook or source.form or source.compression not in ("zip", "tar")
        return within(source, limits) if known else recognised(source, limits)
    if isinstance(source, (str, os.PathLike)):
        text = os.fsdecode(source)
        if "://" not in text:
            raw = open_path(Path(text))
        elif isinstance(source, str) and database_kind(text) is not None:
            from .database import database_source

            return database_source(text, by_user)
        else:
            raw = _from_url(text)
    else:
        from .frames import frame_source, is_frame

        if is_frame(source):
            return frame_source(source)
        raw = _in_hand(source)
    found = recognised(raw, limits)
    return within(found, limits) if isinstance(found.open, Inflater) else found


def is_set(source: Any) -> bool:
    """Does this name a set: a list, a pattern, or a folder? (Archives show it when opened.)"""
    if isinstance(source, Files):
        return True
    if isinstance(source, (str, os.PathLike)):
        text = os.fspath(source)
        if isinstance(text, bytes):
            return False
        if "://" in text:
            if is_web(text) or database_kind(text) is not None:
                return False
            return bool(PATTERN.search(text)) or text.endswith("/")
        return (bool(PATTERN.search(text)) and not os.path.exists(text)) or os.path.isdir(text)
    return isinstance(source, (list, tuple))


def recognised(raw: Source, limits: Limits = Limits()) -> Source:
    """The source in bytes: unpacked, or known as a workbook, a database, a page or a feed.

    Raises `SourceError` for what cannot be read.
    """
    head = raw.head(HEAD_BYTES)
    if head.startswith(SQLITE) and raw.path is not None:
        from .database import sqlite_source

        return sqlite_source(raw.path)
    if head.startswith(OLD_OFFICE):
        return msgspec.structs.replace(raw, workbook="xls")
    for magic, words in FORMATS.items():
        if head.startswith(magic):
            raise SourceError(f"{raw.name}: this is {words}")
    for magic, kind in MAGIC.items():
        if head.startswith(magic):
            if kind == "zip":
                from .archives import zipped

                return zipped(raw, limits)
            raw = _decompressed(raw, kind, limits)
            head = raw.head(HEAD_BYTES)
            break
    if head[TAR_AT : TAR_AT + len(TAR)] == TAR:
        from .archives import tarred

        return tarred(raw, limits)
    if head.lstrip(BEFORE_MARKUP)[:1] in (b"<", b"{"):
        from .forms import with_form

        return with_form(raw)
    return raw


def _in_hand(source: Any) -> Source:
    """The bytes that a caller holds, or has open."""
    if isinstance(source, (bytes, bytearray, memoryview)):
        data = bytes(source)
        return Source("bytes", None, len(data), lambda: io.BytesIO(data))
    if hasattr(source, "read"):
        return _from_stream(source)
    raise SourceError(
        f"expected a path, a URL, bytes, an open file or a table, got {type(source).__name__}"
    )


def open_path(path: Path) -> Source:
    """The bytes of a file as they are. Raises `SourceError` for what is not there."""
    if path.is_dir():
        inside = sorted(each.name for each in path.iterdir() if each.is_file())[:5]
        holds = ", ".join(inside) if inside else "nothing that can be read"
        raise SourceError(f"{path}: this is a folder; name one file in it ({holds})")
    try:
        with path.open("rb"):
            stamp = stamp_of(path)
            size = stamp[0] if stamp else path.stat().st_size
    except FileNotFoundError:
        folder = path.parent
        names = [each.name for each in folder.iterdir()] if folder.is_dir() else []
        hint = nearest(path.name, names) if "did you" in nearest(path.name, names) else ""
        where = "" if folder.is_dir() else f"; no such folder: {folder}"
        raise SourceError(f"{path}: no such file{where or hint}") from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise SourceError(f"{path}: cannot be opened: {reason}") from None
    return Source(str(path), path, size, lambda: path.open("rb", buffering=0), stamp=stamp)


def _from_stream(stream: Any) -> Source:
    name = str(getattr(stream, "name", "open file"))
    if isinstance(stream, io.TextIOBase):
        raise SourceError(f'{name}: the file is open in text mode; open it in binary mode ("rb")')
    if not _seekable(stream):
        stream = _spooled(stream)
    start = stream.tell()
    size = stream.seek(0, os.SEEK_END) - start

    def reopened() -> IO[bytes]:
        stream.seek(start)
        return cast(IO[bytes], _Borrowed(stream, start))

    return Source(name, None, size, reopened)


def _seekable(stream: Any) -> bool:
    return bool(getattr(stream, "seekable", lambda: False)())


def _spooled(stream: Any) -> IO[bytes]:
    import shutil
    import tempfile

    copy = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY)  # noqa: SIM115 - lives with the source
    shutil.copyfileobj(stream, copy, 1 << 20)
    copy.seek(0)
    return cast(IO[bytes], copy)


class _Borrowed:
    """A caller's file: closing our view of it leaves it open; positions count from its start."""

    def __init__(self, stream: IO[bytes], start: int) -> None:
        self._stream, self._start = stream, start

    def read(self, count: int = -1) -> bytes:
        return self._stream.read(count)

    def seek(self, position: int) -> int:
        return self._stream.seek(self._start + position)

    def __enter__(self) -> _Borrowed:
        return self

    def __exit__(self, *_: object) -> None:
        return None


def _from_url(url: str) -> Source:
    if is_web(url):
        from .links import opened_link

        return opened_link(url)
    if url.startswith(("zip://", "tar://")) and "://" not in url.partition("::")[2]:
        return _in_archive(url)
    import fsspec

    name, url = safe_address(url), full_address(url)

    def opened() -> IO[bytes]:
        try:
            return cast(IO[bytes], fsspec.open(url, "rb").open())
        except ImportError as error:
            raise SourceError(f"{name}: {error}") from None
        except Exception as error:  # each kind of storage raises its own
            said = str(error).replace(url, name) or type(error).__name__
            raise SourceError(f"{name}: cannot be opened: {said}") from None

    with opened() as stream:
        size = getattr(stream, "size", None)
        if not _seekable(stream):
            copy = _from_stream(stream)
            return Source(name, None, copy.size, copy.open)
    return Source(name, None, size, opened)


def _in_archive(url: str) -> Source:
    """A file in an archive on this machine: `zip://MEMBER::ARCHIVE`."""
    inner, _, archive = url.partition("://")[2].partition("::")
    from .archives import members_of

    members = members_of(open_raw(archive))
    if inner not in members:
        raise SourceError(f"{archive}: the archive has no such file{nearest(inner, members)}")
    return recognised(members[inner])


def open_raw(path: str) -> Source:
    """The bytes of a file as they are, an archive's not taken apart; decompressed if they are."""
    raw = open_path(Path(path))
    head = raw.head(8)
    for magic, kind in MAGIC.items():
        if head.startswith(magic) and kind != "zip":
            return _decompressed(raw, kind)
    return raw


def _decompressed(raw: Source, kind: str, limits: Limits = Limits()) -> Source:
    def opened() -> Any:
        return _inflater(raw.open(), kind)

    inflater = Inflater(opened, raw.name, kind, raw.size, limits)
    return Source(raw.name, raw.path, None, inflater, compression=kind, stamp=raw.stamp)


def _inflater(stream: IO[bytes], kind: str) -> Any:
    if kind == "gzip":
        from .inflating import gzip_stream

        return gzip_stream(stream)
    if kind == "bzip2":
        import bz2

        return bz2.BZ2File(stream)
    if kind == "xz":
        import lzma

        return lzma.LZMAFile(stream)
    import pyarrow as pa

    return pa.CompressedInputStream(stream, "zstd")
