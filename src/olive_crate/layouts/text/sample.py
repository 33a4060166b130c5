"""The parts of a source that detection looks at: its head, pieces of its middle, and its tail."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from ...sources.source import Source

HEAD = 128 << 10
PIECE = 64 << 10


@dataclass(frozen=True)
class Sample:
    """Bytes read from a source, once."""

    source: Source
    thorough: bool = True
    """Read through to the end where there is no other way to reach the tail."""

    @cached_property
    def head(self) -> bytes:
        """The first bytes."""
        return self.source.head(HEAD)

    @cached_property
    def is_whole(self) -> bool:
        """The head is all there is."""
        return len(self.head) < HEAD

    @cached_property
    def middle(self) -> bytes:
        """A piece from half-way, starting anywhere in a character or line."""
        size = self.source.size
        if self.is_whole or size is None or size < HEAD + 2 * PIECE:
            return b""
        return self.source.part(size // 2, PIECE)

    @property
    def beyond_head(self) -> bytes:
        """The part of the tail that the head does not hold already."""
        tail, size = self.tail or b"", self.source.size
        shared = 0 if size is None else max(0, HEAD - (size - len(tail)))
        return tail[shared:]

    @cached_property
    def tail(self) -> bytes | None:
        """The last bytes; `None` if they were not to be had cheaply."""
        if self.is_whole:
            return self.head
        if self.source.size is not None:
            return self.source.part(max(0, self.source.size - PIECE), PIECE)
        if not self.thorough:
            return None
        last = b""
        with self.source.open() as stream:
            while piece := stream.read(1 << 20):
                last = (last + piece)[-PIECE:]
        return last
