"""The heading found again where a title line more or less stands above it than the plan says."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from ...evidence import HeadingMoved
from ...plan.model import Decisions, Rows
from ...sources.source import Source
from ..base import Row
from .cells import headings_of

FARTHEST = 30
"""Rows up or down in which the declared names are looked for."""
ENOUGH = 0.5
"""The share of the declared names that a row must hold to be their heading."""


def moved(
    plan: Decisions, head: Sequence[Row], fields: int, source: Source
) -> tuple[Rows, HeadingMoved | None]:
    """The plan's rows, moved to where the names of its variables stand."""
    rows = plan.rows
    declared = {each.heading for each in plan.variables}
    if not rows.names or plan.names is not None or not declared:
        return rows, None
    by_number = {row.number: row for row in head}

    def met(shift: int) -> int:
        levels = [by_number.get(number + shift) for number in rows.names or ()]
        held = [row for row in levels if row is not None]
        if len(held) < len(levels):
            return 0
        return len(declared.intersection(headings_of(plan, held, fields, source)))

    here = met(0)
    if here >= ENOUGH * len(declared):
        return rows, None
    shift = max(sorted(range(-FARTHEST, FARTHEST + 1), key=abs), key=met)
    count = met(shift)
    if count <= here or count < ENOUGH * len(declared):
        return rows, None
    evidence = HeadingMoved(
        value=", ".join(str(number + shift) for number in rows.names),
        declared=rows.names[-1],
        supporting=count,
        against=len(declared) - count,
        certain=count == len(declared),
        alternatives=() if count == len(declared) else (str(rows.names[-1]),),
    )
    return _shifted(rows, shift), evidence


def _shifted(rows: Rows, by: int) -> Rows:
    """The same parts so many rows further down."""
    first, last = rows.first, rows.last
    data = rows.data
    if first is not None:
        data = f"{max(1, first + by)}..{last + by if last and last > 0 else last or ''}"
    return msgspec.structs.replace(
        rows,
        names=tuple(number + by for number in rows.names or ()),
        units=rows.units and rows.units + by,
        labels=rows.labels and rows.labels + by,
        data=data,
    )
