"""The record beside a packed dataset: of what source and plan it was made, and how that went.

A state of many tables is told from these small files and from the file system, and no packed
dataset is opened for it.
"""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from ..dataset.crates import Drift, PackedState, RelationState, SourceState, TableState
from ..dataset.receipt import Receipt
from ..declaration.converting import decoded
from ..errors import OliveCrateError, SourceError
from ..plan.model import Decisions
from ..sources.addresses import is_web, safe_address
from .model import CrateFile
from .place import Place
from .stamps import FileStamp, are_same, found_again, paths_of

RELATIONS = "packed/relations.json"
"""What was found of the relations when tables were read last."""
FAILED = "packed/{}.failed.json"
"""Why a table could not be read when that was tried last."""


class Record(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is known of one packed dataset without opening it."""

    plan_sum: str
    """SHA-256 of the plan, and of the codes that tables share, as they were."""
    files: tuple[FileStamp, ...] | None
    """The files that were read; `None` for what is not on this machine."""
    rows: int
    variables: int
    problems: int
    promises: int
    broken: int
    open_points: int
    drift: int
    """What was not as the plan says, and had not been told before."""
    refreshed: str
    told: tuple[Drift, ...] = ()
    """All that was not as the plan says."""


class Failure(msgspec.Struct, frozen=True):
    """Why a table could not be read."""

    error: str
    when: str


def now() -> str:
    """The time in UTC, to the second."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def record_of(
    receipt: Receipt,
    variables: int,
    plan_sum: str,
    files: tuple[FileStamp, ...] | None,
    told: tuple[Drift, ...],
    before: Record | None,
) -> Record:
    """The record of a dataset that was packed just now, after another one."""
    return Record(
        plan_sum=plan_sum,
        files=files,
        rows=receipt.rows,
        variables=variables,
        problems=receipt.problem_count,
        promises=len(receipt.promises),
        broken=sum(not each.kept for each in receipt.promises),
        open_points=sum(not each.certain for each in receipt.decided),
        drift=len(new_drift(told, before)),
        refreshed=now(),
        told=told,
    )


def new_drift(told: tuple[Drift, ...], before: Record | None) -> tuple[Drift, ...]:
    """What was not as the plan says this time, but was before; nothing for a first time."""
    return () if before is None else tuple(each for each in told if each not in before.told)


def record_path(packed: str) -> str:
    """Where the record of a packed dataset lies."""
    return f"{packed.removesuffix('.parquet')}.json"


def record_at(place: Place, packed: str) -> Record | None:
    """The record of a packed dataset; `None` where there is none that can be read."""
    if not packed:
        return None
    try:
        return decoded(place.path(record_path(packed)).read_bytes(), Record)
    except (OSError, ValueError, msgspec.MsgspecError):
        return None


def plan_sum(path: Path, crate: CrateFile) -> str:
    """A hash of a plan file, and of the codes that all tables share."""
    try:
        return sum_of_plan(path.read_bytes(), crate)
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror}") from None


def sum_of_plan(text: bytes, crate: CrateFile) -> str:
    """The same of a plan file with this content."""
    shared = msgspec.json.encode([crate.meaning_sets, crate.missing], order="sorted")
    return hashlib.sha256(text + shared).hexdigest()


def state_of(place: Place, name: str, online: bool = False) -> TableState:
    """How a table stands."""
    entry = place.entry(name)
    record = record_at(place, entry.packed)
    packed, changed = _packed_state(place, name, record)
    error = _failure(place, name)
    known = TableState(name, "", "unreachable", packed, plan_changed=changed, error=error)
    if record is not None:
        shared = {*Record.__struct_fields__} & {*TableState.__struct_fields__}
        parts = {each: getattr(record, each) for each in shared}
        known = msgspec.structs.replace(known, **parts)
    try:
        plan = place.plan(name)
        source, state, moved = _source_state(place, plan, record, online)
    except OliveCrateError as error:
        return msgspec.structs.replace(known, error=known.error or str(error))
    stale = state in ("changed", "moved") and packed == "packed"
    return msgspec.structs.replace(
        known,
        source=source,
        source_state=state,
        moved_to=moved,
        packed="stale" if stale else packed,
    )


def _packed_state(place: Place, name: str, record: Record | None) -> tuple[PackedState, bool]:
    """Whether there is a packed dataset, and whether its plan has changed since."""
    entry = place.entry(name)
    if not entry.packed:
        return "not packed", False
    if not place.sealed and not place.path(entry.packed).is_file():
        return "gone", False
    try:
        changed = record is None or record.plan_sum != plan_sum(place.path(entry.plan), place.file)
    except SourceError:
        changed = True
    return ("stale" if changed else "packed"), changed


def _source_state(
    place: Place, plan: Decisions, record: Record | None, online: bool
) -> tuple[str, SourceState, str]:
    """What the plan names, how that stands, and where it lies now if it was moved."""
    source = _named(plan)
    if place.sealed:
        return source, "not asked", ""
    plan.source_path()  # which says what the plan may not open
    try:
        paths = paths_of(plan)
    except SourceError:  # a pattern that finds nothing
        paths = []
    if paths is None:
        return source, _asked(plan) if online else "not asked", ""
    files = None if record is None else record.files
    if paths and all(each.exists() for each in paths):
        is_same = files is not None and are_same(paths, files)
        return source, "unchanged" if is_same else "changed", ""
    found = found_again(place.folder, files[0]) if files is not None and len(files) == 1 else None
    if found is None:
        return source, "gone", ""
    return source, "moved", found.relative_to(place.folder).as_posix()


def _named(plan: Decisions) -> str:
    """What a plan names, as it may be shown."""
    named = plan.source.paths or [plan.source.path or ""]
    return ", ".join(map(safe_address, named))


def _asked(plan: Decisions) -> SourceState:
    """Does what is on the web, or a database, answer?"""
    from ..sources.opening import open_source

    try:
        given = plan.source_path()
        opened = open_source(given, plan.reach is None)
        if opened.database is not None:
            from ..sources.database import Session

            Session(opened).close()
        elif isinstance(given, str) and is_web(given):
            opened.head(1)
    except OliveCrateError:
        return "unreachable"
    return "reachable"


def _failure(place: Place, name: str) -> str:
    try:
        return decoded(place.path(FAILED.format(name)).read_bytes(), Failure).error
    except (OSError, ValueError, msgspec.MsgspecError):
        return ""


def relations_at(place: Place) -> tuple[RelationState, ...]:
    """What was found of the relations that are declared now, when tables were read last."""
    try:
        found = decoded(place.path(RELATIONS).read_bytes(), tuple[RelationState, ...])
    except (OSError, ValueError, msgspec.MsgspecError):
        found = ()
    known = {each.relation: each for each in found}
    return tuple(
        known.get(each, RelationState(each, True, why="not checked yet"))
        for each in place.file.relations
    )
