"""What the kinds of a sheet's cells tell of each column, and what they mix."""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence

import msgspec
import numpy as np

from ...columns.rule import MISSING_MARKS
from ...declaration.patterns import late
from ...evidence import (
    BlanksAround,
    CellsOutside,
    Evidence,
    Example,
    HiddenCells,
    KindCount,
    Mend,
    MergedCells,
    MixedKinds,
    NotCalculated,
    NumbersStoredAsText,
    SerialDays,
    StoredAsText,
    TextCount,
)
from ...sources.ranges import letters
from ..text.cells import is_value
from .formulas import NOT_CALCULATED
from .grid import BOOLEAN, ERROR, KINDS, NUMBER, TEXT, Format, GridCells
from .layout import SheetLayout
from .reading import shown_kind

DAY_WORDS = late(
    r"\b(date|day|datum|tag|dato|fecha|data|dia|día|jour|giorno|tarih|päivä|dzień)", re.IGNORECASE
)
DAYS_FROM, DAYS_TO = 20_000, 60_000
"""Serial numbers of the days from 1954 to 2064."""
ROWS_KEPT = 5
LOOKED_AT = 5000
"""Texts that are searched for numbers, or for blanks around them."""


class ColumnKinds(msgspec.Struct, frozen=True):
    """What the kinds of cells say of one column."""

    type: str
    decimals: int | None
    errors: tuple[str, ...]
    unit: str
    evidence: list[Evidence]
    zeros: int = 0
    """Digits that are shown at least."""


def with_kinds(
    layout: SheetLayout, headings: Sequence[str]
) -> tuple[SheetLayout, list[str], list[Evidence]]:
    """The layout with what the kinds of cells say of each column; the units that formats show."""
    columns = [
        _column(layout, index, heading or f"column_{index + 1}")
        for index, heading in enumerate(headings)
    ]
    made = msgspec.structs.replace(
        layout,
        kinds=tuple(each.type for each in columns),
        decimals=tuple(each.decimals for each in columns),
        errors=tuple(each.errors for each in columns),
        zeros=tuple(each.zeros for each in columns),
    )
    evidence = [one for each in columns for one in each.evidence]
    return made, [each.unit for each in columns], evidence + _sheet_evidence(layout)


def _column(layout: SheetLayout, index: int, name: str) -> ColumnKinds:
    own = _data_cells(layout, index)
    wrong = own.kinds == ERROR
    errors: tuple[str, ...] = ()
    good = own
    if wrong.any():
        errors = tuple(dict.fromkeys(own.chosen(np.flatnonzero(wrong)).texts()))
        good = own.chosen(np.flatnonzero(~wrong))
    kind, evidence = _column_kind(good, name)
    shown = _usual_format(good, layout)
    if kind == "" and shown.decimals and NUMBER in good.kind_counts():
        kind = "number"  # whole by chance: the format shows decimals
    more = [*_mixed(own, name), *_not_calculated(own, errors, name)]
    said = [*evidence, *more]
    return ColumnKinds(kind, shown.decimals, errors, shown.unit, said, shown.zeros)


def _not_calculated(cells: GridCells, errors: Sequence[str], name: str) -> list[Evidence]:
    """Formulas without a stored value among the cells."""
    if NOT_CALCULATED not in errors:
        return []
    wrong = cells.chosen(np.flatnonzero(cells.kinds == ERROR))
    pairs = zip(wrong.rows.tolist(), wrong.texts(), strict=True)
    rows = tuple(row for row, text in pairs if text == NOT_CALCULATED)
    return [
        NotCalculated(variable=name, rows=rows[:ROWS_KEPT], supporting=len(rows), certain=False)
    ]


def _data_cells(layout: SheetLayout, index: int) -> GridCells:
    """The filled cells of a column within the rows of data."""
    ordered, last = layout.ordered, layout.last_row
    low, high = int(layout.edges[index]), int(layout.edges[index + 1])
    begin, end = np.searchsorted(ordered.rows[low:high], (layout.first, last + 1)).tolist()
    own = ordered.part(low + begin, low + max(begin, end))
    aside = (*layout.heading, *layout.aside)
    inside = [row for row in aside if layout.first <= row <= last]
    return own.chosen(np.flatnonzero(~np.isin(own.rows, inside))) if inside else own


def _column_kind(cells: GridCells, name: str) -> tuple[str, list[Evidence]]:
    """The type of a column by the kinds of its cells; empty where its texts have to be read."""
    present = cells.kind_counts()
    if not present:
        return "", []
    if present.get(TEXT) == len(cells):
        return "text", _stored_as_text(cells, name)
    texts = (
        cells.chosen(np.flatnonzero(cells.kinds == TEXT)) if TEXT in present else cells.part(0, 0)
    )
    marks = (
        [text.strip() in MISSING_MARKS for text in texts.texts()] if len(texts) <= 10_000 else []
    )
    if len(texts) and not all(marks or [False]):
        return "", _numbers_as_text(texts, name)
    others = set(present) - {TEXT}
    if others == {BOOLEAN}:
        return "boolean", []
    kind = shown_kind(others)
    if kind == "" and others == {NUMBER}:
        return "", _serial_days(cells, name)
    return kind, []


