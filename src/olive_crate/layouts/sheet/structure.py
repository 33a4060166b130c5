"""What a sheet's form shows of a block: headings by merged cells, columns that only make room."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import msgspec
import numpy as np

from ...evidence import Evidence, HeadingFound, SpacerColumns
from ...plan.model import Rows
from ...sources.ranges import Area
from ..base import Row
from ..text.completing import row_parts
from .grid import HeadMark, Sheet

LOOKED_BELOW = 500
"""Rows of a block in which cells that stand out are counted."""
MOST_OUT_BELOW = 0.2
"""The share of cells below a heading that may stand out as it does: totals, for instance."""
MOST_LEVELS = 6
"""Rows of a heading by merged cells."""


class _Heading(msgspec.Struct, frozen=True):
    """The rows of a heading, and what shows that they are."""

    rows: tuple[int, ...]
    names: int
    by_merges: bool = False
    by_mark: str = ""


def marked_heading(
    sheet: Sheet,
    area: Area,
    columns: Sequence[int],
    rows: Sequence[Row],
    given: Rows,
    evidence: list[Evidence],
) -> Rows:
    """The rows of names where merged cells, or marks of the sheet, show which they are."""
    if given.names is not None or given.data is not None:
        return given
    found = _by_merges(sheet, area, columns, rows) or _by_marks(sheet, area, columns, rows, given)
    if found is None:
        return given
    evidence.append(
        HeadingFound(
            value=", ".join(map(str, found.rows)),
            names=found.names,
            levels=len(found.rows),
            supporting=len(found.rows),
            by_merges=found.by_merges,
            by_mark=found.by_mark,
        )
    )
    return msgspec.structs.replace(given, names=found.rows)


def _by_merges(
    sheet: Sheet, area: Area, columns: Sequence[int], rows: Sequence[Row]
) -> _Heading | None:
    """A word over several columns has names below it; one over several rows is a name of all."""
    top, deep = area.first_row, 0
    for merge in sorted(sheet.merged):
        inside = merge.first_column in columns and merge.first_row >= top
        if not inside or merge.first_row > top + deep or merge.first_row > top + MOST_LEVELS:
            continue
        wide = merge.last_column > merge.first_column
        deep = max(deep, merge.last_row - top + 1 + wide)
    heading = [row for row in rows if row.number < top + deep]
    below = any(row.filled > 1 for row in rows if row.number >= top + deep)
    if len(heading) < 2 or heading[-1].filled < 2 or not below:
        return None
    return _Heading(tuple(row.number for row in heading), heading[-1].filled, by_merges=True)


def _by_marks(
    sheet: Sheet, area: Area, columns: Sequence[int], rows: Sequence[Row], given: Rows
) -> _Heading | None:
    """The heading that the sheet itself has, where the cells do not show it.

    A table of the sheet says so for certain. A filter, panes that are frozen and rows that are
    printed on each page only count where the cells leave it open what the heading is.
    """
    last = min(area.last_row, area.first_row + MOST_LEVELS)
    by_number = {row.number: row for row in rows if area.first_row <= row.number < last}
    marks = [
        mark
        for mark in (*sheet.heads, *_standing_out(sheet, area, by_number))
        if mark.row in by_number and 2 * by_number[mark.row].filled >= len(columns)
    ]
    if not marks:
        return None
    met: list[Evidence] = []
    found = row_parts(given, rows, len(columns), met).names or ()
    certain = any(isinstance(each, HeadingFound) and each.certain for each in met)
    mark, same = marks[0], found[-1:] == (marks[0].row,)
    if certain and (same or mark.kind != "table"):
        return None
    return _Heading(found if same else (mark.row,), by_number[mark.row].filled, by_mark=mark.kind)


def _standing_out(sheet: Sheet, area: Area, rows: Mapping[int, Row]) -> Iterator[HeadMark]:
    """The last of the rows at the top whose cells all stand out, where cells below do not."""
    out = np.array([each.stands_out for each in sheet.formats] or [False])
    cells = sheet.cells.between(area.first_row, min(area.last_row, area.first_row + LOOKED_BELOW))
    marked = out[np.minimum(cells.styles, len(out) - 1)]
    last = 0
    for number in sorted(rows):
        own = marked[cells.rows == number]
        if not len(own) or not own.all():
            break
        last = number
    below = marked[cells.rows > last]
    if last and len(below) and below.mean() <= MOST_OUT_BELOW:
        yield HeadMark(last, "bold or coloured cells")


def without_spacers(
    sheet: Sheet, area: Area, columns: tuple[int, ...], evidence: list[Evidence]
) -> tuple[int, ...]:
    """The columns without those that only make room between others."""
    near = sheet.cells.between(area.first_row, area.last_row)
    filled = {*np.flatnonzero(np.bincount(near.columns)).tolist()}
    kept = tuple(each for each in columns if each in filled)
    if not kept or len(kept) == len(columns):
        return columns
    runs = np.split(np.array(kept), np.flatnonzero(np.diff(kept) > 1) + 1)
    two = len(runs) == 2 and min(map(len, runs)) > 1
    parts = [area._replace(first_column=int(r[0]), last_column=int(r[-1])) for r in runs]
    evidence.append(
        SpacerColumns(
            value=sheet.written(area),
            supporting=len(columns) - len(kept),
            alternatives=tuple(map(sheet.written, parts)) if two else (),
            certain=not two,
        )
    )
    return kept
