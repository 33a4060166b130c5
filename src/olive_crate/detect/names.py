"""What the columns are called: the heading, or names given by the caller, made unique."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import PlanError
from ..plan import Plan
from ..sources import Source
from .heading import Row


def headings_of(plan: Plan, heading: Sequence[Row], fields: int, source: Source) -> tuple[str, ...]:
    """The heading of each column; empty where there is none."""
    if plan.names is not None:
        if len(plan.names) != fields:
            raise PlanError(
                f"names: {len(plan.names)} names for the {fields} columns of {source.name}"
            )
        return plan.names
    upper = [_spread(row.cells, fields) for row in heading[:-1]]
    lower = [padded_cells(row.cells, fields) for row in heading[-1:]]
    levels = [*upper, *lower]
    return tuple(
        " ".join(dict.fromkeys(part for level in levels if (part := level[column].strip())))
        for column in range(fields)
    )


def _spread(cells: Sequence[str], fields: int) -> list[str]:
    """A heading's upper row: a word stands over the empty cells to its right as well."""
    spread, last = [], ""
    for cell in padded_cells(cells, fields):
        last = cell if cell.strip() else last
        spread.append(last)
    return spread


def padded_cells(cells: Sequence[str], fields: int) -> list[str]:
    """As many cells as there are columns."""
    return [*cells[:fields], *[""] * (fields - len(cells))]


def unique_names(headings: Sequence[str]) -> tuple[list[str], list[str]]:
    """Names for columns: headings as written, made unique; and a note for each that was changed."""
    names: list[str] = []
    notes: list[str] = []
    taken = {heading for heading in headings if heading}
    for number, heading in enumerate(headings, 1):
        name = heading or f"column_{number}"
        if not heading or name in names:
            base, count = name, 2
            while name in names or (name in taken and name != heading) or name == heading:
                name, count = f"{base}_{count}", count + 1
            if heading:
                notes.append(f'column {number}: a second "{heading}" is called "{name}"')
        names.append(name)
    unnamed = [number for number, heading in enumerate(headings, 1) if not heading]
    if unnamed and any(headings):
        listed = ", ".join(map(str, unnamed[:5])) + (" …" if len(unnamed) > 5 else "")
        notes.append(f"no heading for column {listed}: named by position")
    return names, notes
