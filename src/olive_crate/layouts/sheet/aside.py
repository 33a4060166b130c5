"""Rows within a block that are no data: titles of groups, and the heading once more.

A title of a group is one text in a row of its own, where a group begins: below the heading, below
a blank row, or merged over several columns. Unless a merged cell shows it, there have to be
several, all different, and none of them a value of other rows: a row of data that only has its
first cell filled stays a case.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from ...evidence import Evidence, Example, GroupTitles, RepeatedHeading
from ...kernels.types import Flags, Ints
from ...plan.rows import KEEP, SKIP, Rows
from ...sources.ranges import Area
from .grid import TEXT, GridCells, Sheet

FIRST_COLUMNS = 2
"""Columns of a block in which titles of groups stand."""
NARROWEST = 3
"""Columns of a block that may have such titles: a narrower one has rows of one cell anyway."""
ROWS_NAMED = 20
FEWEST = 2
"""Titles of groups where no merged cell marks one."""


class Aside(NamedTuple):
    """Rows that are set aside."""

    titles: tuple[tuple[int, str], ...] = ()
    """The row and the text of each title of a group."""
    repeated: tuple[int, ...] = ()
    """Rows that are the heading again."""

    @property
    def rows(self) -> tuple[int, ...]:
        """All of them."""
        return tuple(sorted({*(row for row, _ in self.titles), *self.repeated}))


def set_aside(
    sheet: Sheet,
    area: Area,
    columns: Sequence[int],
    parts: Rows,
    last: int,
    evidence: list[Evidence],
) -> Aside:
    """The rows of data that are none, and the evidence for it."""
    cells = _within(sheet.cells, parts.first or area.first_row, last, columns)
    if not len(cells) or len(columns) < 2:
        return Aside()
    starts = np.append(np.flatnonzero(np.diff(cells.rows, prepend=-1)), len(cells))
    counts = np.diff(starts)
    rows = cells.rows[starts[:-1]]
    titles = _titles(sheet, cells, starts, counts, rows, columns, parts)
    repeated = _repeated(sheet, area, cells, starts, counts, rows, columns, parts)
    if parts.groups == KEEP:
        titles = ()
    elif titles:
        evidence.append(_of_titles(titles, parts))
    if repeated:
        evidence.append(
            RepeatedHeading(value=SKIP, rows=repeated[:ROWS_NAMED], supporting=len(repeated))
        )
    return Aside(titles, repeated)


def _within(cells: GridCells, first: int, last: int, columns: Sequence[int]) -> GridCells:
    near = cells.between(first, last)
    return near.chosen(np.flatnonzero(np.isin(near.columns, list(columns))))


def _titles(
    sheet: Sheet,
    cells: GridCells,
    starts: Ints,
    counts: Ints,
    rows: Ints,
    columns: Sequence[int],
    parts: Rows,
) -> tuple[tuple[int, str], ...]:
    if len(columns) < NARROWEST or len(rows) < 2:
        return ()
    at = starts[:-1]
    alone = (counts == 1) & (cells.kinds[at] == TEXT)
    alone &= np.isin(cells.columns[at], list(columns[:FIRST_COLUMNS]))
    followed = np.append(counts[1:] > 1, False)
    followed |= np.append(alone[1:], False) & np.append(followed[1:], False)
    begins = np.diff(rows, prepend=rows[0]) > 1
    begins[0] = True
    merged = _merged(sheet, rows)
    found = np.flatnonzero(alone & followed & (begins | merged))
    texts = [each.strip() for each in cells.chosen(at[found]).texts()]
    if not merged[found].any() and not _are_titles(cells, at, counts, found, texts):
        return ()
    return tuple(zip(rows[found].tolist(), texts, strict=True))


def _are_titles(
    cells: GridCells, at: Ints, counts: Ints, found: Ints, texts: Sequence[str]
) -> bool:
    """Do texts in rows of their own name groups, though nothing but their place says so?

    There are several, all different, none of which stands in a row of data as well.
    """
    if len(found) < FEWEST or len(set(texts)) < len(texts):
        return False
    others = np.flatnonzero(counts > 1)
    first = cells.chosen(at[others])
    return len(others) >= 2 * len(found) and set(texts).isdisjoint(first.texts())


def _merged(sheet: Sheet, rows: Ints) -> Flags:
    wide = [each.first_row for each in sheet.merged if each.last_column > each.first_column + 1]
    return np.isin(rows, wide)


def _repeated(
    sheet: Sheet,
    area: Area,
    cells: GridCells,
    starts: Ints,
    counts: Ints,
    rows: Ints,
    columns: Sequence[int],
    parts: Rows,
) -> tuple[int, ...]:
    """Rows whose cells are those of the last row of the heading."""
    if not parts.names or parts.repeated == KEEP:
        return ()
    heading = _within(sheet.cells, parts.names[-1], parts.names[-1], columns)
    if len(heading) < 2 or not bool((heading.kinds == TEXT).all()):
        return ()
    words, places = heading.texts(), heading.columns.tolist()
    found = []
    wordy = np.add.reduceat(cells.kinds == TEXT, starts[:-1], dtype=np.int64) == len(heading)
    for at in np.flatnonzero(wordy & (counts == len(heading))).tolist():
        own = cells.part(int(starts[at]), int(starts[at + 1]))
        if own.kinds[0] == TEXT and own.columns.tolist() == places and own.texts() == words:
            found.append(int(rows[at]))
    return tuple(found)


def _of_titles(titles: Sequence[tuple[int, str]], parts: Rows) -> GroupTitles:
    return GroupTitles(
        value=parts.groups or SKIP,
        supporting=len(titles),
        examples=tuple(Example(row, text) for row, text in titles[:3]),
        certain=parts.groups is not None,
        alternatives=() if parts.groups else (KEEP,),
    )
