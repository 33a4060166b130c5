"""Blocks of all sheets of a workbook by number, as a look lists them."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from ...errors import LayoutError, PlanError, several
from ...plan.model import Decisions
from .blocks import SheetBlock, find_blocks
from .grid import Sheet, SheetEntry
from .text_rows import filled_merged
from .workbook import Workbook


def with_merged(sheet: Sheet, plan: Decisions) -> Sheet:
    """The sheet with its merged cells filled, if the plan asks for it."""
    if plan.sheet.merged == "fill" and sheet.merged:
        sheet = msgspec.structs.replace(sheet, cells=filled_merged(sheet.cells, sheet.merged))
    return sheet


def looked_at(
    workbook: Workbook, entry: SheetEntry, plan: Decisions
) -> tuple[Sheet, tuple[SheetBlock, ...]]:
    """A sheet and its blocks; of a large one, those of its head."""
    sheet = workbook.read(entry, whole=False)
    return sheet, tuple(find_blocks(with_merged(sheet, plan).cells))


def in_order(blocks: Sequence[SheetBlock]) -> list[SheetBlock]:
    """The blocks of a sheet that may be data, from top to bottom and from left to right."""
    likely = [each for each in blocks if each.plausible]
    return sorted(likely, key=lambda each: (each.area.first_row, each.area.first_column))


def at_block(workbook: Workbook, plan: Decisions) -> Decisions:
    """The plan with the sheet and range of the block that it names by number.

    Raises `PlanError` next to a sheet or a range, and `LayoutError` for a block that is not there.
    """
    wanted = plan.sheet.block
    if wanted is None:
        return plan
    if plan.sheet.sheet is not None or plan.sheet.range is not None:
        raise PlanError(
            f"{workbook.name}: a block's number counts through all sheets; "
            "leave the sheet and the range out, or the block"
        )
    number = 0
    for entry in workbook.sheets:
        sheet, found = looked_at(workbook, entry, plan)
        blocks = in_order(found)
        if wanted <= number + len(blocks):
            area = blocks[wanted - number - 1].area
            start = f"{sheet.place(area.first_row, area.first_column)}:"
            section = msgspec.structs.replace(plan.sheet, sheet=entry.name, range=start, block=None)
            return msgspec.structs.replace(plan, sheet=section)
        number += len(blocks)
    raise LayoutError(
        f"{workbook.name}: there is no block {wanted}; the workbook has {several(number, 'block')}"
    )
