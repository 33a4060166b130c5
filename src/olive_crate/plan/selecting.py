"""Which variables are meant: by name, neighbours, pattern, or what is declared of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from fnmatch import fnmatchcase
from typing import Any

from ..declaration.variable import DECLARATION_PARTS, Variable
from ..errors import PlanError, nearest

MARKS = "*?["
"""What makes a name a pattern."""
Names = str | Iterable[str] | Mapping[str, Any]


def chosen(names: Names, variables: Sequence[Variable]) -> list[str]:
    """The variables meant by names, or by a mapping of parts that they are declared with.

    Raises `PlanError` where none is meant, or for a name that is not known.
    """
    if not isinstance(names, Mapping):
        return resolve(names, [each.name for each in variables])
    for part in names:
        if part not in DECLARATION_PARTS:
            raise PlanError(
                f'there is no part "{part}" to choose by{nearest(part, DECLARATION_PARTS)}'
            )
    fields = {part: "from_" if part == "from" else part for part in names}
    found = [
        each.name
        for each in variables
        if all(getattr(each, fields[part]) == value for part, value in names.items())
    ]
    if not found:
        said = ", ".join(f"{part} {value}" for part, value in names.items())
        raise PlanError(f"no variable is declared with {said}")
    return found


def resolve(names: str | Iterable[str], known: Sequence[str]) -> list[str]:
    """The variables meant by a name, a list, a run of neighbours (`a..c`) or a pattern (`panel_*`).

    Patterns are those of POSIX.1-2017, XCU 2.13 (`*`, `?`, `[...]`). Raises `PlanError` for a name
    that is not known and for a pattern that no name follows.
    """
    found: list[str] = []
    every = set(known)
    for name in [names] if isinstance(names, str) else names:
        found += _meant(name, known, every)
    return list(dict.fromkeys(found))


def named(names: str | Iterable[str], known: Sequence[str]) -> list[str]:
    """The same where more variables may exist than are known: a new name is taken as it is.

    A heading may hold the marks of a pattern (`acid [%]`, `Fermented?`); only what known names
    follow is one.
    """
    found: list[str] = []
    every = set(known)
    for name in [names] if isinstance(names, str) else names:
        literal = isinstance(name, str) and name != "*" and ".." not in name
        pattern = literal and any(mark in name for mark in MARKS)
        if literal and not (pattern and any(fnmatchcase(each, name) for each in known)):
            found.append(name)
        else:
            found += _meant(name, known, every)
    return list(dict.fromkeys(found))


def _meant(name: str, known: Sequence[str], every: set[str]) -> list[str]:
    """The same for one name; `every` has the known ones."""
    if not isinstance(name, str):
        raise PlanError(f"expected the name of a variable, got {name!r}")
    if name in every:
        return [name]
    if any(mark in name for mark in MARKS):
        found = [each for each in known if fnmatchcase(each, name)]
        if not found and name != "*":
            raise PlanError(f'no variable matches the pattern "{name}"{nearest(name, known)}')
        return found
    first, dots, last = name.partition("..")
    if not dots:
        raise PlanError(f'there is no variable "{name}"{nearest(name, known)}')
    for end in (first, last):
        if end not in every:
            raise PlanError(f'"{name}": there is no variable "{end}"{nearest(end, known)}')
    low, high = known.index(first), known.index(last)
    if low > high:
        raise PlanError(f'"{name}": "{first}" comes after "{last}"')
    return list(known[low : high + 1])
