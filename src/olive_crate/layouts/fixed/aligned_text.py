"""Does text that a delimiter was looked for in rather lie in columns aligned by blanks?"""

from __future__ import annotations

import re

from ...evidence import AlignedColumns, DelimiterFound
from .breaks import FoundFields, find_fields

LOOKED_AT = 1000
"""Lines that are looked at."""
GROUPING = 0.95
"""A delimiter of which more than this share stand between groups of digits only groups them."""
WEAK = 0.9
"""A delimiter that cuts a smaller share of the rows alike may be none."""
LEAST_ROWS, MOSTLY = 4, 0.6
"""Fewer rows, or a smaller share of the filled lines, do not show that columns are aligned."""


def aligned_fields(text: bytes, delimiter: DelimiterFound) -> FoundFields | None:
    """Fields aligned by blanks, where no delimiter cuts all rows alike."""
    cut, missed = delimiter.supporting or 0, delimiter.against
    by_mark = delimiter.value not in ("", "blanks")
    clear = cut >= (WEAK if by_mark else 1.0) * (cut + missed)
    if delimiter.value and clear and not (by_mark and _groups_digits(text, delimiter.value)):
        return None
    lines = text.decode("utf-8", "replace").splitlines()[:LOOKED_AT]
    if not any(b"  " in line.strip() for line in text.splitlines()[:LOOKED_AT]):
        return None
    found = find_fields(lines)
    filled = sum(bool(line.strip()) for line in lines)
    enough = found.rows >= LEAST_ROWS and found.rows > MOSTLY * filled
    return found if enough and found.by_blanks and len(found.fields) > 1 + by_mark else None


def aligned_evidence(found: FoundFields) -> AlignedColumns:
    """What speaks for aligned columns."""
    return AlignedColumns(
        value="fixed",
        rows=found.rows,
        supporting=found.rows,
        alternatives=("delimited",),
        certain=False,
    )


def _groups_digits(text: bytes, delimiter: str) -> bool:
    """Does this delimiter stand between digits only, with three behind it, as a grouping mark?"""
    mark = delimiter.encode()
    known = re.escape(mark)
    grouping = re.compile(known + rb"(?<=\d" + known + rb")(?=\d{3}(?!\d))")
    few = GROUPING * text.count(mark)
    start = text[: text.rfind(b"\n", 0, len(text) // 16) + 1]
    if start.count(mark) - len(grouping.findall(start)) >= text.count(mark) - few:
        return False  # the rest cannot make up for it
    return len(grouping.findall(text)) > few
