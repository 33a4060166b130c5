"""Tables of web pages (HTML)."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a table of a page."""
    from .finding import find_page

    return find_page(source, plan)
