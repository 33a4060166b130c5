"""Fields of a fixed layout, and the section of a plan that says how its lines lie.

Positions are those that dictionaries print: counted from 1, the end included.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec

from ..errors import PlanError, nearest

SIGNS = ("leading", "trailing", "overpunched")
LONGEST_LINE = 10_000_000


class Field(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a variable stands in a line."""

    name: str
    """Empty where the heading, or the position, is to name it."""
    start: int
    end: int
    line: int = 1
    """Which of the physical lines of a case, counted from 1."""
    decimals: int = 0
    """Decimals that are implied: `00123` with 2 of them is 1.23. A written mark counts as it is."""
    sign: str | None = None
    """`trailing` (`123-`) or `overpunched` in the last digit (`12C`, `12L`)."""
    record: str | None = None
    """The record type whose lines have this field; `None` for all."""

    @property
    def width(self) -> int:
        """Characters from the start to the end, both included."""
        return self.end - self.start + 1


class RecordType(msgspec.Struct, frozen=True):
    """Where a line says of which type it is, and the type that is read."""

    start: int
    end: int
    take: str


class FixedSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """How the lines of a fixed layout make cases."""

    fields: Any = None
    """The path of a layout table, or a mapping that names it and its headings, as it is given."""
    lines_per_record: int | None = None
    record_length: int | None = None
    """Characters of a record, where no line ends stand between them."""
    positions: str | None = None
    """Positions are counted in `characters` (the default) or in `bytes` of the source."""
    tabs: int | None = None
    """A tab stands for blanks up to the next multiple of this; without it, a tab is an error."""
    record_type: RecordType | None = None


FIELD_KEYS = Field.__struct_fields__


def listed_fields(value: Any, at: str = "fields") -> tuple[Field, ...]:
    """Fields from any of the ways to write them, one after another.

    A `Field`; a table with `name`, `start` and `end`, or `width`; `(name, start, end)`;
    `(name, width)`; or a width alone. Where there is no start, a field begins behind the one
    before it.
    """
    if isinstance(value, (str, bytes)) or not isinstance(value, Iterable):
        raise PlanError(f"{at}: expected a list of fields or the path of a table, got {value!r}")
    made: list[Field] = []
    behind: dict[tuple[str | None, int], int] = {}
    for number, each in enumerate(value, 1):
        here = f"{at}: field {number}"
        table = _table(each, here)
        place = (table.get("record"), table.get("line") or 1)
        field = field_of(table, behind.get(place, 0) + 1, here)
        behind[place] = field.end
        made.append(field)
    if not made:
        raise PlanError(f"{at}: no field given")
    check_fields(made, at)
    return tuple(made)


def _table(each: Any, at: str) -> dict[str, Any]:
    if isinstance(each, Field):
        return msgspec.structs.asdict(each)
    if isinstance(each, Mapping):
        return dict(each)
    if isinstance(each, int) and not isinstance(each, bool):
        return {"width": each}
    if isinstance(each, (list, tuple)) and len(each) in (2, 3):
        keys = ("name", "start", "end") if len(each) == 3 else ("name", "width")
        return dict(zip(keys, each, strict=True))
    raise PlanError(f"{at}: expected a name with start and end, or a width, got {each!r}")


def field_of(table: Mapping[str, Any], next_start: int, at: str) -> Field:
    """One field from its table. Raises `PlanError`, which begins with `at`."""
    for key in table:
        if key not in (*FIELD_KEYS, "width"):
            raise PlanError(f'{at}: unknown key "{key}"{nearest(key, (*FIELD_KEYS, "width"))}')
    given = {key: value for key, value in table.items() if value is not None}
    start = _count(given.get("start", next_start), f"{at}: start", 1)
    if "width" in given:
        width = _count(given["width"], f"{at}: width", 1)
        end = _count(given.get("end", start + width - 1), f"{at}: end", 1)
        if end - start + 1 != width:
            raise PlanError(f"{at}: {start} to {end} is not {width} positions")
    elif "end" in given:
        end = _count(given["end"], f"{at}: end", 1)
    else:
        raise PlanError(f"{at}: needs an end or a width")
    if end < start:
        raise PlanError(f"{at}: ends at {end}, before it starts at {start}")
    name, sign, record = given.get("name", ""), given.get("sign"), given.get("record")
    if not isinstance(name, str) or not isinstance(record, (str, type(None))):
        raise PlanError(f"{at}: name and record are text")
    if sign is not None and sign not in SIGNS:
        raise PlanError(f'{at}: there is no sign "{sign}"{nearest(str(sign), SIGNS)}')
    return Field(
        name,
        start,
        end,
        _count(given.get("line", 1), f"{at}: line", 1),
        _count(given.get("decimals", 0), f"{at}: decimals", 0, 22),
        None if sign == "leading" else sign,
        record,
    )


def _count(value: Any, at: str, least: int, most: int = LONGEST_LINE) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
        raise PlanError(f"{at}: expected a whole number from {least:,} to {most:,}, got {value!r}")
    return value


def check_fields(fields: Sequence[Field], at: str = "fields") -> None:
    """Raise `PlanError` where two fields of one record type have one name."""
    seen: dict[tuple[str, str | None], int] = {}
    for number, each in enumerate(fields, 1):
        for record in {each.record, None}:
            other = seen.get((each.name, record)) if each.name else None
            if other:
                raise PlanError(f'{at}: fields {other} and {number} are both named "{each.name}"')
        if each.name:
            seen[each.name, each.record] = number


def overlaps(fields: Sequence[Field]) -> list[tuple[str, str, str]]:
    """Fields that share positions: the names of two, and the positions."""
    found = []
    ordered = sorted(fields, key=lambda each: (each.line, each.start, each.end))
    widest: Field | None = None
    for each in ordered:
        if widest and widest.line == each.line and each.start <= widest.end:
            both = f"{each.start}-{min(each.end, widest.end)}"
            found.append((widest.name, each.name, both))
        if widest is None or widest.line != each.line or each.end > widest.end:
            widest = each
    return found


def gaps(fields: Sequence[Field], line: int) -> list[tuple[int, int]]:
    """The positions before, between and behind the fields of a line; the last has no end (0)."""
    found, reached = [], 0
    for each in sorted((f for f in fields if f.line == line), key=lambda f: f.start):
        if each.start > reached + 1:
            found.append((reached + 1, each.start - 1))
        reached = max(reached, each.end)
    return [*found, (reached + 1, 0)]


def record_type_from(value: Any, at: str) -> RecordType | None:
    """Where a line says of which type it is, and the type that is read."""
    if value is None or isinstance(value, RecordType):
        return value
    if not isinstance(value, Mapping) or set(value) != {"start", "end", "take"}:
        raise PlanError(f"{at}: expected start, end and take (the type to read), got {value!r}")
    start = _count(value["start"], f"{at}.start", 1)
    end = _count(value["end"], f"{at}.end", start)
    if not isinstance(value["take"], str):
        raise PlanError(f"{at}.take: expected text, got {value['take']!r}")
    return RecordType(start, end, value["take"])
