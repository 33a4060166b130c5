"""The columns of a source matched with the declarations of a plan, before a cell is read."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from ..columns.search_start import search_for
from ..declaration.variable import Variable
from ..errors import PlanError
from ..evidence import Note
from ..layouts.base import SourceLayout
from ..layouts.text.names import unique_names
from ..plan.declaring import called, with_heading
from ..plan.naming import ordered, plain_names
from ..plan.selecting import resolve
from .matching import columns_of, notes_on
from .state import ColumnReader, Reading

DATE_FORM = re.compile(r"([dmyhsj]{1,4}[-./: ]?){2,6}", re.IGNORECASE)
BRACKETS = {("(", ")"), ("[", "]")}


def prepare(found: SourceLayout) -> Reading:
    """Match the plan's declarations to the columns. Raises `PlanError` for one without a column."""
    plan = found.plan
    names, renamed = unique_names(found.headings)
    columns = columns_of(plan, names, found.headings, found.source.name)
    notes: list[Note] = [*renamed, *notes_on(plan, columns, names)]
    variables = _matched(found, names, columns)
    if plan.plain_names:
        longest = None if plan.plain_names is True else int(plan.plain_names)
        variables, taken = _made_plain(variables, columns, longest)
        notes += taken
    notes += plan.notes
    known = [each.name for each in variables]
    kept = resolve(plan.keep, known) if plan.keep is not None else known
    if plan.order is not None:
        kept = ordered([name for name in resolve(plan.order, known) if name in kept], kept)
    layout = found.layout.with_types([each.type for each in variables])
    found = msgspec.structs.replace(found, layout=layout)
    places = {name: index for index, name in enumerate(known)}
    readers = [_reader(found, places[name], variables[places[name]]) for name in kept]
    kept_names = set(kept)
    left = tuple(name for name in known if name not in kept_names)
    return Reading(found, readers, left, notes)


def _reader(found: SourceLayout, index: int, variable: Variable) -> ColumnReader:
    column = found.layout.column(index)
    if column.implied_decimals:
        if variable.type == "integer":
            raise PlanError(
                f'"{variable.name}": an integer has no decimals, but '
                f"{column.implied_decimals} are implied"
            )
        if variable.decimals is None:
            variable = msgspec.structs.replace(variable, decimals=column.implied_decimals)
    search = search_for(found.plan, variable, column)
    return ColumnReader(index, variable, search, column.shown_decimals)


def _matched(
    found: SourceLayout, names: Sequence[str], by_column: dict[int, Variable]
) -> list[Variable]:
    """A declaration for each column: the plan's, or what heading, labels and units say."""
    variables = []
    for index, name in enumerate(names):
        declared = by_column.get(index) or Variable(name)
        heading = found.headings[index] or name
        variables.append(
            msgspec.structs.replace(
                declared,
                from_=declared.from_ or (heading if heading != declared.name else None),
                type=declared.type or found.plan.type,
                label=declared.label or found.labels[index] or None,
                unit=declared.unit or _bare(found.units[index]) or None,
            )
        )
    seen: set[str] = set()
    for variable in variables:
        if variable.name in seen:
            raise PlanError(f'two columns would be called "{variable.name}"; rename one')
        seen.add(variable.name)
    return variables


def _made_plain(
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


def _bare(unit: str) -> str:
    """A unit without the brackets around it; a form of dates (`dd.mm.yyyy`) is not a unit."""
    wrapped = len(unit) > 2 and (unit[0], unit[-1]) in BRACKETS
    bare = unit[1:-1].strip() if wrapped else unit
    return "" if DATE_FORM.fullmatch(bare) else bare
