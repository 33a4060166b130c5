"""Workbooks that are one XML file: flat OpenDocument, and the XML form of spreadsheets of 2003.

Flat OpenDocument (ODF 1.3, part 3, 3.1.2) has the elements of `content.xml`, so the reader of that
part takes it. The form of 2003 is published too ("SpreadsheetML" of the Office 2003 XML schemas):
sheets, rows and cells with their types, styles with number formats, named ranges.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from ...declaration.patterns import late
from ...errors import SourceError
from ...sources.container import Container
from ...sources.limits import Limits
from ...sources.markup import XML_FAULTS, local, parser_for
from ...sources.ranges import MOST_COLUMNS, MOST_ROWS, Area
from ...sources.source import Source
from .grid import BOOLEAN, DATE, DATETIME, ERROR, NUMBER, TEXT, TIME, Format
from .number_formats import format_of
from .tables import HeldWorkbook, Table

PIECE = 1 << 20
KINDS = {"Number": NUMBER, "String": TEXT, "Boolean": BOOLEAN, "Error": ERROR, "DateTime": DATETIME}
REFERENCE = late(r"=?(?:'((?:[^']|'')+)'|([^'!]+))!R(\d+)C(\d+)(?::R(\d+)C(\d+))?")
"""A range by the numbers of rows and columns, as names of 2003 have it."""
FIRST_DAY = ("1899-12-31", "1899-12-30", "1900-01-00")
"""Days that stand before a time of day alone."""


class FlatParts(Container):
    """A file that is its own only part."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self.name, self.limits, self.source, self.inflated = source.name, limits, source, 0

    def close(self) -> None:
        """Nothing is held open."""

    def __contains__(self, path: str) -> bool:
        return path == HeldWorkbook.path

    def pieces(self, path: str, size: int = PIECE) -> Iterator[bytes]:
        """The file, piece by piece."""
        with self.source.open() as stream:
            while piece := stream.read(size):
                self.inflated += len(piece)
                if self.inflated > self.limits.inflated:
                    raise self._beyond("inflated", f"more than {self.inflated:,} bytes")
                yield piece


class XmlWorkbook(HeldWorkbook):
    """A workbook in the XML form of 2003."""

    kind = "xml"

    def __init__(self, parts: FlatParts) -> None:
        self.parts, self.name = parts, parts.name

    @cached_property
    def _read(self) -> _Reader:
        return _Reader(self.parts)


