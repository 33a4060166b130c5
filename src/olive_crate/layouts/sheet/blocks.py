"""The blocks of a sheet: rectangles of data amid titles, notes, side remarks and totals.

A sheet is cut at blank rows, each piece at blank columns, each of these at blank rows again, until
nothing is left to cut. Pieces that stand below one another with the same columns and the same kinds
of cells are one block with a blank row in it.
"""

from __future__ import annotations

import itertools

import msgspec
import numpy as np

from ... import kernels
from ...columns.rule import MISSING_MARKS
from ...declaration.patterns import late
from ...kernels.types import Flags
from ...sources.ranges import Area
from .grid import NUMBER, TEXT, GridCells, Sheet, SheetEntry

MOST_PIECES = 2000
GAP = 2
"""Blank rows over which rows of words go on; rows with values go on over any number."""
LINES = 2
"""Rows of a title or a note."""
MOST_LEVELS = 6
"""Rows of a heading that stands apart from its data."""
NAMED = 0.6
"""The share of columns that a heading names at least."""
WIDE = 3
"""Columns of a table of words alone, in which blank rows are looked over."""
SPARSE = 0.4
"""The share of its cells that a row of data has filled at least."""
ALIKE = 0.8
"""The share of cells that are of the usual kind of their column, where data go on."""
SIDE_BY_SIDE, HALF = 0.8, 0.5
"""How much of their height columns beside a blank one share if they are of one table, and how many
of its rows each of them fills."""
YEAR = late(r"(?:19|20)\d\d")
MARKS = frozenset((*MISSING_MARKS, "n.d.", "n.a.", "x", ":"))
"""Words that stand for a value that there is not."""
FEW = 4096
"""Cells that show most often that there is no gap."""


class SheetBlock(msgspec.Struct, frozen=True):
    """A rectangle that may be data."""

    area: Area
    filled: int
    """Cells in it that hold something."""

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
    groups = np.split(at[order], edges)
    if not by_rows:
        groups = _over_spacers(rows, columns, groups)
    for group in groups:
        _cut(rows, columns, group, pieces, not by_rows, 0 if len(group) < len(at) else failed + 1)


def _over_spacers(
    rows: np.ndarray, columns: np.ndarray, groups: list[np.ndarray]
) -> list[np.ndarray]:
    """Groups of columns; those beside one blank column are one if they fill the same rows."""
    made = [groups[0]]
    for group in groups[1:]:
        left = made[-1]
        gap = int(columns[group].min()) - int(columns[left].max())
        if gap == 2 and _same_rows(kernels.distinct(rows[left]), kernels.distinct(rows[group])):
            made[-1] = np.concatenate((left, group))
        else:
            made.append(group)
    return made


def _same_rows(left: np.ndarray, right: np.ndarray) -> bool:
    """Do two groups of columns begin in one row, end in about one row, and fill most between?"""
    high = int(max(left[-1], right[-1])) - int(min(left[0], right[0])) + 1
    ends = abs(int(left[-1]) - int(right[-1])) <= max(2, (1 - SIDE_BY_SIDE) * high)
    both = len(kernels.distinct(np.concatenate((left, right))))
    begins = abs(int(left[0]) - int(right[0])) <= 1
    return begins and ends and min(len(left), len(right)) >= HALF * both


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


