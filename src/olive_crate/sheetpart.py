"""The section of a plan about a workbook: which sheet, which range, what of it."""

from __future__ import annotations

from typing import Any

import msgspec

from .errors import PlanError, nearest

CHOICES = {"hidden": ("keep", "skip"), "merged": ("keep", "fill")}


class SheetSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which cells of a workbook are read."""

    sheet: str | int | None = None
    """A sheet's name, or its number from 1."""
    range: str | None = None
    """`B9:K310`, `B9:` to the end of its block, `B:K`, a named range, or a table's name."""
    hidden: str | None = None
    """`skip` leaves hidden rows and columns out."""
    merged: str | None = None
    """`fill` puts the value of merged cells into all of them."""
    limits: Any = None
    """What an untrusted workbook may ask for, where it is more than usual."""


def sheet_part(part: str, value: Any, at: str = "") -> Any:
    """One decision about a workbook, checked."""
    at = at or part
    if value is None:
        return None
    if part == "sheet":
        if isinstance(value, bool) or not isinstance(value, (str, int)):
            raise PlanError(f"{at}: expected a sheet's name, or its number from 1, got {value!r}")
        return value
    if part == "range":
        from .sheets.grid import check_range

        return check_range(value, at)
    if part == "limits":
        from .sheets.container import limits_of

        return limits_of(value, at)
    if value not in CHOICES[part]:
        raise PlanError(f"{at}: there is no choice {value!r}{nearest(str(value), CHOICES[part])}")
    return value
