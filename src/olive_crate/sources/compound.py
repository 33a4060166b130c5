"""Compound files: a small file system in one file, as old workbooks are kept in (MS-CFB).

Sectors of a file are chained by tables. Every chain is followed no longer than the file is, so that
a damaged table cannot lead round in circles.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

import numpy as np

from ..errors import SourceError

MAGIC = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
END, LAST = 0xFFFFFFFE, 0xFFFFFFFA
"""The end of a chain, and the greatest number of a sector (2.1)."""
ENTRY = 128
"""Bytes of an entry of the directory (2.6.1)."""


class Compound:
    """The streams of a compound file."""

    def __init__(self, data: bytes, name: str) -> None:
        self.data, self.name = data, name
        try:
            (shift, mini_shift) = struct.unpack_from("<HH", data, 30)
            first_directory, self.cutoff, first_mini, count_mini = struct.unpack_from(
                "<I4xIII", data, 48
            )
            first_list, count_list = struct.unpack_from("<II", data, 68)
            if shift not in (9, 12) or mini_shift != 6:
                raise self._damaged("sectors of an unknown size")
            self.size, self.mini = 1 << shift, 1 << mini_shift
            self.table = self._table(first_list, count_list)
            self.entries = dict(self._entries(self._chained(first_directory)))
            chain = self._chained(first_mini) if count_mini else b""
            self.mini_table = np.frombuffer(chain[: len(chain) // 4 * 4], "<u4")
        except (struct.error, IndexError, ValueError) as error:
            raise self._damaged(str(error)) from None

    def _damaged(self, why: str) -> SourceError:
        return SourceError(
            f"{self.name}: a damaged or truncated workbook ({why}); request the file again"
        )

    def _sectors(self, number: int, count: int = 1) -> bytes:
        start = (number + 1) * self.size
        return self.data[start : start + count * self.size]

    def _table(self, following: int, count: int) -> np.ndarray:
        """The table of chains: its sectors are listed in the header and in sectors of their own."""
        listed = list(struct.unpack_from("<109I", self.data, 76))
        per_sector = self.size // 4 - 1
        for _ in range(min(count, len(self.data) // self.size + 1)):
            if following > LAST:
                break
            sector = struct.unpack_from(f"<{per_sector + 1}I", self._sectors(following))
            listed += sector[:per_sector]
            following = sector[per_sector]
        parts = b"".join(self._sectors(each) for each in listed if each <= LAST)
        return np.frombuffer(parts[: len(parts) // 4 * 4], "<u4")

    def _places(self, first: int, table: np.ndarray) -> list[int]:
        """The sectors of a chain."""
        places: list[int] = []
        following = table.tolist()
        while first <= LAST and len(places) <= len(table):
            if first >= len(table):
                raise self._damaged("a chain of sectors leads out of the file")
            places.append(first)
            first = following[first]
        if len(places) > len(table):
            raise self._damaged("a chain of sectors leads round in a circle")
        return places

    def _chained(self, first: int) -> bytes:
        """The bytes of a chain; sectors that follow one another are taken together."""
        places = np.array(self._places(first, self.table), np.int64)
        runs = np.split(places, np.flatnonzero(np.diff(places) != 1) + 1)
        return b"".join(self._sectors(int(run[0]), len(run)) for run in runs if len(run))

    def _entries(self, directory: bytes) -> Iterator[tuple[str, tuple[int, int, int]]]:
        """The streams by their names: the kind of entry, the first sector, the size."""
        for at in range(0, len(directory) - ENTRY + 1, ENTRY):
            length = struct.unpack_from("<H", directory, at + 64)[0]
            kind = directory[at + 66]
            first, size = struct.unpack_from("<II", directory, at + 116)
            if kind in (2, 5) and 2 <= length <= 64:
                name = directory[at : at + length - 2].decode("utf-16-le", "replace")
                yield ("" if kind == 5 else name), (kind, first, size)

    def __contains__(self, name: str) -> bool:
        return name in self.entries

    def stream(self, name: str) -> bytes:
        """All bytes of a stream. Raises `SourceError` where the file is damaged."""
        _, first, size = self.entries[name]
        if size >= self.cutoff:
            found = self._chained(first)
        else:
            root = self._chained(self.entries[""][1]) if "" in self.entries else b""
            places = self._places(first, self.mini_table)
            found = b"".join(root[each * self.mini : (each + 1) * self.mini] for each in places)
        if len(found) < size:
            raise self._damaged("a stream is cut off")
        return found[:size]
