"""The files of a set side by side, before their data are read: layouts, headings, differences.

Each file is looked at like a single one. What differs between files without changing what a cell
means (encoding, delimiter, decimal mark, where the heading is, the order of columns) is settled for
each by itself and noted. What cannot be told (a heading that may be another's new name, another
unit) becomes evidence that is not certain.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence

import msgspec

from ...declaration.variable import Variable
from ...errors import (
    LayoutError,
    OliveCrateError,
    PlanError,
    SourceError,
    UnreadableError,
    several,
)
from ...evidence import (
    DecimalMark,
    EmptyFiles,
    Evidence,
    FileSetAside,
    FilesLeftOut,
    Note,
)
from ...layouts.base import Before, Preview, SourceLayout
from ...layouts.text.cells import unique_names
from ...plan.model import Decisions
from ...plan.naming import ordered
from ...plan.selecting import resolve
from ...sources.opening import open_source
from ...sources.sets import Files, Member
from ...sources.source import Source
from ..fitting import differences, made_plain, placed
from ..preparing import matched
from ..single_pass import with_fallback
from ..source_columns import wanted_names
from .differences import (
    FileFound,
    absent_notes,
    differing_notes,
    renamed_variables,
    unit_evidence,
    unlike_files,
)

FAULTS = (SourceError, LayoutError, UnreadableError)
"""What makes a file be set aside, if that is wanted."""


class Survey(msgspec.Struct, eq=False):
    """All files of a set, found."""

    plan: Decisions
    files: list[FileFound]
    variables: tuple[Variable, ...]
    """Those that are read, in the order of the dataset; types as far as they are declared."""
    not_kept: tuple[str, ...]
    set: Files
    notes: list[Note]
    evidence: list[Evidence]
    errors: dict[str, tuple[str, ...]]
    """Texts that workbooks have in the place of a value, by variable."""
    parts: tuple[str, ...] = ()
    """The words for parts of the files' names that become variables."""


def survey(
    files: Files,
    plan: Decisions,
    each_done: Callable[[int], None] = lambda count: None,
    known: Sequence[Variable] = (),
    known_parts: Iterable[str] = (),
) -> Survey:
    """Find the layout of every file, and what the files have in common.

    `known` are variables that other files of the set have, and `known_parts` are those that come
    from their names. Raises what a single file would raise,
    unless the plan says to set such files aside.
    """
    found: list[FileFound] = []
    aside: list[Note] = []
    for place, member in enumerate(files):
        try:
            found.append(find_file(member, place, plan))
        except FAULTS as error:
            aside.append(set_aside(plan, member, error))
        each_done(place + 1)
    if not found:
        raise SourceError(f"none of the {len(files)} files could be read: {aside[0]}")
    return compared(files, plan, found, aside, known, known_parts)


def set_aside(plan: Decisions, member: Member, error: OliveCrateError) -> Note:
    """The note of a file that is left out; raises the error where that is not wanted."""
    if plan.on_error != "set aside":
        raise error
    return FileSetAside(file=member.name, why=str(error))


def plan_for(plan: Decisions, member: Member) -> Decisions:
    """The plan of the set as that of one of its files."""
    replace = msgspec.structs.replace
    path = member.source if isinstance(member.source, str) else None
    source = replace(plan.source, path=path, paths=None)
    sheet = plan.sheet
    if member.sheet:
        sheet = replace(sheet, sheet=member.sheet)
    return replace(plan, source=source, base=None, sheet=sheet, keep=None, order=None)


def find_file(member: Member, place: int, plan: Decisions, thorough: bool = True) -> FileFound:
    """The layout of one file. Raises what a single file would raise."""
    source = open_source(member.source, limits=plan.limits)
    if source.path is None and "://" not in source.name:
        source = msgspec.structs.replace(source, name=member.name)
    own = plan_for(plan, member)
    found = with_fallback(source, own, lambda at: at, before=Before(thorough))
    return file_found(member, place, source, msgspec.structs.replace(found, preview=_no_preview))


def _no_preview(count: int) -> Preview:
    raise LookupError("the head of this file was let go of")


