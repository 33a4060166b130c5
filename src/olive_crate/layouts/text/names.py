"""The names that the rows of a heading give to columns."""

from __future__ import annotations

from collections.abc import Sequence

from ...errors import PlanError
from ...evidence import Note, RenamedColumn, UnnamedColumns
from ...plan.model import Decisions
from ...sources.source import Source
from ..base import Row


def headings_of(
    plan: Decisions, heading: Sequence[Row], fields: int, source: Source
) -> tuple[str, ...]:
    """The heading of each column; empty where there is none."""
    if plan.names is not None:
        if len(plan.names) != fields:
            raise PlanError(
                f"names: {len(plan.names)} names for the {fields} columns of {source.name}"
            )
        return plan.names
    if len(heading) == 1 and len(heading[0].cells) == fields:
        return tuple(map(str.strip, heading[0].cells))
    upper = [_spread(row.cells, fields) for row in heading[:-1]]
    lower = [_last_level(row.cells, fields) for row in heading[-1:]]
    levels = [*upper, *lower]
    return tuple(
        " ".join(dict.fromkeys(part for level in levels if (part := level[column].strip())))
        for column in range(fields)
    )


def names_from_second(cells: Sequence[str], fields: int) -> bool:
    """Does a heading one name short leave the first column nameless?"""
    return len(cells) == fields - 1 and all(cell.strip() for cell in cells)


def _last_level(cells: Sequence[str], fields: int) -> list[str]:
    if names_from_second(cells, fields):
        return ["", *cells]
    return padded_cells(cells, fields)


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


def unique_names(headings: Sequence[str]) -> tuple[list[str], list[Note]]:
    """Names for columns: headings as written, made unique; and a note on each one changed."""
    names: list[str] = []
    notes: list[Note] = []
    taken = {heading for heading in headings if heading}
    used: set[str] = set()
    for number, heading in enumerate(headings, 1):
        name = heading or f"column_{number}"
        if not heading or name in used:
            name = _free_name(name, heading, used, taken)
            if heading:
                notes.append(RenamedColumn(column=number, heading=heading, name=name))
        names.append(name)
        used.add(name)
    unnamed = tuple(number for number, heading in enumerate(headings, 1) if not heading)
    if unnamed and any(headings):
        notes.append(UnnamedColumns(columns=unnamed))
    return names, notes


def _free_name(base: str, heading: str, used: set[str], taken: set[str]) -> str:
    """A name that no other column has, made of this one and a number."""
    name, count = base, 2
    while name in used or (name in taken and name != heading) or name == heading:
        name, count = f"{base}_{count}", count + 1
    return name
