"""The styles of an OpenDocument spreadsheet: what they say of cells, and which tables they hide."""

from __future__ import annotations

from collections.abc import Iterable

from ...errors import SourceError
from ...sources.container import Container
from ...sources.markup import XML_FAULTS, local, parser_for
from .grid import BOOLEAN, DURATION, NUMBER, Format
from .number_formats import CURRENCY

BOLD = ("bold", "600", "700", "800", "900")
DEEPEST = 8
"""Styles that one may be made from, one after another."""


class Styles:
    """Cell styles by name, and what their data styles say."""

    def __init__(self) -> None:
        self.data: dict[str, Format] = {}
        self.cells: dict[str, str] = {}
        self.parents: dict[str, str] = {}
        self.out: dict[str, bool] = {}
        """Whether a style makes its cells stand out, where it says so itself."""
        self.hidden_tables: set[str] = set()

    def format(self, name: str) -> Format:
        """What a cell style says, and the one that it is made from."""
        form = self.data.get(self.cells.get(name, ""), Format())
        for _ in range(DEEPEST):
            if name in self.out or name not in self.parents:
                break
            name = self.parents[name]
        return form._replace(stands_out=self.out.get(name, False))


class StyleParser:
    """Reads styles as they come by, in either part."""

    def __init__(self, container: Container, path: str, styles: Styles) -> None:
        self.container, self.path, self.styles = container, path, styles
        self.name = f"{container.name}: {path}"
        self.data_style = ""
        self.table_style = self.cell_style = ""
        self.parser = parser_for(self.name)
        self.parser.StartElementHandler = self._opened
        self.parser.EndElementHandler = self._closed
        self.parser.CharacterDataHandler = self._text
        try:
            self._parse(container.pieces(path))
        except XML_FAULTS as error:
            raise SourceError(f"{self.name}: a damaged workbook: {error}") from None

    def _parse(self, pieces: Iterable[bytes]) -> None:
        for piece in pieces:
            self.parser.Parse(piece, False)
        self.parser.Parse(b"", True)

    def _opened(self, tag: str, given: dict[str, str]) -> None:
        self.style(local(tag), {local(key): value for key, value in given.items()})

    def _closed(self, tag: str) -> None:
        """Nothing is to be done at the end of a style."""

    def _text(self, text: str) -> None:
        """A sign of currency in a data style is its unit."""
        match = CURRENCY.search(text) if self.data_style else None
        if match:
            old = self.styles.data[self.data_style]
            self.styles.data[self.data_style] = old._replace(unit=match.group())

    def style(self, tag: str, given: dict[str, str]) -> None:
        """One element of a style."""
        styles = self.styles
        if tag in (
            "number-style",
            "currency-style",
            "percentage-style",
            "date-style",
            "time-style",
            "boolean-style",
            "text-style",
        ):
            self.data_style = given.get("name", "")
            unit = "100 %" if tag == "percentage-style" else ""
            elapsed = given.get("truncate-on-overflow") == "false"
            kind = DURATION if elapsed else BOOLEAN if tag == "boolean-style" else NUMBER
            styles.data[self.data_style] = Format(kind, unit)
        elif tag == "number" and self.data_style:
            places = given.get("decimal-places", "")
            old = styles.data[self.data_style]
            if places.isdecimal():
                more = 2 if old.unit == "100 %" else 0
                old = old._replace(decimals=int(places) + more)
            digits = given.get("min-integer-digits", "")
            plain = old.kind == NUMBER and not old.unit and places in ("", "0")
            if digits.isdecimal() and int(digits) > 1 and plain:
                old = old._replace(zeros=int(digits))
            styles.data[self.data_style] = old
        elif tag in ("text", "embedded-text") and self.data_style:
            styles.data[self.data_style] = styles.data[self.data_style]._replace(zeros=0)
        elif tag == "style":
            self.data_style = ""
            if given.get("family") == "table-cell":
                self.cell_style = given.get("name", "")
                styles.cells[self.cell_style] = given.get("data-style-name", "")
                styles.parents[self.cell_style] = given.get("parent-style-name", "")
            else:
                self.cell_style = ""
            self.table_style = given.get("name", "") if given.get("family") == "table" else ""
        elif tag in ("text-properties", "table-cell-properties") and self.cell_style:
            weight, ground = given.get("font-weight"), given.get("background-color")
            out = weight in BOLD or (ground or "transparent") != "transparent"
            if weight is not None or ground is not None:
                styles.out[self.cell_style] = out or styles.out.get(self.cell_style, False)
        elif tag == "table-properties" and given.get("display") == "false":
            styles.hidden_tables.add(self.table_style)
