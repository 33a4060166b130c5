"""Missing codes and meanings: what a value, or a range of values, stands for.

Both are written in the same ways: a value, a list, a mapping from values or ranges to words, or
tables as in a plan file.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

import msgspec

from ..errors import Advice, PlanError, nearest
from .converting import converted

Scalar = int | float | str
T = TypeVar("T", bound=msgspec.Struct)

BLANK, UNREADABLE, NOT_IN_FILE = "blank", "unreadable", "not in file"
RESERVED = {1: BLANK, 2: UNREADABLE, 3: NOT_IN_FILE}
"""Reasons that are no codes, by their numbers."""
SPANS = ("value", "from", "to")
"""Keys of a table that say of which values it speaks."""
FIRST_CODE = 10
MOST_CODES = 180


class MissingCode(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """A value, or a range of values (both ends included), that stands for "no answer"."""

    value: Scalar | None = None
    from_: int | float | None = None
    to: int | float | None = None
    reason: str = ""

    def __post_init__(self) -> None:
        ranged = self.from_ is not None or self.to is not None
        if ranged == (self.value is not None):
            raise PlanError("a missing code is one value or a range (from, to)")
        if self.from_ is not None and self.to is not None and self.from_ > self.to:
            raise PlanError(f"missing code {self}: the range ends before it starts")
        if self.reason in RESERVED.values():
            raise PlanError(f'missing code {self}: the reason "{self.reason}" is reserved')

    def __str__(self) -> str:
        return _span_text(self.value, self.from_, self.to)

    @property
    def why(self) -> str:
        """The reason, or the code itself where no reason was given."""
        return self.reason or str(self)


class Meaning(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """What a value, or a range of values (both ends included), stands for."""

    label: str
    value: Scalar | None = None
    from_: int | float | None = None
    to: int | float | None = None

    def __post_init__(self) -> None:
        ranged = self.from_ is not None or self.to is not None
        if ranged == (self.value is not None):
            raise PlanError(f'meaning "{self.label}" needs one value or a range')
        if self.from_ is not None and self.to is not None and self.from_ > self.to:
            raise PlanError(f'meaning "{self}": the range ends before it starts')

    def __str__(self) -> str:
        return f"{_span_text(self.value, self.from_, self.to)} {self.label}"


def _span_text(value: Scalar | None, low: float | None, high: float | None) -> str:
    if value is not None:
        return str(value)
    return f"{'' if low is None else low}..{'' if high is None else high}"


def missing_codes(spec: Any, at: str = "missing") -> tuple[MissingCode, ...]:
    """Missing codes from any of the ways to write them.

    A value, a list of values, `{value: reason}`, `{(from, to): reason}`, or a list of tables with
    the keys `value`, `from`, `to`, `reason`.
    """
    if spec is None:
        return ()
    if isinstance(spec, Mapping) and (
        spec.keys().isdisjoint(SPANS) or not _is_table(spec, MissingCode)
    ):
        codes = tuple(_reasoned(key, why, at) for key, why in spec.items())
    else:
        codes = tuple(_code(each, at) for each in _listed(spec))
    met: dict[str, MissingCode] = {}
    for code in codes:
        if met.setdefault(str(code), code).reason != code.reason:
            raise PlanError(f'{at}: "{code}" has two reasons, "{met[str(code)].why}" and another')
    return tuple(met.values())


def _reasoned(key: Any, why: Any, at: str) -> MissingCode:
    """A code and its reason. Raises `PlanError` for a reason that is no text."""
    if isinstance(why, str) and type(key) in (int, float, str):
        try:
            return MissingCode(key, reason=why)
        except PlanError as error:
            raise PlanError(f"{at}: {error}") from None
    if isinstance(why, (Mapping, list, tuple)):
        where = Advice(
            "if it is a variable, its codes belong in {}",
            f'variables={{"{key}": {{"missing": ...}}}}',
            "its [[variable]] in the plan",
        )
        raise PlanError(f'{at}: the code "{key}" needs its reason in words', where)
    return _table(MissingCode, _spanned(key, at) | {"reason": why}, at)


def meanings_from(spec: Any, at: str = "meanings") -> tuple[Meaning, ...]:
    """Meanings from `{value: label}`, `{(from, to): label}` or a list of tables."""
    if spec is None:
        return ()
    if isinstance(spec, Mapping) and not _is_table(spec, Meaning):
        tables = [_spanned(key, at) | {"label": label} for key, label in spec.items()]
    else:
        tables = list(_listed(spec))
    labels = [each if isinstance(each, Meaning) else _table(Meaning, each, at) for each in tables]
    _no_overlap(labels, at)
    return tuple(labels)


def _no_overlap(labels: Sequence[Meaning], at: str) -> None:
    spans = sorted(
        (
            (each.value, each.value, each.label)
            if each.value is not None
            else (
                float("-inf") if each.from_ is None else each.from_,
                float("inf") if each.to is None else each.to,
                each.label,
            )
            for each in labels
            if not isinstance(each.value, str)
        ),
        key=lambda span: (span[0], span[1]),
    )
    for (_, high, first), (low, _, second) in itertools.pairwise(spans):
        if low <= high:
            raise PlanError(f'{at}: the meanings "{first}" and "{second}" overlap')
    words = [each.value for each in labels if isinstance(each.value, str)]
    for word in words:
        if words.count(word) > 1:
            raise PlanError(f'{at}: "{word}" has two meanings')


def _listed(spec: Any) -> Iterable[Any]:
    if isinstance(spec, (Mapping, str, int, float, MissingCode, Meaning)):
        return [spec]
    return list(spec)


def _is_table(spec: Mapping[Any, Any], kind: type[msgspec.Struct]) -> bool:
    known = set(kind.__struct_encode_fields__)
    return bool(spec) and set(spec) <= known and not spec.keys().isdisjoint(SPANS)


def _code(each: Any, at: str) -> MissingCode:
    if isinstance(each, MissingCode):
        return each
    if isinstance(each, Mapping):
        return _table(MissingCode, each, at)
    return _table(MissingCode, _spanned(each, at), at)


def _spanned(key: Any, at: str) -> dict[str, Any]:
    if isinstance(key, tuple):
        if len(key) != 2:
            raise PlanError(f"{at}: a range is (from, to), got {key!r}")
        return {"from": key[0], "to": key[1]}
    if isinstance(key, bool) or not isinstance(key, (int, float, str)):
        raise PlanError(f"{at}: expected a number or text, got {key!r}")
    return {"value": key}


def _table(kind: type[T], table: Any, at: str) -> T:
    if not isinstance(table, Mapping):
        raise PlanError(f"{at}: expected a table, got {table!r}")
    for key in table:
        if key not in kind.__struct_encode_fields__:
            raise PlanError(
                f'{at}: unknown key "{key}"{nearest(key, kind.__struct_encode_fields__)}'
            )
    try:
        return converted(dict(table), kind)
    except PlanError as error:
        raise PlanError(f"{at}: {error}") from None
    except msgspec.ValidationError as error:
        raise PlanError(f"{at}: {error}") from None
