"""A plan met by a file: which declared variable is which column, and what differs.

Next month's file is seldom quite like this month's. All differences are told at once: declared
variables without a column (an error, with the column that was probably meant), and, as notes,
columns that the plan does not mention and columns that have moved.
"""

from __future__ import annotations

from collections.abc import Sequence

from ..declaration.variable import Variable
from ..errors import PlanError, several
from ..evidence import MovedColumns, Note, UndeclaredColumns
from ..plan.model import Decisions


def columns_of(
    plan: Decisions, names: Sequence[str], headings: Sequence[str], source: str
) -> dict[int, Variable]:
    """The declared variable of each column that has one, by its heading, else by its name.

    Raises `PlanError` with all differences if a declared variable has no column.
    """
    places = {name: index for index, name in reversed(list(enumerate(names)))}
    by_heading = {each: index for index, each in reversed(list(enumerate(headings))) if each}
    found: dict[int, Variable] = {}
    lost: list[Variable] = []
    for variable in plan.variables:
        index = places.get(variable.name)
        if variable.from_ is not None:
            own = index is not None and index not in found and headings[index] == variable.from_
            index = index if own else by_heading.get(variable.from_, places.get(variable.from_))
        if index is None or index in found:
            lost.append(variable)
        else:
            found[index] = variable
    if lost:
        raise PlanError(_differences(source, lost, found, names))
    return found


def _differences(
    source: str, lost: Sequence[Variable], found: dict[int, Variable], names: Sequence[str]
) -> str:
    """One report of everything that keeps the plan from fitting."""
    free = [name for index, name in enumerate(names) if index not in found]
    if len(lost) == 1:
        return f'{source}: no column is called "{lost[0].heading}"{_meant(lost[0], free or names)}'
    lines = [f"{source}: {several(len(lost), 'declared variable')} without a column"]
    lines += [f'  "{each.heading}"{_meant(each, free)}' for each in lost[:20]]
    if len(lost) > 20:
        lines.append(f"  and {len(lost) - 20} more")
    if free:
        shown = ", ".join(f'"{name}"' for name in free[:12])
        lines.append(f"columns that the plan does not mention: {shown}{' …' * (len(free) > 12)}")
    lines.append("rename them in the plan (from), or take the variables out of it")
    return "\n".join(lines)


def _meant(variable: Variable, names: Sequence[str]) -> str:
    from difflib import get_close_matches

    folded = {name.casefold(): name for name in names}
    close = get_close_matches(variable.heading.casefold(), folded, n=1, cutoff=0.6)
    if close:
        return f'; did you mean "{folded[close[0]]}"?'
    shown = ", ".join(f'"{name}"' for name in names[:12])
    return f"; the columns are {shown}{' …' * (len(names) > 12)}" if names else ""


def notes_on(plan: Decisions, found: dict[int, Variable], names: Sequence[str]) -> list[Note]:
    """What differs without being an error."""
    notes: list[Note] = []
    free = [name for index, name in enumerate(names) if index not in found]
    if plan.variables and plan.listed and free:
        notes.append(UndeclaredColumns(names=tuple(free)))
    order = {id(each): place for place, each in enumerate(plan.variables)}
    places = [order[id(found[index])] for index in sorted(found)]
    if plan.listed and places != sorted(places):
        as_planned = zip(sorted(found), places, sorted(places), strict=True)
        moved = tuple(found[index].name for index, own, other in as_planned if own != other)
        notes.append(MovedColumns(names=moved))
    return notes
