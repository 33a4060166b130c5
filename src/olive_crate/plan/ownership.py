"""Whose plan it is: one that the user's own runs wrote, or one from elsewhere, kept in bounds."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from ..sources.addresses import is_address, kept_address
from ..sources.reach import Reach, needed_for
from .model import Decisions


def bounded(
    plan: Decisions,
    file: Path,
    content: bytes,
    trust: tuple[str, ...] = (),
    within: Path | None = None,
) -> Decisions:
    """The plan that was read from a file, kept to what it may open.

    That is all that lies in its folder, or `within` another one that it belongs to.

    Raises `SourceError` for a dictionary that it may not open. Of its source that is said when it
    is opened, as a caller may name another one.
    """
    places = _places(plan)
    if any(needed_for(each, file.parent, within) for each in places):
        from ..sources.own_plans import is_own

        if is_own(file, content, places):
            return plan
    reach = Reach(str(file), trust, "" if within is None else str(within))
    dictionary = _dictionary(plan)
    if dictionary is not None:
        reach.check(dictionary)
    return msgspec.structs.replace(plan, reach=reach)


def remember_plan(plan: Decisions, file: Path, content: bytes) -> None:
    """Remember that a run of this user has written the plan and named what it names.

    A plan from elsewhere does not become the user's own by being written again: what it may not
    open is not remembered.
    """
    places = _places(plan)
    if not any(needed_for(each, file.parent) for each in places):
        return
    if plan.reach is None or all(map(plan.reach.allows, _named(plan))):
        from ..sources.own_plans import remember

        remember(file, content, places)


def packed_content(tables: Mapping[str, Any]) -> bytes:
    """A plan in a packed file, as the bytes that it is known again by."""
    return msgspec.json.encode(tables, order="sorted")


def _named(plan: Decisions) -> list[str]:
    """What the plan names: its source or sources, and its dictionary."""
    source = plan.source
    named = list(source.paths or ([] if source.path is None else [source.path]))
    dictionary = _dictionary(plan)
    return named if dictionary is None else [*named, dictionary]


def _dictionary(plan: Decisions) -> str | None:
    named = plan.fixed.fields
    return str(named["path"]) if isinstance(named, Mapping) else named


def _places(plan: Decisions) -> list[str]:
    """What the plan names, wherever one looks from."""
    base = plan.base or Path()
    kept = [kept_address(each) for each in _named(plan)]
    return [each if is_address(each) else str((base / each).resolve()) for each in kept]
