"""Rows within a block that are no data: titles of groups, and the heading once more.

A title of a group is one text in a row of its own, where a group begins: below the heading, below
a blank row, or merged over several columns. Unless a merged cell shows it, or the plan says that
there are titles, there have to be several, all different, and none of them a value of other rows: a
row of data that only has its first cell filled stays a case.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from ...evidence import Evidence, RepeatedHeading
from ...kernels.types import Flags, Ints
from ...plan.model import KEEP, SKIP, Rows
from ...sources.ranges import Area
from ..text.groups import name_groups, of_titles
from .grid import TEXT, GridCells, Sheet

FIRST_COLUMNS = 2
"""Columns of a block in which titles of groups stand."""
NARROWEST = 3
"""Columns of a block that may have such titles: a narrower one has rows of one cell anyway."""
ROWS_NAMED = 20


class Aside(msgspec.Struct, frozen=True):
    """Rows that are set aside."""

    titles: tuple[tuple[int, str], ...] = ()
    """The row and the text of each title of a group."""
    repeated: tuple[int, ...] = ()
    """Rows that are the heading again."""

    @property
    def rows(self) -> tuple[int, ...]:
        """All of them."""
        return tuple(sorted({*(row for row, _ in self.titles), *self.repeated}))


class _Filled(msgspec.Struct, frozen=True):
    """The filled rows of the data."""

    cells: GridCells
    starts: Ints
    """Where the cells of each row begin, and the end of the last."""
    rows: Ints
    """The number of each row."""

    @property
    def counts(self) -> Ints:
        """How many cells each row has."""
        return np.diff(self.starts)

    @property
    def first(self) -> Ints:
        """The place of the first cell of each row."""
        return self.starts[:-1]


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
    filled = _Filled(cells, starts, cells.rows[starts[:-1]])
    titles = () if parts.groups == KEEP else _titles(sheet, filled, columns, parts)
    repeated = _repeated(sheet, filled, columns, parts)
    if titles:
        evidence.append(of_titles(titles, parts))
    if repeated:
        evidence.append(
            RepeatedHeading(value=SKIP, rows=repeated[:ROWS_NAMED], supporting=len(repeated))
        )
    return Aside(titles, repeated)


def _within(cells: GridCells, first: int, last: int, columns: Sequence[int]) -> GridCells:
    near = cells.between(first, last)
    all_between = len(near) > 0 and len(columns) == columns[-1] - columns[0] + 1
    if all_between and columns[0] <= near.columns.min() and near.columns.max() <= columns[-1]:
        return near
    return near.chosen(np.flatnonzero(np.isin(near.columns, list(columns))))


def _titles(
    sheet: Sheet, filled: _Filled, columns: Sequence[int], parts: Rows
) -> tuple[tuple[int, str], ...]:
    """Rows of one text where a group begins."""
    cells, rows, counts, at = filled.cells, filled.rows, filled.counts, filled.first
    if len(columns) < NARROWEST or len(rows) < 2:
        return ()
    alone = (counts == 1) & (cells.kinds[at] == TEXT)
    alone &= np.isin(cells.columns[at], list(columns[:FIRST_COLUMNS]))
    followed = np.append(counts[1:] > 1, False)
    followed |= np.append(alone[1:], False) & np.append(followed[1:], False)
    begins = np.diff(rows, prepend=rows[0]) > 1
    begins[0] = True
    merged = _merged(sheet, rows)
    found = np.flatnonzero(alone & followed & (begins | merged))
    if not len(found):
        return ()
    texts = [each.strip() for each in cells.chosen(at[found]).texts()]
    told = parts.groups is not None or bool(merged[found].any())
    if not told and not name_groups(texts, cells.chosen(at[counts > 1]).texts()):
        return ()
    return tuple(zip(rows[found].tolist(), texts, strict=True))


def _merged(sheet: Sheet, rows: Ints) -> Flags:
    wide = [each.first_row for each in sheet.merged if each.last_column > each.first_column + 1]
    return np.isin(rows, wide)


def _repeated(
    sheet: Sheet, filled: _Filled, columns: Sequence[int], parts: Rows
) -> tuple[int, ...]:
    """Rows whose cells are those of the last row of the heading."""
    if not parts.names or parts.repeated == KEEP:
        return ()
    heading = _within(sheet.cells, parts.names[-1], parts.names[-1], columns)
    if len(heading) < 2 or not bool((heading.kinds == TEXT).all()):
        return ()
    words, places = heading.texts(), heading.columns.tolist()
    found = []
    cells, starts = filled.cells, filled.starts
    wordy = np.add.reduceat(cells.kinds == TEXT, filled.first, dtype=np.int64) == len(heading)
    for at in np.flatnonzero(wordy & (filled.counts == len(heading))).tolist():
        own = cells.part(int(starts[at]), int(starts[at + 1]))
        if own.kinds[0] == TEXT and own.columns.tolist() == places and own.texts() == words:
            found.append(int(filled.rows[at]))
    return tuple(found)
