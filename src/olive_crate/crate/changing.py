"""Tables put into a crate, taken out and renamed; relations declared."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from ..dataset.crates import Relation, TableRefresh
from ..declaration.patterns import late
from ..errors import PlanError, TargetError
from ..plan.model import Decisions
from ..plan.toml_write import Words, write_plan
from ..reading.loading import draft
from ..sources.addresses import is_address, kept_address
from ..sources.folder import Folder
from ..sources.locking import locked
from ..sources.sets import PLAN_FILE
from ..workers import Progress
from .model import FILE, CrateFile, Entry, check_name, relation_of, write_crate
from .place import Place, with_entry
from .records import FAILED
from .refreshing import LOCK, named, pack_table, remove_packed, tables_of
from .relations import check_relation

COPIES = "sources"
NO_NAME = late(r"[^\w-]+")


def new_crate(folder: Path, title: str = "", keep: int | None = None) -> Place:
    """Make a crate in a new, an empty or any folder that is none yet."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise TargetError(f"{folder}: cannot be made: {error.strerror}") from None
    if (folder / FILE).exists():
        raise PlanError(f"{folder}: is a crate already")
    crate = CrateFile(title=title) if keep is None else CrateFile(title=title, keep=keep)
    write_crate(folder / FILE, crate)
    return Place(folder)


def add_table(
    place: Place,
    plan: Decisions,
    name: str,
    words: Words,
    copy: bool = False,
    progress: Progress | None = None,
) -> TableRefresh:
    """Put a table into the crate: its plan is written, and it is read and packed.

    If it cannot be read, nothing is added.
    """
    place.refuse_sealed()
    check_name(name)
    with locked(Folder(place.folder), LOCK):
        place.again()
        if name in place.file.tables:
            raise PlanError(f'{place.name}: there is a table "{name}" already; give another name')
        copied = _copied(place, plan, name) if copy else None
        path = place.path(f"plans/{name}{PLAN_FILE}")
        path.parent.mkdir(exist_ok=True)
        try:
            write_plan(plan if copied is None else copied[0], path, words)
            place.file = with_entry(place.file, name, Entry(f"plans/{name}{PLAN_FILE}"))
            made = pack_table(place, name, progress)
            named(place, made)
            write_crate(place.path(FILE), place.file)
        except BaseException:
            for each in [path, *(copied[1] if copied else ())]:
                each.unlink(missing_ok=True)
            place.again()
            raise
    return made.told


def plan_for(
    source: Any, plan: Decisions, options: Mapping[str, Any], progress: Progress | None
) -> Decisions:
    """The plan of what is added: a draft, unless a plan is given that has a source of its own."""
    if isinstance(source, Decisions) and not options:
        return source
    return draft(source, plan, options, progress)


def table_name(plan: Decisions, source: Any) -> str:
    """A name for a table from that of its source. Raises `PlanError` where it has none."""
    text = ""
    if isinstance(source, (str, os.PathLike)):
        text = os.fspath(source)
    if not text or text.endswith(PLAN_FILE):
        text = text.removesuffix(PLAN_FILE) or plan.source.path or (plan.source.paths or ("",))[0]
    if plan.table.table is not None:
        text = str(plan.table.table)
    stem = text.rstrip("/").rsplit("/", 1)[-1].split("?")[0]
    stem = NO_NAME.sub("_", stem.partition(".")[0]).strip("_-")
    if not stem:
        raise PlanError("the source has no name that a table could have; give one")
    return stem


def _copied(place: Place, plan: Decisions, name: str) -> tuple[Decisions, list[Path]]:
    """The plan with a copy of its source in the crate, and the copies."""
    given = plan.source_path()
    each = given if isinstance(given, list) else [given]
    if any(isinstance(one, str) and is_address(kept_address(one)) for one in each):
        raise PlanError(f"{name}: only files are copied; keep_copy keeps one from the web")
    from .stamps import paths_of

    paths = paths_of(plan) or []
    folder = place.path(COPIES) / (name if len(paths) > 1 else "")
    folder.mkdir(parents=True, exist_ok=True)
    made: list[Path] = []
    for path in paths:
        target = folder / path.name
        if target.exists():
            raise PlanError(f"{target}: is there already; give the file another name, or add it")
        shutil.copy2(path, target)
        made.append(target)
    source = (
        msgspec.structs.replace(plan.source, path=str(made[0]), paths=None)
        if len(made) == 1
        else msgspec.structs.replace(plan.source, path=None, paths=tuple(map(str, made)))
    )
    return msgspec.structs.replace(plan, source=source, base=None, reach=None), made


def remove_table(place: Place, name: str) -> None:
    """Take a table out of the crate, with its plan and packed datasets; copies of sources stay."""
    place.refuse_sealed()
    with locked(Folder(place.folder), LOCK):
        place.again()
        entry = place.entry(name)
        relations = [
            each.name for each in place.file.relations if name in (each.table, each.to_table)
        ]
        if relations:
            raise PlanError(f"{name}: is in the relation {relations[0]}; take that back first")
        place.file = with_entry(place.file, name, None)
        write_crate(place.path(FILE), place.file)
        for each in (entry.packed, *entry.earlier):
            if each:
                remove_packed(place, each)
        place.path(entry.plan).unlink(missing_ok=True)
        place.path(FAILED.format(name)).unlink(missing_ok=True)


def rename_table(place: Place, old: str, new: str) -> None:
    """Give a table another name; its files keep theirs."""
    place.refuse_sealed()
    check_name(new)
    with locked(Folder(place.folder), LOCK):
        place.again()
        place.entry(old)
        if new in place.file.tables:
            raise PlanError(f'{place.name}: there is a table "{new}" already')
        tables = {new if name == old else name: each for name, each in place.file.tables.items()}
        relations = tuple(
            msgspec.structs.replace(
                each,
                table=new if each.table == old else each.table,
                to_table=new if each.to_table == old else each.to_table,
            )
            for each in place.file.relations
        )
        place.file = msgspec.structs.replace(place.file, tables=tables, relations=relations)
        write_crate(place.path(FILE), place.file)


def relate(
    place: Place, table: str, variables: tuple[str, ...], to_table: str, to: tuple[str, ...]
) -> Relation:
    """Declare a relation; it is promised from then on."""
    place.refuse_sealed()
    made = relation_of(table, variables, to_table, to, "relation")
    with locked(Folder(place.folder), LOCK):
        place.again()
        for each in (table, to_table):
            place.entry(each)
        check_relation(made, tables_of(place))
        if made not in place.file.relations:
            relations = (*place.file.relations, made)
            place.file = msgspec.structs.replace(place.file, relations=relations)
            write_crate(place.path(FILE), place.file)
    return made


def unrelate(place: Place, table: str, to_table: str) -> tuple[Relation, ...]:
    """Take back the relations from one table to another. Raises `PlanError` for none."""
    place.refuse_sealed()
    with locked(Folder(place.folder), LOCK):
        place.again()
        ends = (table, to_table)
        gone = [each for each in place.file.relations if (each.table, each.to_table) == ends]
        if not gone:
            raise PlanError(f"{place.name}: there is no relation from {table} to {to_table}")
        kept = tuple(each for each in place.file.relations if each not in gone)
        place.file = msgspec.structs.replace(place.file, relations=kept)
        write_crate(place.path(FILE), place.file)
    return tuple(gone)
