"""Does text that a delimiter was looked for in rather lie in columns aligned by blanks?"""

from __future__ import annotations

from ...evidence import AlignedColumns, DelimiterFound
from .breaks import FoundFields, find_fields

LOOKED_AT = 1000
"""Lines that are looked at."""
CERTAIN = 0.96
"""The score of the weakest break from which on there is no other reading."""
LEAST_ROWS, MOSTLY = 4, 0.6
"""Fewer rows, or a smaller share of the filled lines, do not show that columns are aligned."""


def aligned_fields(text: bytes, delimiter: DelimiterFound) -> FoundFields | None:
    """Fields aligned by blanks, where no delimiter explains the rows."""
    if b"\t" in text:  # which stands for as many blanks as its maker's editor had it
        return None
    by_mark = delimiter.value not in ("", "blanks")
    lines = text.decode("utf-8", "replace").splitlines()[:LOOKED_AT]
    if not any(b"  " in line.strip() for line in text.splitlines()[:LOOKED_AT]):
        return None
    found = find_fields(lines, at_blanks=True)
    filled = sum(bool(line.strip()) for line in lines)
    enough = found.rows >= LEAST_ROWS and found.rows > MOSTLY * filled
    if delimiter.value == "blanks" and not _cut_short(delimiter, len(found.fields)):
        return None
    return found if enough and found.by_blanks and len(found.fields) > 1 + by_mark else None


def _cut_short(delimiter: DelimiterFound, fields: int) -> bool:
    """Do rows lack fields where they are cut at blanks, or have other columns by position?"""
    return fields != delimiter.fields or delimiter.against > 0


def aligned_evidence(found: FoundFields, delimiter: DelimiterFound) -> AlignedColumns:
    """What speaks for aligned columns."""
    weakest = min((each.score for each in found.breaks), default=0.0)
    certain = not delimiter.value and weakest >= CERTAIN
    return AlignedColumns(
        value="fixed",
        rows=found.rows,
        supporting=found.rows,
        alternatives=() if certain else ("delimited",),
        certain=certain,
    )
