"""Which rows of a source play which part, and how its numbers are written, whatever its layout.

What the plan says holds; what it leaves open is found from the rows at the head and at the tail,
each decision with its evidence.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Sequence

import msgspec

from ..errors import LayoutError, PlanError
from ..evidence import Evidence
from ..plan import DelimitedSection
from ..records.encoding import decoded
from ..rowspart import Rows
from ..sources import Source
from .heading import Row, find_last, find_rows
from .marks import find_marks, shapes_of
from .names import padded_cells
from .sample import Sample

ROWS_A_BLOCK = 131_072
SMALLEST_BLOCK, LARGEST_BLOCK = 1 << 20, 8 << 20


def shapes_at_head(rows: Sequence[Row], parts: Rows, fields: int) -> Counter[str]:
    first = parts.first or 1
    data = [row for row in rows if row.number >= first]
    return shapes_of([row.cells[i] for row in data if i < len(row.cells)] for i in range(fields))


def with_marks(
    section: DelimitedSection, shapes: Counter[str], evidence: list[Evidence]
) -> DelimitedSection:
    """The section with the decimal and the grouping mark; a declared mark is not both."""
    found = find_marks(shapes, section.delimiter or "")
    if section.grouping is not None:
        found = [each for each in found if each.subject != "delimited.grouping"]
    usual = other_decimal(section.grouping)
    found = [_not_grouping(each, section.grouping, usual) for each in found]
    marks = {each.subject.partition(".")[2]: each.value for each in found}
    evidence += found
    return msgspec.structs.replace(section, **({"decimal": usual} | marks))


def check_declared_marks(section: DelimitedSection) -> None:
    """Raise `PlanError` for one mark that is declared as two."""
    if section.decimal is not None and section.decimal == section.grouping:
        raise PlanError(
            f'decimal and grouping cannot both be "{section.decimal}"; leave one of them out'
        )


def other_decimal(grouping: str | None) -> str:
    """The usual decimal mark where this one groups digits."""
    return "," if grouping == "." else "."


def _not_grouping(found: Evidence, grouping: str | None, usual: str) -> Evidence:
    if found.value != grouping:
        return found
    against = found.supporting or 0
    claim = f'since "{grouping}" is declared to group digits'
    if against:
        claim += f", though {against:,} of the numbers looked at seem to have decimals behind it"
    return Evidence(found.subject, usual, claim, against=against, certain=not against)


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
    changes: dict[str, object] = {}
    if rows.names is None:
        for each in find_rows(head, fields):
            numbers = tuple(int(word) for word in each.value.split(", ") if word)
            key = each.subject.partition(".")[2]
            if key == "names":
                if rows.first is not None and numbers and numbers[-1] >= rows.first:
                    changes["names"] = ()
                    continue
                changes["names"] = numbers
                evidence.append(each)
            elif rows.first is not None or (key != "data" and getattr(rows, key)):
                continue
            elif key == "data":
                changes["data"] = f"{numbers[0]}.."
            else:
                changes[key] = numbers[0]
                evidence.append(each)
    elif rows.data is None:
        above = heading_rows(rows)
        below = [row for row in head if row.number > max(above, default=0) and row.filled]
        first = below[0].number if below else max(above, default=0) + 1
        if rows.units is None and rows.names:
            found = find_rows([row for row in head if row.number >= max(above)], fields)
            units = next((each for each in found if each.subject == "rows.units"), None)
            if units:
                changes["units"] = int(units.value)
                evidence.append(units)
                first = int(units.value) + 1
        changes["data"] = f"{first}.."
    made = msgspec.structs.replace(rows, **changes)
    floor = max(heading_rows(made), default=0) + 1
    if rows.data is None and (made.first or 1) < floor:
        made = msgspec.structs.replace(made, data=f"{floor}..")
    return made


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
