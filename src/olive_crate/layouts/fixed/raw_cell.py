"""A fixed field found again in the line that it was cut from."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from ...errors import LayoutError
from ...sources.source import Source, decoded
from ..base import RawCell
from ..text.raw_record import record_text
from .layout import FixedLayout


def raw_cell(
    source: Source, layout: FixedLayout, row: int, index: int, offsets: Sequence[tuple[int, int]]
) -> RawCell:
    """A field at its positions, counted as the layout counts them."""
    field = layout.fields[index]
    if layout.length:
        line = _record(source, layout, row + field.line - 1)
    else:
        line = record_text(source, layout.encoding, row + field.line - 1, offsets, bool)
    line = line.rstrip("\r\n")
    if layout.tabs:
        line = line.expandtabs(layout.tabs)
    start, end = field.start - 1, field.end
    if layout.in_bytes:
        start, end = (
            _characters(line, layout.encoding, start),
            _characters(line, layout.encoding, end),
        )
    place = f"positions {field.start}\u2013{field.end}"
    if layout.lines > 1:
        place += f" of line {field.line}"
    return RawCell(line, min(start, len(line)), min(end, len(line)), place, line[start:end])


def _record(source: Source, layout: FixedLayout, row: int) -> str:
    """A record of one length, where no line ends stand between records."""
    assert layout.length
    with source.open() as stream:
        text = decoded(stream.read(), layout.encoding, True)
    record = text[(row - 1) * layout.length : row * layout.length]
    if not record:
        raise LayoutError(f"{source.name}: has no row {row}; the file was changed")
    return record


def _characters(line: str, encoding: str, count: int) -> int:
    """How many characters so many bytes are."""
    sizes = itertools.accumulate(len(char.encode(encoding, "replace")) for char in line)
    return sum(size <= count for size in sizes)
