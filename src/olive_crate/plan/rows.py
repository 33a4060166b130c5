"""The section of a plan about rows: which of them play which part."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from ..errors import PlanError, nearest

SKIP, KEEP = "skip", "keep"


class Rows(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which rows of the source play which part, counted from 1 as an editor counts them."""

    names: tuple[int, ...] | None = None
    """The rows of the heading; an empty tuple says that there is none."""
    labels: int | None = None
    units: int | None = None
    repeated: str | None = None
    """`skip`: rows within the data that are the heading again are left out."""
    closing: str | None = None
    """`skip`: totals and notes at the end, known by what they are, are left out."""
    groups: str | None = None
    """Titles of groups within the data: `skip` leaves them out, `keep` reads them as cases, and any
    other word is the name of a variable that has them."""
    left_out: tuple[int, ...] | None = None
    """Rows within the data that are no cases: totals, remarks, headings."""
    data: str | None = None
    """`first..last`, both included; either may be left out; negative numbers count from the end."""

    @property
    def first(self) -> int | None:
        """The first row of data, where the plan says so."""
        first = "" if self.data is None else self.data.partition("..")[0]
        return int(first) if first else None

    @property
    def last(self) -> int | None:
        """The last row of data; negative from the end; `None` to the end."""
        last = "" if self.data is None else self.data.partition("..")[2]
        return int(last) if last else None

    def part_of(self, row: int) -> str:
        """The part of the heading that a row plays; empty for any other row."""
        if row in (self.names or ()):
            return "names"
        return "units" if row == self.units else "labels" if row == self.labels else ""


def rows_from(value: Any, old: Rows = Rows(), at: str = "rows") -> Rows:
    """The rows section from a mapping, its keys laid over what was decided before."""
    if isinstance(value, Rows):
        return value
    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected names, labels, units, left_out or data, got {value!r}")
    changes: dict[str, Any] = {}
    for part, given in value.items():
        if part not in Rows.__struct_fields__:
            raise PlanError(f'{at}: unknown key "{part}"{nearest(part, Rows.__struct_fields__)}')
        here = f"{at}.{part}"
        if part in ("names", "left_out"):
            changes[part] = _listed_rows(given, here)
        elif part == "data":
            changes[part] = _data_rows(given, here)
        elif part == "groups":
            if given is not None and (not isinstance(given, str) or not given.strip()):
                raise PlanError(f'{here}: expected "skip", "keep" or a name, got {given!r}')
            changes[part] = given
        elif part in ("repeated", "closing"):
            if given not in (None, "skip", "keep"):
                raise PlanError(f'{here}: expected "skip" or "keep", got {given!r}')
            changes[part] = given
        else:
            changes[part] = None if given is None else _row_number(given, here)
    return msgspec.structs.replace(old, **changes)


def _listed_rows(given: Any, at: str) -> tuple[int, ...] | None:
    if given is None:
        return None
    rows = [given] if isinstance(given, int) else given
    if isinstance(rows, str) or not isinstance(rows, Iterable):
        raise PlanError(f"{at}: expected a row number or a list of them, got {given!r}")
    return tuple(_row_number(row, at) for row in rows)


def _row_number(given: Any, at: str) -> int:
    if isinstance(given, bool) or not isinstance(given, int) or given < 1:
        raise PlanError(f"{at}: rows are whole numbers counted from 1, got {given!r}")
    return given


def _data_rows(given: Any, at: str) -> str | None:
    if given is None:
        return None
    if isinstance(given, int) and not isinstance(given, bool):
        given = f"{given}.."
    try:
        first, dots, last = str(given).partition("..")
        low, high = int(first) if first else 1, int(last) if last else -1
        if not dots or not isinstance(given, str) or low < 1 or high == 0 or 0 < high < low - 1:
            raise ValueError
    except ValueError:
        raise PlanError(
            f'{at}: expected "first..last", such as "8..294", "6.." or "6..-2", got {given!r}'
        ) from None
    return given
