"""Parquet files of ours: opened and read so that damage is found and said.

Every page of data carries a checksum (Parquet format, data pages, CRC), which is checked whenever
it is read. What stands at the end of a file, the schema, the places of the pages, statistics and
our own metadata, has a checksum of its own, which is checked when the file is opened. All that
stands before it, the heads of pages too, has a third, for `verify`, which reads everything.

A file by itself holds the two in its own metadata, the first worked out with zeros in its place;
those of a file of a set stand in the set's metadata. The sum of the footer is a SHA-256, that of
the body a CRC-32 (RFC 1952, section 8), which costs a tenth of it.
"""

from __future__ import annotations

import contextlib
import hashlib
import zlib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import IO, Any

import pyarrow as pa
import pyarrow.parquet as pq

from ..errors import SourceError

KEY = b"olive_crate"
"""The key of our own metadata."""
SUM_KEY, NO_SUM = b"olive_crate_sums", b"0" * 64
NO_SUMS = NO_SUM + b"0" * 8
"""What stands for the sums of the footer and of the body until they are known."""
HELD = SUM_KEY + b"\x18\x48"
"""Before the sums: their key, and that a text of 72 bytes follows (Thrift's compact protocol)."""
CHUNK = 1 << 20
END = 8
"""Bytes behind the footer: its length, and the mark of the format."""
AGAIN = "get the file again, or pack its source again"


@contextlib.contextmanager
def reading(name: object) -> Iterator[None]:
    """What Arrow and the system raise about damaged data, as `SourceError`."""
    try:
        yield
    except (pa.ArrowException, OSError) as error:
        said = " ".join(str(error).split("\n")[0].split())
        raise SourceError(f"{name}: damaged or cut off ({said}); {AGAIN}") from None


def opened(
    where: Any,
    name: object,
    encoded: Sequence[str] = (),
    known: pq.FileMetaData | None = None,
    mapped: bool = True,
) -> pq.ParquetFile:
    """A Parquet file whose pages are checked. Raises `SourceError` for what is none.

    `encoded` are columns that stay places in dictionaries; `known` saves reading the footer again.
    A local file is `mapped` into memory, where what was read of it stays while it is open.
    """
    local = mapped and isinstance(where, (str, Path))
    with reading(name):
        return pq.ParquetFile(
            where,
            memory_map=local,
            metadata=known,
            read_dictionary=list(encoded),
            page_checksum_verification=True,
        )


def footer_of(file: IO[bytes], name: object) -> bytes:
    """The footer of a Parquet file. Raises `SourceError` where there is none."""
    with reading(name):
        size = file.seek(0, 2)
        file.seek(max(0, size - END))
        end = file.read(END)
        length = int.from_bytes(end[:4], "little")
        if len(end) < END or end[4:] != b"PAR1" or length > size - END - 4:
            raise SourceError(f"{name}: not a Parquet file, or cut off; {AGAIN}")
        file.seek(size - END - length)
        return file.read(length)


def sum_of(footer: bytes) -> str:
    """The checksum of a footer."""
    return hashlib.sha256(footer).hexdigest()


def seal(path: Path) -> None:
    """Write the checksums of a file into it, where zeros stand for them so far."""
    with path.open("r+b") as file:
        footer = footer_of(file, path)
        place = footer.rindex(HELD + NO_SUMS) + len(HELD)
        half = place + len(NO_SUM)
        body = body_sum(file, len(footer)).encode()
        sums = sum_of(footer[:half] + body + footer[half + len(body) :]).encode() + body
        file.seek(place - len(footer) - END, 2)
        file.write(sums)


def check_seal(path: Path) -> str | None:
    """Raise `SourceError` where a file's footer is not what was sealed.

    Returns the checksum of the body; `None` for a file without any.
    """
    with reading(path), path.open("rb") as file:
        footer = footer_of(file, path)
    place = footer.rfind(HELD) + len(HELD)
    if place < len(HELD):
        return None
    half = place + len(NO_SUM)
    if sum_of(footer[:place] + NO_SUM + footer[half:]).encode() != footer[place:half]:
        raise damaged(path)
    return footer[half : place + len(NO_SUMS)].decode()


def body_sum(file: IO[bytes], footer: int) -> str:
    """The checksum of all that stands before a footer of so many bytes."""
    left, made = file.seek(0, 2) - END - footer, 0
    file.seek(0)
    while left > 0:
        piece = file.read(min(CHUNK, left))
        if not piece:
            break
        made = zlib.crc32(piece, made)
        left -= len(piece)
    return f"{made:08x}"


def damaged(name: object, why: str = "its description has changed") -> SourceError:
    """The error of a footer that is not what was written."""
    return SourceError(f"{name}: damaged ({why}); {AGAIN}")
