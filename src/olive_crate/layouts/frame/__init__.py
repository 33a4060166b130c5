"""Tables in memory: Arrow tables, data frames, other datasets."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a table in memory."""
    from .finding import find_frame

    return find_frame(source, plan)
