"""What has to be known before a cell is read: the source that a call names, the plan to read it by,
and the columns matched with the plan's declarations."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import msgspec
import pyarrow as pa

from ..columns.outcome import Outcome, flag_search, search_for
from ..columns.search import TypeSearch
from ..declaration.patterns import late
from ..declaration.promises import CLOSING, Promised, checkable
from ..declaration.variable import NUMERIC, Type, Variable
from ..errors import PlanError, SourceError, nearest, several
from ..evidence import ClosingRows, Evidence, Example, Note, PromiseNotChecked
from ..kernels.types import Ints
from ..layouts.base import SourceLayout, Tally
from ..layouts.text.cells import unique_names
from ..plan.model import Decisions, DelimitedSection, with_options
from ..plan.selecting import resolve
from ..sources.addresses import is_address, is_web, kept_address
from ..sources.opening import is_set, open_source, recognised
from ..sources.sets import PATTERN, PLAN_FILE, Files, HoldsSeveral
from ..sources.source import Source

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset
    from .promises import PromiseCheck

    Read = Callable[[SourceLayout], PlainDataset]

DATE_FORM = late(r"(?:[dmyhsj]{1,4}[-./: ]?){2,6}")
BRACKETS = {("(", ")"), ("[", "]")}


class Named(msgspec.Struct, frozen=True):
    """What a call names: one source, or the files of a set; and the plan to read by."""

    one: Source | None
    files: Files | None
    plan: Decisions

    @property
    def source(self) -> Source:
        """The one source. Raises `SourceError` for a set, where one is asked for."""
        if self.one is None:
            raise SourceError(f"{several(len(self.files or ()), 'file')}, where one is asked for")
        return self.one


def source_named(source: Any, plan: Decisions, options: Mapping[str, Any]) -> Named:
    """The source, or the set of files, that is meant, and the plan with the options laid over it.

    `source` may be a plan, whose own source is then read.
    """
    if isinstance(source, (str, Path)) and str(source).endswith(PLAN_FILE):
        from ..plan.toml_read import read_decisions

        source = read_decisions(Path(source))
    is_plan = isinstance(source, Decisions)
    plan = source if is_plan else plan
    if options:
        from ..plan.options import OPTIONS  # a large table

        plan = with_options(plan, options, OPTIONS)
    given = plan.source_path() if is_plan else source
    one, files = opened_or_set(given, plan, by_user=given is source or plan.reach is None)
    if given is source:
        plan = _from_here(plan, source, files)
    if one is not None and one.sheet and plan.sheet.sheet is None:
        section = msgspec.structs.replace(plan.sheet, sheet=one.sheet)
        plan = msgspec.structs.replace(plan, sheet=section)
    if plan.fixed.fields is not None:
        from .dictionaries.applying import with_dictionary  # which reads tables by this very room

        plan = with_dictionary(plan)
    return Named(one, files, plan)


def opened_or_set(
    given: Any, plan: Decisions, by_user: bool = True
) -> tuple[Source | None, Files | None]:
    """One source, opened; or the files of a set. `by_user` is false for what a plan file names."""
    files = None
    try:
        if is_set(given):
            files = _files(given)
        else:
            copied = plan.source.keep_copy and isinstance(given, str) and is_web(given)
            opened = _copied(given, plan) if copied else open_source(given, by_user, plan.limits)
    except HoldsSeveral as held:
        from ..sources.file_sets import files_in

        files = files_in(held.name, held.members)
    if files is not None and not by_user and plan.reach is not None:
        paths = [each.source for each in files if isinstance(each.source, str)]
        for path in paths:  # a link in the folder may lead out of it
            if not is_address(path):
                plan.reach.check(os.path.abspath(path))
    sheet = plan.sheet.sheet
    if isinstance(sheet, tuple) or (isinstance(sheet, str) and PATTERN.search(sheet)):
        from .sets.sheets import sheets_of

        files = sheets_of(files if files is not None else _files([opened]), sheet)
    return (opened, None) if files is None else (None, files)


def _files(given: Any) -> Files:
    """The files of a set, which few sources are."""
    from ..sources.file_sets import files

    return files(given)


def _copied(address: str, plan: Decisions) -> Source:
    """A file on the web, of which the plan keeps a copy."""
    from ..sources.copies import with_copy

    return recognised(with_copy(address, plan.base or Path()), plan.limits)


def _from_here(plan: Decisions, source: Any, files: Files | None) -> Decisions:
    """The plan with the source that a call names, as far as that can be written down."""
    replace = msgspec.structs.replace
    if files is not None and not isinstance(source, (str, Path)) and plan.source.paths is None:
        named = replace(plan.source, path=None, paths=files.given or None)
        return replace(plan, source=named, base=None, reach=None)
    if isinstance(source, (str, Path)):
        path = kept_address(str(source)) if "://" in str(source) else str(source)
        named = replace(plan.source, path=path, paths=None)
        return replace(plan, source=named, base=None, reach=None)
    return plan


def source_and_plan(
    source: Any, plan: Decisions, options: Mapping[str, Any]
) -> tuple[Source, Decisions]:
    """The one source that is meant, and the plan with the options laid over it."""
    named = source_named(source, plan, options)
    return named.source, named.plan


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
        from .fitting import columns_of, notes_on

        columns = columns_of(plan, names, found.headings, found.source.name)
        notes = [*notes, *notes_on(plan, columns, names)]
    else:
        columns = {}
    variables = matched(found, names, columns)
    if plan.plain_names:
        from .fitting import made_plain

        longest = None if plan.plain_names is True else int(plan.plain_names)
        variables, taken = made_plain(variables, columns, longest)
        notes += taken
    notes += plan.notes
    known = [each.name for each in variables]
    kept = resolve(plan.keep, known) if plan.keep is not None else known
    if plan.order is not None:
        from ..plan.naming import ordered

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
    from ..columns.flags import flag_variable  # few plans have any

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


def _bare(unit: str) -> str | None:
    """A unit without the brackets around it; a form of dates (`dd.mm.yyyy`) is not a unit."""
    wrapped = len(unit) > 2 and (unit[0], unit[-1]) in BRACKETS
    bare = unit[1:-1].strip() if wrapped else unit
    small = bare.lower()
    is_form = not small.strip("dmyhsj-./: ") and DATE_FORM.fullmatch(small)
    return None if is_form else bare or None


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
