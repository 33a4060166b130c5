"""What a plan expects of the data."""

from __future__ import annotations

from typing import Any

import msgspec

from .errors import PlanError, nearest


class Expect(msgspec.Struct, frozen=True, omit_defaults=True):
    """Expectations of the dataset as a whole; those of one variable stand in its declaration."""

    key: tuple[str, ...] = ()
    """Variables whose values together are different in every case."""


def expect_part(value: Any, at: str = "expect") -> Expect:
    """Expectations from the ways to write them. Raises `PlanError` for what none can be."""
    if value is None:
        return Expect()
    if isinstance(value, Expect):
        return value
    if not isinstance(value, dict):
        raise PlanError(f'{at}: expected {{"key": [names]}}, got {value!r}')
    for part in value:
        if part not in Expect.__struct_fields__:
            raise PlanError(f'{at}: unknown key "{part}"{nearest(part, Expect.__struct_fields__)}')
    key = value.get("key", ())
    names = [key] if isinstance(key, str) else list(key)
    if not all(isinstance(name, str) for name in names):
        raise PlanError(f"{at}.key: expected names of variables, got {key!r}")
    return Expect(tuple(names))
