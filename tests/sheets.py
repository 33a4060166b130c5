"""Made-up workbooks of agencies' shapes, each with the dataset that a reader sees in it."""

from __future__ import annotations

import io
import random
import zipfile
from typing import Any, NamedTuple

import xlsxwriter

PLACES = ("Alcaria", "Olmeda", "Torrecilla", "Valverde", "Montejo", "Robledo", "Fresneda")
THINGS = ("Groves", "Trees", "Olives", "Oil", "Crates")
Cell = str | float | int | None


NAMESPACES = " ".join(
    f'xmlns:{prefix}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
    for prefix, name in {
        "office": "office",
        "table": "table",
        "text": "text",
        "draw": "drawing",
        "number": "datastyle",
        "style": "style",
        "svg": "svg-compatible",
    }.items()
)
NAMESPACES += ' xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0"'
NAMESPACES += (
    ' xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"'
)


def opendocument(body: str, styles: str = "") -> bytes:
    """An OpenDocument workbook with these sheets, and what stands before them."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        content = (
            f"<office:document-content {NAMESPACES}>{styles}<office:body><office:spreadsheet>{body}"
            "</office:spreadsheet></office:body></office:document-content>"
        )
        archive.writestr("content.xml", content.encode("utf-8", "surrogateescape"))
    return data.getvalue()


PARTS = {
    "[Content_Types].xml": "<Types/>",
    "_rels/.rels": '<Relationships><Relationship Id="r1" Type="x/officeDocument" '
    'Target="xl/workbook.xml"/></Relationships>',
    "xl/_rels/workbook.xml.rels": '<Relationships><Relationship Id="r1" Type="x/worksheet" '
    'Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="x/sharedStrings" '
    'Target="sharedStrings.xml"/></Relationships>',
    "xl/workbook.xml": '<workbook xmlns:r="r"><sheets><sheet name="One" sheetId="1" r:id="r1"/>'
    "</sheets></workbook>",
    "xl/sharedStrings.xml": "<sst><si><t>name</t></si><si><r><t>ol</t></r><r><t>ive</t></r>"
    "<rPh><t>no</t></rPh></si><si><t>a_x000D_b &amp; c</t></si></sst>",
}


def book_of(rows: str, around: str = "<worksheet>{}</worksheet>", **parts: str) -> bytes:
    """A workbook with this sheet data."""
    made = PARTS | {"xl/worksheets/sheet1.xml": around.format(rows)} | parts
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, text in made.items():
            archive.writestr(path, text)
    return out.getvalue()


class MadeBook(NamedTuple):
    """A workbook and what is in it."""

    data: bytes
    names: list[str]
    rows: list[list[Cell]]
    groups: list[str]
    """The title above each row's group; empty where there are no groups."""
    shape: str


class _Sheet:
    """Rows of cells with what is merged, before a writer has them."""

    def __init__(self) -> None:
        self.cells: dict[tuple[int, int], Cell] = {}
        self.merged: list[tuple[int, int, int, int]] = []
        self.bold: set[int] = set()
        self.row = 0

    def put(self, column: int, values: list[Cell]) -> None:
        """A row, from a column on."""
        for place, value in enumerate(values):
            if value is not None:
                self.cells[self.row, column + place] = value
        self.row += 1

    def written(self, inline: bool) -> bytes:
        """The workbook; its texts shared or in the cells."""
        made = io.BytesIO()
        options = {"constant_memory": True} if inline else {"in_memory": True}
        book = xlsxwriter.Workbook(made, options)
        sheet, bold = book.add_worksheet("Table 1"), book.add_format({"bold": True})
        starts = {(r, c): (r2, c2) for r, c, r2, c2 in self.merged}
        for (row, column), value in sorted(self.cells.items()):
            style = bold if row in self.bold else None
            if (row, column) in starts and not inline:
                sheet.merge_range(row, column, *starts[row, column], value, style)
            else:
                sheet.write(row, column, value, *([style] if style else []))
        book.close()
        return made.getvalue()


def made_book(seed: int) -> MadeBook:
    """A workbook with one table of data, drawn by a seed."""
    draw = random.Random(seed)
    sheet = _Sheet()
    inline = draw.random() < 0.4
    first = draw.choice((0, 0, 1, 2))
    spacers = draw.random() < 0.2
    _titles(draw, sheet, first)
    names = _heading(draw, sheet, first, spacers, inline)
    if draw.random() < 0.3:
        sheet.row += 1
    shape = draw.choice(
        ("plain", "gaps", "pairs", "long gap", "groups", "groups apart", "repeated")
    )
    if spacers and shape in ("gaps", "pairs", "groups", "groups apart"):
        shape = "plain"
    rows, groups = _body(draw, sheet, first, names, shape, spacers)
    _closing(draw, sheet, first)
    return MadeBook(sheet.written(inline), names, rows, groups, f"{shape}, spacers {spacers}")


