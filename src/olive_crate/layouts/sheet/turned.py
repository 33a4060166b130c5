"""Sheets that lie on their side: their variables stand in rows, their cases in columns.

Such a sheet is read with rows and columns exchanged, and from there on like any other. Its rows are
counted along, so that column D is row 4; cells and ranges keep the names that the spreadsheet has.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from ...errors import LayoutError
from ...evidence import Evidence, LiesOnItsSide, Mend
from ...plan.model import Decisions
from ...sources.ranges import MOST_COLUMNS, Area, turned_area
from .grid import KINDS, TEXT, CellList, GridCells, Sheet, SheetEntry
from .workbook import Workbook

MOST_VARIABLES = 2_000
"""Rows of a block that are looked at for being variables: more are cases."""
FEWEST_ROWS, FEWEST_CASES = 2, 3
OF_ONE_KIND = 0.9
"""Share of the cells of a row or a column that have to be of one kind for it to be of one kind."""


class TurnedWorkbook:
    """A workbook whose sheets are read with rows and columns exchanged."""

    def __init__(self, workbook: Workbook) -> None:
        self.workbook = workbook
        self.name, self.kind = workbook.name, workbook.kind
        self.from_1904 = bool(getattr(workbook, "from_1904", False))

    @property
    def sheets(self) -> tuple[SheetEntry, ...]:
        """The sheets, in order."""
        return self.workbook.sheets

    @property
    def names(self) -> dict[str, tuple[str, Area]]:
        """Named ranges, as the workbook has them."""
        return self.workbook.names

    @property
    def other_names(self) -> dict[str, str]:
        """Names of something else than a rectangle of cells."""
        return self.workbook.other_names

    def read(self, entry: SheetEntry, whole: bool = True, fast: bool = True) -> Sheet:
        """One sheet, turned. Raises `LayoutError` for one of too many rows to be variables."""
        sheet = self.workbook.read(entry, True, fast)
        used = sheet.used
        if used is not None and used.last_row > MOST_COLUMNS:
            raise LayoutError(
                f'{self.name}: "{entry.name}" has {used.last_row:,} rows, too many to be '
                "variables; leave turned out"
            )
        return msgspec.structs.replace(
            sheet,
            turned=True,
            cells=_turned_cells(sheet.cells),
            merged=tuple(map(turned_area, sheet.merged)),
            hidden_rows=sheet.hidden_columns,
            hidden_columns=sheet.hidden_rows,
            comments={(column, row): text for (row, column), text in sheet.comments.items()},
            heads=(),
            lists=tuple(map(_turned_list, sheet.lists)),
        )


def as_planned(workbook: Workbook, plan: Decisions) -> Workbook:
    """The workbook, with its sheets turned if the plan says so."""
    return TurnedWorkbook(workbook) if plan.sheet.turned else workbook


def _turned_cells(cells: GridCells) -> GridCells:
    rows, columns = cells.columns.astype(np.int32), cells.rows.astype(np.int16)
    made = msgspec.structs.replace(cells, rows=rows, columns=columns)
    return made.chosen(np.lexsort((columns, rows)))


def _turned_list(given: CellList) -> CellList:
    return given._replace(areas=tuple(map(turned_area, given.areas)))


def note_side(sheet: Sheet, area: Area, columns: Sequence[int], evidence: list[Evidence]) -> None:
    """Note where the rows of a block, and not its columns, are each of one kind.

    The first column has to hold names that differ, and the rows to be of more than one kind: where
    all cells are numbers, nothing tells which way round the sheet is meant.
    """
    count = area.last_row - area.first_row + 1
    if not FEWEST_ROWS < count <= MOST_VARIABLES or len(columns) <= FEWEST_CASES:
        return
    near = sheet.cells.between(area.first_row, area.last_row)
    labels = near.chosen(np.flatnonzero(near.columns == columns[0]))
    texts = [each.strip() for each in labels.texts()]
    if not bool((labels.kinds == TEXT).all()) or len(set(texts)) < max(FEWEST_ROWS + 1, len(texts)):
        return
    cases = near.chosen(np.flatnonzero(np.isin(near.columns, list(columns[1:]))))
    cases = cases.chosen(np.flatnonzero(np.isin(cases.rows, labels.rows)))
    rows = _kinds_of(cases.rows, cases.kinds)
    below = cases.chosen(np.flatnonzero(cases.rows > labels.rows[0]))
    across = _kinds_of(below.columns, below.kinds)
    of_one = [kind for kind in rows if kind is not None]
    mixed = sum(kind is None for kind in across)
    several_kinds = len(set(_kinds_of(below.rows, below.kinds)) - {None}) > 1
    if (
        len(rows) == len(labels)
        and len(of_one) >= OF_ONE_KIND * len(rows)
        and several_kinds
        and len(across) >= FEWEST_CASES
        and mixed >= OF_ONE_KIND * len(across)
    ):
        evidence.append(
            LiesOnItsSide(
                rows=len(of_one),
                columns=mixed,
                of_columns=len(across),
                value="down",
                alternatives=("along",),
                certain=False,
                mend=Mend({"turned": True}),
            )
        )


def _kinds_of(lines: np.ndarray, kinds: np.ndarray) -> list[int | None]:
    """The kind of nearly all cells of each row, or column; `None` where they mix."""
    different, place = np.unique(lines, return_inverse=True)
    counts = np.bincount(place * len(KINDS) + kinds, minlength=len(different) * len(KINDS))
    table = counts.reshape(len(different), len(KINDS))
    most, alike = table.argmax(axis=1), table.max(axis=1) >= OF_ONE_KIND * table.sum(axis=1)
    return [kind if one else None for kind, one in zip(most.tolist(), alike.tolist(), strict=True)]
