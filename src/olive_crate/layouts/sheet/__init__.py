"""Sheets of workbooks: a block of cells with its heading, in OOXML or OpenDocument."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a workbook."""
    from .finding import find_sheet

    return find_sheet(source, plan, before)
