"""Which rows of a source play which part, and how its numbers are written, whatever its layout.

What the plan says holds; what it leaves open is found from the rows at the head and at the tail,
each decision with its evidence.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Sequence
from typing import Any

import msgspec

from ...errors import LayoutError, PlanError
from ...evidence import DecimalMark, Evidence
from ...plan.model import Decisions, DelimitedSection
from ...plan.rows import Rows
from ...sources.codecs import decoded
from ...sources.source import Source
from ..base import Row
from .decimal_mark import find_marks, shapes_of
from .heading import find_last, find_rows
from .names import padded_cells
from .sample import Sample

ROWS_A_BLOCK = 131_072
"""Rows that a block aims at: enough to be worth what each block and column cost."""
SMALLEST_BLOCK, LARGEST_BLOCK = 1 << 20, 8 << 20
"""Bounds of a block in bytes; the larger bounds the memory that wide records need."""


def shapes_at_head(rows: Sequence[Row], parts: Rows, fields: int) -> Counter[str]:
    first = parts.first or 1
    data = [row for row in rows if row.number >= first]
    return shapes_of([row.cells[i] for row in data if i < len(row.cells)] for i in range(fields))


def with_marks(
    section: DelimitedSection, shapes: Counter[str], evidence: list[Evidence]
) -> DelimitedSection:
    """The section with the decimal and the grouping mark; a declared mark is not both."""
    usual = other_decimal(section.grouping)
    decimal, grouping = find_marks(shapes, section.delimiter or "")
    if decimal is None:
        return msgspec.structs.replace(section, decimal=usual)
    if decimal.value == section.grouping:
        against = decimal.supporting or 0
        decimal = DecimalMark(
            value=usual,
            declared_grouping=section.grouping,
            against=against,
            certain=not against,
        )
    evidence.append(decimal)
    changes = {"decimal": decimal.value}
    if grouping is not None and section.grouping is None:
        evidence.append(grouping)
        changes["grouping"] = grouping.value
    return msgspec.structs.replace(section, **changes)


def other_decimal(grouping: str | None) -> str:
    """The usual decimal mark where this one groups digits."""
    return "," if grouping == "." else "."


def no_delimiter(plan: Decisions, why: str) -> None:
    """Raise `PlanError` for parts of the delimited section that nothing else has."""
    for part in ("delimiter", "quote", "escape"):
        if getattr(plan.delimited, part):
            raise PlanError(f"{why}, so it has no {part}; leave it out")


def as_utf8(head: bytes, encoding: str, whole: bool) -> bytes:
    """The head of a source as UTF-8, up to its last whole line."""
    text = decoded(head, encoding, whole).encode("utf-8", "replace")
    if whole:
        return text
    return text[: max(text.rfind(b"\n"), text.rfind(b"\r")) + 1] or text


def heading_rows(rows: Rows) -> tuple[int, ...]:
    return (*(rows.names or ()), *(row for row in (rows.labels, rows.units) if row))


def row_parts(rows: Rows, head: Sequence[Row], fields: int, evidence: list[Evidence]) -> Rows:
    """Which row plays which part; what the plan says is left as it is."""
    if rows.names is None:
        made = _found_parts(rows, head, fields, evidence)
    elif rows.data is None:
        made = _parts_below(rows, head, fields, evidence)
    else:
        return rows
    floor = max(heading_rows(made), default=0) + 1
    if rows.data is None and (made.first or 1) < floor:
        made = msgspec.structs.replace(made, data=f"{floor}..")
    return made


def _found_parts(rows: Rows, head: Sequence[Row], fields: int, evidence: list[Evidence]) -> Rows:
    """The parts where the plan does not say which rows hold the names."""
    found = find_rows(head, fields)
    if rows.first is not None:
        inside = bool(found.heading) and found.heading[-1] >= rows.first
        if not inside:
            evidence.append(found.names)
        return msgspec.structs.replace(rows, names=() if inside else found.heading)
    evidence.append(found.names)
    changes: dict[str, Any] = {"names": found.heading, "data": f"{found.first}.."}
    for part in ("units", "labels"):
        number = getattr(found, part)
        if number is not None and getattr(rows, part) is None:
            changes[part] = number
            evidence += found.more
    return msgspec.structs.replace(rows, **changes)


def _parts_below(rows: Rows, head: Sequence[Row], fields: int, evidence: list[Evidence]) -> Rows:
    """The parts below the rows of names that the plan gives."""
    above = heading_rows(rows)
    below = [row for row in head if row.number > max(above, default=0) and row.filled]
    first = below[0].number if below else max(above, default=0) + 1
    units = None
    if rows.units is None and rows.names:
        found = find_rows([row for row in head if row.number >= max(above)], fields)
        units = found.units
        if units is not None:
            evidence += found.more
            first = units + 1
    return msgspec.structs.replace(rows, units=units or rows.units, data=f"{first}..")


def check_heading(source: Source, parts: Rows, rows: Sequence[Row], sample: Sample) -> None:
    known = {row.number for row in rows}
    last = rows[-1].number if rows else 0
    for part in ("names", "labels", "units"):
        value = getattr(parts, part)
        for number in value if isinstance(value, tuple) else (value,):
            if number is None or number in known:
                continue
            if number > last:
                size = "has only" if sample.is_whole else "shows in its head only"
                raise LayoutError(
                    f"{source.name}: rows.{part} = {number}, but the file {size} {last} rows"
                )
            raise LayoutError(
                f"{source.name}: rows.{part} = {number}: no record starts on this row "
                "(it is blank, a comment, or inside quoted text)"
            )


def without_mark(encoding: str, head: bytes) -> str:
    """The encoding for a piece that does not hold the byte-order mark at the head."""
    if encoding.lower() in ("utf-16", "utf-32"):
        order = "le" if head.startswith(b"\xff") else "be"
        return f"{encoding}-{order}"
    return encoding


def last_heading(parts: Rows, rows: Sequence[Row]) -> tuple[bytes, ...]:
    """The cells of the heading's last row as they stand in the file."""
    number = (parts.names or (0,))[-1] if parts.names else 0
    row = next((row for row in rows if row.number == number), None)
    return tuple(cell.encode("utf-8") for cell in row.cells) if row else ()


def cells_of_row(rows: Sequence[Row], number: int | None, fields: int) -> tuple[str, ...]:
    row = next((row for row in rows if row.number == number), None)
    return (
        tuple(cell.strip() for cell in padded_cells(row.cells, fields)) if row else ("",) * fields
    )


def with_last(parts: Rows, tail: Sequence[Row], fields: int, evidence: list[Evidence]) -> Rows:
    """The parts with the end of the data, where totals or notes stand below it."""
    found = find_last(tail, fields)
    if found is None:
        return parts
    evidence.append(found)
    return msgspec.structs.replace(parts, data=f"{parts.first or 1}..{found.value}")


def block_size(of_row: int) -> int:
    """Bytes to read at a time, so that a block holds enough rows to be worth its overhead.

    `of_row` is about what a row takes.
    """
    if "OLIVE_CRATE_BLOCK" in os.environ:
        return max(1, int(os.environ["OLIVE_CRATE_BLOCK"]))
    return min(LARGEST_BLOCK, max(SMALLEST_BLOCK, ROWS_A_BLOCK * of_row))