def file_found(member: Member, place: int, source: Source, found: SourceLayout) -> FileFound:
    """A file with its columns matched to the declarations, as far as it has them."""
    names, _ = unique_names(found.headings)
    try:
        by_column, _ = placed(found.plan, names, found.headings)
    except PlanError as error:
        raise PlanError(f"{member.name}: {error}") from None
    variables = matched(found, names, by_column)
    return FileFound(member, place, source, found, dict(enumerate(variables)))


def compared(
    files: Files,
    plan: Decisions,
    found: list[FileFound],
    notes: list[Note],
    others: Sequence[Variable] = (),
    other_parts: Iterable[str] = (),
) -> Survey:
    """What the files have in common, and how they differ."""
    found = _with_marks(plan, _with_headings(plan, found))
    own_parts = (part for each in found for part in each.member.parts)
    parts = list(dict.fromkeys([*other_parts, *own_parts]))
    variables = _together(plan, found, others, parts)
    variables, made = _plain(plan, found, variables)
    _under_shared_names(found, variables)
    known = [each.name for each in variables]
    wanted = resolve(plan.keep, [*known, *parts]) if plan.keep is not None else [*known, *parts]
    kept = [name for name in wanted if name in set(known)]
    if plan.order is not None:
        first = resolve(plan.order, [*known, *parts])
        kept = ordered([name for name in first if name in kept], kept)
    by_name = {each.name: each for each in variables}
    left = FilesLeftOut(names=files.left_out)
    all_notes = [
        *notes,
        *([left] if files.left_out else []),
        *made,
        *differing_notes(found),
        *_empty(found),
        *absent_notes(
            [(each.member.name, set(each.names)) for each in found if each.columns], kept
        ),
    ]
    are_kept = set(kept)
    made_survey = Survey(
        plan,
        found,
        tuple(by_name[name] for name in kept),
        tuple(name for name in known if name not in are_kept),
        files,
        all_notes,
        [*unlike_files(found), *renamed_variables(found, known), *unit_evidence(found, known)],
        _errors(found),
        tuple(part for part in parts if part in set(wanted)),
    )
    _free_names(made_survey)
    return made_survey


def _empty(found: Sequence[FileFound]) -> list[Note]:
    """Files that hold nothing."""
    names = tuple(each.member.name for each in found if not each.columns)
    return [EmptyFiles(names=names)] if names else []


def _with_marks(plan: Decisions, found: list[FileFound]) -> list[FileFound]:
    """The files, with the decimal mark of the others where a file's own numbers leave it open."""
    marks = [_decimal(each) for each in found]
    known = {each.value for each in marks if each is not None and each.certain}
    if plan.delimited.decimal is not None or len(known) != 1:
        return found
    decimal = known.pop()
    return [
        each
        if mark is None or mark.certain or mark.value == decimal
        else _told_marks(plan, each, decimal, mark.value)
        for each, mark in zip(found, marks, strict=True)
    ]


def _decimal(file: FileFound) -> DecimalMark | None:
    held = (each for each in file.found.evidence if isinstance(each, DecimalMark))
    return next((each for each in held if each.supporting or each.unclear), None)


def _told_marks(plan: Decisions, file: FileFound, decimal: str, grouping: str) -> FileFound:
    """The file with these marks, unless the plan gives it another one between groups."""
    if plan.delimited.grouping not in (None, grouping):
        return file
    section = msgspec.structs.replace(plan.delimited, decimal=decimal, grouping=grouping)
    try:
        told = msgspec.structs.replace(plan, delimited=section)
        return find_file(file.member, file.place, told)
    except FAULTS:
        return file


def _with_headings(plan: Decisions, found: list[FileFound]) -> list[FileFound]:
    """The files, with a heading where only the other files show that the first row is one.

    In a column of words alone a heading looks like any other cell; but not if it is what the
    heading of most files is.
    """
    shapes = Counter(tuple(each.found.headings) for each in found)
    common = shapes.most_common(1)[0][0]
    usual = next(each for each in found if tuple(each.found.headings) == common)
    rows = usual.found.plan.rows.names
    if not rows or plan.rows.names is not None:
        return found
    return [
        each
        if each.found.plan.rows.names or tuple(each.found.headings) == common
        else _again(plan, each, rows, common)
        for each in found
    ]


