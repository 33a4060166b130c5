"""Findings that somebody has looked at: they are not shown again, with the reason why."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from ..errors import PlanError
from .parts import struct_of


class Ignored(msgspec.Struct, frozen=True, omit_defaults=True):
    """A kind of finding, everywhere or in one variable, that is not to be shown."""

    kind: str
    variable: str = ""
    """Empty for all of them."""
    reason: str = ""
    """Why, for those who read the plan."""


def ignored_from(value: Any, at: str = "ignore") -> tuple[Ignored, ...]:
    """Findings to ignore: `"far from the rest"`, `"far from the rest: acidity"`, or their parts.

    Raises `PlanError` for anything else.
    """
    if value is None:
        return ()
    if isinstance(value, (str, Mapping, Ignored)):
        value = [value]
    if not isinstance(value, Iterable):
        raise PlanError(f"{at}: expected a list of findings to ignore, got {value!r}")
    return tuple(_ignored(each, at) for each in value)


def _ignored(value: Any, at: str) -> Ignored:
    if isinstance(value, str) and value.strip():
        kind, _, variable = value.partition(":")
        return Ignored(kind.strip(), variable.strip())
    return struct_of(Ignored, value, "kind", at)
