"""Which rows play which part: titles, heading, units, data, totals."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from ..convert.rule import MARKS
from ..evidence import Evidence, Example

NUMBER = re.compile(r"[+-]?[€$£]? ?(\d+([.,' \u00a0]\d+)*|[.,]\d+)([eE][+-]?\d+)? ?[%€]?")
MOMENT = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}([T ]\d.*)?|\d{1,2}:\d{2}(:\d{2}.*)?")
UNIT = re.compile(
    r"[(\[].{1,15}[)\]]|%|‰|°[CF]?|[kmcµnh]?[gmlLJW]|t|ha|a|[mck]?m[²³2³]|[kK]?[gG]/\S+|\S{1,8}/\S{1,8}|"
    r"mEq.*|meq.*|ppm|ppb|min|h|s|d|EUR|USD|GBP|€|\$|£|n|no\.?|score|0\s?[-–]\s?\d+|\d+\s?[-–]\s?\d+|"
    r"yyyy.*|dd.*|hh.*|date|text|code",
)
TOTAL = re.compile(
    r"\s*(grand |sub)?-?(total|totals|totale|totaal|sum|summe|gesamt|insgesamt|somme|suma|soma|"
    r"mean|average|mittelwert|source|note|end of)\b.*",
    re.IGNORECASE,
)


class Row(msgspec.Struct, frozen=True, eq=False):
    """A row of the source, cut into fields."""

    number: int
    cells: tuple[str, ...]

    @property
    def filled(self) -> int:
        return sum(bool(cell.strip()) for cell in self.cells)


def is_value(cell: str) -> bool:
    """Does this look like a measured value, not like a word?"""
    cell = cell.strip()
    return bool(NUMBER.fullmatch(cell) or MOMENT.fullmatch(cell))


def find_rows(rows: Sequence[Row], fields: int) -> list[Evidence]:
    """Evidence for `rows.names`, `rows.units` and the first row of data, in this order.

    The value is the number of the row; empty for the names where there is no heading.
    """
    wide = [row for row in rows if row.filled >= max(1, min(2, fields), round(0.5 * fields))]
    if not wide:
        return _no_heading(rows[0].number if rows else 1, rows)
    first = wide[0]
    below = [row for row in rows if row.number > first.number]
    if not _is_heading(first, below[:50]):
        return _no_heading(first.number, rows)
    above = sum(row.number < first.number and row.filled > 0 for row in rows)
    titles = f" below {above} row{'s' * (above != 1)} of titles" if above else ""
    names = f"{first.filled} names{titles}"
    found = [
        Evidence("rows.names", str(first.number), names, first.filled, examples=_example(first))
    ]
    start = below[0].number if below else first.number + 1
    if below and _is_units(below[0], below[1:50]):
        unit = below[0]
        found.append(
            Evidence(
                "rows.units", str(unit.number), f"{unit.filled} units", examples=_example(unit)
            )
        )
        start = below[1].number if len(below) > 1 else unit.number + 1
    found.append(Evidence("rows.data", str(start), "the first row below the heading"))
    return found


def _no_heading(number: int, rows: Sequence[Row]) -> list[Evidence]:
    row = next((row for row in rows if row.number == number), None)
    return [
        Evidence(
            "rows.names",
            "",
            "no heading: the first full row has values like those below it",
            examples=_example(row) if row else (),
            certain=row is None,
        ),
        Evidence("rows.data", str(number), "the first full row"),
    ]


def _example(row: Row) -> tuple[Example, ...]:
    return (Example(row.number, " | ".join(row.cells)[:80]),)


def _is_heading(row: Row, below: Sequence[Row]) -> bool:
    """A heading is not like what stands below it: words over values, and no word twice."""
    values = words = fit = 0
    for index, cell in enumerate(row.cells):
        if not cell.strip():
            continue
        column = [each.cells[index].strip() for each in below if index < len(each.cells)]
        held = [text for text in column if text and text not in MARKS]
        mostly_values = bool(held) and sum(map(is_value, held)) > 0.5 * len(held)
        if is_value(cell):
            values += mostly_values or not held
        elif mostly_values:
            words += 1
        elif held and cell.strip() not in held:
            fit += 1
    if words or values:
        return words > values
    distinct = len({cell for cell in row.cells if cell.strip()}) == row.filled
    return (fit > 0 and distinct) or not below


def _is_units(row: Row, below: Sequence[Row]) -> bool:
    """A row of units: short words of the kind that stands over numbers."""
    cells = [cell.strip() for cell in row.cells]
    filled = [cell for cell in cells if cell]
    if not filled or any(is_value(cell) for cell in filled):
        return False
    likely = sum(bool(UNIT.fullmatch(cell)) for cell in filled)
    over_numbers = 0
    for index, cell in enumerate(cells):
        column = [each.cells[index].strip() for each in below if index < len(each.cells)]
        held = [text for text in column if text and text not in MARKS]
        over_numbers += bool(cell and held) and sum(map(is_value, held)) > 0.5 * len(held)
    return likely >= 0.6 * len(filled) and over_numbers > 0


def find_last(tail: Sequence[Row], fields: int) -> Evidence | None:
    """Rows at the end that are no data: totals, notes. The value is the last data row.

    It counts from the end: -2 leaves out the last row.
    """
    if fields < 2 or len(tail) < 3:
        return None
    left = len(tail)
    usual = sorted(row.filled for row in tail)[len(tail) // 2]
    while left > 1 and _is_footer(tail[left - 1], usual):
        left -= 1
    if left == len(tail) or left <= len(tail) // 2:
        return None
    out = tail[left:]
    last = tail[-1].number
    count = last - out[0].number + 1
    rows = f"the last {count} rows are" if count > 1 else "the last row is"
    what = "a total" if any(TOTAL.match(_first(row)) for row in out) else "shaped differently"
    return Evidence(
        "rows.data",
        str(-1 - count),
        f"{rows} {what}",
        count,
        examples=tuple(Example(row.number, " | ".join(row.cells)[:80]) for row in out[:3]),
    )


def _first(row: Row) -> str:
    return next((cell for cell in row.cells if cell.strip()), "")


def _is_footer(row: Row, usual: int) -> bool:
    if row.filled == 0:
        return True
    if row.filled <= max(1, usual // 4) and usual > 2:
        return True
    return bool(TOTAL.match(_first(row))) and row.filled < usual
