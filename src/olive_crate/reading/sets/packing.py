"""A set of files packed: each file into its parts, types by all of them, one account.

Files are read side by side, each by itself and in bounded memory. Where all of them together say
otherwise than one file took a variable, that file is read once more, by what all of them say. What
was finished is noted aside as it comes, so that a run that is killed goes on where it stopped.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path

import msgspec

from ...columns.search import Settled
from ...columns.search_result import SearchResult, of_file
from ...dataset.packed_set import STAGING, PackedSource, PartsBy, SetMetadata
from ...dataset.receipt import CellCounts, Receipt
from ...declaration.codes import NOT_IN_FILE
from ...declaration.variable import Variable
from ...errors import PlanError, SourceError, nearest
from ...evidence import FilesNotReached, Note, NotInFiles
from ...plan.model import Decisions
from ...plan.toml_write import tables_of
from ...sources.folder import Folder
from ...sources.sets import Files, Member, in_order
from ...workers import Progress
from ..source_columns import file_variable, row_variable
from .combining import Combined, combine, set_receipt
from .differences import FileFound, absent_notes
from .name_columns import NameColumn, name_cells, names_as_columns
from .part_task import Task, identity_of
from .survey import Survey, find_file, survey
from .threads import NO_PLACE
from .units import (
    Done,
    Runner,
    failed_places,
    put_units_together,
    removed,
    with_ranges,
)


class Packed(msgspec.Struct, eq=False):
    """A set packed, before its metadata is written."""

    metadata: SetMetadata
    receipt: Receipt


def pack_files(
    files: Files,
    plan: Decisions,
    folder: Folder,
    by: PartsBy,
    runner_of: Callable[[Survey], Runner],
    progress: Progress | None = None,
    kept: Sequence[PackedSource] = (),
    known: Sequence[Variable] = (),
    current: Mapping[str, Member] | None = None,
) -> Packed:
    """Read the files of a set into parts in a folder.

    `kept` are sources that were packed before and whose parts stay, with `known` variables; those
    that are still there are among `current`. Raises `SourceError` where one of them must be read
    again and is gone.
    """
    began = time.perf_counter()
    parts = [part for each in kept for part in each.name_parts]
    found = survey(
        files, plan, lambda n: _tell(progress, n, len(files), "looking at files"), known, parts
    )
    named = names_as_columns(found, kept, current or {})
    _refuse_unknown(by, found)
    whole = [_task(found, each, folder, by, named) for each in found.files]
    runner = runner_of(found)
    tasks, made = _done(found, whole, runner, folder, progress)
    notes = [each for each in made if isinstance(each, Note)]
    own = [(t, each) for t, each in zip(tasks, made, strict=True) if isinstance(each, PackedSource)]
    units = [*kept, *(each for _, each in own)]
    unit_tasks: list[Task | None] = [*([None] * len(kept)), *(task for task, _ in own)]
    combined = _combined(found, units)
    again = _stale(
        units, combined, {each.variable.name: each.variable.type or "text" for each in named}
    )
    if again:
        redo = [
            msgspec.structs.replace(
                unit_tasks[index]
                or _old_task(found, units[index], current or {}, folder, by, named),
                settled=whole,
            )
            for index, whole in again.items()
        ]
        redone = runner.each(redo, lambda n: _tell(progress, n, len(redo), "reading again"))
        for index, each in zip(again, redone, strict=True):
            if not isinstance(each, PackedSource):
                raise SourceError(f"{units[index].name}: could not be read again ({each})")
            units[index] = _redone(units[index], each)
            folder.write(f"{STAGING}/{each.identity}.json", msgspec.json.encode(units[index]))
    sources = _whole_files(found, units, unit_tasks, combined)
    combined = _combined(found, sources) if len(sources) < len(units) else combined
    if kept:
        sources.sort(key=lambda source: in_order(source.name))
    return _packed(found, sources, combined, named, notes, by, began, folder)


def _done(
    found: Survey,
    whole: Sequence[Task],
    runner: Runner,
    folder: Folder,
    progress: Progress | None,
) -> tuple[list[Task], list[Done]]:
    """All tasks with what came of them; files whose ranges failed are read as a whole."""
    if found.plan.limit is not None:
        return _up_to(found.plan.limit, whole, runner)
    tasks = with_ranges(found, whole, runner)
    made = runner.each(tasks, lambda n: _tell(progress, n, len(tasks), "packing files"))
    failed = failed_places(made, tasks)
    if not failed:
        return tasks, made
    for task, each in zip(tasks, made, strict=True):
        if task.place in failed and isinstance(each, PackedSource):
            removed(folder, each)
    instead = [task for task in whole if task.place in failed]
    second = iter(runner.each(instead, lambda n: _tell(progress, n, len(instead), "as a whole")))
    final: list[Task] = []
    results: list[Done] = []
    for task, each in zip(tasks, made, strict=True):
        if task.place not in failed:
            final.append(task)
            results.append(each)
        elif task.range is None or task.range.first:
            final.append(next(one for one in instead if one.place == task.place))
            results.append(next(second))
    return final, results


def _up_to(limit: int, whole: Sequence[Task], runner: Runner) -> tuple[list[Task], list[Done]]:
    """As many files as it takes to have so many rows, one after another."""
    tasks: list[Task] = []
    made: list[Done] = []
    left = limit
    for number, task in enumerate(whole):
        if left <= 0 and made:
            made.append(FilesNotReached(count=len(whole) - number))
            tasks.append(task)
            break
        plan = msgspec.structs.replace(task.plan, limit=left)
        own = msgspec.structs.replace(
            task, plan=plan, place=NO_PLACE, identity=f"{task.identity}-{left}"
        )
        tasks.append(own)
        made += runner.each([own], lambda count: None)
        left -= sum(each.rows for each in made[-1:] if isinstance(each, PackedSource))
    return tasks, made


def _whole_files(
    found: Survey,
    units: Sequence[PackedSource],
    tasks: Sequence[Task | None],
    combined: Mapping[str, Combined],
) -> list[PackedSource]:
    """The sources, those that were read in ranges put together."""
    files = {each.place: each for each in found.files}
    groups: dict[object, list[int]] = {}
    for index, task in enumerate(tasks):
        group = ("unit", index) if task is None or task.range is None else task.place
        groups.setdefault(group, []).append(index)
    made = []
    for place, indices in groups.items():
        held = [units[index] for index in indices]
        if len(held) == 1 or not isinstance(place, int):
            made += held
            continue
        kinds = {name: combined[name].kind_in(indices[0]) for name in held[0].results}
        made.append(put_units_together(held, kinds, files[place]))
    return made


def _tell(progress: Progress | None, done: int, total: int, what: str) -> None:
    if progress:
        progress(done, total, what)


def _task(
    found: Survey,
    file: FileFound,
    folder: Folder,
    by: PartsBy,
    named: Sequence[NameColumn],
) -> Task:
    name_parts = tuple(each.in_file(file.member.parts) for each in named)
    told = ((each.variable, each.text) for each in name_parts)
    names = tuple(repr(each) for each in (*found.variables, *told))
    return Task(
        file.member,
        file.place,
        found.plan,
        found.variables,
        found.errors,
        folder,
        by,
        identity_of(file.member, found.plan, by, names),
        name_parts,
    )


def _refuse_unknown(by: PartsBy, found: Survey) -> None:
    """Raise `PlanError` for parts by a variable that there is not."""
    known = [*(each.name for each in found.variables), *found.parts]
    for name in by.names:
        if name not in known:
            raise PlanError(f'by: there is no variable "{name}"{nearest(name, known)}')


def _old_task(
    found: Survey,
    source: PackedSource,
    current: Mapping[str, Member],
    folder: Folder,
    by: PartsBy,
    named: Sequence[NameColumn],
) -> Task:
    """The task of a source that was packed before. Raises `SourceError` if it is gone."""
    member = current.get(source.name)
    if member is None:
        raise SourceError(
            f"{source.name}: a variable must be taken again from all files, and this one is gone; "
            "bring it back, or pack without it"
        )
    member = msgspec.structs.replace(member, name=source.name)
    return _task(found, find_file(member, NO_PLACE, found.plan), folder, by, named)


def _combined(found: Survey, sources: Sequence[PackedSource]) -> dict[str, Combined]:
    """The type of each variable by all sources."""
    results: dict[str, dict[int, SearchResult]] = {}
    order = {each.name: each for each in found.variables}
    for index, source in enumerate(sources):
        for name, result in source.results.items():
            results.setdefault(name, {})[index] = of_file(result, index)
        for variable in source.variables:
            if variable.name not in order:
                order = _placed_behind(order, variable)
    names = [each.name for each in sources]
    return {
        name: combine(found, variable, results[name], names)
        for name, variable in order.items()
        if name in results
    }


def _placed_behind(order: Mapping[str, Variable], variable: Variable) -> dict[str, Variable]:
    """The variables with a further one: flags behind their own variable, others at the end."""
    made: dict[str, Variable] = {}
    for name, each in order.items():
        made[name] = each
        if variable.name == f"{name}_flag":
            made[variable.name] = variable
    return made | {variable.name: variable}


def _stale(
    sources: Sequence[PackedSource], combined: Mapping[str, Combined], named: Mapping[str, str]
) -> dict[int, dict[str, SearchResult]]:
    """The sources that must be read again, each with what its variables are.

    `named` has the types of parts of the files' names.
    """
    again: dict[int, dict[str, SearchResult]] = {}
    for index, source in enumerate(sources):
        kinds = {name: combined[name].kind_in(index) for name in source.results}
        stale = any(source.results[name].kind != kind for name, kind in kinds.items())
        if stale or source.name_types != named:
            again[index] = {
                name: msgspec.structs.replace(combined[name].search, state=Settled(kind))
                for name, kind in kinds.items()
            }
    return again


def _redone(before: PackedSource, after: PackedSource) -> PackedSource:
    """A source after its second reading, with what the first one has found out."""
    results = {
        name: msgspec.structs.replace(result, kind=after.results[name].kind)
        for name, result in before.results.items()
    }
    return msgspec.structs.replace(after, results=results)


def _packed(
    found: Survey,
    sources: list[PackedSource],
    combined: dict[str, Combined],
    named: Sequence[NameColumn],
    notes: Sequence[Note],
    by: PartsBy,
    began: float,
    folder: Folder,
) -> Packed:
    """The account of all, and the metadata of the set."""
    receipts = [Receipt.from_dict(msgspec.json.decode(each.receipt)) for each in sources]
    rows = sum(each.rows for each in sources)
    held: dict[str, list[CellCounts]] = {}
    for each in (count for own in receipts for count in own.cells):
        held.setdefault(each.name, []).append(each)
    cells = [_cells(name, each, held.get(name, ()), rows) for name, each in combined.items()]
    cells += [name_cells(each, sources) for each in named]
    beside = _file_and_row(found.plan)
    cells += [CellCounts(each.name, each.type or "text", rows, {}) for each in beside]
    found.notes = [each for each in found.notes if not isinstance(each, NotInFiles)]
    absent = absent_notes(
        [(each.name, set(each.results)) for each in sources if each.results], combined
    )
    receipt = set_receipt(found, receipts, cells, rows, began, combined.values(), [*absent, *notes])
    variables = [
        *(each.outcome.variable for each in combined.values()),
        *(each.variable for each in named),
    ]
    variables += beside
    metadata = SetMetadata(
        variables,
        by,
        tables_of(found.plan, Path(folder.address) if folder.is_local else None),
        sources,
        stored(receipt),
        rows,
        [each.name for each in found.variables],
    )
    return Packed(metadata, receipt)


def stored(receipt: Receipt) -> msgspec.Raw:
    """The account of all files as it is stored: those of each stand with its source."""
    return msgspec.Raw(msgspec.json.encode(msgspec.structs.replace(receipt, files=()).to_dict()))


def _cells(name: str, combined: Combined, held: Iterable[CellCounts], rows: int) -> CellCounts:
    """What the cells of a variable became, in all files; those that lack it have it missing."""
    valid, total, missing = 0, 0, Counter[str]()
    for each in held:
        valid += each.valid
        total += each.total
        missing.update(each.missing)
    if total < rows:
        missing[NOT_IN_FILE] = rows - total
    return CellCounts(name, combined.outcome.variable.type or "text", valid, dict(missing))


def _file_and_row(plan: Decisions) -> list[Variable]:
    """The variables for the file and the row of each case, as far as the plan asks for them."""
    asked = ((plan.file_as, file_variable), (plan.row_as, row_variable))
    return [variable(plan) for name, variable in asked if name is not None]
