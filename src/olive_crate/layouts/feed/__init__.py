"""Entries of feeds: Atom (RFC 4287), RSS 2.0 and JSON Feed 1.1."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a feed."""
    from .finding import find_feed

    return find_feed(source, plan)
