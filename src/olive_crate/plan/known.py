"""What a source itself says of its columns, where the plan says nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from ..declaration.variable import Variable
from .model import Decisions


def with_known(
    plan: Decisions, names: Sequence[str], known: Sequence[Mapping[str, Any]]
) -> tuple[Variable, ...]:
    """The plan's declarations, with parts that the source knows of its columns, in their order.

    A part that is declared stays. Where the plan lists its variables, only types are taken: what
    else was not declared is not meant.
    """
    own = {heading: each for each in plan.variables for heading in each.headings}
    made: list[Variable] = []
    used = set()
    for name, parts in zip(names, known, strict=True):
        given = own.get(name)
        if given is not None:
            used.add(given.name)
        variable = given or Variable(name)
        changes = {
            part: value
            for part, value in parts.items()
            if not getattr(variable, part) and (part == "type" or not plan.listed)
        }
        if given is not None or changes:
            made.append(msgspec.structs.replace(variable, **changes))
    return (*made, *(each for each in plan.variables if each.name not in used))
