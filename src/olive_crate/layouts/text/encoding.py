"""Which encoding the bytes are in."""

from __future__ import annotations

import codecs

from ...errors import SourceError
from ...evidence import EncodingFound
from ...sources.codecs import byte_order_mark
from .sample import Sample

SINGLE_BYTE = [
    *("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "latin-1", "iso8859-15"),
    *("iso8859-2", "iso8859-5", "iso8859-7", "koi8-r", "cp850", "cp437", "mac-roman"),
    *("shift_jis", "euc_jp", "gb18030", "big5", "euc_kr"),
]


USUAL = bytes([9, 10, 11, 12, 13, 26, 27, *range(32, 256)])
"""What text is made of, in whatever encoding; other bytes below 32 are rare in it."""


def find_encoding(sample: Sample, around: bytes = b"") -> EncodingFound:
    """The encoding. `around` is where UTF-8 failed, if it did."""
    head = sample.head
    marked = byte_order_mark(head)
    if marked:
        return EncodingFound(value=marked, basis="mark")
    wide = _without_mark(head)
    if wide:
        return EncodingFound(value=wide, basis="zeros")
    _refuse_binary(sample)
    pieces = [head, sample.middle, sample.beyond_head, around]
    if all(piece.isascii() for piece in pieces):
        return EncodingFound(value="utf-8", basis="ascii")
    ends = [sample.is_whole, False, True, False]
    if not around and all(_is_utf8(*each) for each in zip(pieces, ends, strict=True)):
        count = sum(byte >= 0xC0 for byte in head)
        return EncodingFound(value="utf-8", basis="utf-8", characters=count)
    return _single_byte(b"".join(_striking(piece) for piece in pieces))


def _without_mark(head: bytes) -> str | None:
    """UTF-16 or UTF-32 that does not say so: zeros where Latin text has them."""
    sample = head[: 4096 // 4 * 4]
    if len(sample) < 4 or b"\0" not in sample:
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


def _refuse_binary(sample: Sample) -> None:
    head = sample.head[:8192]
    strange = len(head.translate(None, USUAL))
    if len(head) > 16 and strange > len(head) * 0.05:
        raise SourceError(
            f"{sample.source.name}: this looks like a binary file, not text "
            f"({strange:,} control characters in its first {len(head):,} bytes); "
            "if it is text, give its encoding"
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
    from charset_normalizer import from_bytes

    found = from_bytes(text, cp_isolation=[name.replace("-", "_") for name in SINGLE_BYTE])
    names = [match.encoding for match in found]
    if _decodes(text, "cp1252") and (not names or _is_western(text)):
        names = ["cp1252", *(name for name in names if name != "cp1252")]
    if not names:
        names = ["latin-1"]
    others = tuple(names[1:4])
    beyond = sum(byte >= 0x80 for byte in text)
    return EncodingFound(
        value=names[0],
        basis="characters",
        characters=beyond,
        alternatives=others,
        certain=False,
    )


def _decodes(text: bytes, encoding: str) -> bool:
    try:
        text.decode(encoding)
    except UnicodeDecodeError:
        return False
    return True


def _is_western(text: bytes) -> bool:
    """Letters beyond ASCII are few and those of western languages, and stand within words."""
    decoded = text.decode("cp1252")
    beyond = [char for char in decoded if ord(char) > 127]
    usual = sum(
        char in "äöüßÄÖÜéèêëàâáãåæçñóòôõøíìîïúùûýÿÉÈÀÁÂÃÅÆÇÑÓÒÔÕØÍÚ€°²³µ«»’‘“”„–—…·ªº§£"
        for char in beyond
    )
    return usual >= 0.9 * len(beyond)
