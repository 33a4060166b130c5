"""The characters of fixed records: those in a field, and those in none."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

import msgspec
import numpy as np

from ... import kernels
from ...kernels.spans import Cells
from ...kernels.types import Flags
from ...plan.fields import Field, gaps
from ..base import Tally

if TYPE_CHECKING:
    from .spans import FixedSpans

BLANK_BYTE = 32


def cover(spans: FixedSpans, tally: Tally) -> None:
    """Account for the characters of the cases: those in a field, and those in none."""
    fields = list(spans.layout.fields)
    record = spans.layout.record
    if record is not None:
        fields += [
            Field("", record.start, record.end, line) for line in range(1, spans.layout.lines + 1)
        ]
    if spans.layout.in_bytes and not spans.layout.undecoded:
        tally.cut_characters += sum(
            int(np.count_nonzero((cells.buffer[cells.starts] & 0xC0) == 0x80))
            for cells in (_cut_cells(spans, field) for field in fields)
        )
    for line in range(1, spans.layout.lines + 1):
        lengths, times = spans.lengths(line), 1
        if spans.stride and spans.chars is None:  # all are alike
            lengths, times = lengths[:1], len(lengths)
        tally.characters += times * int(lengths.sum())
        own = [field for field in fields if field.line == line]
        if own:
            is_short = lengths < max(field.start for field in own)
            if is_short.any():
                tally.short.add(spans.rows[np.broadcast_to(is_short, len(spans.rows))])
        for first, end in gaps(fields, line):
            beyond = np.clip(lengths - (first - 1), 0, (end - first + 1) if end else None)
            uncovered = times * int(beyond.sum())
            tally.uncovered += uncovered
            if uncovered:
                filled = np.flatnonzero(_filled(spans.piece(line, first, end)))
                if len(filled):
                    tally.outside_of((line, first, end)).add(spans.rows[filled])
        for first, end in _covered(own):
            within = np.clip(lengths - (first - 1), 0, end - first + 1)
            tally.covered += times * int(within.sum())


def _cut_cells(spans: FixedSpans, field: Field) -> Cells:
    """The cells of a field as its borders cut them, within characters too."""
    plain = msgspec.structs.replace(
        spans, layout=msgspec.structs.replace(spans.layout, in_bytes=False)
    )
    return plain.piece(field.line, field.start, field.end)


def _covered(fields: list[Field]) -> list[tuple[int, int]]:
    """The positions that fields take, joined where they touch."""
    found: list[tuple[int, int]] = []
    for each in sorted(fields, key=lambda field: field.start):
        if found and each.start <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], each.end))
        else:
            found.append((each.start, each.end))
    return found


def _filled(cells: Cells) -> Flags:
    """Which cells hold anything but blanks."""
    if cells.grid is None:
        return ~kernels.blank(cells.buffer, cells.starts, cells.ends)
    table = kernels.table(cells.buffer, *cells.grid, len(cells))
    return cast(Flags, (table != BLANK_BYTE).any(axis=1))