def _stored_as_text(cells: GridCells, name: str) -> list[Evidence]:
    """A column of texts only that are numbers or dates all the same."""
    texts = [text.strip() for text in cells.part(0, min(len(cells), 2000)).texts()]
    held = [text for text in texts if text and text not in MISSING_MARKS]
    words = (text for text in held if not is_value(text))
    if not held or any(itertools.islice(words, len(held) // 5, None)):  # more than a fifth
        return []
    if any(len(text) > 1 and text[0] == "0" and text.isdecimal() for text in held):
        return []
    day = sum(bool(re.search(r"\d[-./]\d+[-./]\d", text)) for text in held) > 0.5 * len(held)
    kind = "date" if day else "number"
    return [
        StoredAsText(
            value="text",
            variable=name,
            type=kind,
            supporting=len(cells),
            alternatives=(kind,),
            certain=False,
            mend=Mend({"type": kind}, name),
        )
    ]


def _numbers_as_text(texts: GridCells, name: str) -> list[Evidence]:
    """Numbers stored as text in a column of numbers."""
    shown = texts.chosen(np.arange(min(len(texts), 5000)))
    hits = [
        (row, text)
        for row, text in zip(shown.rows.tolist(), shown.texts(), strict=True)
        if is_value(text) and re.search(r"\d", text)
    ]
    if not hits:
        return []
    return [
        NumbersStoredAsText(
            value="text",
            variable=name,
            count=len(hits),
            rows=tuple(row for row, _ in hits[:ROWS_KEPT]),
            supporting=len(hits),
            examples=tuple(Example(row, text) for row, text in hits[:3]),
            certain=False,
        )
    ]


def _serial_days(cells: GridCells, name: str) -> list[Evidence]:
    """Whole numbers that may be days, under a heading that speaks of days."""
    if not DAY_WORDS.search(name):
        return []
    texts = cells.chosen(np.flatnonzero(cells.kinds == NUMBER)).chosen(slice(0, 500)).texts()  # type: ignore[arg-type]
    good = [text.isdecimal() and DAYS_FROM < int(text) < DAYS_TO for text in texts]
    if not good or sum(good) < 0.95 * len(good):
        return []
    return [
        SerialDays(
            value="integer",
            variable=name,
            supporting=len(cells),
            alternatives=("date",),
            certain=False,
            mend=Mend({"type": "date"}, name),
        )
    ]


def _mixed(cells: GridCells, name: str) -> list[Evidence]:
    """What kinds of cells a column mixes."""
    present = cells.kind_counts()
    if len(present) < 2:
        return []
    kinds = []
    for kind, count in present.items():
        texts: list[TextCount] = []
        if kind in (TEXT, ERROR) and count < len(cells) / 2:
            texts = _commonest(cells.chosen(np.flatnonzero(cells.kinds == kind)))
        kinds.append(KindCount(KINDS[kind], count, tuple(texts[:3]), len(texts) > 3))
    return [MixedKinds(variable=name, kinds=tuple(kinds), supporting=len(cells))]


def _commonest(cells: GridCells) -> list[TextCount]:
    """The texts of cells with their first rows, the commonest first."""
    met: dict[str, list[int]] = {}
    for row, text in zip(cells.rows.tolist(), cells.texts(), strict=True):
        met.setdefault(text, []).append(row)
    ranked = sorted(met.items(), key=lambda item: -len(item[1]))
    return [TextCount(text, len(rows), tuple(rows[:3])) for text, rows in ranked]


def _usual_format(cells: GridCells, layout: SheetLayout) -> Format:
    """The number format of most cells of a column."""
    styles = cells.styles[cells.kinds == NUMBER]
    if not len(styles):
        return Format()
    formats = layout.sheet.formats
    return formats[min(int(np.bincount(styles).argmax()), len(formats) - 1)]


def _sheet_evidence(layout: SheetLayout) -> list[Evidence]:
    """Hidden and merged cells among the data, cells outside of them, blanks around texts."""
    found: list[Evidence | None] = [_hidden(layout), _merged(layout)]
    if layout.outside_count:
        found.append(_outside(layout))
    texts = layout.ordered.chosen(np.flatnonzero(layout.ordered.kinds == TEXT)[:LOOKED_AT]).texts()
    blanks = sum(text != text.strip() for text in texts)
    if blanks:
        found.append(BlanksAround(supporting=blanks, certain=False, mend=Mend({"trim": True})))
    return [each for each in found if each is not None]


def _outside(layout: SheetLayout) -> CellsOutside:
    """Filled cells that are not read; more of them than are read make an open point."""
    count = layout.outside_count
    return CellsOutside(
        cells=layout.outside[:6], supporting=count, certain=count <= len(layout.ordered)
    )


def _hidden(layout: SheetLayout) -> HiddenCells | None:
    sheet, area = layout.sheet, layout.area
    rows = [row for row in sorted(sheet.hidden_rows) if layout.first <= row <= area.last_row]
    within = range(area.first_column, area.last_column + 1)
    columns = [each for each in sorted(sheet.hidden_columns) if each in within]
    if not (rows or columns):
        return None
    if sheet.turned:
        rows, columns = columns, rows
    shown = tuple(letters(each) for each in columns[:8])
    if layout.skip_hidden:
        return HiddenCells(value="skip", rows=tuple(rows[:20]), row_count=len(rows), columns=shown)
    return HiddenCells(
        rows=tuple(rows[:20]),
        row_count=len(rows),
        columns=shown,
        alternatives=("skip",),
        certain=False,
    )


def _merged(layout: SheetLayout) -> MergedCells | None:
    area = layout.area
    merged = [
        each
        for each in layout.sheet.merged
        if layout.first <= each.first_row <= area.last_row
        and area.first_column <= each.first_column <= area.last_column
    ]
    if layout.fill_merged or not merged:
        return None
    return MergedCells(
        areas=tuple(map(layout.sheet.written, merged[:4])),
        count=len(merged),
        alternatives=("fill",),
        certain=False,
    )