class _Reader:
    """The elements as they come by."""

    def __init__(self, parts: FlatParts) -> None:
        self.parts = parts
        self.tables: list[Table] = []
        self.names: dict[str, tuple[str, Area]] = {}
        self.other_names: dict[str, str] = {}
        self.formats: list[Format] = [Format()]
        self.styles: dict[str, int] = {}
        self.style = ""
        self.row = self.column = self.columns = 0
        self.cell: dict[str, str] = {}
        self.type = ""
        self.text: list[str] | None = None
        self.count = 0
        parser = parser_for(parts.name)
        parser.StartElementHandler, parser.EndElementHandler = self._start, self._end
        parser.CharacterDataHandler = self._characters
        try:
            for piece in parts.pieces(HeldWorkbook.path):
                parser.Parse(piece, False)
            parser.Parse(b"", True)
        except XML_FAULTS as error:
            raise SourceError(f"{parts.name}: a damaged workbook: {error}") from None

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        tag, given = local(tag), {local(key): value for key, value in attributes.items()}
        if tag == "Worksheet":
            self.tables.append(Table(given.get("Name", ""), False))
            self.row = self.columns = 0
        elif tag == "Style":
            self.style = given.get("ID", "")
        elif tag in ("NumberFormat", "Font", "Interior") and self.style:
            self._styled(tag, given)
        elif tag == "NamedRange":
            self._named(given)
        elif tag == "Visible":
            self.text = []
        elif self.tables:
            self._in_sheet(tag, given)

    def _styled(self, tag: str, given: dict[str, str]) -> None:
        """A part of a style."""
        place = self.styles.setdefault(self.style, len(self.formats))
        if place == len(self.formats):
            self.formats.append(Format())
        old = self.formats[place]
        if tag == "NumberFormat":
            new = format_of(given.get("Format", ""))._replace(stands_out=old.stands_out)
        else:
            out = given.get("Bold") == "1" or given.get("Pattern", "None") != "None"
            new = old._replace(stands_out=old.stands_out or out)
        self.formats[place] = new

    def _in_sheet(self, tag: str, given: dict[str, str]) -> None:
        table = self.tables[-1]
        if tag == "Column":
            self.columns = _place(given, self.columns)
            last = self.columns + _number(given, "Span")
            if given.get("Hidden") == "1":
                table.hidden_columns |= set(range(self.columns, min(last, MOST_COLUMNS) + 1))
            self.columns = last
        elif tag == "Row":
            self.row, self.column = _place(given, self.row), 0
            if given.get("Hidden") == "1":
                table.hidden_rows.append(self.row)
        elif tag == "Cell":
            self.column, self.cell = _place(given, self.column), given
            across, down = _number(given, "MergeAcross"), _number(given, "MergeDown")
            if across or down:
                here = (self.row, self.column, self.row + down, self.column + across)
                table.merged.append(Area(*here))
        elif tag == "Data":
            self.type, self.text = given.get("Type", "String"), []

    def _characters(self, text: str) -> None:
        if self.text is not None:
            self.text.append(text)

    def _end(self, tag: str) -> None:
        tag = local(tag)
        if tag == "Visible" and self.tables and self.text is not None:
            self.tables[-1].hidden = "".join(self.text).strip() != ""
            self.text = None
        elif tag == "Data" and self.text is not None:
            self._keep("".join(self.text))
            self.text = None
        elif tag == "Cell":
            self.column += _number(self.cell, "MergeAcross")
        elif tag == "Style":
            self.style = ""

    def _keep(self, text: str) -> None:
        kind = KINDS.get(self.type, TEXT)
        if kind == DATETIME:
            kind, text = _moment(text)
        elif kind == BOOLEAN:
            text = "true" if text.strip() == "1" else "false"
        if not text or not (0 < self.row <= MOST_ROWS and 0 < self.column <= MOST_COLUMNS):
            return
        style = self.styles.get(self.cell.get("StyleID", ""), 0)
        place = (self.row, self.column, kind, style, text.encode("utf-8", "replace"))
        self.tables[-1].values.append(place)
        self.count += 1
        self.parts.check_cells(self.count, 4)

    def _named(self, given: dict[str, str]) -> None:
        name, refers = given.get("Name", ""), given.get("RefersTo", "")
        match = REFERENCE.fullmatch(refers)
        if match is None:
            self.other_names[name] = f"is no rectangle of cells ({refers})"
            return
        sheet = (match[1] or match[2]).replace("''", "'")
        top, left = int(match[3]), int(match[4])
        area = Area(top, left, int(match[5] or top), int(match[6] or left))
        self.names[name] = (sheet, area)


def _place(given: dict[str, str], last: int) -> int:
    """The place of a row, column or cell: the next one, unless it says which."""
    return _number(given, "Index") or last + 1


def _number(given: dict[str, str], name: str) -> int:
    text = given.get(name, "")
    return int(text) if text.isdecimal() else 0


def _moment(text: str) -> tuple[int, str]:
    """The kind and the text of a date, a time of day, or both."""
    day, _, clock = text.strip().partition("T")
    clock = clock.rstrip("Z")
    whole, _, fraction = clock.partition(".")
    clock = f"{whole}.{fraction.rstrip('0')}" if fraction.strip("0") else whole
    if day in FIRST_DAY and clock:
        return TIME, clock
    if not clock or clock == "00:00:00":
        return DATE, day
    return DATETIME, f"{day}T{clock}"
