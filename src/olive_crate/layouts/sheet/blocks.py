"""The blocks of a sheet: rectangles of data amid titles, notes, side remarks and totals.

A sheet is cut at blank rows, each piece at blank columns, each of these at blank rows again, until
nothing is left to cut. Pieces that stand below one another with the same columns and the same kinds
of cells are one block with a blank row in it.
"""

from __future__ import annotations

import msgspec
import numpy as np

from ...sources.ranges import Area
from .grid import GridCells, Sheet, SheetEntry

MOST_PIECES = 2000
GAP = 2
FEW = 4096
"""GridCells that show most often that there is no gap."""


class SheetBlock(msgspec.Struct, frozen=True):
    """A rectangle that may be data."""

    area: Area
    filled: int
    """GridCells in it that hold something."""

    @property
    def plausible(self) -> bool:
        """More than a line of text."""
        area = self.area
        return area.last_row > area.first_row and area.last_column > area.first_column


def find_blocks(cells: GridCells) -> list[SheetBlock]:
    """All blocks, the one with the most filled cells first; a plausible one before others."""
    if not len(cells):
        return []
    pieces: list[np.ndarray] = []
    _cut(cells.rows, cells.columns, np.arange(len(cells)), pieces, True, 0)
    blocks = _joined(cells, pieces)
    return sorted(blocks, key=lambda each: (not each.plausible, -each.filled))


def _cut(
    rows: np.ndarray,
    columns: np.ndarray,
    at: np.ndarray,
    pieces: list[np.ndarray],
    by_rows: bool,
    failed: int,
) -> None:
    """Cut a piece at blank rows, or at blank columns, whichever can still be done."""
    if failed == 2 or len(pieces) > MOST_PIECES:
        pieces.append(at)
        return
    place = rows if by_rows else columns
    if len(at) < len(place):
        place = place[at]
    if not _has_gap(place):
        _cut(rows, columns, at, pieces, not by_rows, failed + 1)
        return
    order = np.argsort(place, kind="stable")
    edges = np.flatnonzero(np.diff(place[order]) > 1) + 1
    if len(edges) > MOST_PIECES:
        pieces.append(at)
        return
    for group in np.split(at[order], edges):
        _cut(rows, columns, group, pieces, not by_rows, 0 if len(group) < len(at) else failed + 1)


def _has_gap(place: np.ndarray) -> bool:
    """Is any row, or column, between the first and the last one blank?"""
    low, high = int(place.min()), int(place.max())
    if high - low + 1 > 4 * len(place):
        return True
    met = np.zeros(high - low + 1, bool)
    for some in (place[:FEW], place):  # few may do
        met[some - low] = True
        if bool(met.all()):
            return False
    return True


def _area(cells: GridCells, at: np.ndarray) -> Area:
    rows, columns = cells.rows, cells.columns
    if len(at) < len(rows):
        rows, columns = rows[at], columns[at]
    return Area(int(rows.min()), int(columns.min()), int(rows.max()), int(columns.max()))


def _joined(cells: GridCells, pieces: list[np.ndarray]) -> list[SheetBlock]:
    """Pieces as blocks; those that go on below one another as one."""
    held = sorted(((_area(cells, at), at) for at in pieces), key=lambda each: each[0])
    open_pieces: list[tuple[Area, np.ndarray]] = []
    for area, at in held:
        for place, (upper, above) in enumerate(open_pieces):
            if _goes_on(cells, upper, above, area, at):
                both = Area(
                    upper.first_row,
                    min(upper.first_column, area.first_column),
                    max(upper.last_row, area.last_row),
                    max(upper.last_column, area.last_column),
                )
                open_pieces[place] = (both, np.concatenate((above, at)))
                break
        else:
            open_pieces.append((area, at))
    return [SheetBlock(area, len(at)) for area, at in open_pieces]


def _goes_on(
    cells: GridCells, upper: Area, above: np.ndarray, lower: Area, below: np.ndarray
) -> bool:
    """Is the lower piece more of the same data?"""
    gap = lower.first_row - upper.last_row
    inside = upper.first_column <= lower.first_column and lower.last_column <= upper.last_column
    if not (1 < gap <= GAP + 1) or not inside or upper.last_row - upper.first_row < 3:
        return False
    wide = upper.last_column - upper.first_column + 1
    high = lower.last_row - lower.first_row + 1
    if len(below) < 0.5 * wide * high or wide < 2:
        return False
    usual = _usual_kinds(cells, above, upper)
    alike = cells.kinds[below] == usual[cells.columns[below] - upper.first_column]
    return bool(alike.mean() > 0.8)


def _usual_kinds(cells: GridCells, at: np.ndarray, area: Area) -> np.ndarray:
    """The commonest kind in each column of a piece."""
    wide = area.last_column - area.first_column + 1
    place = (cells.columns[at].astype(np.int64) - area.first_column) * 16 + cells.kinds[at]
    counts = np.bincount(place, minlength=wide * 16).reshape(wide, 16)
    usual: np.ndarray = counts.argmax(axis=1)
    return usual


class WorkbookContents(msgspec.Struct, frozen=True, eq=False):
    """What a workbook holds, as far as it was looked at."""

    sheets: tuple[tuple[SheetEntry, Sheet, tuple[SheetBlock, ...]], ...]
    names: dict[str, tuple[str, Area]]
    chosen: int
