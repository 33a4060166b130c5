"""Sheets that describe the variables of another: a row for each, with its name in one column."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from ...evidence import Evidence, Mend, SheetChosen, VariablesDescribed
from ...plan.model import Decisions
from ...sources.ranges import Area
from ...sources.source import Source
from ..base import Row
from .blocks import WorkbookContents
from .grid import Sheet
from .text_rows import rows_of
from .workbook import Workbook

FEWEST = 3
"""Names that a column has to hold at least."""
OF_NAMES, OF_CELLS = 0.5, 0.5
"""The share of all names that it holds, and of its own cells that are such names."""
MOST_SHEETS, MOST_COLUMNS = 20, 40
LARGE = 2 << 20
"""Bytes of a workbook whose other sheets are not opened for this."""

Described = list[tuple[str, list[Row]]]
"""The first rows of sheets, by their names."""


def other_sheets(
    workbook: Workbook, plan: Decisions, contents: WorkbookContents, size: int
) -> Described:
    """The first rows of the sheets that are not read, where nothing describes the variables yet.

    Of a workbook of many bytes they are only those that were looked at anyway.
    """
    if plan.listed or plan.fixed.fields is not None or len(workbook.sheets) > MOST_SHEETS:
        return []
    own = contents.sheets[contents.chosen][0].name
    known = {entry.name: sheet for entry, sheet, _ in contents.sheets}
    found = []
    for entry in workbook.sheets:
        if entry.name == own or (size > LARGE and entry.name not in known):
            continue
        sheet = known.get(entry.name) or workbook.read(entry, whole=False)
        found.append((entry.name, _head(sheet)))
    return found


def _head(sheet: Sheet) -> list[Row]:
    if sheet.used is None:
        return []
    last = min(sheet.used.last_column, MOST_COLUMNS)
    return rows_of(sheet, Area(1, 1, sheet.used.last_row, last), range(1, last + 1))


def note_described(
    source: Source, others: Described, headings: Sequence[str], evidence: list[Evidence]
) -> None:
    """Note the sheet that describes most of the variables; it is no sheet of data."""
    names = {each.strip() for each in headings if each.strip()}
    best: VariablesDescribed | None = None
    for sheet, rows in others:
        found = _described(source, sheet, rows, names)
        if found is not None and (best is None or found.names > best.names):
            best = found
    if best is None:
        return
    for place, each in enumerate(evidence):
        if isinstance(each, SheetChosen) and best.sheet in each.alternatives:
            left = tuple(name for name in each.alternatives if name != best.sheet)
            evidence[place] = msgspec.structs.replace(each, alternatives=left, certain=not left)
    evidence.append(best)


def _described(
    source: Source, sheet: str, rows: Sequence[Row], names: set[str]
) -> VariablesDescribed | None:
    """What a sheet says of the variables: the column with their names, below its own heading."""
    for column in range(len(rows[0].cells) if rows else 0):
        cells = [(row, row.cells[column].strip()) for row in rows if row.cells[column].strip()]
        held = {text for _, text in cells} & names
        first = next((at for at, each in enumerate(cells) if each[1] in held), 0)
        enough = len(held) >= max(FEWEST, OF_NAMES * len(names))
        if not enough or not first or len(held) < OF_CELLS * (len(cells) - first):
            continue
        heading, called = cells[first - 1]
        if heading.filled < 2:
            continue
        usable = source.path is not None and all(text in names for _, text in cells[first:])
        given = {"path": source.name, "sheet": sheet, "headings": {"name": called}}
        return VariablesDescribed(
            value="none",
            names=len(held),
            of=len(names),
            sheet=sheet,
            heading=called,
            alternatives=(sheet,),
            certain=False,
            mend=Mend({"fields": given}) if usable else None,
        )
    return None