def _again(
    plan: Decisions, file: FileFound, rows: tuple[int, ...], names: tuple[str, ...]
) -> FileFound:
    """The file with its heading in these rows, if that gives names of the other files."""
    replace = msgspec.structs.replace
    try:
        tried = find_file(
            file.member, file.place, replace(plan, rows=replace(plan.rows, names=rows))
        )
    except FAULTS:
        return file
    shared = set(names) & set(tried.found.headings)
    return tried if 2 * len(shared) > len(tried.found.headings) else file


def _together(
    plan: Decisions, found: Sequence[FileFound], others: Sequence[Variable], parts: Iterable[str]
) -> list[Variable]:
    """The variables of all files: those of the commonest shape first; `parts` come from names.

    Raises `PlanError` for a declared variable that no file has.
    """
    shapes = Counter(tuple(each.names) for each in found)
    common = shapes.most_common(1)[0][0]
    usual = next(each for each in found if tuple(each.names) == common)
    merged: dict[str, Variable] = {each.name: each for each in others}
    for each in [usual, *found]:
        for index in sorted(each.columns):
            variable = each.columns[index]
            known = merged.get(variable.name)
            merged[variable.name] = variable if known is None else _both(known, variable)
    exempt = merged.keys() | {*parts, plan.file_as or "", plan.row_as or ""}
    declared = [each for each in plan.variables if each.name not in exempt]
    lost = [each for each in declared if not _is_flag(each, plan)]
    if lost:
        names = list(usual.names)
        raise PlanError(differences(f"{several(len(found), 'file')}", lost, usual.columns, names))
    return list(merged.values())


def _is_flag(variable: Variable, plan: Decisions) -> bool:
    return any(variable.name == f"{each.name}_flag" for each in plan.variables if each.flags)


def _both(known: Variable, other: Variable) -> Variable:
    """One variable, as two files have it."""
    headings = tuple(dict.fromkeys([*known.headings, *other.headings]))
    alone = headings == (known.name,)
    return msgspec.structs.replace(
        known,
        from_=None if alone else headings[0] if len(headings) == 1 else headings,
        label=known.label or other.label,
        unit=known.unit or other.unit,
    )


def _plain(
    plan: Decisions, found: Sequence[FileFound], variables: list[Variable]
) -> tuple[list[Variable], Sequence[Note]]:
    """The variables under plain names, if the plan wants that."""
    if not plan.plain_names:
        return variables, []
    longest = None if plan.plain_names is True else int(plan.plain_names)
    declared = {each.name for each in plan.variables}
    own = {place: each for place, each in enumerate(variables) if each.name in declared}
    named, notes = made_plain(variables, own, longest)
    names = {old.name: new.name for old, new in zip(variables, named, strict=True)}
    for file in found:
        file.columns = {
            index: msgspec.structs.replace(each, name=names[each.name])
            for index, each in file.columns.items()
        }
    return named, notes


def _under_shared_names(found: Iterable[FileFound], variables: Sequence[Variable]) -> None:
    """Every file has the same declaration of a variable; only its heading is the file's own."""
    shared = {each.name: each for each in variables}
    for file in found:
        file.columns = {
            index: msgspec.structs.replace(shared[own.name], from_=own.from_)
            for index, own in file.columns.items()
        }


def _free_names(made: Survey) -> None:
    """Raise `PlanError` where a column is to be called as a variable is already."""
    taken = {each.name for each in made.variables}
    wanted = [(f"the part {{{part}}} of the files' names", part) for part in made.parts]
    for what, name in [*wanted, *wanted_names(made.plan)]:
        if name in taken:
            raise PlanError(f'{what}: a variable is named "{name}" already; choose another name')
        taken.add(name)


def _errors(found: Iterable[FileFound]) -> dict[str, tuple[str, ...]]:
    """Error values that workbooks hold, by variable, over all files."""
    held: dict[str, dict[str, None]] = {}
    for file in found:
        for index, variable in file.columns.items():
            errors = file.found.layout.column(index).errors
            if errors:
                held.setdefault(variable.name, {}).update(dict.fromkeys(errors))
    return {name: tuple(each) for name, each in held.items()}