class _Piece:
    """Cells that stand together, with what tells whether they go on with others."""

    def __init__(self, cells: GridCells, at: np.ndarray) -> None:
        rows, columns, kinds = (
            (cells.rows, cells.columns, cells.kinds)
            if len(at) == len(cells.rows)
            else (cells.rows[at], cells.columns[at], cells.kinds[at])
        )
        self.area = Area(int(rows.min()), int(columns.min()), int(rows.max()), int(columns.max()))
        self.filled = len(at)
        self.columns, self.kinds, self.rows = columns, kinds, rows
        self._cells, self._at = cells, at
        words = self._words_above()
        self.head = kernels.distinct(rows[words]) if self.has_values else np.zeros(0, np.int64)
        """Rows of words above the first row with a value."""
        self.title = len(self.head) == 1 and len(rows[words]) == 1
        """The first row is one text, which may name what follows."""
        data: Flags | slice = slice(0, None)
        if self.has_values:
            data = slice(words.stop, None) if isinstance(words, slice) else ~words
        self.data_columns, self.data_kinds = columns[data], kinds[data]

    def _words_above(self) -> Flags | slice:
        """The cells above the first row with a value; a slice where they are in order of rows."""
        valued = (self.kinds != TEXT) & ~self._years()
        first = int(valued.argmax())
        self.has_values = bool(valued[first])
        if len(self._at) == len(self._cells.rows):
            until = self.rows[first] if self.has_values else self.area.last_row + 1
            return slice(0, int(np.searchsorted(self.rows, until)))
        least = int(self.rows[valued].min()) if self.has_values else self.area.last_row + 1
        return np.asarray(self.rows < least)

    def _years(self) -> Flags:
        """Which cells of the first rows are years, as they stand in headings."""
        found: Flags = (self.kinds == NUMBER) & (self.rows < self.area.first_row + MOST_LEVELS)
        if not found.any():
            return found
        at = np.flatnonzero(found)
        texts = self._cells.chosen(self._at[at]).texts()
        found[at] = [bool(YEAR.fullmatch(text)) for text in texts]
        return found

    @property
    def is_line(self) -> bool:
        """A line or two of one text each: a title or a note."""
        high = self.area.last_row - self.area.first_row + 1
        return not self.has_values and high <= LINES and self.filled <= high

    @property
    def density(self) -> float:
        """The share of the rectangle that is filled."""
        high = self.area.last_row - self.area.first_row + 1
        return self.filled / (high * _width(self.area))

    def words(self, row: int) -> list[str]:
        """The texts of one of its rows."""
        return self._cells.chosen(self._at[self.rows == row]).texts()


def _width(area: Area) -> int:
    return area.last_column - area.first_column + 1


