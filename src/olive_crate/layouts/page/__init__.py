"""Tables of web pages (HTML)."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def claims(source: Source, plan: Decisions) -> bool:
    """The source is a web page, unless a plan says that it is read as it stands."""
    return source.form == "page" and plan.layout in (None, "page")


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a table of a page."""
    from .finding import find_page

    return find_page(source, plan)
