"""Delimited text: RFC 4180, and what real files add to it."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout
    from .finding import Otherwise


def find(
    source: Source, plan: Decisions, before: Before, otherwise: Otherwise | None = None
) -> SourceLayout:
    """Complete a plan for delimited text."""
    from .finding import find_delimited

    return find_delimited(source, plan, before, otherwise)
