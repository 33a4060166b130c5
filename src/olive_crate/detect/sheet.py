"""A sheet of a workbook, settled: which sheet, which block of it, which row plays which part, and
what the kinds of its cells tell about each column."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ..convert.rule import MARKS
from ..errors import LayoutError, nearest
from ..evidence import Evidence, Example
from ..plan import Plan, Rows
from ..records.sheet import SheetLayout, in_columns, last_row, shown_kind
from ..sheets.blocks import Block, find_blocks
from ..sheets.container import Limits
from ..sheets.grid import (
    BOOLEAN,
    ERROR,
    KINDS,
    NUMBER,
    TEXT,
    Area,
    Cells,
    Format,
    Sheet,
    SheetEntry,
    area_of,
    letters,
)
from ..sheets.pieces import Assembly
from ..sheets.strings import Strings
from ..sheets.workbook import Workbook, opened, sheet_named
from ..sources import Source
from ..words import row_list, several
from .heading import Row, is_value
from .names import headings_of
from .roles import cells_of_row, heading_rows, row_parts, with_last

if TYPE_CHECKING:
    from .settle import Settled

LOOKED_AT = 200
WIDEST = 16_384
DAY_WORDS = re.compile(
    r"\b(date|day|datum|tag|dato|fecha|data|dia|día|jour|giorno|tarih|päivä|dzień)", re.IGNORECASE
)
DAYS_FROM, DAYS_TO = 20_000, 60_000
NONE = Assembly(Strings.of([]), (), False).cells()


class Found(msgspec.Struct, frozen=True, eq=False):
    """What a workbook holds, as far as it was looked at."""

    sheets: tuple[tuple[SheetEntry, Sheet, tuple[Block, ...]], ...]
    names: dict[str, tuple[str, Area]]
    chosen: int


def settle_sheet(source: Source, plan: Plan, whole: bool = True) -> Settled:
    """Complete a plan for a workbook. Raises `LayoutError` for a sheet or range that is not there.

    With `whole` false only about the first 4 MB of each sheet are looked at.
    """
    from .settle import Settled

    evidence: list[Evidence] = []
    with opened(source, plan.sheet.limits or Limits()) as workbook:
        found = _looked_at(workbook, plan, evidence, whole)
        entry, sheet, blocks = found.sheets[found.chosen]
        if whole and not sheet.whole:
            sheet = workbook.read(entry)
            blocks = tuple(find_blocks(_with_merged(sheet, plan).cells))
        from_1904 = bool(getattr(workbook, "from_1904", False))
    sheet = _with_merged(sheet, plan)
    used_rows = sheet.cells.used_rows()
    area, text = _area(plan, workbook, sheet, blocks, found, evidence)
    columns = _columns(sheet, area, plan)
    sheet = _visible(sheet, plan)
    rows = rows_of(sheet, area, columns)
    fields = len(columns)
    parts = row_parts(plan.rows, rows, fields, evidence)
    if plan.rows.data is None:
        parts = with_last(parts, _tail(sheet, area, columns, parts), fields, evidence)
    heading = [row for row in rows if row.number in (parts.names or ())]
    _check_rows(source, parts, area)
    headings = headings_of(plan, heading, fields, source)
    ordered, edges = in_columns(sheet.cells, area, columns)
    layout = SheetLayout(
        msgspec.structs.replace(sheet, cells=NONE) if whole else sheet,
        area,
        columns,
        ordered,
        edges,
        used_rows,
        *_outside(sheet.cells, area, columns),
        kinds=("",) * fields,
        from_1904=from_1904,
        heading=heading_rows(parts),
        first=parts.first or area.first_row,
        last=parts.last,
        limit=plan.limit,
        skip_hidden=plan.sheet.hidden == "skip",
        fill_merged=plan.sheet.merged == "fill",
        bytes=source.size or 0,
    )
    layout, told_units, told = _told_by_kinds(layout, headings)
    units = cells_of_row(rows, parts.units, fields)
    complete = msgspec.structs.replace(
        plan,
        sheet=msgspec.structs.replace(plan.sheet, sheet=entry.name, range=text),
        rows=parts,
        layout="sheet",
        delimited=msgspec.structs.replace(plan.delimited, decimal=plan.delimited.decimal or "."),
    )
    return Settled(
        source,
        complete,
        layout,
        headings,
        tuple(own or told_unit for own, told_unit in zip(units, told_units, strict=True)),
        cells_of_row(rows, parts.labels, fields),
        (*evidence, *told),
        tuple(rows),
        workbook=found if not whole else None,
    )


def _visible(sheet: Sheet, plan: Plan) -> Sheet:
    """The sheet without what is hidden, if the plan leaves it out."""
    cells = sheet.cells
    if plan.sheet.hidden == "skip" and (sheet.hidden_rows or sheet.hidden_columns):
        kept = ~np.isin(cells.rows, list(sheet.hidden_rows))
        kept &= ~np.isin(cells.columns, list(sheet.hidden_columns))
        sheet = msgspec.structs.replace(sheet, cells=cells.chosen(kept))
    return sheet


def _with_merged(sheet: Sheet, plan: Plan) -> Sheet:
    """The sheet with its merged cells filled, if the plan asks for it."""
    if plan.sheet.merged == "fill" and sheet.merged:
        sheet = msgspec.structs.replace(sheet, cells=filled_merged(sheet.cells, sheet.merged))
    return sheet


def filled_merged(cells: Cells, merged: Sequence[Area]) -> Cells:
    """The cells, with the value of each merged area in all of its cells."""
    place = {
        key: at
        for at, key in enumerate(zip(cells.rows.tolist(), cells.columns.tolist(), strict=True))
    }
    rows, columns, source = [], [], []
    for area in merged:
        at = place.get((area.first_row, area.first_column))
        size = (area.last_row - area.first_row + 1) * (area.last_column - area.first_column + 1)
        if at is None or size > 100_000:
            continue
        for row in range(area.first_row, area.last_row + 1):
            for column in range(area.first_column, area.last_column + 1):
                if (row, column) not in place:
                    rows.append(row)
                    columns.append(column)
                    source.append(at)
    if not rows:
        return cells
    more = cells.chosen(np.array(source))
    both = [
        np.concatenate((getattr(cells, name), getattr(more, name)))
        for name in ("kinds", "styles", "starts", "ends")
    ]
    all_rows = np.concatenate((cells.rows, np.array(rows)))
    all_columns = np.concatenate((cells.columns, np.array(columns)))
    order = np.lexsort((all_columns, all_rows))
    made = Cells(all_rows, all_columns, both[0], both[1], cells.buffer, both[2], both[3])
    return made.chosen(order)


def _looked_at(workbook: Workbook, plan: Plan, evidence: list[Evidence], whole: bool) -> Found:
    """The sheets that may be meant, and which of them is read."""
    if not workbook.sheets:
        raise LayoutError(f"{workbook.name}: there is no sheet of cells in the workbook")
    wanted = plan.sheet.sheet
    named = _named(plan, workbook)
    if wanted is None and named is not None:
        wanted = named[0]
    if wanted is not None:
        entries = [sheet_named(workbook, wanted)]
    else:
        entries = [each for each in workbook.sheets if not each.hidden] or list(workbook.sheets)
    looked = []
    for entry in entries:
        sheet = workbook.read(entry, whole=whole and len(entries) == 1)
        looked.append((entry, sheet, tuple(find_blocks(_with_merged(sheet, plan).cells))))
    sizes = [_weight(blocks, sheet) for _, sheet, blocks in looked]
    chosen = int(np.argmax(sizes))
    if plan.sheet.sheet is None and named is None and len(workbook.sheets) > 1:
        others = tuple(
            entry.name
            for place, (entry, _, blocks) in enumerate(looked)
            if place != chosen and any(block.plausible for block in blocks)
        )
        entry, _, blocks = looked[chosen]
        evidence.append(
            Evidence(
                "sheet.sheet",
                entry.name,
                f"holds the largest block of {several(len(workbook.sheets), 'sheet')}",
                blocks[0].filled if blocks else 0,
                alternatives=others,
                certain=not others,
            )
        )
    return Found(tuple(looked), workbook.names, chosen)


def _weight(blocks: Sequence[Block], sheet: Sheet) -> float:
    """How much data a sheet seems to hold; one that was not read whole holds more."""
    if not blocks:
        return -1.0
    return (
        blocks[0].filled * (1.0 if sheet.whole else 1000.0) * (1 if blocks[0].plausible else 0.01)
    )


def _named(plan: Plan, workbook: Workbook) -> tuple[str, Area] | None:
    """The sheet and area of a named range or table, where the range is a name."""
    text = plan.sheet.range
    if text is None or area_of(text) is not None:
        return None
    names = workbook.names
    folded = {name.casefold(): name for name in names}
    if text.casefold() in folded:
        return names[folded[text.casefold()]]
    raise LayoutError(
        f'{workbook.name}: "{text}" is no range, and no named range or table'
        f"{nearest(text, names) or '; the workbook has none'}"
    )


def _area(
    plan: Plan,
    workbook: Workbook,
    sheet: Sheet,
    blocks: Sequence[Block],
    found: Found,
    evidence: list[Evidence],
) -> tuple[Area, str]:
    """The rectangle that is read, and how the plan writes it down."""
    text, used = plan.sheet.range, sheet.used
    named = _named(plan, workbook) if text is not None else None
    if text is not None and named is not None:
        return named[1], text
    if used is None:
        raise LayoutError(f'{workbook.name}: the sheet "{sheet.name}" is empty')
    if text is not None:
        given = area_of(text) or used
        block = next(
            (
                each.area
                for each in blocks
                if each.area.first_row <= given.first_row <= each.area.last_row
                and each.area.first_column <= given.first_column <= each.area.last_column
            ),
            used,
        )
        area = Area(
            given.first_row,
            given.first_column,
            given.last_row or (used if given.last_column else block).last_row,
            given.last_column or block.last_column,
        )
        if given.last_row == 0 and given.last_column:  # whole columns
            area = area._replace(first_row=used.first_row)
        if area.first_row > used.last_row or area.first_column > used.last_column:
            raise LayoutError(
                f'{workbook.name}: the range {text} of "{sheet.name}" is empty; '
                f"the used range is {used}"
            )
        return area, text
    block_found = blocks[0]
    area = block_found.area
    written = f"{letters(area.first_column)}{area.first_row}:"
    others = tuple(str(each.area) for each in blocks[1:] if each.plausible)
    evidence.append(
        Evidence(
            "sheet.range",
            str(area),
            f"the largest of {several(len(blocks), 'block')}, "
            f"{several(block_found.filled, 'filled cell')}",
            block_found.filled,
            alternatives=others,
            certain=not others and block_found.plausible,
        )
    )
    return area, written


def _outside(cells: Cells, area: Area, columns: Sequence[int]) -> tuple[int, tuple[str, ...], int]:
    """How many filled cells there are, which of them stand outside of the area, and how many."""
    inside = (cells.rows >= area.first_row) & (cells.rows <= area.last_row)
    inside &= np.isin(cells.columns, np.array(columns, np.int16))
    at = np.flatnonzero(~inside)
    shown = cells.chosen(at[:10])
    places = zip(shown.rows.tolist(), shown.columns.tolist(), strict=True)
    return len(cells), tuple(f"{letters(column)}{row}" for row, column in places), len(at)


def _columns(sheet: Sheet, area: Area, plan: Plan) -> tuple[int, ...]:
    columns = range(area.first_column, min(area.last_column, WIDEST) + 1)
    if plan.sheet.hidden != "skip":
        return tuple(columns)
    return tuple(column for column in columns if column not in sheet.hidden_columns)


def rows_of(sheet: Sheet, area: Area, columns: Sequence[int]) -> list[Row]:
    """The first rows of the block as text, merged headings spread over what they cover."""
    cells = sheet.cells
    near = cells.chosen((cells.rows >= area.first_row) & (cells.rows <= area.last_row))
    numbers = near.used_rows()[:LOOKED_AT]
    return _text_rows(near, numbers, columns, sheet.merged)


def _text_rows(
    cells: Cells, numbers: np.ndarray, columns: Sequence[int], merged: Sequence[Area]
) -> list[Row]:
    wide = [
        each
        for each in merged
        if len(numbers) and each.first_row <= int(numbers[-1]) and each.first_row >= int(numbers[0])
    ]
    shown = cells.chosen(np.isin(cells.rows, numbers))
    shown = filled_merged(shown, wide)
    place = {column: index for index, column in enumerate(columns)}
    table = {int(number): [""] * len(columns) for number in numbers}
    for row, column, text in zip(
        shown.rows.tolist(), shown.columns.tolist(), shown.texts(), strict=True
    ):
        if column in place and row in table:
            table[row][place[column]] = text
    return [Row(number, tuple(cells_of)) for number, cells_of in table.items()]


def _tail(sheet: Sheet, area: Area, columns: Sequence[int], parts: Rows) -> list[Row]:
    """The last rows of the block; numbered so that the block's end is the end."""
    cells = sheet.cells
    first = max(parts.first or area.first_row, area.last_row - LOOKED_AT)
    near = cells.chosen((cells.rows >= first) & (cells.rows <= area.last_row))
    rows = _text_rows(near, near.used_rows(), columns, ())
    if rows and rows[-1].number < area.last_row:
        return []
    return rows


