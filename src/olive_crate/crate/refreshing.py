"""Tables of a crate read again: what has changed is packed under a new name, then named."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

import msgspec

from ..dataset.crates import Drift, Refresh, RelationState, TableRefresh
from ..dataset.model import PlainDataset
from ..dataset.receipt import Receipt
from ..declaration.patterns import late
from ..errors import OliveCrateError, PlanError
from ..formats.packed import Packing, unpack_file
from ..formats.set_packing import pack_to_file
from ..plan.model import Decisions
from ..plan.toml_write import write_plan
from ..reading.packing import pack_source
from ..reading.preparing import source_named
from ..sources.folder import Folder
from ..sources.locking import locked
from ..sources.writing import write_whole
from ..workers import Progress
from .drift import differences
from .model import FILE, CrateFile, Entry, write_crate
from .place import Place, with_entry
from .records import (
    FAILED,
    RELATIONS,
    Failure,
    new_drift,
    now,
    plan_sum,
    record_at,
    record_of,
    record_path,
    relations_at,
    state_of,
)
from .relations import checked
from .stamps import paths_of, stamped

LOCK = ".crate.lock"
NUMBERED = late(r"(.+)-(\d+)\.(parquet|json)")
"""The names of packed datasets and of their records: the table's, and a number."""
SIDE_BY_SIDE = 4
"""Tables that are read at a time; each uses several threads by itself."""


class Made(NamedTuple):
    """A table that was packed under a new name, or why it was not."""

    name: str
    told: TableRefresh
    packed: str = ""


def refresh(
    place: Place,
    names: tuple[str, ...] = (),
    again: bool = False,
    take_moved: bool = False,
    progress: Progress | None = None,
) -> Refresh:
    """Read again what has changed, of all tables or of some. See `api.crate.Crate.refresh`."""
    place.refuse_sealed()
    with locked(Folder(place.folder), LOCK):
        place.again()
        chosen = place.chosen(names)
        sweep(place)
        if take_moved:
            for name in chosen:
                _take_moved(place, name)
        wanted = [name for name in chosen if again or _is_due(place, name)]
        with ThreadPoolExecutor(min(SIDE_BY_SIDE, max(1, len(wanted)))) as pool:
            made = list(pool.map(lambda name: _packed_if_it_can_be(place, name, progress), wanted))
        old = [each for one in made if one.packed for each in named(place, one)]
        relations = _relations(place, [one.name for one in made if one.packed])
        write_crate(place.path(FILE), place.file)
        for each in old:
            remove_packed(place, each)
    told = {one.name: one.told for one in made}
    tables = tuple(told.get(name) or TableRefresh(name, "unchanged") for name in chosen)
    return Refresh(str(place.folder), tables, relations)


def _is_due(place: Place, name: str) -> bool:
    """Must a table be read again? What has no stamp is asked each time."""
    state = state_of(place, name)
    return not (state.packed == "packed" and state.source_state == "unchanged" and not state.error)


def _take_moved(place: Place, name: str) -> None:
    """Let the plan name the file where it lies now."""
    state = state_of(place, name)
    if state.source_state != "moved":
        return
    path = place.path(place.entry(name).plan)
    plan = without_shared(place.plan(name), place.file)
    source = msgspec.structs.replace(plan.source, path=str(place.path(state.moved_to)), paths=None)
    write_plan(msgspec.structs.replace(plan, source=source, base=None), path, str)


def with_shared(plan: Decisions, crate: CrateFile) -> Decisions:
    """A plan with the codes and meanings that all tables of a crate share; its own come first."""
    sets = {**crate.meaning_sets, **plan.meaning_sets}
    own = {(each.value, each.from_, each.to) for each in plan.missing}
    missing = [each for each in crate.missing if (each.value, each.from_, each.to) not in own]
    return msgspec.structs.replace(plan, meaning_sets=sets, missing=(*plan.missing, *missing))


def without_shared(plan: Decisions, crate: CrateFile) -> Decisions:
    """A plan as it is written: meanings that tables share are named in it, not repeated."""
    shared = crate.meaning_sets
    own = {name: each for name, each in plan.meaning_sets.items() if shared.get(name) != each}
    return msgspec.structs.replace(plan, meaning_sets=own)


