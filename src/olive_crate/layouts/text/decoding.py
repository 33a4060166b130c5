"""The encoding of a text: found from its bytes, and decoded to UTF-8 block by block."""

from __future__ import annotations

import codecs
import re
from collections import Counter
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
SINGLE_BYTE = [
    *("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1256", "cp1257", "latin-1"),
    *("iso8859-15", "iso8859-2", "iso8859-5", "iso8859-6", "iso8859-7", "koi8-r", "cp850"),
    *("cp437", "cp866", "mac-roman", "shift_jis", "euc_jp", "gb18030", "big5", "euc_kr"),
]
SIGNS = "€°²³µ«»’‘“”„–—…·ªº§£¿¡½®™"
WESTERN = "äöüßÄÖÜéèêëàâáãåæçñóòôõøœíìîïúùûýÿÉÈÀÁÂÃÅÆÇÑÓÒÔÕØŒÍÚ"
OFTEN = 0.08


class Alphabet(msgspec.Struct, frozen=True):
    """The letters of some languages, and the encodings that may spell them."""

    letters: str
    encodings: list[str]
    common: str = ""
    """Letters that make up at least the share `OFTEN`, where others alone do not tell."""


ALPHABETS = [
    Alphabet(WESTERN, ["cp1252", "iso8859-15", "cp850", "mac-roman"]),
    Alphabet("çğıöşüÇĞİÖŞÜ", ["cp1254"]),
    Alphabet("áðéíóúýþæöÁÉÍÓÚÞÆÖ", ["cp1252"]),
    Alphabet("ąćęłńóśźżĄĆĘŁŃÓŚŹŻ", ["cp1250", "iso8859-2"]),
    Alphabet("čćďđěňřšťůžáéíóúýäöüőűôľĺŕČĆĎĐĚŇŘŠŤŮŽÁÉÍÓÚÝÄÖÜŐŰÔĽĹŔ", ["cp1250", "iso8859-2"]),
    Alphabet("āčēģīķļņšūžąęėįųõäöüĀČĒĢĪĶĻŅŠŪŽĄĘĖĮŲÕÄÖÜ", ["cp1257"]),
    Alphabet("אבגדהוזחטיךכלםמןנסעףפץצקרשת", ["cp1255"]),
    # Russian in KOI8-R or in capitals may be spelt by Arabic letters, but hardly by these two.
    Alphabet("ءآأؤإئابةتثجحخدذرزسشصضطظعغفقكلمنهوىيپچژگ،؛؟", ["cp1256", "iso8859-6"], "ال"),
]
"""Letters of western languages, Turkish, Icelandic, Polish, others of central Europe, Baltic ones,
Hebrew and Arabic, and what may spell them, the commonest first."""
MISPLACED = (
    r"(?<=[a-zà-ÿ])[À-Þ]|[À-ÿ]{3}|[£²³®™½](?=[A-Za-zÀ-ÿ])|(?<=[A-Za-z])[¿¡]|"
    r"(?<=[a-z])[–—«»](?=[a-z])|(?<=[A-Za-z])[€£°²³ªº§µ®™½]+(?=[A-Za-z])|"
    r"(?<=[A-Za-z])[\u0590-\u06ff]|[\u0590-\u06ff](?=[A-Za-z])|"
    r"[ךםןףץ](?=[א-ת])|ة(?=[\u0621-\u064a])"
)
"""A capital within a word, three letters beyond ASCII in a row, a sign or an exponent that leads
a word, a mark that opens a question behind one, a sign, dash or quote within one, two scripts in
one, a letter that ends Hebrew or Arabic words within one."""
STRANGE = 0.1
"""The share of characters that may be other ones, or misplaced."""
ENOUGH = 5
"""So many different characters leave no doubt if no other encoding gives likely letters."""
AROUND = 8 << 10
"""Bytes beyond ASCII, each with what stands beside it, by which letters are known."""
ASCII = bytes(range(0x80))
LEADING = bytes(range(0xC0, 0x100))
"""Bytes that lead a character beyond ASCII in UTF-8."""
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
    return _single_byte(b"".join(_striking(piece) for piece in pieces))


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
    lines = [line for line in piece.splitlines() if not line.isascii()]
    return b"\n".join(lines)[: 16 << 10] + b"\n"


def _single_byte(text: bytes) -> EncodingFound:
    beyond = text.translate(None, ASCII)
    around = b" ".join(re.findall(rb"[A-Za-z]?[\x80-\xff]+[A-Za-z]?", text))[:AROUND]
    counts = Counter(around.translate(None, ASCII))
    tried = dict.fromkeys(each for known in ALPHABETS for each in _fitting(around, counts, known))
    fitting = [each for each in tried if _decoded(beyond, each)]
    names = fitting or _likely(text)
    first = _decoded(beyond, names[0])
    others = [each for each in names[1:] if _decoded(beyond, each) != first]
    return EncodingFound(
        value=names[0],
        basis="characters",
        characters=len(beyond),
        alternatives=tuple(others[:3]),
        certain=bool(fitting) and not others and len({*beyond}) >= ENOUGH,
    )


def _likely(text: bytes) -> list[str]:
    """Encodings by the letters and words they make of the text, the likeliest first."""
    from charset_normalizer import from_bytes

    found = from_bytes(text, cp_isolation=[name.replace("-", "_") for name in SINGLE_BYTE])
    return [match.encoding for match in found] or [
        "cp1252" if _decoded(text, "cp1252") else "latin-1"
    ]


def _decoded(text: bytes, encoding: str) -> str:
    """The text in this encoding; empty where it does not fit."""
    try:
        return text.decode(encoding)
    except UnicodeDecodeError:
        return ""


def _fitting(around: bytes, counts: Counter[int], known: Alphabet) -> list[str]:
    """The encodings in which nearly all characters beyond ASCII are such letters, the best first.

    `counts` has the bytes beyond ASCII.
    """
    strange = {each: _strange(around, counts, each, known) for each in known.encodings}
    good = [each for each, share in strange.items() if share <= STRANGE]
    return sorted(good, key=strange.__getitem__)


def _strange(around: bytes, counts: Counter[int], encoding: str, known: Alphabet) -> float:
    """The share of characters beyond ASCII that are no such letters or signs, or misplaced."""
    chars = _decoded(bytes(counts), encoding)
    met = dict(zip(chars, counts.values(), strict=bool(chars)))
    usual = {*known.letters, *SIGNS}
    strange = sum(count for char, count in met.items() if char not in usual)
    common = sum(met.get(char, 0) for char in known.common)
    rare = bool(known.common) and common < OFTEN * counts.total()
    if not chars or rare or strange > STRANGE * counts.total():
        return 1.0
    return (strange + len(re.findall(MISPLACED, _decoded(around, encoding)))) / counts.total()
