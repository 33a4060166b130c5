"""What the kinds of a sheet's cells tell of each column, and what they mix."""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence

import msgspec
import numpy as np

from ..convert.rule import MARKS
from ..evidence import Evidence, Example
from ..records.sheet import SheetLayout, last_row, shown_kind
from ..sheets.grid import BOOLEAN, ERROR, KINDS, NUMBER, TEXT, Cells, Format, letters
from ..words import row_list, several
from .heading import is_value

DAY_WORDS = re.compile(
    r"\b(date|day|datum|tag|dato|fecha|data|dia|día|jour|giorno|tarih|päivä|dzień)", re.IGNORECASE
)
DAYS_FROM, DAYS_TO = 20_000, 60_000


def told_by_kinds(
    layout: SheetLayout, headings: Sequence[str]
) -> tuple[SheetLayout, list[str], list[Evidence]]:
    """What the kinds of cells tell of each column: its type, its errors, its number format."""
    kinds, decimals, errors, units = [], [], [], []
    evidence: list[Evidence] = []
    ordered, edges = layout.ordered, layout.edges
    last = last_row(layout)
    for index in range(len(layout.columns)):
        low, high = int(edges[index]), int(edges[index + 1])
        rows = ordered.rows[low:high]
        begin, end = np.searchsorted(rows, (layout.first, last + 1)).tolist()
        own = ordered.part(low + begin, low + max(begin, end))
        inside = [row for row in layout.heading if layout.first <= row <= last]
        if inside:
            own = own.chosen(np.flatnonzero(~np.isin(own.rows, inside)))
        name = headings[index] or f"column_{index + 1}"
        wrong = own.kinds == ERROR
        good = own
        if wrong.any():
            errors.append(tuple(dict.fromkeys(own.chosen(np.flatnonzero(wrong)).texts())))
            good = own.chosen(np.flatnonzero(~wrong))
        else:
            errors.append(())
        kind, told = _column_kind(good, name)
        shown = _usual_format(good, layout)
        if kind == "" and shown.decimals and NUMBER in good.kind_counts():
            kind = "number"  # whole by chance: the format shows decimals
        kinds.append(kind)
        decimals.append(shown.decimals)
        units.append(shown.unit)
        evidence += told + _mixed(own, name)
    made = msgspec.structs.replace(
        layout, kinds=tuple(kinds), decimals=tuple(decimals), errors=tuple(errors)
    )
    return made, units, evidence + _notes(layout)


def _column_kind(cells: Cells, name: str) -> tuple[str, list[Evidence]]:
    """The type of a column by the kinds of its cells; empty where its texts have to be read."""
    present = cells.kind_counts()
    if not present:
        return "", []
    if present.get(TEXT) == len(cells):
        return "text", _stored_as_text(cells, name)
    texts = (
        cells.chosen(np.flatnonzero(cells.kinds == TEXT)) if TEXT in present else cells.part(0, 0)
    )
    marks = [text.strip() in MARKS for text in texts.texts()] if len(texts) <= 10_000 else []
    if len(texts) and not all(marks or [False]):
        return "", _numbers_as_text(texts, name)
    others = set(present) - {TEXT}
    if others == {BOOLEAN}:
        return "boolean", []
    kind = shown_kind(others)
    if kind == "" and others == {NUMBER}:
        return "", _serial_days(cells, name)
    return kind, []


