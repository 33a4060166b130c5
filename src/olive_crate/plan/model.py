"""The decisions about a file, as plain values.

What they do not say is found from the file when it is read, and the receipt lists what was found.
`api.Plan` is what users see of this: the same value with methods.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Self

import msgspec

from ..declaration.codes import Meaning, MissingCode
from ..declaration.ignored import Ignored
from ..declaration.promises import Promised
from ..declaration.settled import Settled
from ..declaration.variable import Variable
from ..errors import PlanError
from ..evidence import Evidence, Note
from ..sources.limits import Limits
from ..sources.reach import Reach
from .fields import Field, FixedSection
from .rows import Rows
from .selecting import resolve


class SourceSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where the bytes are and how they spell characters."""

    path: str | None = None
    encoding: str | None = None
    paths: tuple[str, ...] | None = None
    """The files, patterns and folders of a set."""
    keep_copy: bool | None = None
    """A file on the web is kept beside the plan, and asked for again only if it has changed."""
    limits: Limits | None = None
    """How much an untrusted file may ask for, where it is more than usual."""


class DelimitedSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """How a line is cut into fields. `None` means "find it", an empty text "there is none"."""

    delimiter: str | None = None
    quote: str | None = None
    escape: str | None = None
    comment: str | None = None
    trim: bool | str | None = None
    decimal: str | None = None
    grouping: str | None = None


class SheetSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which cells of a workbook are read."""

    sheet: str | int | tuple[str | int, ...] | None = None
    """A sheet's name, or its number from 1; a list, or a pattern, for a set of sheets."""
    range: str | None = None
    """`B9:K310`, `B9:` to the end of its block, `B:K`, a named range, or a table's name."""
    block: int | None = None
    """The number of a block, as a look counts them; a plan file has its sheet and range instead."""
    hidden: str | None = None
    """`skip` leaves hidden rows and columns out."""
    merged: str | None = None
    """`fill` puts the value of merged cells into all of them."""
    turned: bool | None = None
    """The variables stand in rows: rows and columns are exchanged."""


class TableSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which table of a database or a page is read."""

    table: str | int | None = None
    """A table's name; of a page, its number from 1, its caption or its id."""
    query: str | None = None
    """One SELECT instead of a table."""


class Decisions(msgspec.Struct, frozen=True, omit_defaults=True):
    """All decisions about reading one source, or many of the same kind."""

    source: SourceSection = SourceSection()
    delimited: DelimitedSection = DelimitedSection()
    fixed: FixedSection = FixedSection()
    sheet: SheetSection = SheetSection()
    table: TableSection = TableSection()
    fields: tuple[Field, ...] | None = None
    """The fields of a fixed layout."""
    rows: Rows = Rows()
    layout: str | None = None
    names: tuple[str, ...] | None = None
    """Names for the columns, where the file has none or they are to be replaced."""
    type: str | None = None
    """One type for all variables that have none of their own."""
    missing: tuple[MissingCode, ...] = ()
    keep: tuple[str, ...] | None = None
    limit: int | None = None
    unreadable: str = "report"
    on_error: str = "stop"
    """What to do about a file of a set that cannot be read: `stop`, or `set aside`."""
    file_as: str | None = None
    """The variable that names the file of each case."""
    row_as: str | None = None
    """The variable that has the row of each case in its source."""
    changing: str = "refuse"
    """What to do about a source that changes while it is read: `refuse` it, or `take` it."""
    workers: int | None = None
    variables: tuple[Variable, ...] = ()
    meaning_sets: dict[str, tuple[Meaning, ...]] = {}
    """Meanings that several variables share, by the name of the set."""
    promised: Promised = Promised()
    settled: tuple[Settled, ...] = ()
    """Open points that were answered, and are not to be asked again."""
    ignored: tuple[Ignored, ...] = ()
    """Findings that were looked at, and are not to be shown again."""
    order: tuple[str, ...] | None = None
    """Variables that come first in the dataset; the others follow as in the file."""
    plain_names: bool | int | None = None
    """Headings made plain, of at most so many characters."""
    notes: tuple[Note, ...] = ()
    """What had to be changed to follow the plan; not written."""
    base: Path | None = None
    """The folder that relative paths start from: the plan file's."""
    read_from: tuple[str, str] | None = None
    """The plan file that it was read from, and the SHA-256 of its bytes."""
    reach: Reach | None = None
    """What a plan from elsewhere may open; `None` for one of the user's own."""
    listed: bool = False
    """The variables are those of a file, so that an unknown name is a mistake."""
    evidence: tuple[Evidence, ...] = ()
    """What drafted decisions rest on; written as comments, not as keys."""

    def variable(self, name: str) -> Variable:
        """The declaration of one variable; `PlanError` with the nearest name if there is none."""
        known = [each.name for each in self.variables]
        return self.variables[known.index(resolve(name, known)[0])]

    @property
    def limits(self) -> Limits:
        """How much the source may ask for."""
        return self.source.limits or Limits()

    def trusting(self, words: tuple[str, ...]) -> Self:
        """The plan, trusted with more if it is one from elsewhere."""
        if self.reach is None:
            return self
        trust = tuple(dict.fromkeys([*self.reach.trust, *words]))
        reach = msgspec.structs.replace(self.reach, trust=trust)
        return msgspec.structs.replace(self, reach=reach)

    def source_path(self) -> Any:
        """Where the source is, to be opened: a path, an address, or a list of them for a set.

        Raises `PlanError` if the plan names none, and `SourceError` for one that it may not open.
        """
        if self.reach is not None:
            for each in self.source.paths or filter(None, [self.source.path]):
                self.reach.check(each)
        return self.named_source()

    def named_source(self) -> Any:
        """What the plan names as its source, as seen from here. Raises `PlanError` for nothing."""
        if self.source.paths is not None:
            return [self.from_here(each) for each in self.source.paths]
        if self.source.path is None:
            raise PlanError("the plan has no source; pass one, or set path under [source]")
        return self.from_here(self.source.path)

    def from_here(self, path: str) -> str | Path:
        """What the plan names so, as seen from here: a path of its folder, or an address."""
        return path if "://" in path or self.base is None else self.base / path
