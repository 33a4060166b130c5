"""The columns of a source matched with the declarations of a plan, before a cell is read."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, cast

import msgspec
import pyarrow as pa

from ..columns.flags import flag_variable
from ..columns.outcome import Outcome, flag_search, search_for
from ..columns.search import TypeSearch
from ..dataset.model import PlainDataset
from ..declaration.patterns import late
from ..declaration.promises import CLOSING, Promised, checkable
from ..declaration.variable import NUMERIC, Type, Variable
from ..errors import PlanError, nearest, several
from ..evidence import (
    ClosingRows,
    Evidence,
    Example,
    MovedColumns,
    Note,
    PromiseNotChecked,
    UndeclaredColumns,
)
from ..kernels.types import Ints
from ..layouts.base import SourceLayout, Tally
from ..layouts.text.cells import unique_names
from ..plan.declaring import called, with_heading
from ..plan.model import Decisions, DelimitedSection
from ..plan.naming import ordered, plain_names
from ..plan.selecting import resolve

if TYPE_CHECKING:
    from .promises import PromiseCheck

DATE_FORM = late(r"([dmyhsj]{1,4}[-./: ]?){2,6}", re.IGNORECASE)
Read = Callable[[SourceLayout], PlainDataset]
BRACKETS = {("(", ")"), ("[", "]")}


def prepare(
    found: SourceLayout,
    columns: dict[int, Variable] | None = None,
    errors: Mapping[str, tuple[str, ...]] | None = None,
) -> Reading:
    """Match the plan's declarations to the columns. Raises `PlanError` for one without a column.

    With `columns` they are matched already, and nothing is noted of how; `errors` are then the
    error values of the whole set, by variable.
    """
    plan = found.plan
    names, notes = unique_names(found.headings)
    if columns is not None:
        notes = []
    elif plan.variables:
        columns = columns_of(plan, names, found.headings, found.source.name)
        notes = [*notes, *notes_on(plan, columns, names)]
    else:
        columns = {}
    variables = matched(found, names, columns)
    if plan.plain_names:
        longest = None if plan.plain_names is True else int(plan.plain_names)
        variables, taken = made_plain(variables, columns, longest)
        notes += taken
    notes += plan.notes
    known = [each.name for each in variables]
    kept = resolve(plan.keep, known) if plan.keep is not None else known
    if plan.order is not None:
        are_kept = set(kept)
        kept = ordered([name for name in resolve(plan.order, known) if name in are_kept], kept)
    layout = found.layout.with_types([each.type for each in variables])
    found = msgspec.structs.replace(found, layout=layout)
    places = {name: index for index, name in enumerate(known)}
    readers = []
    for name in kept:
        readers.append(_reader(found, places[name], variables[places[name]], errors))
        if variables[places[name]].flags:
            readers.append(_flag_reader(readers[-1], variables, plan))
    kept_names = set(kept)
    left = tuple(name for name in known if name not in kept_names)
    asked = tuple(sorted({each.index for each in readers}))
    return Reading(found, readers, asked, left, list(notes))


def _reader(
    found: SourceLayout,
    index: int,
    variable: Variable,
    errors: Mapping[str, tuple[str, ...]] | None = None,
) -> ColumnReader:
    column = found.layout.column(index)
    if errors is not None:
        column = msgspec.structs.replace(column, errors=errors.get(variable.name, ()))
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


def _flag_reader(
    reader: ColumnReader, variables: Sequence[Variable], plan: Decisions
) -> ColumnReader:
    """The variable with the flags of another one, as the plan declares it if it does."""
    variable = flag_variable(reader.variable)
    if any(each.name == variable.name for each in variables):
        raise PlanError(
            f'"{reader.variable.name}": its flags would be named "{variable.name}", as another '
            "variable is; rename that one"
        )
    given = next((each for each in plan.variables if each.name == variable.name), None)
    if given is not None:
        variable = msgspec.structs.replace(
            given, type="category", label=given.label or variable.label
        )
    return ColumnReader(reader.index, variable, flag_search(reader.search))


def matched(
    found: SourceLayout, names: Sequence[str], by_column: dict[int, Variable]
) -> list[Variable]:
    """A declaration for each column: the plan's, or what heading, labels and units say."""
    variables, of_all = [], cast("Type | None", found.plan.type)
    for index, name in enumerate(names):
        declared = by_column.get(index)
        heading, label = found.headings[index] or name, found.labels[index] or None
        unit = _bare(each) if (each := found.units[index]) else None
        if declared is None:
            written = heading if heading != name else None
            made = Variable(name, from_=written, type=of_all, label=label, unit=unit)
        else:
            made = msgspec.structs.replace(
                declared,
                from_=declared.from_ or (heading if heading != declared.name else None),
                type=declared.type or of_all,
                label=declared.label or label,
                unit=declared.unit or unit,
            )
        variables.append(made)
    seen: set[str] = set()
    for variable in variables:
        if variable.name in seen:
            raise PlanError(f'two columns would be named "{variable.name}"; rename one')
        seen.add(variable.name)
    return variables


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