def _stored_as_text(cells: Cells, name: str) -> list[Evidence]:
    """A column of texts only that are numbers or dates all the same."""
    texts = [text.strip() for text in cells.part(0, min(len(cells), 2000)).texts()]
    held = [text for text in texts if text and text not in MARKS]
    words = (text for text in held if not is_value(text))
    if not held or any(itertools.islice(words, len(held) // 5, None)):  # more than a fifth
        return []
    if any(len(text) > 1 and text[0] == "0" and text.isdigit() for text in held):
        return []
    day = sum(bool(re.search(r"\d[-./]\d+[-./]\d", text)) for text in held) > 0.5 * len(held)
    kind = "date" if day else "number"
    return [
        Evidence(
            f"variable.{name}",
            "text",
            f"all {len(cells):,} cells are text, though nearly all look like a {kind}: "
            f"{kind}s stored as text",
            len(cells),
            alternatives=(kind,),
            certain=False,
            mend=f'declare("{name}", type="{kind}")',
        )
    ]


def _numbers_as_text(texts: Cells, name: str) -> list[Evidence]:
    """Numbers stored as text in a column of numbers."""
    shown = texts.chosen(np.arange(min(len(texts), 5000)))
    hits = [
        (row, text)
        for row, text in zip(shown.rows.tolist(), shown.texts(), strict=True)
        if is_value(text) and re.search(r"\d", text)
    ]
    if not hits:
        return []
    rows = row_list([row for row, _ in hits[:5]], len(hits))
    return [
        Evidence(
            f"cells.{name}",
            "text",
            f"{several(len(hits), 'number')} stored as text ({rows}), read as numbers where the "
            "others are",
            len(hits),
            examples=tuple(Example(row, text) for row, text in hits[:3]),
            certain=False,
        )
    ]


def _serial_days(cells: Cells, name: str) -> list[Evidence]:
    """Whole numbers that may be days, under a heading that speaks of days."""
    if not DAY_WORDS.search(name):
        return []
    texts = cells.chosen(np.flatnonzero(cells.kinds == NUMBER)).chosen(slice(0, 500)).texts()  # type: ignore[arg-type]
    good = [text.isdigit() and DAYS_FROM < int(text) < DAYS_TO for text in texts]
    if not good or sum(good) < 0.95 * len(good):
        return []
    return [
        Evidence(
            f"variable.{name}",
            "integer",
            "plain numbers that look like the serial numbers of days",
            len(cells),
            alternatives=("date",),
            certain=False,
            mend=f'declare("{name}", type="date")',
        )
    ]


def _mixed(cells: Cells, name: str) -> list[Evidence]:
    """What kinds of cells a column mixes, in words."""
    present = cells.kind_counts()
    if len(present) < 2:
        return []
    told = []
    for kind, count in present.items():
        words = several(count, KINDS[kind])
        if kind in (TEXT, ERROR) and count < len(cells) / 2:
            words += f" ({_examples(cells.chosen(np.flatnonzero(cells.kinds == kind)))})"
        told.append(words)
    return [Evidence(f"cells.{name}", "", ", ".join(told), len(cells), certain=True)]


def _examples(cells: Cells) -> str:
    """The commonest texts with their rows."""
    met: dict[str, list[int]] = {}
    for row, text in zip(cells.rows.tolist(), cells.texts(), strict=True):
        met.setdefault(text, []).append(row)
    ranked = sorted(met.items(), key=lambda item: -len(item[1]))
    told = [f'"{text}" ×{len(rows):,} {row_list(rows[:3], len(rows))}' for text, rows in ranked[:3]]
    return "; ".join(told) + (" …" if len(ranked) > 3 else "")


def _usual_format(cells: Cells, layout: SheetLayout) -> Format:
    """The number format of most cells of a column."""
    styles = cells.styles[cells.kinds == NUMBER]
    if not len(styles):
        return Format()
    formats = layout.sheet.formats
    return formats[min(int(np.bincount(styles).argmax()), len(formats) - 1)]


def _notes(layout: SheetLayout) -> list[Evidence]:
    """Hidden rows and columns, and merged cells among the data."""
    sheet, area = layout.sheet, layout.area
    told = []
    rows = [row for row in sorted(sheet.hidden_rows) if layout.first <= row <= area.last_row]
    columns = [each for each in sorted(sheet.hidden_columns) if each in layout.columns]
    if (rows or columns) and not layout.skip_hidden:
        parts = [row_list(rows[:20], len(rows))] if rows else []
        parts += [f"column {letters(each)}" for each in columns[:8]]
        claim = f"{', '.join(parts)} hidden in the sheet, read all the same"
        told.append(Evidence("sheet.hidden", "", claim, certain=False, alternatives=("skip",)))
    merged = [
        each
        for each in sheet.merged
        if layout.first <= each.first_row <= area.last_row
        and area.first_column <= each.first_column <= area.last_column
    ]
    if merged and not layout.fill_merged:
        shown = ", ".join(map(str, merged[:4])) + (" …" if len(merged) > 4 else "")
        claim = f"{several(len(merged), 'merged area')} among the data ({shown}): only the first "
        claim += "cell of each holds the value"
        told.append(Evidence("sheet.merged", "", claim, certain=False, alternatives=("fill",)))
    data = layout.ordered
    blanks = [
        text
        for text in data.chosen(np.flatnonzero(data.kinds == TEXT)[:5000]).texts()
        if text != text.strip()
    ]
    if layout.outside_count:
        shown = ", ".join(layout.outside[:6]) + (" …" if layout.outside_count > 6 else "")
        claim = f"{several(layout.outside_count, 'filled cell')} outside of the range, not read: "
        told.append(Evidence("sheet.outside", "", claim + shown, layout.outside_count))
    if blanks:
        claim = f"{several(len(blanks), 'text')} with blanks around, kept as they are"
        told.append(
            Evidence("sheet.blanks", "", claim, len(blanks), certain=False, mend="trim=True")
        )
    return told
