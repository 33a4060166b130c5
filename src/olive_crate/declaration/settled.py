"""Open points that somebody has answered, so that nothing is asked twice."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from ..errors import PlanError
from .parts import struct_of

KEEP = "keep"


class Settled(msgspec.Struct, frozen=True, omit_defaults=True):
    """An open point by what it is about, and the answer to it."""

    about: str
    """The key of a plan that holds the decision, such as `variable.type`."""
    variable: str = ""
    answer: str = KEEP
    """What the decision was or became; the point is open again if a file decides otherwise."""


def settled_from(value: Any, at: str = "settled") -> tuple[Settled, ...]:
    """Answers from the tables of a plan. Raises `PlanError` for anything else."""
    if value is None:
        return ()
    if isinstance(value, (str, Mapping)) or not isinstance(value, Iterable):
        raise PlanError(f"{at}: expected a list of answered points, got {value!r}")
    return tuple(struct_of(Settled, each, "about", at) for each in value)
