"""The variables that a plan declares, fitted to the columns of a file."""

from __future__ import annotations

from collections.abc import Sequence

from ..columns.flags import flag_variable
from ..declaration.variable import Variable
from ..errors import PlanError, several
from ..evidence import MovedColumns, Note, UndeclaredColumns
from ..plan.declaring import called, with_heading
from ..plan.model import Decisions
from ..plan.naming import plain_names


def columns_of(
    plan: Decisions, names: Sequence[str], headings: Sequence[str], source: str
) -> dict[int, Variable]:
    """The declared variable of each column that has one, by its heading, else by its name.

    Raises `PlanError` with all differences if a declared variable has no column.
    """
    found, lost = placed(plan, names, headings)
    if lost:
        raise PlanError(differences(source, lost, found, names))
    return found


def placed(
    plan: Decisions, names: Sequence[str], headings: Sequence[str]
) -> tuple[dict[int, Variable], list[Variable]]:
    """The declared variable of each column that has one, and those without a column.

    Raises `PlanError` for a variable of several headings of which two are there.
    """
    places = {name: index for index, name in reversed(list(enumerate(names)))}
    by_heading = {each: index for index, each in reversed(list(enumerate(headings))) if each}
    found: dict[int, Variable] = {}
    lost: list[Variable] = []
    beside = {flag_variable(each).name for each in plan.variables if each.flags}
    for variable in plan.variables:
        if variable.name in beside and variable.name not in places:
            continue
        if variable.name in (plan.file_as, plan.row_as):
            continue
        index = places.get(variable.name)
        if variable.from_ is not None:
            heading = _heading_in(variable, by_heading)
            own = index is not None and index not in found and headings[index] == heading
            index = index if own else by_heading.get(heading, places.get(heading))
        if index is None or index in found:
            lost.append(variable)
        else:
            found[index] = variable
    return found, lost


def _heading_in(variable: Variable, by_heading: dict[str, int]) -> str:
    """Which of its headings a variable has in a file."""
    there = [each for each in variable.headings if each in by_heading]
    if len(there) > 1:
        listed = " and ".join(f'"{each}"' for each in there)
        raise PlanError(
            f'"{variable.name}": the file has {listed}; only one of several headings may be there'
        )
    return there[0] if there else variable.heading


def differences(
    source: str, lost: Sequence[Variable], found: dict[int, Variable], names: Sequence[str]
) -> str:
    """One report of everything that keeps the plan from fitting."""
    free = [name for index, name in enumerate(names) if index not in found]
    if len(lost) == 1:
        return f'{source}: no column is named "{lost[0].heading}"{_meant(lost[0], free or names)}'
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


def made_plain(
    variables: Sequence[Variable], by_column: dict[int, Variable], longest: int | None
) -> tuple[list[Variable], Sequence[Note]]:
    """Variables under plain names, apart from those that the plan itself names."""
    own = [each.name for index, each in enumerate(variables) if index in by_column]
    free = [index for index in range(len(variables)) if index not in by_column]
    made, notes = plain_names([*own, *(variables[each].heading for each in free)], longest)
    changed = list(variables)
    for index, name in zip(free, made[len(own) :], strict=True):
        if name != changed[index].name:
            changed[index] = called(with_heading(changed[index]), name)
    return changed, notes
