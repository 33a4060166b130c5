"""One record of a text as it stands in its source, found again by its row.

Where byte offsets of some rows are known and bytes and characters are the same there, reading
begins at the nearest of them; else at the start. Either way only lines are counted on the way.
"""

from __future__ import annotations

import codecs
import itertools
from collections.abc import Callable, Iterator, Sequence
from typing import IO

from ...declaration.patterns import late
from ...errors import LayoutError
from ...sources.source import Source, is_ebcdic

CHUNK = 1 << 20
SAME_BYTES = ("utf-8", "ascii")
"""Encodings in which an offset in the text is one in the file."""
BOM = codecs.BOM_UTF8
LINE_END = late(r"\r\n|\n|\r")


def record_text(
    source: Source,
    encoding: str,
    row: int,
    offsets: Sequence[tuple[int, int]],
    is_whole: Callable[[str], bool],
) -> str:
    """The text of the record that begins in this row. Raises `LayoutError` if there is none."""
    text = ""
    for line in _lines(source, encoding, row, offsets):
        text += line
        if is_whole(text):
            return text
    if not text:
        raise LayoutError(f"{source.name}: has no row {row}; the file was changed")
    return text


def _lines(
    source: Source, encoding: str, row: int, offsets: Sequence[tuple[int, int]]
) -> Iterator[str]:
    """The lines from this row on, each with its end."""
    number, start = 1, 0
    plain = codecs.lookup(encoding).name in SAME_BYTES and source.compression is None
    if plain:
        known = [each for each in offsets if each[0] <= row]
        number, start = max(known, default=(1, 0))
    with source.open() as stream:
        head = stream.read(len(BOM)) if plain else b""
        start += len(BOM) if head == BOM else 0
        if plain:
            stream.seek(start)
        for line in _ended(stream, encoding):
            if number >= row:
                yield line
            number += 1


def _ended(stream: IO[bytes], encoding: str) -> Iterator[str]:
    """The lines of a stream, each with its end: LF, CR LF or CR."""
    decode = codecs.getincrementaldecoder(encoding)("replace").decode
    rest = ""
    while True:
        piece = stream.read(CHUNK)
        rest += decode(piece, not piece)
        if is_ebcdic(encoding):
            rest = rest.replace("\u0085", "\n")
        held = "\r" if rest.endswith("\r") and piece else ""
        lines = _split(rest[: len(rest) - len(held)])
        whole, rest = (lines[:-1], lines[-1] + held) if piece else (lines, "")
        yield from (line for line in whole if line)
        if not piece:
            return


def _split(text: str) -> list[str]:
    """Lines with their ends; the last one has none, and may be empty."""
    ends = [match.end() for match in LINE_END.finditer(text)]
    return [text[a:b] for a, b in itertools.pairwise([0, *ends, len(text)])]
