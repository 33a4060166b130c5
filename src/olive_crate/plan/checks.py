"""Checks of single options: each takes what was given and gives what the plan holds.

A check is a function of the value and of the place that messages name (`rows.data`, or the plan
file and key). It raises `PlanError` for what the option cannot be.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..errors import PlanError, nearest

if TYPE_CHECKING:
    from ..declaration.codes import MissingCode
    from ..declaration.promises import Promised
    from .fields import RecordType

Check = Callable[[Any, str], Any]

NAMED_DELIMITERS = {
    "comma": ",",
    "tab": "\t",
    "semicolon": ";",
    "pipe": "|",
    "space": " ",
    "blanks": "blanks",
}
POSITIONS = ("characters", "bytes")
TRIMS = (True, False, "left", "right")


def one_of(*choices: str, optional: bool = True) -> Check:
    """One of these words."""

    def check(value: Any, at: str) -> Any:
        if value in choices or (value is None and optional):
            return value
        listed = ", ".join(f'"{each}"' for each in choices[:-1]) + f' or "{choices[-1]}"'
        hint = nearest(str(value), choices)
        hint = hint if "did you mean" in hint else ""
        raise PlanError(f"{at}: expected {listed}, got {value!r}{hint}")

    return check


def whole_number(least: int, most: int | None = None) -> Check:
    """A whole number from `least` up, and not above `most`."""

    def check(value: Any, at: str) -> Any:
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int) or value < least:
            raise PlanError(f"{at}: expected a whole number from {least} up, got {value!r}")
        if most is not None and value > most:
            raise PlanError(f"{at}: expected at most {most}, got {value}")
        return value

    return check


def encoding(value: Any, at: str) -> str | None:
    """An encoding that Python has."""
    if value is None:
        return None
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected the name of an encoding, got {value!r}")
    from ..sources.source import codec_name

    try:
        codec_name(value)
    except PlanError as error:
        raise PlanError(f"{at}: {error}") from None
    return value


def variable_name(value: Any, at: str) -> str | None:
    """The name of a variable."""
    if value is None:
        return None
    if not isinstance(value, str) or not value:
        raise PlanError(f"{at}: expected the name of a variable, got {value!r}")
    return value


def _one_line(value: Any, at: str) -> str:
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected text, got {value!r}")
    if "\n" in value or "\r" in value:
        raise PlanError(f"{at}: cannot hold a line break")
    return value


NONE = "none"
"""The word for no character at all, as in `delimiter`."""


def delimiter(value: Any, at: str) -> str | None:
    """One or more characters, or a word for them."""
    if value is None:
        return None
    text = NAMED_DELIMITERS.get(value, value) if isinstance(value, str) else value
    text = _one_line(text, at)
    if len(text) > 2 and text.isalpha() and text != "blanks":
        raise PlanError(f'{at}: "{text}" is not a delimiter{nearest(text, NAMED_DELIMITERS)}')
    return text


def quoting(value: Any, at: str) -> str:
    """One ASCII character, or none."""
    text = _character(value, at)
    if text and (not text.isascii() or text == "\0"):
        raise PlanError(f"{at}: expected an ASCII character, got {value!r}")
    return text


def grouping(value: Any, at: str) -> str:
    """One character, or none."""
    return _character(value, at)


def _character(value: Any, at: str) -> str:
    if value is None or value == NONE:
        return ""
    if isinstance(value, str) and len(value) > 1:
        raise PlanError(f"{at}: expected one character, or none, got {value!r}")
    return _one_line(value, at)


def comment(value: Any, at: str) -> str:
    """How lines of comment begin, or nothing."""
    return "" if value is None or value == NONE else _one_line(value, at)


def decimal(value: Any, at: str) -> str | None:
    """One printable ASCII character."""
    if value is None:
        return None
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected text, got {value!r}")
    if not (len(value) == 1 and value.isascii() and value.isprintable()):
        raise PlanError(f"{at}: expected one ASCII character, got {value!r}")
    return value


def trim(value: Any, at: str) -> bool | str | None:
    """Whether blanks around fields are stripped, and on which side."""
    if value is not None and value not in TRIMS:
        raise PlanError(f'{at}: expected true, false, "left" or "right", got {value!r}')
    checked: bool | str | None = value
    return checked


def names(value: Any, at: str) -> tuple[str, ...] | None:
    """One name, or a list of them."""
    if value is None:
        return None
    listed = list(value) if isinstance(value, Iterable) and not isinstance(value, str) else [value]
    if not all(isinstance(name, str) for name in listed):
        raise PlanError(f"{at}: expected names, got {value!r}")
    return tuple(listed)


def unique_names(value: Any, at: str) -> tuple[str, ...] | None:
    """A list of names that all differ."""
    listed = names(value, at)
    twice = _first_repeated(listed or ())
    if twice is not None:
        raise PlanError(f'{at}: "{twice}" appears twice')
    return listed


def _first_repeated(listed: Sequence[str]) -> str | None:
    met: set[str] = set()
    for name in listed:
        if name in met:
            return name
        met.add(name)
    return None


def plain_names(value: Any, at: str) -> bool | int | None:
    """`True`, or the greatest length of a name."""
    if isinstance(value, bool):
        return value or None
    length: int | None = whole_number(1)(value, at)
    return length


def type_name(value: Any, at: str) -> str | None:
    """One type."""
    from ..declaration.variable import TYPES

    if value is None or value in TYPES:
        checked: str | None = value
        return checked
    raise PlanError(f'{at}: there is no type "{value}"{nearest(str(value), TYPES)}')


def sheet(value: Any, at: str) -> str | int | tuple[str | int, ...] | None:
    """A sheet's name, or its number from 1; a list, or a pattern of names, for a set of sheets."""
    if isinstance(value, (list, tuple)) and value:
        return tuple(one for each in value if isinstance(one := sheet(each, at), (str, int)))
    if value is not None and (isinstance(value, bool) or not isinstance(value, (str, int))):
        raise PlanError(f"{at}: expected a sheet's name, or its number from 1, got {value!r}")
    checked: str | int | None = value
    return checked


