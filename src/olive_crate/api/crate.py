"""A crate as users see it: datasets that belong together, in a folder or a sealed archive."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from ..crate.place import Place, opened
from ..errors import PlanError
from .dataset import Dataset
from .plan import NO_PLAN, Plan

if TYPE_CHECKING:
    from ..checks.comparison import Comparison
    from ..dataset.crates import (
        CrateStatus,
        CrateVerification,
        Keys,
        Refresh,
        Relation,
        Sealed,
        TableRefresh,
    )
    from ..workers import Progress


class Crate:
    """Tables by their names, each a plan and a packed dataset, and what is promised of them all.

    >>> import tempfile
    >>> crate = Crate.new(tempfile.mkdtemp(), title="Season 2025")
    >>> _ = crate.add(b"id\\n1\\n2\\n", name="growers")
    Traceback (most recent call last):
    olive_crate.errors.PlanError: growers: a crate reads its tables again; name a file or an address
    """

    def __init__(self, place: Place) -> None:
        self._place = place

    @staticmethod
    def new(
        folder: str | os.PathLike[str],
        *,
        title: str = "",
        keep: int | None = None,
        group: str | os.PathLike[str] | None = None,
    ) -> Crate:
        """Make a crate in a folder. `keep` is how many earlier packed datasets each table keeps.

        `group` is a CSVW table group: its tables are added as its metadata describe them, and its
        foreign keys are promised. Raises `PlanError` where there is a crate already, `TargetError`
        for a folder that cannot be made, and what `load` raises for a table of the group.

        >>> season = oc.Crate.new(folder / "season", title="The season")
        >>> len(season)
        0
        """
        from ..crate.changing import new_crate

        if group is None:
            return Crate(new_crate(Path(folder), title, keep))
        from ..crate.groups import group_at

        found = group_at(Path(group))
        made = Crate(new_crate(Path(folder), title or found.title, keep))
        for name, plan in found.plans.items():
            made.add(Plan.of(plan), name=name)
        for each in found.relations:
            made.relate(each.table, each.variables, each.to_table, each.to_variables)
        return made

    @staticmethod
    def open(path: str | os.PathLike[str], *, trust: str | Iterable[str] = ()) -> Crate:
        """Open the crate in a folder, or a sealed one as it is.

        Plans of a crate from elsewhere may open what lies in the crate, unless a run of yours wrote
        them; `trust` names what else they may: "files", "web", "databases".

        Raises `SourceError` for what is no crate, and for an archive with members that lead outside
        of it; `PlanError` naming the key of `crate.toml` that is wrong.

        >>> oc.Crate.open(folder / "crate").names
        ['lab', 'grades']
        """
        from ..sources.reach import trusted

        return Crate(opened(Path(path), trusted(trust)))

    @property
    def path(self) -> str:
        """The folder, or the archive."""
        return self._place.name

    @property
    def title(self) -> str:
        """What the crate is called."""
        return self._place.file.title

    @property
    def names(self) -> list[str]:
        """The names of the tables, in order."""
        return list(self._place.file.tables)

    @property
    def relations(self) -> tuple[Relation, ...]:
        """The relations between tables that are promised."""
        return self._place.file.relations

    def __len__(self) -> int:
        return len(self._place.file.tables)

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __contains__(self, name: object) -> bool:
        return name in self._place.file.tables

    def __repr__(self) -> str:
        return f"<Crate {self.path}: {', '.join(self.names) or 'no tables'}>"

    def __getitem__(self, name: str) -> Dataset:
        """A table's packed dataset. Raises `PlanError` for an unknown name, or one not packed."""
        return self.dataset(name)

    def dataset(self, name: str, *, back: int = 0) -> Dataset:
        """A table's packed dataset, or the one so many refreshes before it.

        >>> crate.dataset("lab").rows
        4
        """
        from ..crate.refreshing import packed_at
        from ..formats.packed import unpack_file

        return Dataset.of(unpack_file(packed_at(self._place, name, back)))

    def plan(self, name: str) -> Plan:
        """A table's plan.

        >>> crate.plan("lab").variable("acid").type
        'number'
        """
        return Plan.of(self._place.plan(name))

    def add(
        self,
        source: Any,
        *,
        name: str | None = None,
        copy: bool = False,
        plan: Plan | None = None,
        trust: str | Iterable[str] = (),
        progress: Progress | None = None,
        **options: Any,
    ) -> TableRefresh:
        """Add a table: its plan is written into the crate, and it is read and packed.

        `source` is a path, an address, a set of files, or a plan with its own source; `trust` and
        `options` are those of `load`. The source stays where it is, unless `copy` puts a copy of it
        into the crate. Raises what `load` raises; then nothing is added.

        >>> crate.add(folder / "marks.csv", name="marks").name
        'marks'
        """
        from ..crate.changing import add_table, plan_for, table_name
        from ..show.claims import claim_of
        from ..sources.sets import PLAN_FILE

        given = source
        if isinstance(source, (str, os.PathLike)) and os.fspath(source).endswith(PLAN_FILE):
            given = Plan.read(source, trust)
        decided = plan_for(given, plan or NO_PLAN, options, progress)
        called = name or table_name(decided, source)
        if decided.source.path is None and decided.source.paths is None:
            raise PlanError(f"{called}: a crate reads its tables again; name a file or an address")
        return add_table(self._place, decided, called, claim_of, copy, progress)

    def remove(self, name: str) -> None:
        """Take a table out, with its plan and its packed datasets; its source stays.

        Raises `PlanError` for a table that a relation names.

        >>> crate.remove("grades")
        >>> crate.names
        ['lab']
        """
        from ..crate.changing import remove_table

        remove_table(self._place, name)

    def rename(self, old: str, new: str) -> None:
        """Give a table another name, in relations too.

        >>> crate.rename("grades", "scale")
        >>> crate.rename("scale", "grades")
        """
        from ..crate.changing import rename_table

        rename_table(self._place, old, new)

    def relate(
        self,
        table: str,
        variables: str | Sequence[str],
        to_table: str,
        to_variables: str | Sequence[str],
    ) -> Relation:
        """Promise that every value of these variables is one of those of another table.

        There, each is to occur once. Several variables are compared together. The relation is
        checked at each refresh from then on.

        >>> crate.relate("lab", "grade", "grades", "grade").to_table
        'grades'
        """
        from ..crate.changing import relate

        return relate(self._place, table, _names(variables), to_table, _names(to_variables))

    def unrelate(self, table: str, to_table: str) -> tuple[Relation, ...]:
        """Take back the relations from one table to another; returns them.

        >>> _ = crate.relate("lab", "grade", "grades", "grade")
        >>> len(crate.unrelate("lab", "grades"))
        1
        """
        from ..crate.changing import unrelate

        return unrelate(self._place, table, to_table)

    def status(self, *, online: bool = False) -> CrateStatus:
        """How each table stands: its source, its packed dataset, its promises.

        Nothing is read but the crate's own small files, and files whose size or time has changed.
        Addresses and databases are asked only if `online`.

        >>> crate.status().is_current
        True
        """
        from ..crate.records import relations_at, state_of
        from ..dataset.crates import CrateStatus

        place = self._place
        if not place.sealed:
            place.again()
        tables = tuple(state_of(place, name, online) for name in place.file.tables)
        return CrateStatus(place.name, place.file.title, tables, relations_at(place))

    def refresh(
        self,
        *names: str,
        again: bool = False,
        take_moved: bool = False,
        progress: Progress | None = None,
    ) -> Refresh:
        """Read again what has changed, of all tables or of these, and say what is new in each.

        What is on the web or in a database is asked each time. `again` reads what has not changed
        too; `take_moved` lets plans name files that were found again under the crate's folder. A
        table that cannot be read keeps its packed dataset, and the result says why. Relations
        between tables are checked.

        >>> crate.refresh().is_well
        True
        """
        from ..crate.refreshing import refresh

        return refresh(self._place, names, again, take_moved, progress)

    def compare(
        self, name: str, *, to: Literal["previous"] | int = "previous", **options: Any
    ) -> Comparison:
        """Compare a table with its dataset of so many refreshes before; options as of `compare`.

        Cases are matched by the key that is promised, if there is one.

        >>> _ = crate.refresh("lab", again=True)
        >>> crate.compare("lab").equal
        True
        """
        from .comparing import compare

        back: Any = 1 if to == "previous" else to
        if isinstance(back, bool) or not isinstance(back, int) or back < 1:
            raise PlanError(f'to: expected "previous" or a number from 1, got {to!r}')
        now = self.dataset(name)
        options.setdefault("key", now.plan.promised.key or None)
        return compare(self.dataset(name, back=back), now, **options)

    def keys(self, *names: str, together: Iterable[tuple[str, Sequence[str]]] = ()) -> Keys:
        """By what tables can be put together: candidate keys, and variables with common values.

        Single variables are tried, and keys of several where they are promised, or named in
        `together`: `[("answers", ["grower", "year"])]`.

        >>> crate.keys().candidates[0].variables
        ('id',)
        """
        from ..crate.keys import keys_of

        chosen = self._place.chosen(names)
        tables = {name: self.dataset(name) for name in chosen}
        composites = [(table, tuple(variables)) for table, variables in together]
        for table, variables in composites:
            if table not in tables:
                raise PlanError(f'together: there is no table "{table}" among these')
            for each in variables:
                tables[table][each]
        return keys_of(tables, composites)

    def report(
        self,
        path: str | os.PathLike[str],
        *,
        title: str | None = None,
        no_cells: bool = False,
        replace: bool = False,
        progress: Progress | None = None,
    ) -> None:
        """Write a report on all tables as one HTML file: see `Dataset.report`.

        >>> crate.report(folder / "crate.html", replace=True)
        """
        from ..show.report.writing import write_report

        tables = ((name, self[name]) for name in self.names)
        name = title or self.title or os.path.basename(self.path)
        write_report(tables, path, name, no_cells, replace, progress)

    def seal(
        self,
        path: str | os.PathLike[str] | None = None,
        *,
        sources: bool = False,
        texts: bool = True,
        replace: bool = False,
        only_list: bool = False,
    ) -> Sealed:
        """Write all of the crate into one archive for others, in the form of BagIt (RFC 8493).

        It holds plans, packed datasets, delimited text of each table (unless `texts` is false),
        CSVW metadata with the relations, a DDI-Codebook, a page that says what is in it, and the
        sources if they are wanted. Folders, users and tokens are taken out of plans and receipts.
        `only_list` tells what would be in it. Raises `PlanError` where the file exists and
        `replace` is not set, and for a table that is not packed.

        >>> crate.seal(folder / "crate.zip", replace=True).files[0].name
        'data/plans/lab.plan.toml'
        """
        from ..crate.sealing import sealed
        from ..show.claims import claim_of

        if path is None and not only_list:
            raise PlanError("name the archive to write")
        return sealed(self._place, path, claim_of, sources, texts, replace, only_list)

    def verify(self) -> CrateVerification:
        """Read all of the crate, and say whether it is whole; of a sealed one, every checksum.

        >>> crate.verify().is_whole
        True
        """
        from ..crate.verifying import verified

        return verified(self._place)


def _names(given: str | Sequence[str]) -> tuple[str, ...]:
    return (given,) if isinstance(given, str) else tuple(given)