def _bare(unit: str) -> str | None:
    """A unit without the brackets around it; a form of dates (`dd.mm.yyyy`) is not a unit."""
    wrapped = len(unit) > 2 and (unit[0], unit[-1]) in BRACKETS
    bare = unit[1:-1].strip() if wrapped else unit
    return None if DATE_FORM.fullmatch(bare) else bare or None


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


class ColumnReader(msgspec.Struct, eq=False, gc=False):
    """One column of the source on its way to a variable."""

    index: int
    variable: Variable
    search: TypeSearch
    shown_decimals: int | None = None
    """As many as the number format of a sheet's column shows."""
    problems: list[tuple[Ints, pa.Array]] = msgspec.field(default_factory=list)

    def outcome(self) -> Outcome:
        """What the search has settled by now."""
        kind = self.search.final_kind()
        return Outcome(self.variable, self.search, kind, self.shown_decimals)


class Reading(msgspec.Struct, eq=False):
    """A source with its layout, and its columns while they are read."""

    found: SourceLayout
    columns: list[ColumnReader]
    asked: tuple[int, ...]
    """The columns of the source that variables are made of."""
    not_kept: tuple[str, ...]
    notes: list[Note]
    tally: Tally = msgspec.field(default_factory=Tally)
    case_names: dict[int, str] = {}
    """What the cases of rows with problems are called, where the source has a key."""
    proof: Example | None = None
    """A number that shows which of two decimal marks is the right one."""

    def with_rows(self, evidence: Evidence) -> Evidence:
        """The evidence with its rows counted from the start, where it counts them from the end."""
        end = self.tally.lines + 1
        examples = [Example(e.row + end if e.row < 0 else e.row, e.text) for e in evidence.examples]
        return msgspec.structs.replace(evidence, examples=tuple(examples))


def promise_check(reading: Reading, read: Read) -> PromiseCheck | None:
    """The check of all promises; `None` where there is none. `read` reads a row with a total.

    What cannot be judged by a part of the variables or rows is left out, and noted.
    """
    plan = reading.found.plan
    variables = [each.variable for each in reading.columns]
    if plan.promised == Promised() and not any(
        each.required or each.promised for each in variables
    ):
        return None
    from .promises import PromiseCheck

    promised, left = checkable(plan.promised, reading.not_kept, plan.limit is not None)
    for each in left:
        note = PromiseNotChecked(promise=each.promise, names=each.names, lacking=each.lacking)
        if note not in reading.notes:
            reading.notes.append(note)
    if promised.totals == CLOSING:
        promised = msgspec.structs.replace(promised, totals=_all_in_closing(reading))
    assert not isinstance(promised.totals, str)
    totals = {
        name: _total_in_source(reading, name, total, read)
        for name, total in promised.totals.items()
        if isinstance(total, str)
    }
    return PromiseCheck(promised, variables, totals)


def _all_in_closing(reading: Reading) -> dict[str, int | float | str]:
    """The variables for which the total that closes the data has a number."""
    named = _closing_total(reading)
    return {
        each.variable.name: CLOSING
        for each in reading.columns
        if named.get(each.variable.name) is not None and each.variable.type in (None, *NUMERIC)
    }


def _closing_total(reading: Reading) -> dict[str, float | int | None]:
    """The numbers in the total that closes the data, by variable. Raises `PlanError` for none."""
    found = reading.found
    closing = next((each for each in found.evidence if isinstance(each, ClosingRows)), None)
    if closing is None or not closing.cells:
        raise PlanError(
            f"promised.totals: {found.source.name} has no total that closes the data; "
            "give the numbers, or leave the promise out"
        )
    section = found.plan.delimited
    return {
        each.variable.name: _as_number(closing.cells[each.index], section)
        for each in reading.columns
        if each.index < len(closing.cells)
    }


def _as_number(cell: str, section: DelimitedSection) -> float | int | None:
    """The number in a cell, by the plan's decimal and grouping marks."""
    text = cell.strip().replace(section.grouping or "\u00a0", "").replace(" ", "")
    text = text.replace(section.decimal or ".", ".")
    try:
        return int(text) if text.lstrip("+-").isdigit() else float(text)
    except ValueError:
        return None


def _total_in_source(reading: Reading, name: str, where: str, read: Read) -> float | int:
    """A control total that is in a row of the source, read as a cell of its variable."""
    found = reading.found
    kept = [each.variable.name for each in reading.columns]
    if name not in kept:
        raise PlanError(f'promised.totals: there is no variable "{name}"{nearest(name, kept)}')
    if where == CLOSING:
        total = _closing_total(reading).get(name)
        if total is None:
            raise PlanError(f"promised.totals.{name}: the closing row has no number for it")
        return total
    row, replace = int(where.removeprefix("row ")), msgspec.structs.replace
    alone = replace(found.plan, keep=(name,), order=None, promised=Promised(), limit=None)
    layout = found.layout.only_rows(row, row)
    column = read(replace(found, plan=alone, layout=layout)).columns[name]
    value = column.values[0].as_py() if len(column) == 1 else None
    if not isinstance(value, (int, float)):
        raise PlanError(f"promised.totals.{name}: {where} has no number for it")
    return value
