"""A plan for text completed: the roles of rows, and the marks in numbers."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any

import msgspec

from ...declaration.patterns import late
from ...errors import LayoutError, PlanError
from ...evidence import DecimalMark, Evidence, GroupingMark
from ...plan.model import Decisions, DelimitedSection, Rows
from ...sources.source import Sample, Source
from ..base import Row
from .cells import padded_cells
from .closing import (
    Tail,
    as_declared,
    as_kept,
    find_closing,
    left_out_above,
    left_out_by_position,
)
from .heading import find_rows

ROWS_A_BLOCK = 131_072
"""Rows that a block aims at: enough to be worth what each block and column cost."""
SMALLEST_BLOCK, LARGEST_BLOCK = 1 << 20, 8 << 20
"""Bounds of a block in bytes; the larger bounds the memory that wide records need."""
WIDE, MOST_FOR_WIDE = 4 << 10, 4
"""A row of so many bytes has many columns, each of which costs something in each block: then blocks
may be larger, up to so many times."""
SPACE = "[ \u00a0\u202f]"
ALIKE_IN_NUMBERS = {"\u00a0": " ", "\u202f": " ", "’": "'"}
SHAPES = {
    "comma decimals, points group": ({",", "."}, late(r"[+-]?\d{1,3}(\.\d{3})+,\d+")),
    "point decimals, commas group": ({",", "."}, late(r"[+-]?\d{1,3}(,\d{3})+\.\d+")),
    "comma decimals, blanks group": ({",", " "}, late(rf"[+-]?\d{{1,3}}({SPACE}\d{{3}})+,\d+")),
    "point decimals, blanks group": ({".", " "}, late(rf"[+-]?\d{{1,3}}({SPACE}\d{{3}})+\.\d+")),
    "comma decimals, apostrophes group": ({",", "'"}, late(r"[+-]?\d{1,3}(['’]\d{3})+,\d+")),
    "point decimals, apostrophes group": ({".", "'"}, late(r"[+-]?\d{1,3}(['’]\d{3})+\.\d+")),
    "points group": ({"."}, late(r"[+-]?[1-9]\d{0,2}(\.\d{3}){2,}")),
    "commas group": ({","}, late(r"[+-]?[1-9]\d{0,2}(,\d{3}){2,}")),
    "blanks group": ({" "}, late(rf"[+-]?[1-9]\d{{0,2}}({SPACE}\d{{3}})+")),
    "apostrophes group": ({"'"}, late(r"[+-]?[1-9]\d{0,2}(['’]\d{3})+")),
    "either comma": ({","}, late(r"[+-]?[1-9]\d{0,2},\d{3}")),
    "either point": ({"."}, late(r"[+-]?[1-9]\d{0,2}\.\d{3}")),
    "comma decimals": ({","}, late(r"[+-]?(\d+,\d*|,\d+)")),
    "point decimals": ({"."}, late(r"[+-]?(\d+\.\d*|\.\d+)")),
}
"""The marks that a number of each shape has to hold, and what it looks like."""
GROUPS = {"points": ".", "commas": ",", "blanks": " ", "apostrophes": "'"}
DIGITS = str.maketrans("12345678", "99999999")
DIGIT_BYTES = bytes.maketrans(b"12345678", b"9" * 8)  # far faster beyond ASCII
APART = "\x1e"
WITHIN_NUMBERS = ".,'’ \u00a0\u202f"
"""Each shape has one of these."""
AROUND = " \u00a0\t%€$£()"


def shapes_at_head(rows: Sequence[Row], parts: Rows, fields: int) -> Counter[str]:
    first = parts.first or 1
    data = [row.cells for row in rows if row.number >= first]
    joined = "".join(map("".join, data))
    if not any(mark in joined for mark in WITHIN_NUMBERS):
        return Counter()
    if all(len(cells) == fields for cells in data):
        return shapes_of(zip(*data, strict=True))
    return shapes_of([cells[i] for cells in data if i < len(cells)] for i in range(fields))


def with_marks(
    section: DelimitedSection, shapes: Counter[str], evidence: list[Evidence]
) -> DelimitedSection:
    """The section with the decimal and the grouping mark; a declared mark is not both."""
    decimal, grouping = find_marks(shapes, section.delimiter or "")
    if decimal is None:
        return msgspec.structs.replace(section, decimal=other_decimal(section.grouping))
    if decimal.value == section.grouping:
        usual = other_decimal(section.grouping)
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


def no_cells(plan: Decisions, why: str, instead: str = "leave it out") -> None:
    """Raise `PlanError` for a choice of cells that only workbooks have."""
    for part in ("sheet", "range", "block"):
        if getattr(plan.sheet, part) is not None:
            raise PlanError(f"{why}, so it has no {part}s; {instead}")
    if plan.sheet.turned:
        raise PlanError(f"{why}; only sheets of workbooks can be turned, so leave it out")


def heading_rows(rows: Rows) -> tuple[int, ...]:
    return (*(rows.names or ()), *(row for row in (rows.labels, rows.units) if row))


def row_parts(rows: Rows, head: Sequence[Row], fields: int, evidence: list[Evidence]) -> Rows:
    """Which row plays which part; what the plan says is left as it is."""
    if rows.names is not None:
        evidence += left_out_above(rows, max(heading_rows(rows), default=0), head, fields)
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
            evidence += (found.names, *found.titles)
        return msgspec.structs.replace(rows, names=() if inside else found.heading)
    evidence += (found.names, *found.titles)
    changes: dict[str, Any] = {"names": found.heading, "data": f"{found.first}..{rows.last or ''}"}
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
    return msgspec.structs.replace(
        rows, units=units or rows.units, data=f"{first}..{rows.last or ''}"
    )


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


def cells_of_row(rows: Sequence[Row], number: int | None, fields: int) -> tuple[str, ...]:
    row = next((row for row in rows if row.number == number), None)
    return (
        tuple(cell.strip() for cell in padded_cells(row.cells, fields)) if row else ("",) * fields
    )


def with_closing(
    given: Rows, parts: Rows, tail: Tail, fields: int, evidence: list[Evidence]
) -> tuple[Rows, int | None]:
    """The parts, and the last row of data, where totals or notes stand below it.

    `given` is what the plan says. A position in it is obeyed; `closing` is what a person decided.
    """
    if given.last is not None:
        evidence += left_out_by_position(given.last, tail, fields)
        return parts, given.last
    found = None if given.closing == "keep" else find_closing(tail, fields)
    if found is None:
        return parts, None
    closing, count = found.evidence, found.rows
    if given.closing == "skip":
        closing = as_declared(closing)
    elif given.data is not None:
        closing, count = as_kept(closing), 0
    evidence.append(closing)
    if not count:
        return parts, None
    return msgspec.structs.replace(parts, closing="skip"), -1 - count


def block_size(of_row: int) -> int:
    """Bytes to read at a time, so that a block holds enough rows to be worth its overhead.

    `of_row` is about what a row takes.
    """
    if "OLIVE_CRATE_BLOCK" in os.environ:
        return max(1, int(os.environ["OLIVE_CRATE_BLOCK"]))
    largest = LARGEST_BLOCK * min(MOST_FOR_WIDE, 1 + of_row // WIDE)
    return min(largest, max(SMALLEST_BLOCK, ROWS_A_BLOCK * of_row))


def shapes_of(columns: Iterable[Iterable[str]]) -> Counter[str]:
    """How many cells of these columns are numbers of which shape."""
    total: Counter[str] = Counter()
    for column in columns:
        if shapes := _shapes(column):
            total += shapes
    return total


def find_marks(
    total: Counter[str], delimiter: str
) -> tuple[DecimalMark | None, GroupingMark | None]:
    """The decimal mark and the grouping mark, from the shapes of numbers.

    A column whose numbers are all like `1,234` or `1.234` may be read either way: then both
    readings are named.
    """
    comma = sum(count for shape, count in total.items() if shape.startswith("comma decimals"))
    point = sum(count for shape, count in total.items() if shape.startswith("point decimals"))
    groups: Counter[str] = Counter(
        {
            mark: sum(n for shape, n in total.items() if shape.endswith(f"{word} group"))
            for word, mark in GROUPS.items()
        }
    )
    unclear = {",": total["either comma"], ".": total["either point"]}
    if not comma and not point and not groups.total() and not sum(unclear.values()):
        return None, None
    if comma or point:
        decimal = "," if comma > point else "."
    elif groups["."] or (groups[","] == 0 and unclear[","] > unclear["."] and delimiter != ","):
        decimal = ","
    else:
        decimal = "."
    return _evidence(decimal, comma, point, groups, unclear)


def number_form(decimal: str, grouping: str) -> re.Pattern[str]:
    """What a number looks like with these marks."""
    point = re.escape(decimal)
    groups = {"": "", " ": SPACE, "'": "['’]"}.get(grouping, re.escape(grouping))
    grouped = rf"|\d{{1,3}}({groups}\d{{3}})+" if groups else ""
    return re.compile(rf"[+-]?((\d+{grouped})({point}\d*)?|{point}\d+)")


def _shapes(column: Iterable[str]) -> Counter[str]:
    """How many cells of a column have which shape; few in a column of words count for nothing."""
    found: Counter[str] = Counter()
    filled = whole = 0
    cells = list(column)
    joined = "".join(cells)
    if not any(mark in joined for mark in WITHIN_NUMBERS):
        return found
    apart = APART.join(cells).encode("utf-8", "surrogatepass").translate(DIGIT_BYTES)
    alike = apart.decode("utf-8", "surrogatepass").split(APART)  # digits need not be told apart
    if len(alike) != len(cells):  # one of them holds the mark
        alike = [cell.translate(DIGITS) for cell in cells]
    for cell, count in Counter(alike).items():
        is_filled, is_whole, shape = _told(cell)
        filled += count * is_filled
        whole += count * is_whole
        if shape:
            found[shape] += count
    return found if sum(found.values()) + whole >= 0.3 * filled else Counter()


@lru_cache(maxsize=4096)
def _told(cell: str) -> tuple[bool, bool, str]:
    """Whether a cell holds anything, whether that is a whole number, and else its shape.

    That is the first shape of a number that it has, empty if none. Digits from 1 to 9 need not be
    told apart.
    """
    text = cell.strip(AROUND)
    if text.lstrip("+-").isdigit():
        return True, True, ""
    if not text or not (text[0].isdigit() or text[0] in "+-,."):
        return bool(text), False, ""
    held = {ALIKE_IN_NUMBERS.get(char, char) for char in text}
    likely = ((shape, form) for shape, (marks, form) in SHAPES.items() if marks <= held)
    return True, False, next((shape for shape, form in likely if form.fullmatch(text)), "")


def _evidence(
    decimal: str, comma: int, point: int, groups: Counter[str], unclear: dict[str, int]
) -> tuple[DecimalMark, GroupingMark | None]:
    other = "." if decimal == "," else ","
    count, against = (comma, point) if decimal == "," else (point, comma)
    marks = {mark: n for mark, n in groups.items() if n and mark != decimal}
    if unclear[other] and (count or marks.get(other)):
        marks[other] = marks.get(other, 0) + unclear[other]  # not decimals, so groups
    elif unclear[other] and not count:
        marks[other] = unclear[other]
    doubtful = count + groups.total() == 0
    either = doubtful and sum(unclear.values()) > 0
    found = DecimalMark(
        value=decimal,
        unclear=unclear[decimal] if not count else 0,
        supporting=count,
        against=against,
        certain=not against and not either,
        alternatives=(other,) if against or either else (),
    )
    grouping = max(marks, key=lambda mark: marks[mark], default="")
    if not grouping:
        return found, None
    return found, GroupingMark(
        value=grouping,
        supporting=marks[grouping],
        certain=not doubtful,
        alternatives=("decimals",) if doubtful else (),
    )
