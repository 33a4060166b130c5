"""Fixed columns: fields at declared positions, or at positions found from aligned text."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout
    from ..text.aligned import LooksAligned


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for fixed columns."""
    from .finding import find_fixed

    return find_fixed(source, plan, before)


def aligned(given: LooksAligned) -> SourceLayout | None:
    """The layout of text aligned by blanks, or `None` where it is none."""
    from .finding import find_aligned

    return find_aligned(given)
