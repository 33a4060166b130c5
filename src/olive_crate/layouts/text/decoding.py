"""The encoding of a text: found from its bytes, and decoded to UTF-8 block by block."""

from __future__ import annotations

import codecs
import io
from collections.abc import Iterator
from typing import IO, NamedTuple, cast

import msgspec
import numpy as np

from ...errors import Advice, SourceError
from ...evidence import EncodingFound
from ...kernels.buffers import LARGE, allocate
from ...kernels.types import PAD, Bytes
from ...sources.source import Sample, _no_mark, _reading, byte_order_mark, codec_name
from ..base import CountedStream

ROOM = 64 << 10
"""Bytes left free before a piece."""
AS_THEY_ARE = ("utf-8", "ascii", "utf-8-sig")
"""Encodings whose bytes are UTF-8 already."""
SPARE = 64
"""Bytes of room beyond the end, which show that it is the end."""
FIRST = 256 << 10
"""Bytes of a first piece."""
MANY = 50
"""Fields of which each piece costs more than it saves to make it smaller."""
LEAST = 4
"""The smallest pieces are this part of the usual ones."""
LEADING = bytes(range(0xC0, 0x100))
"""Bytes that lead a character beyond ASCII in UTF-8."""
STRIKING = 16 << 10
"""Bytes of lines with characters beyond ASCII, by which the encoding is known."""
BINARY_SEEN = 8192
"""Bytes by which a file is known not to be text."""
USUAL = bytes([9, 10, 11, 12, 13, 26, 27, *range(32, 256)])
"""What text is made of, in whatever encoding; other bytes below 32 are rare in it."""


def utf8_pieces(stream: IO[bytes], encoding: str, size: int, name: str) -> Iterator[bytes]:
    """The source in pieces of UTF-8 of about `size` bytes; a character may be cut between two.

    Raises `SourceError` where the bytes do not fit the encoding.
    """
    if codec_name(encoding) in AS_THEY_ARE:
        yield from _untouched(stream, size)
    else:
        yield from _transcoded(stream, _reading(encoding), size, name)


class Filled(NamedTuple):
    """A piece of text with room before it, for what the piece before leaves over."""

    buffer: Bytes
    low: int
    high: int

    @property
    def text(self) -> bytes:
        return self.buffer[self.low : self.high].tobytes()


def filled(text: bytes | memoryview) -> Filled:
    """A piece of text copied into a buffer with room before it."""
    high = ROOM + len(text)
    buffer = _buffer(len(text))
    buffer[ROOM:high] = np.frombuffer(text, np.uint8)
    buffer[high:] = 0
    return Filled(buffer, ROOM, high)


def behind(rest: Bytes, piece: Filled) -> Filled:
    """A piece with what the one before has left over in front of it."""
    low = piece.low - len(rest)
    if low >= PAD:
        piece.buffer[low : piece.low] = rest
        return Filled(piece.buffer, low, piece.high)
    return filled(rest.tobytes() + piece.text)


def together(first: Filled, pieces: Iterator[Filled], size: int) -> Filled:
    """Several pieces as one of at least so many bytes."""
    held, total = [first], first.high - first.low
    while total < size and (piece := next(pieces, None)) is not None:
        held.append(piece)
        total += piece.high - piece.low
    if len(held) == 1:
        return first
    return filled(b"".join(each.text for each in held))


def _buffer(size: int) -> Bytes:
    buffer: Bytes = allocate(ROOM + size + PAD, np.uint8)
    buffer[ROOM - PAD : ROOM] = 0
    return buffer


