"""What is declared of a variable, as frozen values.

A declaration says what a column means: its type, its label, which values stand for "no answer" and
why, what each value stands for. It never holds data. The same parts, under the same names, are
keys of a plan file, arguments of `declare`, and JSON in a packed dataset.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, get_args

import msgspec

from ..errors import PlanError, nearest
from .codes import MOST_CODES, Meaning, MissingCode, meanings_from, missing_codes
from .promises import PromisedValues, promised_values

Type = Literal[
    "integer", "number", "text", "category", "boolean", "date", "time", "datetime", "duration"
]
Level = Literal["nominal", "ordinal", "interval", "ratio"]
MeaningSets = Mapping[str, tuple[Meaning, ...]]

TYPES: tuple[str, ...] = get_args(Type)
LEVELS: tuple[str, ...] = get_args(Level)


class Variable(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    rename={"from_": "from"},
):
    """The declaration of one variable. Parts that are `None` or empty are not declared."""

    name: str
    from_: str | tuple[str, ...] | None = None
    """The heading in the file, if it differs from the name; several where files differ in it."""
    type: Type | None = None
    label: str | None = None
    unit: str | None = None
    level: Level | None = None
    decimals: int | None = None
    """Number of decimals to display; values do not change."""
    format: str | None = None
    """Notation of dates and times, in POSIX `strptime` directives."""
    true: tuple[str, ...] = ()
    """Words that mean true, for booleans."""
    false: tuple[str, ...] = ()
    flags: tuple[str, ...] = ()
    """Signs behind a value (`12.5*`), which are kept in a second variable, `<name>_flag`."""
    required: bool = False
    """Every case must have a value."""
    promised: PromisedValues | None = None
    """Promises about its values: from, to, allowed, pattern."""
    missing: tuple[MissingCode, ...] = ()
    codes_for_all: bool = True
    """Codes declared for all variables apply to this one too; false after `missing=[]`."""
    meanings: tuple[Meaning, ...] = ()
    """Meanings of its values."""
    meaning_set: str | None = None
    """The shared set that the meanings come from."""

    @property
    def heading(self) -> str:
        """The heading of the column in the file."""
        return self.headings[0]

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings that the column may have in a file, of which each file has one."""
        if self.from_ is None:
            return (self.name,)
        return (self.from_,) if isinstance(self.from_, str) else self.from_


INNER = ("name", "codes_for_all", "meaning_set")
DECLARATION_PARTS = tuple(
    field for field in Variable.__struct_encode_fields__ if field not in INNER
)
TAKING = ("type", "format", "true", "false", "flags", "missing", "codes_for_all")
"""The parts that say how cells are taken; the others only say what they mean."""
TIMES = ("date", "time", "datetime")
NUMERIC = ("integer", "number")


def declared(
    variable: Variable, parts: Mapping[str, Any], where: str = "", sets: MeaningSets | None = None
) -> Variable:
    """The variable with these parts declared anew; a part given as `None` is taken back.

    `sets` are the shared sets of meanings, by name. Raises `PlanError` for unknown parts and
    for values that a part cannot take.
    """
    at = where or f'variable "{variable.name}"'
    changes: dict[str, Any] = {}
    for part, value in parts.items():
        if part not in DECLARATION_PARTS and part != "name":
            raise PlanError(
                f'{at}: unknown key "{part}"{nearest(part, ("name", *DECLARATION_PARTS))}'
            )
        if part == "meanings" and isinstance(value, str):
            changes["meanings"], changes["meaning_set"] = shared_set(value, sets or {}, at), value
            continue
        changes["from_" if part == "from" else part] = _part(f"{at}: {part}", part, value)
        if part == "meanings":
            changes["meaning_set"] = None
        if part == "missing":
            changes["codes_for_all"] = value is None or bool(changes["missing"])
    if "type" in changes:
        _left_behind(variable, changes)
    made = msgspec.structs.replace(variable, **changes)
    _agree(made, at)
    return made


def _left_behind(variable: Variable, changes: dict[str, Any]) -> None:
    """A new type takes the parts with it that only the old one could have."""
    kind = changes["type"]
    if kind == variable.type or kind is None:
        return
    if variable.format is not None and kind not in TIMES:
        changes.setdefault("format", None)
    if kind != "boolean":
        changes.setdefault("true", ())
        changes.setdefault("false", ())


def shared_set(name: str, sets: MeaningSets, at: str) -> tuple[Meaning, ...]:
    """The meanings of a shared set. Raises `PlanError` if there is none of this name."""
    if name not in sets:
        raise PlanError(f'{at}: meanings: unknown set of meanings "{name}"{nearest(name, sets)}')
    return sets[name]


def _part(at: str, part: str, value: Any) -> Any:
    if part == "missing":
        return missing_codes(value, at)
    if part == "meanings":
        return meanings_from(value, at)
    if part == "promised":
        return promised_values(value, at)
    if part in ("true", "false", "flags"):
        return _words(value, at)
    if part == "required":
        if value not in (True, False, None):
            raise PlanError(f"{at}: expected true or false, got {value!r}")
        return bool(value)
    if value is None:
        return None
    if part == "from" and not isinstance(value, str):
        headings = tuple(dict.fromkeys(_words(value, at)))
        return headings[0] if len(headings) == 1 else headings or None
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
    if variable.format is not None and variable.type not in (None, *TIMES):
        raise PlanError(
            f"{at}: a format applies only to dates and times, but the type is {variable.type}"
        )
    both = {word.casefold() for word in variable.true} & {w.casefold() for w in variable.false}
    if both:
        raise PlanError(f'{at}: "{both.pop()}" cannot mean both true and false')
    if len(variable.missing) > MOST_CODES:
        raise PlanError(f"{at}: at most {MOST_CODES} missing codes for a variable")


def _words(value: Any, at: str) -> tuple[str, ...]:
    if not isinstance(value, (str, list, tuple, set)) and value is not None:
        raise PlanError(f"{at}: expected words, got {value!r}")
    words = [value] if isinstance(value, str) else list(value or ())
    if not all(isinstance(word, str) for word in words):
        raise PlanError(f"{at}: expected words, got {value!r}")
    return tuple(words)


def parts_of(variable: Variable) -> dict[str, Any]:
    """What is declared, by part, as `declare` takes it."""
    parts: dict[str, Any] = {}
    for field, encoded in zip(
        Variable.__struct_fields__, Variable.__struct_encode_fields__, strict=True
    ):
        value = getattr(variable, field)
        if encoded not in INNER and value is not None and value is not False and value != ():
            parts[encoded] = value
    if variable.meaning_set is not None:
        parts["meanings"] = variable.meaning_set
    if not variable.codes_for_all:
        parts["missing"] = ()
    return parts
