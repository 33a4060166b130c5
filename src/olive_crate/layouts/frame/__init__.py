"""Tables in memory: Arrow tables, data frames, other datasets."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def claims(source: Source, plan: Decisions) -> bool:
    """The source is a table. Raises `PlanError` where a plan for one meets something else."""
    if source.form == "frame":
        return True
    if plan.layout == "frame":
        from ...errors import PlanError

        raise PlanError(f"{source.name}: not a table in memory; leave out layout")
    return False


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a table in memory."""
    from .finding import find_frame

    return find_frame(source, plan)
