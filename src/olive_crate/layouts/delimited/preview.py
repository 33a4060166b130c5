"""A look at delimited text: its lines as they are, and its head to be read as if it were all."""

from __future__ import annotations

import io

import msgspec

from ... import kernels
from ...kernels.types import PAD
from ...plan.model import Decisions
from ...sources.source import Sample, Source, decoded, is_ebcdic, is_multibyte
from ..base import Preview
from ..text.preview import Bounds, counted, lines_of, raw_view
from .reading import DelimitedLayout


def preview(sample: Sample, plan: Decisions, layout: DelimitedLayout, cases: int) -> Preview:
    """The source as it is, and its head as a source of so many cases."""
    head = sample.utf8(layout.encoding)
    lines = lines_of(head.decode("utf-8"))
    by_byte = not is_multibyte(layout.encoding) and not is_ebcdic(layout.encoding)

    def count(data: bytes) -> int:
        if by_byte:
            found = kernels.line_marks(kernels.padded(data), PAD, PAD + len(data))
            return found.line_ends + (data[-1:] not in (b"", b"\n", b"\r"))
        return len(lines_of(decoded(data, layout.encoding, True)))

    bounds = Bounds(layout.encoding, layout.first, layout.last)
    view = raw_view(sample, plan, bounds, lines, counted(sample, len(lines), count))
    last = layout.last if sample.is_whole or (layout.last or 1) > 0 else None
    changes = {"encoding": "utf-8", "limit": cases, "block": max(len(head), 1), "last": last}
    return Preview(
        Source(sample.source.name, None, len(head), lambda: io.BytesIO(head)),
        msgspec.structs.replace(layout, **changes),
        *view,
    )
