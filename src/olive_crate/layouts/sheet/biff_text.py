"""Texts in records of the binary form: of one byte a character or two, over several records."""

from __future__ import annotations

import struct
from collections.abc import Sequence

WIDE, PHONETIC, RICH = 1, 4, 8
"""Flags of a text (MS-XLS, 2.5.293): two bytes a character, with a reading, with formats."""


def short_text(body: bytes, at: int) -> str:
    """A text with its length in one byte (2.5.240)."""
    return _text(body, at + 2, body[at], body[at + 1])


def unicode_text(body: bytes, at: int) -> str:
    """A text with its length in two bytes (2.5.294)."""
    return _text(body, at + 3, struct.unpack_from("<H", body, at)[0], body[at + 2])


def _text(body: bytes, at: int, length: int, flags: int) -> str:
    if flags & WIDE:
        return body[at : at + 2 * length].decode("utf-16-le", "replace")
    return body[at : at + length].decode("latin-1")


class Continued:
    """The data of a record and of those that continue it, read as one."""

    def __init__(self, parts: Sequence[bytes]) -> None:
        self.parts, self.part, self.at = parts, 0, 0

    def take(self, count: int) -> bytes:
        """So many bytes, wherever a record ends."""
        pieces = []
        while count > 0:
            piece = self.parts[self.part][self.at : self.at + count]
            if not piece:
                self.part, self.at = self.part + 1, 0
                continue
            pieces.append(piece)
            self.at += len(piece)
            count -= len(piece)
        return b"".join(pieces)

    def characters(self, length: int, wide: int) -> str:
        """So many characters; a record that continues them says anew how wide they are."""
        made = []
        while length > 0:
            left = len(self.parts[self.part]) - self.at
            if left == 0:
                self.part, self.at = self.part + 1, 1
                wide = self.parts[self.part][0] & WIDE
                continue
            count = min(length, left >> wide) or 1
            piece = self.take(count << wide)
            made.append(piece.decode("utf-16-le" if wide else "latin-1", "replace"))
            length -= count
        return "".join(made)


def shared_texts(data: Continued) -> list[bytes]:
    """The texts of the table of shared strings (2.4.265), as UTF-8."""
    _, unique = struct.unpack("<II", data.take(8))
    made = []
    for _ in range(unique):
        length, flags = struct.unpack("<HB", data.take(3))
        runs = struct.unpack("<H", data.take(2))[0] if flags & RICH else 0
        reading = struct.unpack("<I", data.take(4))[0] if flags & PHONETIC else 0
        text = data.characters(length, flags & WIDE)
        data.take(4 * runs + reading)
        made.append(text.encode("utf-8", "replace"))
    return made
