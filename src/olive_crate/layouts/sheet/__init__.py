"""Sheets of workbooks: a block of cells with its heading, in OOXML or OpenDocument."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout


def claims(source: Source, plan: Decisions) -> bool:
    """The source is a workbook. Raises `PlanError` where a plan for a workbook meets text."""
    if source.workbook is not None:
        return True
    given = plan.sheet
    cells = (given.sheet, given.range, given.block, given.turned)
    if plan.layout == "sheet" or any(each is not None for each in cells):
        from ...errors import PlanError

        raise PlanError(f"{source.name}: not a workbook; leave out sheet, range, block and turned")
    return False


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a workbook."""
    from .finding import find_sheet

    return find_sheet(source, plan, before)
