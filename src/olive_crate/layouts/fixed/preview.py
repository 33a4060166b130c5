"""A look at fixed columns: the lines as they are, the breaks, and the head as if it were all."""

from __future__ import annotations

import io

import msgspec

from ...plan.model import Decisions
from ...sources.source import Source, decoded, is_ebcdic, is_multibyte
from ..base import Break, Preview
from ..text.preview import Bounds, counted, lines_of, raw_view
from .breaks import FoundFields, cut_shares
from .changes import classes_of, codes_of
from .layout import FixedLayout
from .sample_lines import SampleLines


def preview(
    lines: SampleLines,
    plan: Decisions,
    layout: FixedLayout,
    found: FoundFields | None,
    cases: int,
) -> Preview:
    """The source as it is, and its head as a source of so many cases."""
    sample = lines.sample
    bounds = Bounds(layout.encoding, layout.first, layout.last)
    has_ends = not layout.length
    view = raw_view(sample, plan, bounds, lines.head, _line_count(lines, layout), has_ends)
    head = lines.whole_bytes()
    last = layout.last if sample.is_whole or (layout.last or 1) > 0 else None
    return Preview(
        Source(sample.source.name, None, len(head), lambda: io.BytesIO(head)),
        msgspec.structs.replace(layout, limit=cases, block=max(len(head), 1), last=last),
        *view,
        fields=layout.fields,
        data_lines=tuple(enumerate(lines.body(plan.rows), plan.rows.first or 1)),
        breaks=found.breaks if found is not None else _declared_breaks(lines, plan, layout),
    )


def _line_count(lines: SampleLines, layout: FixedLayout) -> int | None:
    """The lines of a file small enough to be read whole for this, or of records of one length."""
    sample, length, size = lines.sample, layout.length, lines.sample.source.size
    if length and not sample.is_whole and size is not None and not is_multibyte(layout.encoding):
        return -(-size // length)

    def count(data: bytes) -> int:
        text = decoded(data, layout.encoding, True)
        if length:
            return -(-len(text) // length)
        return len(lines_of(text.replace("\u0085", "\n") if is_ebcdic(layout.encoding) else text))

    return counted(sample, len(lines.head), count)


def _declared_breaks(lines: SampleLines, plan: Decisions, layout: FixedLayout) -> tuple[Break, ...]:
    """The ends of declared fields, with what they cut."""
    kept = [line for line in lines.head[(plan.rows.first or 1) - 1 : 1000] if line.strip()]
    if layout.lines > 1 or not kept or layout.in_bytes:
        return ()
    cuts = cut_shares(classes_of(codes_of(kept)))
    ends = sorted({field.end for field in layout.fields if field.end <= len(cuts)})
    return tuple(Break(end, 1.0, round(float(cuts[end - 1]), 3), "declared") for end in ends)