def _titles(draw: random.Random, sheet: _Sheet, first: int) -> None:
    for text in draw.sample(
        ("Harvest of the cooperative", "Printed 19.01.2026", "Table 7"), draw.randrange(3)
    ):
        sheet.put(first, [text])
    if sheet.row:
        sheet.row += draw.choice((1, 1, 2))


def _spread(values: list[Cell], spacers: bool) -> list[Cell]:
    """The values with a blank column before each but the first two."""
    if not spacers:
        return values
    made: list[Cell] = values[:2]
    for value in values[2:]:
        made += [None, value]
    return made


def _heading(
    draw: random.Random, sheet: _Sheet, first: int, spacers: bool, inline: bool
) -> list[str]:
    things = draw.sample(THINGS, draw.choice((2, 3)))
    levels = 1 if spacers or inline else draw.choice((1, 1, 2, 3))
    sheet.bold |= {sheet.row + at for at in range(levels)} if draw.random() < 0.5 else set()
    if levels == 1:
        names = ["Place", *things]
        sheet.put(first, _spread(list(names), spacers))
        return names
    years: list[Cell] = draw.choice(([2024, 2025], ["2024", "2025"], ["Male", "Female"]))
    top, wide = sheet.row, len(things)
    names = ["Place", *(f"{year} {thing}" for year in years for thing in things)]
    sheet.merged.append((top, first, top + levels - 1, first))
    if levels == 3:
        names = ["Place", *(f"Season {each}" for each in names[1:])]
        sheet.merged.append((top, first + 1, top, first + 2 * wide))
        sheet.put(first, ["Place", "Season"])
    upper: list[Cell] = [None if levels == 3 else "Place"]
    for place, year in enumerate(years):
        column = first + 1 + place * wide
        sheet.merged.append((sheet.row, column, sheet.row, column + wide - 1))
        upper += [year, *[None] * (wide - 1)]
    sheet.put(first, upper)
    sheet.put(first, [None, *things, *things])
    return names


def _body(
    draw: random.Random, sheet: _Sheet, first: int, names: list[str], shape: str, spacers: bool
) -> tuple[list[list[Cell]], list[str]]:
    rows, groups = [], []
    decimals = draw.choice((0, 1, 2))
    count, heading = draw.randrange(12, 40), sheet.row
    for at in range(count):
        if shape.startswith("groups") and at % 8 == 0:
            sheet.row += at > 0
            title = f"PROVINCE {1 + at // 8}"
            sheet.put(first, [title])
            sheet.row += shape == "groups apart"
        if shape == "repeated" and at in (10, 20):
            sheet.row += 1
            _heading_again(sheet, first, heading)
        values = [round(draw.uniform(1, 900), decimals) for _ in names[1:]]
        if decimals == 0:
            values = [int(each) for each in values]
        row: list[Cell] = [f"{PLACES[at % 7]} {at}", *values]
        if draw.random() < 0.1:
            row[draw.randrange(1, len(row))] = None
        sheet.put(first, _spread(row, spacers))
        rows.append(row)
        groups.append(f"PROVINCE {1 + at // 8}" if shape.startswith("groups") else "")
        sheet.row += shape == "gaps" or (shape == "pairs" and at % 2)
        sheet.row += 4 if shape == "long gap" and at == count // 3 else 0
    return rows, groups


def _heading_again(sheet: _Sheet, first: int, below: int) -> None:
    """The last row of the heading once more."""
    last = max(row for row, _ in sheet.cells if row < below)
    again = {column: value for (row, column), value in sheet.cells.items() if row == last}
    for column, value in again.items():
        sheet.cells[sheet.row, column] = value
    sheet.row += 1


def _closing(draw: random.Random, sheet: _Sheet, first: int) -> None:
    if draw.random() < 0.4:
        sheet.row += 1
        sheet.put(first, ["Source: register of the mill"])
    if draw.random() < 0.3:
        sheet.row += 2
        sheet.put(first, ["Grower", "Age of the trees"])
        for number in range(3):
            sheet.put(first, [f"G{number}", number + 40])


def values_of(dataset: Any) -> list[list[Cell]]:
    """What came in, row by row."""
    columns = [dataset[name].values.to_pylist() for name in dataset.names]
    return [list(row) for row in zip(*columns, strict=True)]
