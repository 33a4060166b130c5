"""Where a crate lies: a folder, or a sealed archive whose members are taken out when needed."""

from __future__ import annotations

import os
import shutil
import tempfile
import weakref
import zipfile
from pathlib import Path

import msgspec

from ..errors import PlanError, SourceError, nearest
from ..plan.model import Decisions
from ..plan.toml_read import read_decisions
from ..sources.inflating import ARCHIVE_FAULTS
from ..sources.limits import Limits, beyond
from .bags import PAYLOAD, check_members
from .model import FILE, CrateFile, Entry, read_crate


class Place:
    """The folder of a crate, and what `crate.toml` says."""

    sealed = False

    def __init__(self, folder: Path, trust: tuple[str, ...] = ()) -> None:
        self.folder, self.trust = folder, trust
        self.name = str(folder)
        self.file = read_crate(folder / FILE)

    def path(self, part: str) -> Path:
        """A file of the crate."""
        return self.folder / part

    def entry(self, name: str) -> Entry:
        """A table by its name. Raises `PlanError` with the nearest name if there is none."""
        if name not in self.file.tables:
            raise PlanError(
                f'{self.name}: there is no table "{name}"{nearest(name, self.file.tables)}'
            )
        return self.file.tables[name]

    def chosen(self, names: tuple[str, ...]) -> list[str]:
        """These tables, or all. Raises `PlanError` for one that there is not."""
        for each in names:
            self.entry(each)
        return list(names or self.file.tables)

    def refuse_sealed(self) -> None:
        """Raise `PlanError` for a crate that cannot be changed where it is."""
        if self.sealed:
            raise PlanError(
                f"{self.name}: a sealed crate is not changed; take it out of its archive"
            )

    def plan(self, name: str) -> Decisions:
        """The plan of a table, kept to what it may open."""
        path, sets = self.path(self.entry(name).plan), self.file.meaning_sets
        return read_decisions(path, self.trust, self.folder, sets)

    def again(self) -> CrateFile:
        """What `crate.toml` says now."""
        self.file = read_crate(self.folder / FILE)
        return self.file


class SealedPlace(Place):
    """A sealed crate. Small members are taken out at once, others when they are asked for.

    Raises `SourceError` for an archive with members that point out of its folder.
    """

    sealed = True

    def __init__(
        self, archive: Path, trust: tuple[str, ...] = (), limits: Limits = Limits()
    ) -> None:
        self.archive, self.trust = archive, trust
        try:
            self._zip = zipfile.ZipFile(archive)
            members = self._zip.infolist()
        except ARCHIVE_FAULTS as error:
            raise SourceError(f"{archive}: a damaged or truncated archive: {error}") from None
        if len(members) > limits.entries:
            raise beyond(str(archive), "entries", f"{len(members):,} files")
        check_members(str(archive), [each.filename for each in members])
        self._members = {each.filename: each for each in members if not each.is_dir()}
        self._root = _root_of(self._members, str(archive))
        self._folder = Path(tempfile.mkdtemp(prefix="olive-crate-"))
        self._end = weakref.finalize(self, shutil.rmtree, self._folder, True)
        self.folder = self._folder
        for name in self._members:
            small = name.endswith((".toml", ".json")) and self._members[name].file_size < 64 << 20
            if name.startswith(self._root) and small:
                self.path(name.removeprefix(self._root))
        self.file = read_crate(self._folder / FILE)
        self.name = str(archive)

    def path(self, part: str) -> Path:
        """A file of the crate, taken out of the archive."""
        target = self._folder / part
        member = self._members.get(self._root + part)
        if target.exists() or member is None:
            return target
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            with self._zip.open(member) as stream, target.open("wb") as out:
                shutil.copyfileobj(stream, out, 1 << 20)
        except ARCHIVE_FAULTS as error:
            target.unlink(missing_ok=True)
            raise SourceError(f"{self.archive}: {member.filename} is damaged: {error}") from None
        return target


def _root_of(members: dict[str, zipfile.ZipInfo], name: str) -> str:
    """What stands before the names of the crate's own files."""
    found = [each for each in members if each.endswith(f"{PAYLOAD}/{FILE}")]
    if len(found) != 1:
        raise SourceError(f"{name}: no sealed crate (there is no {PAYLOAD}/{FILE} in it)")
    return found[0].removesuffix(FILE)


def is_crate(path: object) -> bool:
    """Does this name a crate: its folder, its `crate.toml`, or a sealed one?"""
    if not isinstance(path, (str, os.PathLike)):
        return False
    here = Path(os.fsdecode(path))
    if here.is_dir():
        return (here / FILE).is_file() or (here / PAYLOAD / FILE).is_file()
    return here.name == FILE or here.suffix.lower() == ".zip"


def opened(path: Path, trust: tuple[str, ...] = ()) -> Place:
    """The crate in a folder or a sealed archive. Raises `SourceError` for what is none."""
    if path.is_file() and path.name != FILE:
        return SealedPlace(path, trust)
    if path.name == FILE:
        path = path.parent
    if not path.is_dir():
        raise SourceError(f"{path}: no such folder")
    bagged = path / PAYLOAD
    if not (path / FILE).is_file() and (bagged / FILE).is_file():
        return Place(bagged, trust)
    return Place(path, trust)


def with_entry(file: CrateFile, name: str, entry: Entry | None) -> CrateFile:
    """The crate with another entry of this name; without it for `None`."""
    tables = {**file.tables}
    if entry is None:
        tables.pop(name, None)
    else:
        tables[name] = entry
    return msgspec.structs.replace(file, tables=tables)