class _Open:
    """A block that may go on further down."""

    def __init__(self, piece: _Piece) -> None:
        self.area, self.filled = piece.area, piece.filled
        self.first, self.is_line = piece, piece.is_line
        self.valued = piece.has_values
        self._counts = np.zeros((_width(piece.area), 16), np.int64)
        self._uncounted: _Piece | None = piece

    @property
    def counts(self) -> np.ndarray:
        """How many cells of each kind each column has; counted where somebody asks."""
        piece, self._uncounted = self._uncounted, None
        if piece is not None:
            self._count(piece)
        return self._counts

    def _count(self, piece: _Piece) -> None:
        place = piece.data_columns.astype(np.int64) - self.area.first_column
        wide = self._counts.shape[1]
        counted = np.bincount(place * wide + piece.data_kinds, minlength=self._counts.size)
        self._counts += counted.reshape(self._counts.shape)

    def take(self, piece: _Piece, between: list[_Open]) -> None:
        """Go on with a piece; lines between them are part of the block."""
        upper, lower = self.area, piece.area
        first = min(upper.first_column, lower.first_column)
        last = max(upper.last_column, lower.last_column)
        before, after = upper.first_column - first, last - upper.last_column
        counts = self.counts
        if piece.has_values and not self.valued:  # what was counted so far were names
            counts[:] = 0
        self._counts = np.pad(counts, ((before, after), (0, 0)))
        self.area = Area(upper.first_row, first, max(upper.last_row, lower.last_row), last)
        self.filled += piece.filled + sum(each.filled for each in between)
        self.valued |= piece.has_values
        self._count(piece)

    def goes_on(self, piece: _Piece, titled: bool) -> bool:
        """Is the piece more of the same data? `titled` where a line stands between them."""
        if self.valued:
            return self._has_more(piece, titled)
        return self._names(piece)

    def _names(self, piece: _Piece) -> bool:
        """Are these rows of words the names of the columns of a piece without any?"""
        own, first = self.area, self.first
        high = own.last_row - own.first_row + 1
        if not piece.has_values:  # all are words
            same = (own.first_column, own.last_column) == _columns(piece.area)
            near = piece.area.first_row - own.last_row <= GAP + 1
            return same and near and _width(own) >= WIDE and min(piece.density, first.density) == 1
        if (len(piece.head) and not piece.title) or high > MOST_LEVELS:
            return False
        corner = own.first_column - piece.area.first_column
        if corner > 1 or own.last_column < piece.area.last_column:
            return False
        names = int(np.bincount(first.rows - own.first_row).max())
        return names >= NAMED * _width(piece.area) and _width(own) <= 2 * _width(piece.area)

    def _has_more(self, piece: _Piece, titled: bool) -> bool:
        own, other = self.area, piece.area
        gap = other.first_row - own.last_row
        inside = own.first_column <= other.first_column and other.last_column <= own.last_column
        if not inside or _width(own) < 2:
            return False
        if len(piece.head) and not piece.title:
            return piece.words(int(piece.head[-1])) == self._heading()
        usual = self.counts.argmax(axis=1)
        if not piece.has_values:
            return gap <= GAP + 1 and not titled and self._is_unanswered(piece, usual)
        high = other.last_row - other.first_row + 1
        if piece.filled - piece.title < max(2, SPARSE * _width(own) * (high - piece.title)):
            return False
        known = self.counts.sum(axis=1) > 0
        place = piece.data_columns.astype(np.int64) - own.first_column
        alike = (piece.data_kinds == usual[place]) | ~known[place]
        values = bool(((usual != TEXT) & known).any())
        return bool(alike.mean() > ALIKE) and (values or gap <= GAP + 1)

    def _heading(self) -> list[str]:
        first = self.first
        if first.has_values:
            return first.words(int(first.head[-1]) if len(first.head) else first.area.first_row)
        return first.words(first.area.last_row)

    def _is_unanswered(self, piece: _Piece, usual: np.ndarray) -> bool:
        """Rows of words where there should be values: is each of these a mark for none?"""
        if piece.density < NAMED:
            return False
        if (usual == TEXT).all():
            return True
        where = usual[piece.columns.astype(np.int64) - self.area.first_column] != TEXT
        texts = piece._cells.chosen(piece._at[where]).texts()
        return all(text.strip() in MARKS for text in texts)


def _columns(area: Area) -> tuple[int, int]:
    return area.first_column, area.last_column


def _joined(cells: GridCells, pieces: list[np.ndarray]) -> list[SheetBlock]:
    """Pieces as blocks; those that go on below one another as one."""
    held = sorted((_Piece(cells, at) for at in pieces), key=lambda each: each.area)
    blocks: list[_Open] = []
    for piece in held:
        above = [each for each in blocks if _overlap(each.area, piece.area)]
        above.sort(key=lambda each: -each.area.last_row)
        lines = list(itertools.takewhile(lambda each: each.is_line, above))
        lines = lines if len(lines) < len(above) else []
        block = above[len(lines)] if above else None
        if block is None or not block.goes_on(piece, bool(lines)):
            blocks.append(_Open(piece))
            continue
        block.take(piece, lines)
        blocks = [each for each in blocks if each not in lines]
    return [SheetBlock(each.area, each.filled) for each in blocks]


def _overlap(upper: Area, lower: Area) -> bool:
    """Does one stand above the other?"""
    across = upper.first_column <= lower.last_column and lower.first_column <= upper.last_column
    return across and upper.last_row < lower.first_row


class WorkbookContents(msgspec.Struct, frozen=True, eq=False):
    """What a workbook holds, as far as it was looked at."""

    sheets: tuple[tuple[SheetEntry, Sheet, tuple[SheetBlock, ...]], ...]
    names: dict[str, tuple[str, Area]]
    chosen: int