def sheet_or_table(value: Any, at: str) -> str | int | None:
    """A table's name, or its number from 1."""
    if value is not None and (isinstance(value, bool) or not isinstance(value, (str, int))):
        raise PlanError(f"{at}: expected a table's name, or its number from 1, got {value!r}")
    checked: str | int | None = value
    return checked


def truth(value: Any, at: str) -> bool | None:
    """True or false."""
    if value is not None and not isinstance(value, bool):
        raise PlanError(f"{at}: expected true or false, got {value!r}")
    return value


def query(value: Any, at: str) -> str | None:
    """One SELECT."""
    if value is not None and (not isinstance(value, str) or not value.strip()):
        raise PlanError(f"{at}: expected a SELECT, got {value!r}")
    checked: str | None = value
    return checked


def cell_range(value: Any, at: str) -> str | None:
    """A range of cells, or a name."""
    from ..sources.ranges import check_range

    return None if value is None else check_range(value, at)


def ignored(value: Any, at: str) -> Any:
    """Findings that are not to be shown."""
    from ..declaration.ignored import ignored_from

    return ignored_from(value, at)


def limits(value: Any, at: str) -> Any:
    """How much an untrusted file may ask for."""
    from ..sources.limits import limits_of

    return None if value is None else limits_of(value, at)


def positions(value: Any, at: str) -> str | None:
    """The unit that positions count."""
    if value is not None and value not in POSITIONS:
        raise PlanError(f'{at}: expected "characters" or "bytes", got {value!r}')
    checked: str | None = value
    return checked


def table_path(value: Any, at: str) -> Any:
    """The path of a layout table, or a mapping that names it and its headings."""
    if value is None:
        return None
    if not isinstance(value, Mapping):
        return str(value)
    known = ("path", "headings", "by", "sheet")
    for key in value:
        if key not in known:
            raise PlanError(f'{at}: unknown key "{key}"{nearest(key, known)}')
    if "path" not in value:
        raise PlanError(f"{at}: needs the path of the table")
    return dict(value) | {"path": str(value["path"])}


def record_type(value: Any, at: str) -> RecordType | None:
    """Where a line says of which type it is, and the type that is read."""
    from .fields import record_type_from

    return record_type_from(value, at)


def missing(value: Any, at: str) -> tuple[MissingCode, ...]:
    """Missing codes for all variables."""
    from ..declaration.codes import missing_codes

    return missing_codes(value, at)


def promised(value: Any, at: str) -> Promised:
    """What the sender promised."""
    from ..declaration.promises import promised_from

    return promised_from(value, at)
