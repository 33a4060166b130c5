"""OpenDocument spreadsheets (ODF 1.3, part 3): all sheets stand in one part, `content.xml`.

Repeated cells and rows are spread only where they hold something; covered cells are blank; what a
time means (a time of day, or a duration) is stated by its style. The text of a cell is that of its
paragraphs, with white space as part 3, section 6.1.2 has it; shapes, images, comments and
footnotes that are anchored in a cell have texts of their own.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import Any

import numpy as np

from ...declaration.patterns import late
from ...kernels.types import DocumentRows
from ...sources.container import Container
from ...sources.markup import local
from ...sources.ranges import MOST_COLUMNS, MOST_ROWS, Area, area_of
from .grid import NUMBER, CellList, Format
from .lists import list_of_condition
from .ods_cells import MARKS, MOST_BLANKS, even, meaning
from .ods_rows import ROW, ROW_END, are_usual, part_of, usual_rows
from .ods_styles import StyleParser, Styles
from .tables import HeldWorkbook, Table

ADDRESS = late(
    r"\$?('(?:[^']|'')+'|[^'.$]+)\.([$A-Za-z0-9]+)"
    r"(?::(?:\$?('(?:[^']|'')+'|[^'.$\s]*)\.)?([$A-Za-z0-9]+))?"
)
"""A range of one sheet; its name may stand before both corners."""
BESIDE = {
    "annotation",
    "note",
    "ruby-text",
    "frame",
    "caption",
    "circle",
    "connector",
    "control",
    "custom-shape",
    "ellipse",
    "g",
    "line",
    "measure",
    "page-thumbnail",
    "path",
    "polygon",
    "polyline",
    "rect",
    "regular-polygon",
    "scene",
    "shapes",
}
"""Elements whose texts, and tables, are not the sheet's."""
COLUMN_BITS = 20
"""Bits of a column, beside the place of a style."""
CURRENCIES = {"EUR": "€", "USD": "$", "GBP": "£", "JPY": "¥", "INR": "₹", "TRY": "₺"}


class Ods(HeldWorkbook):
    """One workbook."""

    kind = "ods"

    def __init__(self, container: Container) -> None:
        self.container, self.name = container, container.name

    @cached_property
    def _read(self) -> ContentParser:
        styles = Styles()
        if "styles.xml" in self.container:
            StyleParser(self.container, "styles.xml", styles)
        return ContentParser(self.container, styles)


