"""Options of reading laid over a plan."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from ..errors import PlanError, nearest
from .model import Decisions
from .options import OPTIONS


def with_option(plan: Decisions, name: str, value: Any, at: str = "") -> Decisions:
    """The plan with one option laid over it. Raises `PlanError` for what it cannot be."""
    option, at = OPTIONS[name], at or name
    if option.apply is not None:
        return option.apply(plan, value, at)
    checked = value if option.check is None else option.check(value, at)
    if option.field or not option.section:
        return msgspec.structs.replace(plan, **{option.field or name: checked})
    section = msgspec.structs.replace(getattr(plan, option.section), **{name: checked})
    return msgspec.structs.replace(plan, **{option.section: section})


def with_options(plan: Decisions, options: Mapping[str, Any]) -> Decisions:
    """The plan with options laid over it. Raises `PlanError` for an unknown or wrong one."""
    for name in options:
        if name not in OPTIONS:
            raise PlanError(f'unknown option "{name}"{nearest(name, OPTIONS)}')
    for name in sorted(options, key=lambda each: each != "meaning_sets"):  # variables use them
        plan = with_option(plan, name, options[name])
    return plan
