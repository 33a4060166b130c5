"""What is declared of a variable, as frozen values.

A declaration says what a column means: its type, its label, which values stand for "no answer" and
why, what each value stands for. It never holds data. The same parts, under the same names, are
keys of a plan file, arguments of `declare`, and JSON in a packed dataset.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal, TypeVar, get_args

import msgspec

from .errors import PlanError, nearest

Type = Literal[
    "integer", "number", "text", "category", "boolean", "date", "time", "datetime", "duration"
]
Level = Literal["nominal", "ordinal", "interval", "ratio"]
Scalar = int | float | str
T = TypeVar("T", bound=msgspec.Struct)

TYPES: tuple[str, ...] = get_args(Type)
LEVELS: tuple[str, ...] = get_args(Level)
BLANK, UNREADABLE = "blank", "unreadable"
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
            raise PlanError("a missing code is either one value, or a range (from, to)")
        if self.from_ is not None and self.to is not None and self.from_ > self.to:
            raise PlanError(f"missing code {self}: the range ends before it begins")
        if self.reason in (BLANK, UNREADABLE):
            raise PlanError(
                f'missing code {self}: the reason "{self.reason}" has a meaning already'
            )

    def __str__(self) -> str:
        return _span_text(self.value, self.from_, self.to)

    @property
    def why(self) -> str:
        """The reason, or the code itself where no reason was given."""
        return self.reason or str(self)


class ValueLabel(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """What a value, or a range of values (both ends included), stands for."""

    label: str
    value: Scalar | None = None
    from_: int | float | None = None
    to: int | float | None = None

    def __post_init__(self) -> None:
        ranged = self.from_ is not None or self.to is not None
        if ranged == (self.value is not None):
            raise PlanError(f'value label "{self.label}" needs either one value, or a range')

    def __str__(self) -> str:
        return f"{_span_text(self.value, self.from_, self.to)} {self.label}"


def _span_text(value: Scalar | None, low: float | None, high: float | None) -> str:
    if value is not None:
        return str(value)
    return f"{'' if low is None else low}..{'' if high is None else high}"


class Variable(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    rename={"from_": "from"},
):
    """The declaration of one variable. What is `None` or empty is not declared."""

    name: str
    from_: str | None = None
    """The heading in the file, where the name differs from it."""
    type: Type | None = None
    label: str | None = None
    unit: str | None = None
    level: Level | None = None
    decimals: int | None = None
    """How many decimals to show; never changes a value."""
    format: str | None = None
    """Dates and times: how they are written, in POSIX `strptime` directives."""
    true: tuple[str, ...] = ()
    """Booleans: the words that mean true."""
    false: tuple[str, ...] = ()
    missing: tuple[MissingCode, ...] = ()
    values: tuple[ValueLabel, ...] = ()

    @property
    def heading(self) -> str:
        """What the column is called in the file."""
        return self.name if self.from_ is None else self.from_


PARTS = tuple(field for field in Variable.__struct_encode_fields__ if field != "name")


def declared(variable: Variable, parts: Mapping[str, Any], where: str = "") -> Variable:
    """The variable with these parts declared anew; a part given as `None` is taken back.

    Raises `PlanError` for unknown parts and for values that a part cannot take.
    """
    at = where or f'variable "{variable.name}"'
    changes: dict[str, Any] = {}
    for part, value in parts.items():
        if part not in PARTS and part != "name":
            raise PlanError(f'{at}: unknown key "{part}"{nearest(part, ("name", *PARTS))}')
        field = "from_" if part == "from" else part
        changes[field] = _part(f"{at}: {part}", part, value)
    made = msgspec.structs.replace(variable, **changes)
    _agree(made, at)
    return made


def _part(at: str, part: str, value: Any) -> Any:
    if part == "missing":
        return missing_codes(value, at)
    if part == "values":
        return value_labels(value, at)
    if part in ("true", "false"):
        return _words(value, at)
    if value is None:
        return None
    if part == "decimals":
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= 30:
            raise PlanError(f"{at}: expected a whole number from 0 to 30, got {value!r}")
        return value
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected text, got {value!r}")
    choices = {"type": TYPES, "level": LEVELS}.get(part)
    if choices and value not in choices:
        raise PlanError(f'{at}: there is no {part} "{value}"{nearest(value, choices)}')
    return value


def _agree(variable: Variable, at: str) -> None:
    """Parts that contradict one another."""
    if variable.format is not None and variable.type not in (None, "date", "time", "datetime"):
        raise PlanError(f"{at}: a format is for dates and times, the type is {variable.type}")
    both = {word.casefold() for word in variable.true} & {w.casefold() for w in variable.false}
    if both:
        raise PlanError(f'{at}: "{both.pop()}" cannot mean both true and false')
    if len(variable.missing) > MOST_CODES:
        raise PlanError(f"{at}: at most {MOST_CODES} missing codes for a variable")


def _words(value: Any, at: str) -> tuple[str, ...]:
    words = [value] if isinstance(value, str) else list(value or ())
    if not all(isinstance(word, str) for word in words):
        raise PlanError(f"{at}: expected words, got {value!r}")
    return tuple(words)


def missing_codes(spec: Any, at: str = "missing") -> tuple[MissingCode, ...]:
    """Missing codes from any of the ways to write them.

    A value, a list of values, `{value: reason}`, `{(from, to): reason}`, or a list of tables with
    the keys `value`, `from`, `to`, `reason`.
    """
    if spec is None:
        return ()
    if isinstance(spec, Mapping) and not _is_table(spec, MissingCode):
        return tuple(_code(_spanned(key, at) | {"reason": why}, at) for key, why in spec.items())
    return tuple(_code(each, at) for each in _listed(spec))


def value_labels(spec: Any, at: str = "values") -> tuple[ValueLabel, ...]:
    """Value labels from `{value: label}`, `{(from, to): label}` or a list of tables."""
    if spec is None:
        return ()
    if isinstance(spec, Mapping) and not _is_table(spec, ValueLabel):
        tables = [_spanned(key, at) | {"label": label} for key, label in spec.items()]
    else:
        tables = list(_listed(spec))
    labels = [
        each if isinstance(each, ValueLabel) else _table(ValueLabel, each, at) for each in tables
    ]
    _no_overlap(labels, at)
    return tuple(labels)


def _no_overlap(labels: Sequence[ValueLabel], at: str) -> None:
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
            raise PlanError(f'{at}: the labels "{first}" and "{second}" overlap')
    words = [each.value for each in labels if isinstance(each.value, str)]
    for word in words:
        if words.count(word) > 1:
            raise PlanError(f'{at}: "{word}" is labelled twice')


def _listed(spec: Any) -> Iterable[Any]:
    if isinstance(spec, (Mapping, str, int, float, MissingCode, ValueLabel)):
        return [spec]
    return list(spec)


def _is_table(spec: Mapping[Any, Any], kind: type[msgspec.Struct]) -> bool:
    known = set(kind.__struct_encode_fields__)
    return bool(spec) and set(spec) <= known and bool({"value", "from", "to"} & set(spec))


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
        return msgspec.convert(dict(table), kind)
    except PlanError as error:
        raise PlanError(f"{at}: {error}") from None
    except msgspec.ValidationError as error:
        raise PlanError(f"{at}: {error}") from None


def resolve(names: str | Iterable[str], known: Sequence[str]) -> list[str]:
    """The variables meant by a name, a list, a run of neighbours (`a..c`) or `*` for all.

    Raises `PlanError` for a name that is not known.
    """
    found: list[str] = []
    for name in [names] if isinstance(names, str) else names:
        found += _one_or_run(name, known)
    return list(dict.fromkeys(found))


def _one_or_run(name: str, known: Sequence[str]) -> list[str]:
    if name in known:
        return [name]
    if name == "*":
        return list(known)
    first, dots, last = name.partition("..")
    if not dots:
        raise PlanError(f'there is no variable "{name}"{nearest(name, known)}')
    for end in (first, last):
        if end not in known:
            raise PlanError(f'"{name}": there is no variable "{end}"{nearest(end, known)}')
    low, high = known.index(first), known.index(last)
    if low > high:
        raise PlanError(f'"{name}": "{first}" comes after "{last}"')
    return list(known[low : high + 1])