def _check_rows(source: Source, parts: Rows, area: Area) -> None:
    for name in ("names", "labels", "units"):
        value = getattr(parts, name)
        for number in value if isinstance(value, tuple) else (value,):
            if number is not None and not area.first_row <= number <= area.last_row:
                raise LayoutError(
                    f"{source.name}: rows.{name} = {number} is outside of the range {area}; "
                    "rows are numbered as the spreadsheet numbers them"
                )


def _told_by_kinds(
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
        at = np.flatnonzero(
            (rows >= layout.first) & (rows <= last) & ~np.isin(rows, layout.heading)
        )
        own = ordered.chosen(at + low)
        name = headings[index] or f"column_{index + 1}"
        wrong = own.kinds == ERROR
        good = own
        if wrong.any():
            errors.append(tuple(dict.fromkeys(own.chosen(np.flatnonzero(wrong)).texts())))
            good = own.chosen(np.flatnonzero(~wrong))
        else:
            errors.append(())
        kind, told = _column_kind(good, name)
        kinds.append(kind)
        shown = _usual_format(good, layout)
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
    texts = cells.chosen(np.flatnonzero(cells.kinds == TEXT))
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
    texts = [text.strip() for text in cells.chosen(np.arange(min(len(cells), 2000))).texts()]
    held = [text for text in texts if text and text not in MARKS]
    if not held or sum(map(is_value, held)) < 0.8 * len(held):
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
