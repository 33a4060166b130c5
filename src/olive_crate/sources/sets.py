"""Sets of files as values: their members with names, sizes and times. Nothing of them is read."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, overload

import msgspec

from ..declaration.patterns import late
from ..errors import PlanError, SourceError, nearest
from ..views import Worded
from .source import Source

PLAN_FILE = ".plan.toml"
"""What the name of a plan file ends with."""
PATTERN = late(r"[*?\[{]")
"""What makes a name a pattern."""


class HoldsSeveral(SourceError):
    """An archive that holds several files, where one is asked for."""

    def __init__(self, name: str, members: dict[str, Source]) -> None:
        self.name, self.members = name, members
        listed = ", ".join([*members][:8]) + (" …" if len(members) > 8 else "")
        super().__init__(
            f"{name}: the archive holds {len(members)} files ({listed}); "
            f"name one as zip://MEMBER::{name}"
        )


class Member(msgspec.Struct, frozen=True):
    """One file of a set."""

    name: str
    """How messages and receipts call it: its path, as far as members differ in it."""
    source: Any
    """What opens it: a path, a URL, bytes or an open file."""
    size: int | None = None
    """Bytes as they are stored; `None` where that is not known without opening it."""
    changed: float | None = None
    """When it was changed last, in seconds since 1970; `None` where that is not known."""
    parts: dict[str, str] = {}
    """Parts of the name that a pattern gave a word: `{year}`."""
    sheet: str = ""
    """The sheet, where the set is of sheets."""

    @property
    def time(self) -> datetime | None:
        """When it was changed last, in UTC."""
        return None if self.changed is None else datetime.fromtimestamp(self.changed, UTC)


def member_of(source: Source) -> Member:
    """A single source as the member of a set of one; a file under its name without folders."""
    if source.path is None or source.compression in ("zip", "tar"):
        return Member(source.name, source, source.size)
    try:
        found = source.path.stat()
    except OSError:
        return Member(source.path.name, source, source.size)
    return Member(source.path.name, str(source.path), found.st_size, found.st_mtime)


class Files(Worded, Sequence[Member]):
    """A set of files, in order; nothing of them has been read.

    It can be given to `look`, `draft`, `load`, `pack` and `pieces`. A place (`files[3]`) gives a
    member, a slice (`files[-3:]`) a smaller set.
    """

    def __init__(
        self, members: Sequence[Member], given: Sequence[str] = (), left_out: Sequence[str] = ()
    ) -> None:
        self.members = tuple(members)
        self.given = tuple(given)
        """The paths and patterns that it was named by; empty where they do not give this set."""
        self.left_out = tuple(left_out)
        """Names in a folder or archive that were not taken for data."""

    def __len__(self) -> int:
        return len(self.members)

    def __iter__(self) -> Iterator[Member]:
        return iter(self.members)

    @overload
    def __getitem__(self, index: int) -> Member: ...
    @overload
    def __getitem__(self, index: slice) -> Files: ...
    def __getitem__(self, index: int | slice) -> Member | Files:
        return Files(self.members[index]) if isinstance(index, slice) else self.members[index]

    def __repr__(self) -> str:
        return f"<Files {len(self)}>"

    @property
    def names(self) -> list[str]:
        """The names of the members, in order."""
        return [each.name for each in self.members]

    @property
    def size(self) -> int | None:
        """Bytes of all members; `None` where that is not known of each."""
        sizes = [each.size for each in self.members]
        return None if None in sizes else sum(each for each in sizes if each is not None)

    def only(self, pattern: str = "*", **parts: Any) -> Files:
        """Select members whose name matches a pattern and whose parts of the name are as given.

        A part is given as one value, as several in a list, or as a pattern: `year=2024`,
        `year=["2023", "2024"]`, `year="20*"`. Raises `PlanError` for a part that no name has.
        """
        known = sorted({part for each in self.members for part in each.parts})
        for part in parts:
            if part not in known:
                hint = nearest(part, known) or "; the pattern that named them has no {…}"
                raise PlanError(f'the names of the files have no part "{part}"{hint}')
        wanted = {part: _patterns(value) for part, value in parts.items()}
        kept = [
            each
            for each in self.members
            if matches(each.name, pattern)
            and all(
                any(fnmatch.fnmatchcase(each.parts.get(part, ""), one) for one in several)
                for part, several in wanted.items()
            )
        ]
        return Files(kept)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        files = [
            {
                "name": each.name,
                "bytes": each.size,
                "changed": None if each.time is None else each.time.isoformat(timespec="seconds"),
                **({"parts": each.parts} if each.parts else {}),
                **({"sheet": each.sheet} if each.sheet else {}),
            }
            for each in self.members
        ]
        return {"files": files, "left_out": list(self.left_out)}


def _patterns(value: Any) -> list[str]:
    several = value if isinstance(value, (list, tuple, set, range)) else [value]
    return [str(each) for each in several]


def matches(name: str, pattern: str) -> bool:
    """Does the whole name, or its last part, match the pattern?"""
    return fnmatch.fnmatchcase(name, pattern) or fnmatch.fnmatchcase(
        name.rsplit("/", 1)[-1], pattern
    )


def in_order(name: str | Path) -> tuple[Any, ...]:
    """Names in the order that people expect: numbers in them by their value."""
    pieces = re.split(r"(\d+)", str(name))
    return tuple((0, int(each), "") if each.isdigit() else (1, 0, each) for each in pieces)
