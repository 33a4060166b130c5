"""Small tables of a plan as values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

import msgspec

from ..errors import PlanError, nearest

T = TypeVar("T", bound=msgspec.Struct)


def struct_of(kind: type[T], value: Any, needed: str, at: str) -> T:
    """A struct of texts from a mapping of its fields, or as it is.

    Raises `PlanError` for an unknown key, for what is no text, and where `needed` is missing.
    """
    if isinstance(value, kind):
        return value
    fields = kind.__struct_fields__
    if not isinstance(value, Mapping) or not all(isinstance(each, str) for each in value.values()):
        raise PlanError(f"{at}: expected {', '.join(fields)} as texts, got {value!r}")
    for key in value:
        if key not in fields:
            raise PlanError(f'{at}: unknown key "{key}"{nearest(str(key), fields)}')
    if needed not in value:
        raise PlanError(f"{at}: {needed} is missing in {dict(value)!r}")
    return kind(**value)
