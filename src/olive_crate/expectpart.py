"""What is expected of the data: of the dataset as a whole (`[expect]`), and of one variable."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec

from .errors import PlanError, nearest

Scalar = int | float | str
SPAN = re.compile(r"(\d*)\.\.(\d*)")
RELATION = re.compile(r"\s*(?P<left>.+?)\s*(?P<how><=|>=|==|!=|<|>)\s*(?P<right>.+?)\s*")
ROW = re.compile(r"row ([1-9]\d*)")


class VariableExpect(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """What is expected of the values of one variable; missing cells are none."""

    from_: Scalar | None = None
    """The smallest value; dates and times as ISO 8601 text."""
    to: Scalar | None = None
    allowed: tuple[Scalar, ...] = ()
    pattern: str | None = None
    """A regular expression that whole texts have to match."""


class Expect(msgspec.Struct, frozen=True, omit_defaults=True):
    """Expectations of the dataset as a whole."""

    rows: int | str | None = None
    """How many rows of data: a number, or `first..last`."""
    key: tuple[str, ...] = ()
    """Variables whose values together are different in every case."""
    relations: tuple[str, ...] = ()
    """Two variables, or a variable and a number, compared: `net <= gross`."""
    totals: dict[str, Scalar] = {}
    """What the values of a variable must add up to: a number, or `row 1331` (of the source)."""


def expect_part(value: Any, at: str = "expect") -> Expect:
    """Expectations from the ways to write them. Raises `PlanError` for what none can be."""
    if value is None:
        return Expect()
    if isinstance(value, Expect):
        return value
    given = _table(value, Expect, at)
    for part in ("key", "relations"):
        if isinstance(given.get(part), str):
            given[part] = [given[part]]
    made: Expect = _converted(given, Expect, at)
    if isinstance(made.rows, str) and not SPAN.fullmatch(made.rows):
        raise PlanError(f'{at}.rows: expected a number or "first..last", got {made.rows!r}')
    for relation in made.relations:
        if not RELATION.fullmatch(relation):
            raise PlanError(f'{at}.relations: expected such as "net <= gross", got {relation!r}')
    for name, total in made.totals.items():
        if isinstance(total, str) and not ROW.fullmatch(total):
            raise PlanError(f'{at}.totals.{name}: expected a number or "row 12", got {total!r}')
    return made


def expected_of(expect: Expect, not_kept: Sequence[str], limited: bool) -> tuple[Expect, list[str]]:
    """What can be told without these variables, or of the first rows; and what cannot, in words."""
    lost = set(not_kept)
    left: list[str] = []

    def told(what: str, names: Iterable[str]) -> bool:
        missing = [name for name in names if name in lost]
        if missing:
            left.append(f"expected but not checked: {what}; {missing[0]} is not kept")
        return not missing

    key = expect.key if told(f"key {', '.join(expect.key)}", expect.key) else ()
    relations = tuple(
        each
        for each in expect.relations
        if (match := RELATION.fullmatch(each)) and told(each, (match["left"], match["right"]))
    )
    totals = {
        name: total for name, total in expect.totals.items() if told(f"sum of {name}", [name])
    }
    rows = expect.rows
    if limited and (rows is not None or totals):
        left.append("expected but not checked: rows and sums, since only the first rows are read")
        rows, totals = None, {}
    return Expect(rows, key, relations, totals), left


def variable_expect(value: Any, at: str = "expect") -> VariableExpect | None:
    """Expectations of one variable. Raises `PlanError` for what none can be."""
    if value is None or isinstance(value, VariableExpect):
        return value
    made: VariableExpect = _converted(_table(value, VariableExpect, at), VariableExpect, at)
    try:
        re.compile(made.pattern or "")
    except re.error as error:
        raise PlanError(f"{at}.pattern: {made.pattern!r} is no pattern: {error}") from None
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
        return msgspec.convert(given, kind)
    except msgspec.ValidationError as error:
        raise PlanError(f"{at}: {error}") from None
