"""A workbook's parts, taken out of its zip archive without trusting it.

Sizes are counted while inflating, not believed from the directory; entries with strange paths are
never opened; what is encrypted or damaged is said to be so in one message.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from typing import IO

from ..errors import SourceError
from .inflating import ARCHIVE_FAULTS, member_stream
from .limits import Limits, beyond
from .source import Source

PIECE = 1 << 20


class Container:
    """The parts of one workbook."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self.name, self.limits = source.name, limits
        self.inflated = 0
        try:
            self.source = source
            self.archive = zipfile.ZipFile(source.open())
            entries = self.archive.infolist()
        except ARCHIVE_FAULTS as error:
            raise SourceError(f"{self.name}: a damaged or truncated workbook: {error}") from None
        if len(entries) > limits.entries:
            raise self._beyond("entries", f"{len(entries):,} parts")
        self.entries: dict[str, zipfile.ZipInfo] = {}
        for entry in entries:
            path = entry.filename.replace("\\", "/").lstrip("/")
            if ".." not in path.split("/") and ":" not in path:
                self.entries.setdefault(path, entry)

    def close(self) -> None:
        """Let go of the file."""
        self.archive.close()

    def __contains__(self, path: str) -> bool:
        return path in self.entries

    def size(self, path: str) -> int:
        """Bytes of a part when inflated, as the directory claims."""
        if path not in self.entries:
            raise SourceError(f"{self.name}: a damaged workbook: the part {path} is missing")
        return self.entries[path].file_size

    def pieces(self, path: str, size: int = PIECE) -> Iterator[bytes]:
        """A part, inflated piece by piece."""
        entry = self.entries.get(path)
        if entry is None:
            raise SourceError(f"{self.name}: a damaged workbook: the part {path} is missing")
        if entry.flag_bits & 1:
            raise SourceError(f"{self.name}: encrypted; save it without a password")
        most = max(entry.compress_size, 1024) * self.limits.ratio
        total = 0
        try:
            with member_stream(self.archive, self._again(), entry) as stream:
                while piece := stream.read(size):
                    total += len(piece)
                    self.inflated += len(piece)
                    if total > most:
                        raise self._beyond("ratio", f"{path} inflates {self.limits.ratio} times")
                    if self.inflated > self.limits.inflated:
                        raise self._beyond("inflated", f"more than {self.inflated:,} bytes")
                    yield piece
        except ARCHIVE_FAULTS as error:
            raise SourceError(f"{self.name}: {path} is damaged: {error}") from None

    def _again(self) -> IO[bytes]:
        """The archive once more; one that is not a file is read by one reader after the other."""
        return self.source.open()

    def whole(self, path: str) -> bytes:
        """A part as a whole."""
        return b"".join(self.pieces(path))

    def head(self, path: str, size: int) -> bytes:
        """The first bytes of a part."""
        found = b""
        for piece in self.pieces(path, min(size, PIECE)):
            found += piece
            if len(found) >= size:
                break
        return found

    def _beyond(self, limit: str, what: str) -> SourceError:
        return beyond(self.name, limit, what)

    def check_cells(self, count: int, room: int = 1) -> None:
        """Raise `SourceError` if so many cells, each of which takes so much room, are too many."""
        if count * room > self.limits.cells:
            raise self._beyond("cells", f"more than {self.limits.cells // room:,} cells")

    def check(self, limit: str, count: int) -> None:
        """Raise `SourceError` if there is more of something than the limit allows."""
        if count > getattr(self.limits, limit):
            raise self._beyond(limit, f"{count:,} {limit}")


def workbook_kind(head: bytes, stream: IO[bytes]) -> str | None:
    """`xlsx`, `ods`, or None for an archive that is no workbook; the stream is read from."""
    if not head.startswith(b"PK"):
        return None
    try:
        with zipfile.ZipFile(stream) as archive:
            names = {name.replace("\\", "/").lstrip("/") for name in archive.namelist()}
            if "mimetype" in names and "content.xml" in names:
                mime = archive.read("mimetype")[:80]
                return "ods" if b"opendocument.spreadsheet" in mime else None
            if "content.xml" in names and "META-INF/manifest.xml" in names:
                return "ods"
            return (
                "xlsx"
                if "[Content_Types].xml" in names
                and any(name.startswith("xl/") or name.endswith("workbook.xml") for name in names)
                else None
            )
    except ARCHIVE_FAULTS:
        return None