class Steps(msgspec.Struct, frozen=True):
    """How much of a source to read at a time.

    Little at first, which is enough to learn how columns are written, but more of many columns.
    For several workers pieces shrink towards the end, so that all are done at about the same time;
    not if there are many fields, each of which costs a little in each piece.
    """

    block: int
    total: int | None = None
    """Bytes of the source, if that is known."""
    workers: int = 1
    fields: int = 1

    def size(self, done: int) -> int:
        """Bytes to read where `done` have been read."""
        if done and done == self.total:
            return SPARE
        many = self.fields > MANY
        if done and self.total is not None and self.workers > 1 and not many:
            share = (self.total - done) // self.workers
            return min(self.block, max(share, self.block // LEAST, 1))
        size = self.block if done else min(self.block, FIRST * max(1, self.fields // MANY))
        if self.total is None:
            return size
        rest = self.total - done + (0 if done else SPARE)
        if many and size < rest <= size + size // 4:  # a little that would be left over
            return rest
        return size if done else min(size, rest)


def utf8_buffers(stream: CountedStream, encoding: str, steps: Steps, name: str) -> Iterator[Filled]:
    """The source in pieces of UTF-8, the first one small.

    What is UTF-8 already is read to where it stays. Raises `SourceError` where the bytes do not
    fit the encoding.
    """
    if encoding not in AS_THEY_ARE and codec_name(encoding) not in AS_THEY_ARE:
        for piece in small_first(utf8_pieces(cast(IO[bytes], stream), encoding, steps.block, name)):
            if piece:
                yield filled(piece)
        return
    at_start = True
    if steps.block >= LARGE:  # a buffer ends where a large page does
        pages = (steps.block + LARGE // 2) // LARGE
        steps = msgspec.structs.replace(steps, block=max(1, pages) * LARGE - ROOM - PAD)
    while True:
        wanted = steps.size(stream.tally.bytes)
        buffer = _buffer(wanted if at_start or wanted == SPARE else max(wanted, steps.block))
        room = memoryview(buffer)  # type: ignore[arg-type]
        low, high = ROOM, ROOM + stream.readinto(room[ROOM : ROOM + wanted])
        if high == low:
            return
        if at_start:
            while high < low + min(3, wanted) and (count := stream.readinto(room[high : low + 3])):
                high += count
            marked = buffer[low : low + 3].tobytes() == codecs.BOM_UTF8
            low, at_start = low + 3 * marked, False
        buffer[high : high + PAD] = 0
        if high > low:
            yield Filled(buffer, low, high)


def small_first(pieces: Iterator[bytes]) -> Iterator[bytes]:
    """The pieces, the first one cut in two: a little is enough to learn how columns are written."""
    first = next(pieces, b"")
    yield from (part for part in (first[:FIRST], first[FIRST:]) if part)
    yield from pieces


def _untouched(stream: IO[bytes], size: int) -> Iterator[bytes]:
    first = True
    while piece := stream.read(size):
        if first:
            while len(piece) < 3 and (more := stream.read(size)):
                piece += more
            piece = piece.removeprefix(codecs.BOM_UTF8)
            first = False
        if piece:
            yield piece


def _transcoded(stream: IO[bytes], encoding: str, size: int, name: str) -> Iterator[bytes]:
    decoder = codecs.getincrementaldecoder(encoding)("strict")
    offset = row = 0
    try:
        while piece := stream.read(size):
            text = decoder.decode(piece)
            offset += len(piece)
            row += text.count("\n")
            if text:
                yield text.encode("utf-8")
        yield decoder.decode(b"", True).encode("utf-8")
    except UnicodeDecodeError as error:
        held = len(error.object) - len(piece)
        row += error.object[: error.start].decode(encoding, "replace").count("\n") + 1
        raise bad_byte(name, encoding, row, offset - held + error.start, error) from None
    except UnicodeEncodeError:
        message = f"{name}: near row {row + 1}: a lone surrogate is not valid text"
        raise SourceError(message) from None
    except UnicodeError as error:
        raise _no_mark(encoding, error) from None


class BadByte(SourceError):
    """A byte that does not fit the encoding, with what stands around it."""

    around: bytes = b""
    seen_beyond_ascii: bool = False


def bad_byte(name: str, encoding: str, row: int, offset: int, error: UnicodeDecodeError) -> BadByte:
    """What to say of a byte that does not fit."""
    byte = error.object[error.start]
    made = BadByte(
        f"{name}: row {row}, byte {offset}: 0x{byte:02x} is not valid {encoding} ({error.reason})",
        Advice(
            "the file is damaged or in another encoding, such as {}",
            'encoding="cp1252"',
            "--encoding cp1252",
        ),
    )
    made.around = bytes(error.object[max(0, error.start - 2000) : error.start + 2000])
    made.seen_beyond_ascii = not error.object[: error.start].isascii()
    return made


def find_encoding(sample: Sample, around: bytes = b"") -> EncodingFound:
    """The encoding. `around` is where UTF-8 failed, if it did."""
    head = sample.head
    marked = byte_order_mark(head)
    if marked:
        return EncodingFound(value=marked, basis="mark")
    wide = _without_mark(head) if b"\0" in head else None
    if wide:
        return EncodingFound(value=wide, basis="zeros")
    first = head[:BINARY_SEEN]
    if strange := len(first.translate(None, USUAL)):
        _refuse_binary(sample.source.name, strange, len(first))
    further = [b"", b""] if sample.is_whole else [sample.middle, sample.beyond_head]
    pieces = [head, *further, around]
    if all(piece.isascii() for piece in pieces):
        return EncodingFound(value="utf-8", basis="ascii")
    ends = [sample.is_whole, False, True, False]
    if not around and all(_is_utf8(*each) for each in zip(pieces, ends, strict=True)):
        count = len(head) - len(head.translate(None, LEADING))
        return EncodingFound(value="utf-8", basis="utf-8", characters=count)
    from .letters import by_letters  # few files need it

    return by_letters(b"".join(_striking(piece) for piece in pieces))


def _without_mark(head: bytes) -> str | None:
    """UTF-16 or UTF-32 that does not say so: zeros where Latin text has them."""
    sample = head[: 4096 // 4 * 4]
    if len(sample) < 4:
        return None
    zeros = [sample[offset::4].count(0) / max(1, len(sample[offset::4])) for offset in range(4)]
    often = [share > 0.6 for share in zeros]
    rare = [share < 0.1 for share in zeros]
    if often[1] and often[2] and often[3] and rare[0]:
        return "utf-32-le"
    if often[0] and often[1] and often[2] and rare[3]:
        return "utf-32-be"
    if often[1] and often[3] and rare[0] and rare[2]:
        return "utf-16-le"
    if often[0] and often[2] and rare[1] and rare[3]:
        return "utf-16-be"
    return None


def _refuse_binary(name: str, strange: int, looked_at: int) -> None:
    """Raise `SourceError` where so many of the bytes looked at are strange to text."""
    if looked_at > 16 and strange > looked_at * 0.05:
        raise SourceError(
            f"{name}: this looks like a binary file, not text "
            f"({strange:,} control characters in its first {looked_at:,} bytes); "
            "if it is text, set its encoding"
        )


def _is_utf8(piece: bytes, ends: bool) -> bool:
    """Valid UTF-8, not counting characters cut at the start, or at the end unless it ends there."""
    start = next((i for i in range(min(4, len(piece))) if piece[i] & 0xC0 != 0x80), 0)
    try:
        codecs.getincrementaldecoder("utf-8")().decode(piece[start:], ends)
    except UnicodeDecodeError:
        return False
    return True


def _striking(piece: bytes) -> bytes:
    """The lines that hold bytes beyond ASCII, up to 16 kB of them."""
    lines: list[bytes] = []
    size = 0
    for line in io.BytesIO(piece) if b"\n" in piece else piece.splitlines():
        if not line.isascii():
            lines.append(line.rstrip(b"\r\n"))
            size += len(lines[-1]) + 1
        if size >= STRIKING:
            break
    return b"\n".join(lines)[:STRIKING] + b"\n"
