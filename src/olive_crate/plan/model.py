"""The decisions about a file, as plain values.

What they do not say is found from the file when it is read, and the receipt lists what was found.
`api.Plan` is what users see of this: the same value with methods.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

import msgspec

from ..declaration.codes import Meaning, MissingCode
from ..declaration.ignored import Ignored
from ..declaration.promises import Promised
from ..declaration.settled import Settled
from ..declaration.variable import Variable
from ..errors import PlanError, nearest
from ..evidence import Evidence, Note
from ..sources.limits import Limits
from ..sources.reach import Reach
from .fields import Field, FixedSection
from .selecting import resolve

if TYPE_CHECKING:
    from .option import Option

SKIP, KEEP = "skip", "keep"


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


class Rows(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which rows of the source play which part, counted from 1 as an editor counts them."""

    names: tuple[int, ...] | None = None
    """The rows of the heading; an empty tuple says that there is none."""
    labels: int | None = None
    units: int | None = None
    repeated: str | None = None
    """`skip`: rows within the data that are the heading again are left out."""
    closing: str | None = None
    """`skip`: totals and notes at the end, known by what they are, are left out."""
    groups: str | None = None
    """Titles of groups within the data: `skip` leaves them out, `keep` reads them as cases, and any
    other word is the name of a variable that has them."""
    left_out: tuple[int, ...] | None = None
    """Rows within the data that are no cases: totals, remarks, headings."""
    data: str | None = None
    """`first..last`, both included; either may be left out; negative numbers count from the end."""

    @property
    def first(self) -> int | None:
        """The first row of data, where the plan says so."""
        first = "" if self.data is None else self.data.partition("..")[0]
        return int(first) if first else None

    @property
    def last(self) -> int | None:
        """The last row of data; negative from the end; `None` to the end."""
        last = "" if self.data is None else self.data.partition("..")[2]
        return int(last) if last else None

    def part_of(self, row: int) -> str:
        """The part of the heading that a row plays; empty for any other row."""
        if row in (self.names or ()):
            return "names"
        return "units" if row == self.units else "labels" if row == self.labels else ""


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

    @classmethod
    def of(cls, decisions: Decisions) -> Self:
        """The same decisions as a value of this class."""
        if isinstance(decisions, cls):
            return decisions
        return cls(**{key: getattr(decisions, key) for key in Decisions.__struct_fields__})

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


def rows_from(value: Any, old: Rows = Rows(), at: str = "rows") -> Rows:
    """The rows section from a mapping, its keys laid over what was decided before."""
    if isinstance(value, Rows):
        return value
    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected names, labels, units, left_out or data, got {value!r}")
    changes: dict[str, Any] = {}
    for part, given in value.items():
        if part not in Rows.__struct_fields__:
            raise PlanError(f'{at}: unknown key "{part}"{nearest(part, Rows.__struct_fields__)}')
        here = f"{at}.{part}"
        if part in ("names", "left_out"):
            changes[part] = _listed_rows(given, here)
        elif part == "data":
            changes[part] = _data_rows(given, here)
        elif part == "groups":
            if given is not None and (not isinstance(given, str) or not given.strip()):
                raise PlanError(f'{here}: expected "skip", "keep" or a name, got {given!r}')
            changes[part] = given
        elif part in ("repeated", "closing"):
            if given not in (None, "skip", "keep"):
                raise PlanError(f'{here}: expected "skip" or "keep", got {given!r}')
            changes[part] = given
        else:
            changes[part] = None if given is None else _row_number(given, here)
    return msgspec.structs.replace(old, **changes)


def _listed_rows(given: Any, at: str) -> tuple[int, ...] | None:
    if given is None:
        return None
    rows = [given] if isinstance(given, int) else given
    if isinstance(rows, str) or not isinstance(rows, Iterable):
        raise PlanError(f"{at}: expected a row number or a list of them, got {given!r}")
    return tuple(_row_number(row, at) for row in rows)


def _row_number(given: Any, at: str) -> int:
    if isinstance(given, bool) or not isinstance(given, int) or given < 1:
        raise PlanError(f"{at}: rows are whole numbers counted from 1, got {given!r}")
    return given


def _data_rows(given: Any, at: str) -> str | None:
    if given is None:
        return None
    if isinstance(given, int) and not isinstance(given, bool):
        given = f"{given}.."
    try:
        first, dots, last = str(given).partition("..")
        low, high = int(first) if first else 1, int(last) if last else -1
        if not dots or not isinstance(given, str) or low < 1 or high == 0 or 0 < high < low - 1:
            raise ValueError
    except ValueError:
        raise PlanError(
            f'{at}: expected "first..last", such as "8..294", "6.." or "6..-2", got {given!r}'
        ) from None
    return given


NOTHING_DECIDED = Decisions()


def with_option(plan: Decisions, name: str, option: Option, value: Any, at: str) -> Decisions:
    """The plan with one option laid over it. Raises `PlanError` for what it cannot be."""
    if option.apply is not None:
        return option.apply(plan, value, at)
    checked = value if option.check is None else option.check(value, at)
    if option.field or not option.section:
        return msgspec.structs.replace(plan, **{option.field or name: checked})
    section = msgspec.structs.replace(getattr(plan, option.section), **{name: checked})
    return msgspec.structs.replace(plan, **{option.section: section})


def with_options(
    plan: Decisions, options: Mapping[str, Any], table: Mapping[str, Option]
) -> Decisions:
    """The plan with options of the table laid over it. Raises `PlanError` for an unknown or wrong
    one.
    """
    for name in options:
        if name not in table:
            raise PlanError(f'unknown option "{name}"{nearest(name, table)}')
    for name in sorted(options, key=lambda each: each != "meaning_sets"):  # variables use them
        plan = with_option(plan, name, table[name], options[name], name)
    return plan
