"""What the sender promised of the data: of all of it (`[promised]`), and of one variable."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

import msgspec

from ..errors import PlanError, nearest
from .converting import converted
from .patterns import late

Scalar = int | float | str
ROW_RANGE = late(r"(\d*)\.\.(\d*)")
RELATION = late(r"(.+?)(<=|>=|==|!=|<|>)(.+)")
ROW = late(r"row ([1-9]\d*)")
CLOSING = "closing"
"""A control total that stands in the row that closes the data."""


def sides_of(relation: str) -> tuple[str, str, str] | None:
    """What a relation compares, and how: `net <= gross`; `None` if it is none."""
    match = RELATION.fullmatch(relation)
    left, how, right = map(str.strip, match.groups()) if match else ("", "", "")
    return (left, how, right) if left and right else None


class PromisedValues(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """What is promised of the values of one variable; missing cells do not count."""

    from_: Scalar | None = None
    """The smallest value; dates and times as ISO 8601 text."""
    to: Scalar | None = None
    allowed: tuple[Scalar, ...] = ()
    pattern: str | None = None
    """A regular expression that whole texts have to match."""


class Promised(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is promised of the dataset as a whole."""

    rows: int | str | None = None
    """How many rows of data: a number, or `first..last`."""
    key: tuple[str, ...] = ()
    """Variables whose values together are different in every case."""
    relations: tuple[str, ...] = ()
    """Two variables, or a variable and a number, compared: `net <= gross`."""
    totals: dict[str, Scalar] | str = {}
    """What the values of a variable must add up to: a number, `row 1331` (of the source), or
    `closing` for the total that closes the data; `closing` alone for all that has one there."""


def promised_from(value: Any, at: str = "promised") -> Promised:
    """Promises from any of the ways to write them. Raises `PlanError` for what is none."""
    if value is None:
        return Promised()
    if isinstance(value, Promised):
        return value
    given = _table(value, Promised, at)
    for part in ("key", "relations"):
        if isinstance(given.get(part), str):
            given[part] = [given[part]]
    made: Promised = _converted(given, Promised, at)
    if isinstance(made.rows, str) and not ROW_RANGE.fullmatch(made.rows):
        raise PlanError(f'{at}.rows: expected a number or "first..last", got {made.rows!r}')
    for relation in made.relations:
        if sides_of(relation) is None:
            raise PlanError(f'{at}.relations: expected such as "net <= gross", got {relation!r}')
    if isinstance(made.totals, str):
        if made.totals != CLOSING:
            raise PlanError(f'{at}.totals: expected a table or "closing", got {made.totals!r}')
        return made
    for name, total in made.totals.items():
        if isinstance(total, str) and total != CLOSING and not ROW.fullmatch(total):
            raise PlanError(
                f'{at}.totals.{name}: expected a number, "row 12" or "closing", got {total!r}'
            )
    return made


class Unchecked(msgspec.Struct, frozen=True):
    """A promise that cannot be judged by what is read."""

    promise: Literal["key", "relation", "total", "counts"]
    names: tuple[str, ...] = ()
    """The variables, or the relation, that it is about."""
    lacking: str = ""
    """The variable that is not kept; empty where only the first rows are read."""


def checkable(
    promised: Promised, not_kept: Sequence[str], limited: bool
) -> tuple[Promised, list[Unchecked]]:
    """What can be judged without these variables, or by the first rows alone; and what cannot."""
    lost = set(not_kept)
    left: list[Unchecked] = []

    def is_kept(promise: Any, about: Sequence[str], names: Iterable[str]) -> bool:
        lacking = next((name for name in names if name in lost), None)
        if lacking is not None:
            left.append(Unchecked(promise, tuple(about), lacking))
        return lacking is None

    key = promised.key if is_kept("key", promised.key, promised.key) else ()
    relations = tuple(
        each
        for each in promised.relations
        if (sides := sides_of(each)) and is_kept("relation", [each], (sides[0], sides[2]))
    )
    given = promised.totals
    totals: dict[str, Scalar] | str = CLOSING
    if not isinstance(given, str):
        totals = {name: total for name, total in given.items() if is_kept("total", [name], [name])}
    rows = promised.rows
    if limited and (rows is not None or totals):
        left.append(Unchecked("counts"))
        rows, totals = None, {}
    return Promised(rows, key, relations, totals), left


def promised_values(value: Any, at: str = "promised") -> PromisedValues | None:
    """Promises of one variable. Raises `PlanError` for what is none."""
    if value is None or isinstance(value, PromisedValues):
        return value
    made: PromisedValues = _converted(_table(value, PromisedValues, at), PromisedValues, at)
    try:
        re.compile(made.pattern or "")
    except re.error as error:
        raise PlanError(f"{at}.pattern: {made.pattern!r} is not a valid pattern: {error}") from None
    return made


def _table(value: Any, kind: type[msgspec.Struct], at: str) -> dict[str, Any]:
    known = kind.__struct_encode_fields__
    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected a table with any of {', '.join(known)}, got {value!r}")
    for part in value:
        if part not in known:
            raise PlanError(f'{at}: unknown key "{part}"{nearest(str(part), known)}')
    return dict(value)


def _converted(given: dict[str, Any], kind: Any, at: str) -> Any:
    try:
        return converted(given, kind)
    except msgspec.ValidationError as error:
        raise PlanError(f"{at}: {error}") from None
