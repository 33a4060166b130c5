"""Sources that have to be held whole to be taken apart: pages and feeds."""

from __future__ import annotations

from ...errors import SourceError
from ...sources.source import Source

LARGEST = 256 << 20
"""Bytes of a page or a feed; what is larger is no page that a person reads."""


def whole_bytes(source: Source) -> bytes:
    """All bytes of a page or a feed. Raises `SourceError` beyond the limit."""
    data = source.head(LARGEST + 1)
    if len(data) > LARGEST:
        raise SourceError(
            f"{source.name}: over {LARGEST >> 20} MB, too large for a page; ask for its data file"
        )
    return data
