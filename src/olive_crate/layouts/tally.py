"""What the lines of a source were, counted while it is read."""

from __future__ import annotations

import io
from collections import Counter
from typing import IO

import msgspec

from ..kernels.types import Ints

HEADING, DATA, BLANK, COMMENT, SKIPPED = "heading", "data", "blank", "comment", "skipped"
CONTINUED, OTHER = "continued", "other"
PARTS = (HEADING, DATA, CONTINUED, BLANK, COMMENT, SKIPPED)
ROWS_KEPT = 1000


class RowList(msgspec.Struct, eq=False):
    """Row numbers: all are counted, the first are kept."""

    count: int = 0
    first: list[int] = msgspec.field(default_factory=list)

    def add(self, rows: Ints | list[int]) -> None:
        self.count += len(rows)
        if len(rows) and len(self.first) < ROWS_KEPT:
            self.first += [int(row) for row in rows[: ROWS_KEPT - len(self.first)]]


class Tally(msgspec.Struct, eq=False):
    """What the lines of the source were."""

    parts: dict[str, int] = msgspec.field(default_factory=lambda: dict.fromkeys(PARTS, 0))
    lines: int = 0
    """Lines counted by their ends in the bytes, not by their parts."""
    bytes: int = 0
    """Bytes of the source that were read."""
    short: RowList = msgspec.field(default_factory=RowList)
    trailing: int = 0
    """Rows that end with delimiters beyond the last field, with nothing behind them."""
    surplus: list[tuple[int, str]] = msgspec.field(default_factory=list)
    stopped: bool = False
    """The limit was reached: the rest of the source was not read."""
    skipped_rows: RowList = msgspec.field(default_factory=RowList)
    blank_rows: RowList = msgspec.field(default_factory=RowList)
    repeated: RowList = msgspec.field(default_factory=RowList)
    """Rows within the data that are the heading again."""
    record_types: Counter[str] = msgspec.field(default_factory=Counter)
    """Lines of record types that are not read, by type."""
    incomplete: tuple[int, int] | None = None
    """The first row of a last case that lacks lines, and how many it lacks."""
    cut_characters: int = 0
    """Cells that begin within a character, where positions are counted in bytes."""
    characters: int = 0
    covered: int = 0
    uncovered: int = 0
    outside: dict[tuple[int, int, int], RowList] = msgspec.field(default_factory=dict)
    """Rows with something at positions that no field covers, by line, start and end."""

    def outside_of(self, place: tuple[int, int, int]) -> RowList:
        """The rows with something at this place."""
        return self.outside.setdefault(place, RowList())


class CountedStream:
    """A stream that counts the bytes read from it."""

    def __init__(self, stream: IO[bytes], tally: Tally) -> None:
        self._stream, self._tally = stream, tally

    @property
    def done(self) -> int:
        """Bytes that were read."""
        return self._tally.bytes

    def read(self, count: int) -> bytes:
        """Up to `count` bytes."""
        piece = self._stream.read(count)
        self._tally.bytes += len(piece)
        return piece

    def readinto(self, room: memoryview) -> int:
        """Fill some of the room; how much, 0 at the end."""
        if isinstance(self._stream, io.RawIOBase):
            count = self._stream.readinto(room) or 0
            self._tally.bytes += count
            return count
        piece = self.read(len(room))
        room[: len(piece)] = piece
        return len(piece)
