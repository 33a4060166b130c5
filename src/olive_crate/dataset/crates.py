"""What is known of datasets that belong together, as plain values: relations, states, changes."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from ..evidence import HeadingMoved, MovedColumns, UndeclaredColumns
from ..views import Worded
from .promises import Promise
from .verification import Verification

Figure = int | float | str | None
Drift = HeadingMoved | MovedColumns | UndeclaredColumns
"""What tells that a file is not as its plan says."""
Kind = Literal["one to one", "one to many", "many to one", "many to many"]
Hindrance = Literal["types differ", "leading zeros", "blanks", "case of letters"]
SourceState = Literal[
    "unchanged", "changed", "moved", "gone", "not asked", "reachable", "unreachable"
]
PackedState = Literal["packed", "stale", "not packed", "gone"]


class Relation(msgspec.Struct, frozen=True):
    """Every value of these variables occurs in those of another table, where it is unique."""

    table: str
    variables: tuple[str, ...]
    to_table: str
    to_variables: tuple[str, ...]

    @property
    def name(self) -> str:
        """`answers.grower -> growers.id`."""
        here, there = ", ".join(self.variables), ", ".join(self.to_variables)
        return f"{self.table}.{here} -> {self.to_table}.{there}"


class RelationState(Worded, msgspec.Struct, frozen=True):
    """Whether a relation between two tables holds."""

    relation: Relation
    kept: bool
    cases: int = 0
    """Cases with values in all of its variables."""
    unmatched: int = 0
    """Cases whose values the other table does not have."""
    examples: tuple[str, ...] = ()
    """The first of these values."""
    doubled: int = 0
    """Values that the other table has in several cases."""
    why: str = ""
    """Why it could not be checked; empty if it was."""


class TableState(msgspec.Struct, frozen=True):
    """How a table of a crate stands."""

    name: str
    source: str
    """What is read, as the plan names it."""
    source_state: SourceState
    packed: PackedState
    moved_to: str = ""
    """Where the source lies now, in the crate's folder."""
    plan_changed: bool = False
    rows: int = 0
    variables: int = 0
    problems: int = 0
    promises: int = 0
    broken: int = 0
    """Promises that were not kept."""
    open_points: int = 0
    drift: int = 0
    """What was not as the plan says, and was told when the table was read last."""
    refreshed: str = ""
    """When, in UTC (ISO 8601)."""
    error: str = ""
    """Why it could not be read when it was read last; its last packed dataset is kept."""

    @property
    def is_current(self) -> bool:
        """Is the packed dataset what the source and the plan give now, as far as was asked?"""
        known = self.source_state in ("unchanged", "not asked", "reachable")
        return self.packed == "packed" and known and not self.error


class CrateStatus(Worded, msgspec.Struct, frozen=True):
    """How the tables of a crate stand, and the relations between them."""

    folder: str
    title: str
    tables: tuple[TableState, ...]
    relations: tuple[RelationState, ...] = ()

    @property
    def is_current(self) -> bool:
        """Is there nothing to refresh, and every promise kept?"""
        kept = all(each.kept for each in self.relations)
        return kept and all(each.is_current and not each.broken for each in self.tables)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain | {"current": self.is_current}


class Difference(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something that is new against the last packed dataset of a table."""

    what: Literal["rows", "new", "gone", "type", "missing", "values", "mean", "range"]
    variable: str = ""
    before: Figure | tuple[Figure, Figure] = None
    """A count, a type, a percentage, a mean, or the smallest and the largest value."""
    after: Figure | tuple[Figure, Figure] = None
    reason: str = ""
    """Why cells are missing, where their share has moved."""
    values: tuple[str, ...] = ()
    """The first of the values that there were not before."""
    count: int = 0
    """How many of these there are."""


class TableRefresh(msgspec.Struct, frozen=True):
    """What came of reading a table again."""

    name: str
    done: Literal["read", "unchanged", "failed"]
    rows: int = 0
    differences: tuple[Difference, ...] = ()
    """Against the last packed dataset; none for a table that is read for the first time."""
    first: bool = False
    broken: tuple[Promise, ...] = ()
    """Promises that were not kept."""
    drift: tuple[Drift, ...] = ()
    """What was not as the plan says, and was as it says before."""
    error: str = ""

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; promises and drift with their words."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        for part in ("broken", "drift"):
            made = zip(plain[part], getattr(self, part), strict=True)
            plain[part] = [each | {"text": str(value)} for each, value in made]
        return plain


class Refresh(Worded, msgspec.Struct, frozen=True):
    """What came of refreshing a crate."""

    folder: str
    tables: tuple[TableRefresh, ...]
    relations: tuple[RelationState, ...] = ()

    @property
    def is_well(self) -> bool:
        """Could every table be read, and was every promise kept?"""
        tables = all(each.done != "failed" and not each.broken for each in self.tables)
        return tables and all(each.kept for each in self.relations)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(msgspec.structs.replace(self, tables=()))
        return plain | {"tables": [each.to_dict() for each in self.tables], "well": self.is_well}


class Candidate(msgspec.Struct, frozen=True):
    """Variables whose values together are different in every case."""

    table: str
    variables: tuple[str, ...]
    cases: int


class SharedKey(msgspec.Struct, frozen=True):
    """Variables of two tables that have values in common, and how many cases meet how many."""

    relation: Relation
    kind: Kind
    """How many cases of the one meet how many of the other."""
    cases: int
    """Cases of the first table that have values."""
    matched: int
    """Those that meet a case of the other."""
    to_cases: int
    to_matched: int
    unmatched: tuple[str, ...] = ()
    """First values of the first table that the other does not have."""
    to_unmatched: tuple[str, ...] = ()
    types: tuple[str, str] = ("", "")
    notes: tuple[Hindrance, ...] = ()
    """Why values that look alike do not meet."""


class Keys(Worded, msgspec.Struct, frozen=True):
    """By what tables can be put together."""

    tables: tuple[str, ...]
    candidates: tuple[Candidate, ...]
    shared: tuple[SharedKey, ...]

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain


class SealedFile(msgspec.Struct, frozen=True):
    """A file of a sealed crate."""

    name: str
    bytes: int


class Sealed(Worded, msgspec.Struct, frozen=True):
    """What is, or would be, in a sealed crate."""

    path: str
    files: tuple[SealedFile, ...]
    written: bool
    notes: tuple[str, ...] = ()

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain


class CrateVerification(Worded, msgspec.Struct, frozen=True):
    """What came of reading all of a crate."""

    source: str
    tables: tuple[Verification, ...]
    problems: tuple[str, ...] = ()
    """What is wrong with its files: gone, changed, not listed."""
    files: int = 0
    """Files whose checksums were compared; 0 for a folder, which has none but those of tables."""

    @property
    def is_whole(self) -> bool:
        """Nothing is wrong."""
        return not self.problems and all(each.is_whole for each in self.tables)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        tables = [each.to_dict() for each in self.tables]
        return msgspec.structs.asdict(self) | {"tables": tables, "whole": self.is_whole}
