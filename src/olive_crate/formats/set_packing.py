"""A set of files packed into a folder, or brought up to date there.

Parts are written aside. When all of them are whole they get their names, and the metadata file is
replaced last: until then the folder is what it was. Only files that the metadata named are removed.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from ..columns.column import Column
from ..dataset.packed_set import (
    METADATA,
    MOST_FOLDERS,
    STAGING,
    VERSION,
    PackedSource,
    PartsBy,
    Sealed,
    SetMetadata,
)
from ..dataset.receipt import Receipt
from ..dataset.update import Update
from ..declaration.promises import Promised
from ..errors import Advice, PlanError, SourceError, TargetError
from ..evidence import Note
from ..plan.model import Decisions
from ..plan.ownership import packed_content, remember_plan
from ..reading.sets.loading import judged_promises
from ..reading.sets.packing import Packed, pack_files, stored
from ..reading.sets.part_task import placed_at, relative_address
from ..reading.sets.survey import Survey
from ..reading.sets.threads import Threads
from ..reading.sets.units import Runner
from ..sources.folder import Folder
from ..sources.locking import locked
from ..sources.sets import Files, Member, member_of
from ..sources.writing import folder_beside, give_up_folder
from ..workers import Progress
from .packed import Packing
from .packed_set import metadata_of, opened, parts_of, plan_of
from .parquet import sum_of
from .part_files import PartFiles, too_many

LOCK = "_lock.json"
RunnerOf = Callable[[Survey], Runner]


def parts_by(value: Any) -> PartsBy:
    """What a set is to be divided by. Raises `PlanError` for what it cannot be."""
    if value is None or value == "file":
        return PartsBy()
    if isinstance(value, int) and not isinstance(value, bool) and value > 0:
        return PartsBy("rows", value)
    names = [value] if isinstance(value, str) else value
    if isinstance(names, (list, tuple)) and names and all(isinstance(n, str) for n in names):
        return PartsBy("values", 0, tuple(names))
    raise PlanError(
        f'by: expected "file", a number of rows, or the names of variables, got {value!r}'
    )


def threads(plan: Decisions, range_size: int | None = None) -> RunnerOf:
    """Whoever does the work in this process; large files in ranges of so many bytes."""
    return lambda found: Threads(
        PartFiles, {each.place: each for each in found.files}, plan, range_size
    )


def pack_set(
    files: Files,
    plan: Decisions,
    folder: Folder,
    by: PartsBy,
    replace: bool = False,
    runner_of: RunnerOf | None = None,
    progress: Progress | None = None,
) -> Receipt:
    """Pack a set into a folder, whole or not at all. Raises `TargetError` if it must not be."""
    try:
        old = _checked(folder, replace)
        with locked(folder, LOCK), _staged(folder):
            packed = pack_files(files, plan, folder, by, runner_of or threads(plan), progress)
            receipt = _in_place(folder, packed, old)
        _remember(folder, plan, packed)
        return receipt
    finally:
        folder.remove_empty("")


def _remember(folder: Folder, plan: Decisions, packed: Packed) -> None:
    """Remember that this run has written the plan of a set on this machine."""
    if folder.is_local:
        content = packed_content(packed.metadata.plan)
        remember_plan(plan, Path(folder.path(METADATA)), content)


def _checked(folder: Folder, replace: bool) -> SetMetadata | None:
    """The set that is in the folder; `TargetError` where one must not be packed there."""
    folder.make()
    old = metadata_of(folder)
    if old is not None and not replace:
        raise TargetError(
            f"{folder}: there is a packed set already",
            Advice(
                "use {} to bring it up to date, or overwrite it",
                "update=True or replace=True",
                "--update or --replace",
            ),
        )
    others = [name for name in folder.names() if name != LOCK]
    if old is None and others:
        held = ", ".join(others[:3])
        raise TargetError(f"{folder}: holds other files ({held}); name a new or an empty folder")
    return old


def _in_place(
    folder: Folder, packed: Packed, old: SetMetadata | None, gone: Sequence[PackedSource] = ()
) -> Receipt:
    """Give all parts their names, then the metadata; what nothing names any more is removed."""
    metadata = packed.metadata
    values = {
        tuple((each.text, each.reason) for each in part.constants.values())
        for source in metadata.sources
        for part in source.parts
    }
    if len(values) > MOST_FOLDERS:
        raise too_many(metadata.by)
    named = [part for source in metadata.sources for part in source.parts]
    for part in named:
        if folder.exists(f"{STAGING}/{part.path}"):
            folder.move(f"{STAGING}/{part.path}", part.path)
    receipt = _with_promises(folder, packed)
    if receipt is not packed.receipt:
        metadata.receipt = stored(receipt)
    made = msgspec.json.encode(metadata)
    sealed = Sealed(VERSION, sum_of(made), msgspec.Raw(made))
    folder.write(METADATA, msgspec.json.encode(sealed))
    kept = {part.path for part in named}
    for source in [*(old.sources if old else ()), *gone]:
        for part in source.parts:
            if part.path not in kept:
                folder.remove(part.path)
    folder.clear(STAGING)
    return receipt


@contextlib.contextmanager
def _staged(folder: Folder) -> Iterator[None]:
    """While parts wait aside: those of finished sources stay there if a run fails.

    So the next run goes on with the others. An interrupt leaves nothing, and neither does a run
    that has finished none.
    """
    try:
        yield
    except BaseException as error:
        finished = any(name.endswith(".json") for name in folder.names(STAGING))
        if isinstance(error, KeyboardInterrupt) or not finished:
            folder.clear(STAGING)
        raise


def _with_promises(folder: Folder, packed: Packed) -> Receipt:
    """The account of all, with what was promised of them held against the parts."""
    receipt = packed.receipt
    dataset = opened(folder, packed.metadata)
    given = dataset.plan.promised
    variables = dataset.variables
    if given == Promised() and not any(each.required or each.promised for each in variables):
        return receipt
    promises, notes = judged_promises(
        dataset.plan, variables, receipt.not_kept, pieces_of(dataset), dataset.source_rows
    )
    all_notes: tuple[Note, ...] = (*receipt.notes, *notes)
    return msgspec.structs.replace(receipt, promises=promises, notes=all_notes)


def pieces_of(dataset: Any) -> Any:
    """All columns of a dataset, piece by piece, together."""
    return zip(*(dataset.column_pieces(name) for name in dataset.names), strict=True)


def pack_to_file(
    files: Files, plan: Decisions, path: Any, replace: bool, progress: Progress | None = None
) -> Receipt:
    """Pack a set into one Parquet file, in bounded memory."""
    packing = Packing(path, replace)
    aside = Folder(folder_beside(packing.path))
    try:
        packed = pack_files(files, plan, aside, PartsBy(), threads(plan), progress)
        named = {part.path for source in packed.metadata.sources for part in source.parts}
        for path_of_part in named:  # a file that is listed twice has one part
            aside.move(f"{STAGING}/{path_of_part}", path_of_part)
        receipt = _with_promises(aside, packed)
        dataset = opened(aside, packed.metadata)
        parts = parts_of(aside, packed.metadata)
        missing = _missing(packed.metadata)
        types = [next(parts.column(each).pieces()).values.type for each in dataset.variables]
        packing.start(dataset.variables, types, missing)
        for columns in pieces_of(dataset):
            packing.write([_of_type(c, t) for c, t in zip(columns, types, strict=True)])
        packing.finish(dataset.variables, receipt, plan, dataset.source_rows)
        return receipt
    finally:
        packing.abandon()
        give_up_folder(Path(aside.address))


def _of_type(column: Column, kind: Any) -> Column:
    if column.values.type == kind:
        return column
    return msgspec.structs.replace(column, values=column.values.cast(kind))


def _missing(metadata: SetMetadata) -> dict[str, bool]:
    """The variables with missing cells in any part, and whether any of them are withheld."""
    missing: dict[str, bool] = {}
    for source in metadata.sources:
        for part in source.parts:
            for variable in metadata.variables:
                name = variable.name
                if name in part.reasons or name not in part.names:
                    missing[name] = missing.get(name, False) or name in part.withheld
    return missing


def update_set(
    files: Files | None,
    plan: Decisions | None,
    folder: Folder,
    forget_gone: bool = False,
    dry_run: bool = False,
    runner_of: RunnerOf | None = None,
    progress: Progress | None = None,
    trust: tuple[str, ...] = (),
) -> Update:
    """Read new and changed files into a packed set, by the plan that it was packed by.

    Raises `SourceError` where no set is there, or where a type turns out too narrow and a file that
    must be read again for it is gone; then nothing is changed.
    """
    old = metadata_of(folder)
    if old is None:
        raise SourceError(f"{folder}: there is no packed set to bring up to date")
    settled = plan or plan_of(folder, old, trust)
    if files is None:
        from ..reading.preparing import source_named

        named = source_named(settled, settled, {})
        files = named.files or Files([member_of(named.source)])
    pairs = _matched(files, old.sources, folder)
    new = [each for each, source in pairs if source is None]
    changed = [e for e, source in pairs if source is not None and not _is_same(e, source)]
    there = {id(source) for _, source in pairs}
    gone = [each for each in old.sources if id(each) not in there]
    told = Update(
        folder=str(folder),
        new=tuple(each.name for each in new),
        changed=tuple(each.name for each in changed),
        gone=tuple(each.name for each in gone),
        unchanged=len(files) - len(new) - len(changed),
        forgotten=forget_gone,
        dry=dry_run,
    )
    if dry_run or not (new or changed or (gone and forget_gone)):
        return told
    same = [(e, source) for e, source in pairs if source is not None and _is_same(e, source)]
    again = [*changed, *new]
    if not again:  # one file is read again, so that what all have in common is found
        if not same:
            raise TargetError(f"{folder}: all files are gone; nothing would be left of the set")
        again = [same.pop()[0]]
    kept = [source for _, source in same] + ([] if forget_gone else gone)
    how = _How(settled, folder, old, runner_of or threads(settled), progress)
    with locked(folder, LOCK), _staged(folder):
        return _updated(told, Files(again), how, kept, {s.name: each for each, s in same})


class _How(NamedTuple):
    """By what an update is made."""

    plan: Decisions
    folder: Folder
    old: SetMetadata
    runner_of: RunnerOf
    progress: Progress | None


def _matched(
    files: Files, sources: Sequence[PackedSource], folder: Folder
) -> list[tuple[Member, PackedSource | None]]:
    """Each file with the source that it was packed as: by its name, else by where it lies."""
    by_name = {(each.name, each.sheet): each for each in sources}
    by_place = {(placed_at(each.address, folder), each.sheet): each for each in sources}
    made = []
    for each in files:
        source = by_name.get((each.name, each.sheet))
        if source is None:
            place = placed_at(relative_address(each, folder), folder)
            source = by_place.get((place, each.sheet)) if place else None
        made.append((each, source))
    return made


def _updated(
    told: Update,
    files: Files,
    how: _How,
    kept: list[PackedSource],
    current: Mapping[str, Member],
) -> Update:
    """The set with these files read, and those kept; `current` are the files of kept sources."""
    known = _from_cells(how.old, kept)
    packed = pack_files(
        files, how.plan, how.folder, how.old.by, how.runner_of, how.progress, kept, known, current
    )
    before = {each.name: each.type or "text" for each in how.old.variables}
    after = {each.name: each.type or "text" for each in packed.metadata.variables}
    widened = tuple(
        (name, kind, after[name])
        for name, kind in before.items()
        if name in after and after[name] != kind
    )
    paths = {part.path for source in kept for part in source.parts}
    names = {each.name for each in kept}
    again = tuple(
        source.name
        for source in packed.metadata.sources
        if source.name in names and not all(part.path in paths for part in source.parts)
    )
    receipt = _in_place(how.folder, packed, how.old)
    _remember(how.folder, how.plan, packed)
    return msgspec.structs.replace(told, again=again, widened=widened, receipt=receipt)


def _from_cells(old: SetMetadata, kept: Sequence[PackedSource]) -> list[Any]:
    """The variables of the set that come from cells, as they were declared for reading."""
    held: dict[str, Any] = {}
    for source in kept:
        for each in source.variables:
            held.setdefault(each.name, each)
    order = [name for name in old.order if name in held]
    return [held[name] for name in order]


def _is_same(member: Member, source: PackedSource) -> bool:
    """Is a file as it was when it was packed, as far as size and time tell?"""
    known = member.size is not None and member.changed is not None
    return known and (member.size, member.changed) == (source.size, source.changed)