class ContentParser(StyleParser):
    """All sheets of `content.xml`."""

    def __init__(self, container: Container, styles: Styles) -> None:
        self.tables: list[Table] = []
        self.names: dict[str, tuple[str, Area]] = {}
        self.other_names: dict[str, str] = {}
        self.formats: list[Format] = [Format()]
        self.places: dict[Format, int] = {Format(): 0}
        self.validations: dict[str, CellList] = {}
        self.by_style: dict[tuple[str, str], tuple[Format, int]] = {}
        self.locals: dict[str, str] = {}
        self.own = ""
        self.row: list[tuple[int, int, int, bytes]] = []
        self.repeat = 1
        self.column = 0
        self.cell: dict[str, Any] | None = None
        self.paragraphs: list[str] = []
        self.within: list[str] = []
        self.beside = 0
        self.note: list[str] | None = None
        self.count = 0
        super().__init__(container, "content.xml", styles)

    def _parse(self, pieces: Iterable[bytes]) -> None:
        held, usual = b"", None
        for piece in pieces:
            held += piece
            usual = are_usual(held) if usual is None else usual
            held = self._without_usual_rows(held) if usual else self._given_whole(held)
        self.parser.Parse(held, True)

    def _given_whole(self, data: bytes) -> bytes:
        self.parser.Parse(data, False)
        return b""

    def _without_usual_rows(self, data: bytes) -> bytes:
        """Take the rows that are in the usual form, and give the parser the rest.

        Returns what has to wait for the next piece.
        """
        at = 0
        while (row := data.find(ROW, at)) >= 0:
            self.parser.Parse(data[at:row], False)
            at = row
            if self.own and self.cell is None and not self.beside:
                read = usual_rows(data, at)
                if read is not None:
                    self._take(read)
                    at = read.consumed
                    continue
            end = data.find(ROW_END, at)
            if end < 0:
                return data[at:]
            self.parser.Parse(data[at : end + len(ROW_END)], False)
            at = end + len(ROW_END)
        whole = max(at, len(data) - len(ROW))
        self.parser.Parse(data[at:whole], False)
        return data[whole:]

    def _take(self, read: DocumentRows) -> None:
        """The cells of rows that the parser does not see."""
        table = self.tables[-1]
        self.count += len(read.rows)
        self.container.check_cells(self.count, 4)
        named = np.array([bool(name) for name, _ in read.style_names] or [True], bool)
        styles = read.styles.astype(np.int64) << COLUMN_BITS
        keys, which = np.unique(
            styles + np.where(named[read.styles], 0, read.columns), return_inverse=True
        )
        met = []
        for key in keys.tolist():
            name, currency = read.style_names[key >> COLUMN_BITS]
            column = key & ((1 << COLUMN_BITS) - 1)
            met.append(self._format(name or table.style_of(column), currency))
        forms, places = [form for form, _ in met], [place for _, place in met]
        if len(read.rows):
            table.add(part_of(read, table.row, forms, places, which))
        table.row += read.height

    def _opened(self, tag: str, attributes: dict[str, str]) -> None:
        tag = self._local(tag)
        if tag in BESIDE and self.tables:
            self.beside += 1
            if tag == "annotation" and self.cell is not None:
                self.note = []
        elif self.beside:
            if tag == "p" and self.note is not None:
                self.note.append("")
        elif tag in ("table-cell", "covered-table-cell") and self.tables:
            given = self._given(attributes)
            if tag == "covered-table-cell":
                given = {"number-columns-repeated": given.get("number-columns-repeated", "1")}
            self.cell, self.paragraphs = given, []
        elif self.cell is not None:
            self._inner(tag, attributes)
        else:
            self._around(tag, self._given(attributes))

    def _local(self, name: str) -> str:
        """A name without its namespace; there are few names, and each comes often."""
        known = self.locals.get(name)
        if known is None:
            known = self.locals[name] = local(name)
        return known

    def _given(self, attributes: dict[str, str]) -> dict[str, str]:
        """Attributes by local name; of two value types that of the standard, or `error`."""
        if not attributes:
            return {}
        given = {self._local(key): value for key, value in attributes.items()}
        if "value-type" in given and len(given) < len(attributes):
            given |= _value_type(attributes)
        return given

    def _around(self, tag: str, given: dict[str, str]) -> None:
        """An element that is no cell, nor in one."""
        if tag == "table" and "name" in given:
            hidden = given.get("style-name", "") in self.styles.hidden_tables
            self.tables.append(Table(given["name"], hidden or given.get("display") == "false"))
            self.own = given["name"]
        elif tag in ("named-range", "database-range"):
            self._named(given)
        elif tag == "named-expression":
            text = given.get("expression", "")[:60]
            self.other_names[given.get("name", "")] = f"is computed or a constant ({text})"
        elif tag == "content-validation":
            found = list_of_condition(given.get("condition", ""))
            if found is not None:
                self.validations[given.get("name", "")] = found
        elif not self.tables:
            self.style(tag, given)
        elif tag == "table-column":
            self._column(given)
        elif tag == "table-header-rows":
            self.tables[-1].header = self.tables[-1].row
        elif tag == "table-row":
            self.row, self.column = [], 0
            self.repeat = _count(given.get("number-rows-repeated"))
            if given.get("visibility", "visible") != "visible":
                table = self.tables[-1]
                last = min(table.row + self.repeat, MOST_ROWS)
                table.hidden_rows += range(table.row + 1, last + 1)

    def _named(self, given: dict[str, str]) -> None:
        """A name of cells: of one sheet where it is declared in that sheet."""
        name = given.get("name", "")
        address = given.get("cell-range-address") or given.get("target-range-address") or ""
        meant = _address(address)
        if meant is None:
            self.other_names[name] = f"is no rectangle of cells ({address[:60]})"
        elif not (meant[1].last_row and meant[1].last_column):
            self.other_names[name] = f"covers whole columns ({address[:60]})"
        else:
            self.names[f"{self.own}!{name}" if self.own else name] = meant

    def _inner(self, tag: str, attributes: dict[str, str]) -> None:
        if tag in ("p", "h"):
            self.paragraphs.append("")
        elif self.paragraphs and tag in ("s", "tab", "line-break"):
            times = min(_count(self._given(attributes).get("c")), MOST_BLANKS)
            self.paragraphs[-1] += MARKS[tag] * times

    def _text(self, text: str) -> None:
        if not self.tables:
            super()._text(text)
        elif self.cell is not None and self.paragraphs and not self.beside:
            self.paragraphs[-1] += text
        elif self.note:
            self.note[-1] += text

    def _closed(self, tag: str) -> None:
        tag = self._local(tag)
        if tag in BESIDE and self.tables:
            self.beside -= 1
            if tag == "annotation" and self.note is not None:
                table = self.tables[-1]
                table.comments[table.row + 1, self.column + 1] = "\n".join(self.note)
                self.note = None
        elif self.beside:
            return
        elif tag in ("table-cell", "covered-table-cell") and self.cell is not None:
            self._end_cell(self.cell)
            self.cell = None
        elif tag == "table-row":
            self._end_row()
        elif tag == "table-header-rows":
            self.tables[-1].end_header()
        elif tag == "table":
            self.own = ""

    def _column(self, given: dict[str, str]) -> None:
        table, repeat = self.tables[-1], _count(given.get("number-columns-repeated"))
        last = min(table.columns + repeat, MOST_COLUMNS)
        table.column_styles.append((last, given.get("default-cell-style-name", "")))
        if given.get("visibility", "visible") != "visible":
            table.hidden_columns |= set(range(table.columns + 1, last + 1))
        table.columns = last

    def _end_cell(self, given: dict[str, Any]) -> None:
        table, repeat = self.tables[-1], _count(given.get("number-columns-repeated"))
        first = self.column + 1
        self.column += repeat
        if "number-columns-spanned" in given or "number-rows-spanned" in given:
            wide = _count(given.get("number-columns-spanned"))
            high = _count(given.get("number-rows-spanned"))
            if wide > 1 or high > 1:
                low = table.row + 1
                table.merged.append(Area(low, first, low + high - 1, first + wide - 1))
        validation = self.validations.get(given.get("content-validation-name", ""))
        if validation is not None:
            low = table.row + 1
            table.hold(validation, Area(low, first, low + self.repeat - 1, first + repeat - 1))
        if "value-type" not in given and not self.paragraphs:
            return
        texts = self.paragraphs
        shown = even(texts[0]) if len(texts) == 1 else "\n".join(map(even, texts))
        style, currency = given.get("style-name"), given.get("currency", "")
        for column in range(first, min(first + repeat, MOST_COLUMNS + 1)):
            form, place = self._format(style or table.style_of(column), currency)
            kind, text = meaning(given, shown, form)
            if not text:
                return
            self.row.append((column, kind, place, text.encode("utf-8", "replace")))

    def _format(self, style: str, currency: str) -> tuple[Format, int]:
        """What a style says, and the place of its unit and decimals among the formats."""
        known = self.by_style.get((style, currency))
        if known is None:
            form = self.styles.format(style)
            unit = form.unit or CURRENCIES.get(currency, currency)
            stated = Format(NUMBER, unit, form.decimals, form.zeros, form.stands_out)
            place = self.places.setdefault(stated, len(self.formats))
            if place == len(self.formats):
                self.formats.append(stated)
            known = self.by_style[style, currency] = (form, place)
        return known

    def _end_row(self) -> None:
        table = self.tables[-1]
        self.count += len(self.row) * self.repeat
        self.container.check_cells(self.count, 4)
        if self.row:
            for row in range(table.row + 1, min(table.row + self.repeat, MOST_ROWS) + 1):
                table.values += [
                    (row, column, kind, place, data) for column, kind, place, data in self.row
                ]
        table.row += self.repeat


def _count(text: str | None) -> int:
    return min(max(int(text), 1), 1 << 24) if text and text.isdecimal() else 1


def _value_type(attributes: dict[str, str]) -> dict[str, str]:
    """Which of two attributes called value-type says that the cell is an error."""
    kinds = {value for key, value in attributes.items() if local(key) == "value-type"}
    office = next(
        (
            value
            for key, value in attributes.items()
            if local(key) == "value-type" and "office" in key
        ),
        "",
    )
    return {"value-type": "error" if "error" in kinds else office or "string"}


def _address(text: str) -> tuple[str, Area] | None:
    """The sheet and rectangle of `$'Season 2'.$D$9:.$I$70`."""
    match = ADDRESS.fullmatch(text)
    area = area_of(f"{match[2]}:{match[4] or match[2]}") if match else None
    if match is None or area is None or match[3] not in (None, "", match[1]):
        return None
    sheet = match[1]
    return (sheet[1:-1].replace("''", "'") if sheet.startswith("'") else sheet), area