def pack_table(place: Place, name: str, progress: Progress | None = None) -> Made:
    """Read a table by its plan into a packed dataset of a new name; the old one stays as it is.

    Raises what reading raises.
    """
    entry = place.entry(name)
    packed = f"packed/{name}-{_next_number(place, name)}.parquet"
    target = place.path(packed)
    target.parent.mkdir(parents=True, exist_ok=True)
    known = plan_sum(place.path(entry.plan), place.file)
    plan = with_shared(place.plan(name), place.file)
    paths = paths_of(plan)
    files = None if paths is None else stamped(paths)  # before it is read: later changes are seen
    receipt = packed_by(plan, target, progress)
    place.path(FAILED.format(name)).unlink(missing_ok=True)
    dataset, last = unpack_file(target), record_at(place, entry.packed)
    told = tuple(each for each in (*receipt.decided, *receipt.notes) if isinstance(each, Drift))
    record = record_of(receipt, len(dataset.variables), known, files, told, last)
    write_whole(place.path(record_path(packed)), msgspec.json.encode(record))
    before = _before(place, entry)
    made = TableRefresh(
        name,
        "read",
        rows=dataset.rows,
        differences=() if before is None else differences(before, dataset),
        first=before is None,
        broken=tuple(each for each in dataset.receipt.promises if not each.kept),
        drift=new_drift(told, last),
    )
    return Made(name, made, packed)


def _packed_if_it_can_be(place: Place, name: str, progress: Progress | None) -> Made:
    """The same, but what cannot be read is noted, and its last packed dataset kept."""
    try:
        return pack_table(place, name, progress)
    except OliveCrateError as error:
        data = msgspec.json.encode(Failure(str(error), now()))
        write_whole(place.path(FAILED.format(name)), data)
        return Made(name, TableRefresh(name, "failed", error=str(error)))


def _before(place: Place, entry: Entry) -> PlainDataset | None:
    if not entry.packed:
        return None
    try:
        return unpack_file(place.path(entry.packed))
    except OliveCrateError:
        return None


def packed_by(plan: Decisions, target: Path, progress: Progress | None) -> Receipt:
    """Read what a plan names, one source or a set, into one packed file."""
    found = source_named(plan, plan, {})
    if found.files is not None:
        return pack_to_file(found.files, found.plan, target, False, progress)
    return pack_source(found.source, found.plan, Packing(target, False), progress)


def _next_number(place: Place, name: str) -> int:
    """The number of the next packed dataset of a table."""
    matches = (NUMBERED.fullmatch(each.name) for each in place.path("packed").glob("*"))
    return max((int(each[2]) for each in matches if each and each[1] == name), default=0) + 1


def named(place: Place, made: Made) -> Sequence[str]:
    """Let the crate name a new packed dataset; returns the earlier ones that are kept no more."""
    entry = place.entry(made.name)
    earlier = tuple(each for each in (entry.packed, *entry.earlier) if each)
    kept, gone = earlier[: place.file.keep], earlier[place.file.keep :]
    entry = msgspec.structs.replace(entry, packed=made.packed, earlier=kept)
    place.file = with_entry(place.file, made.name, entry)
    return gone


def sweep(place: Place) -> None:
    """Remove packed datasets that nothing names: a run that was ended before it named them."""
    named = {
        kept
        for entry in place.file.tables.values()
        for packed in (entry.packed, *entry.earlier)
        for kept in (packed, record_path(packed))
    }
    for each in place.path("packed").glob("*"):
        if NUMBERED.fullmatch(each.name) and f"packed/{each.name}" not in named:
            each.unlink(missing_ok=True)


def remove_packed(place: Place, packed: str) -> None:
    """Remove a packed dataset that nothing names any more, and its record."""
    for each in (packed, record_path(packed)):
        place.path(each).unlink(missing_ok=True)


def _relations(place: Place, read: Iterable[str]) -> tuple[RelationState, ...]:
    """The relations checked; those between tables that were not read again, as they were found."""
    touched = set(read)
    known = {each.relation: each for each in relations_at(place)}
    datasets = tables_of(place)
    states = tuple(
        checked([each], datasets)[0]
        if {each.table, each.to_table} & touched or known[each].why
        else known[each]
        for each in place.file.relations
    )
    if states or place.path(RELATIONS).exists():
        write_whole(place.path(RELATIONS), msgspec.json.encode(states))
    return states


def tables_of(place: Place) -> Callable[[str], PlainDataset | None]:
    """Gives the packed dataset of a table; nothing where there is none."""
    held: dict[str, PlainDataset | None] = {}

    def table(name: str) -> PlainDataset | None:
        if name not in held:
            entry = place.file.tables.get(name)
            held[name] = None if entry is None else _before(place, entry)
        return held[name]

    return table


def packed_at(place: Place, name: str, back: int = 0) -> Path:
    """The packed dataset of a table, or the one so many before it. Raises `PlanError` for none."""
    entry = place.entry(name)
    every = [each for each in (entry.packed, *entry.earlier) if each]
    if not every:
        raise PlanError(f"{name}: not packed yet; refresh the crate")
    if back >= len(every):
        raise PlanError(
            f"{name}: there are {len(every) - 1} earlier packed datasets; raise keep in {FILE} to "
            "have more from now on"
        )
    return place.path(every[back])
