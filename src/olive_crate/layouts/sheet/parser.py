"""A sheet's XML the long way, by a parser: for what is not in the form of common writers."""

from __future__ import annotations

import numpy as np

from ... import kernels
from ...errors import SourceError
from ...kernels.reference import sheet_xml
from ...kernels.types import PAD
from ...sources.container import Container
from ...sources.markup import XML_FAULTS, local, parser_for
from ...sources.ranges import Area, area_of, cell_of
from .formulas import NOT_CALCULATED
from .pieces import Assembly
from .strings import plain_text

REPAIRED_ROW = 1 << 20


def hidden_span(attributes: dict[str, str]) -> set[int]:
    """The columns that a `col` element hides."""
    low, high = attributes.get("min", ""), attributes.get("max", "")
    if attributes.get("hidden") not in ("1", "true") or not (low.isdecimal() and high.isdecimal()):
        return set()
    return set(range(int(low), min(int(high), 1 << 14) + 1))


class SheetParser:
    """The rows of a sheet by a parser: any prefix, cells without an address, rich text."""

    def __init__(self, container: Container, name: str) -> None:
        self.container, self.name = container, name
        self.values: list[tuple[int, int, int, int, bytes]] = []
        self.merged: list[Area] = []
        self.hidden_rows: list[int] = []
        self.hidden_columns: set[int] = set()
        self.claimed = ""
        self.row = self.column = 0
        self.cell: dict[str, str] | None = None
        self.parts: list[str] = []
        self.formula = False
        self.into = ""
        self.phonetic = 0
        self.parser = parser_for(name)
        self.parser.StartElementHandler = self._start
        self.parser.EndElementHandler = self._end
        self.parser.CharacterDataHandler = self._text

    def feed(self, piece: bytes, final: bool = False) -> None:
        """Go on with a piece of the XML."""
        try:
            self.parser.Parse(piece, final)
        except XML_FAULTS as error:
            raise SourceError(f"{self.name}: a damaged workbook: {error}") from None

    def _start(self, tag: str, given: dict[str, str]) -> None:
        tag = local(tag)
        if tag == "c":
            at = cell_of(given.get("r", ""))
            self.row, self.column = at if at else (self.row, self.column + 1)
            self.cell, self.parts, self.formula = given, [], False
        elif tag == "f":
            self.formula = True
        elif tag == "row":
            number = given.get("r", "")
            self.row = int(number) if number.isdecimal() else self.row + 1
            self.column = 0
            if given.get("hidden") in ("1", "true"):
                self.hidden_rows.append(self.row)
        elif tag == "rPh":
            self.phonetic += 1
        elif tag in ("v", "t"):
            self.into = tag
        elif tag == "mergeCell":
            area = area_of(given.get("ref", ""))
            self.merged += [area] if area else []
        elif tag == "col":
            self.hidden_columns |= hidden_span(given)
        elif tag == "dimension":
            self.claimed = given.get("ref", "")

    def _text(self, text: str) -> None:
        if self.into and self.cell is not None and not self.phonetic:
            self.parts.append(text)

    def _end(self, tag: str) -> None:
        tag = local(tag)
        if tag == "rPh":
            self.phonetic -= 1
        elif tag in ("v", "t"):
            self.into = ""
        elif tag == "c" and self.cell is not None:
            kind = sheet_xml.TYPES.get(self.cell.get("t", "n"), sheet_xml.NUMERIC)
            style = self.cell.get("s", "0")
            text = "".join(self.parts)
            if self.formula and not text and self.cell.get("t") != "str":
                kind, text = sheet_xml.FAILED, NOT_CALCULATED
            if kind in (sheet_xml.INLINE, sheet_xml.FORMULA_TEXT):
                text = plain_text(text)
            if text and 0 < self.row <= REPAIRED_ROW and self.column <= 1 << 14:
                self.values.append(
                    (
                        self.row,
                        self.column,
                        int(style) if style.isdecimal() else 0,
                        kind,
                        text.encode("utf-8", "replace"),
                    )
                )
                self.container.check_cells(len(self.values), 4)
            self.cell = None

    def hand_over(self, assembly: Assembly) -> None:
        """Give all cells to the assembly."""
        if not self.values:
            return
        rows, columns, styles, types = (
            np.array([each[place] for each in self.values], np.int64) for place in range(4)
        )
        lengths = np.array([len(each[4]) for each in self.values], np.int64)
        ends = np.cumsum(lengths) + PAD
        buffer = kernels.padded(b"".join(each[4] for each in self.values))
        plain = np.where(types == sheet_xml.INLINE, PLAIN, types)
        plain = np.where(types == sheet_xml.FORMULA_TEXT, PLAIN, plain)
        assembly.add(buffer, rows, columns, styles, plain, ends - lengths, ends)


PLAIN = 99
"""A type of no attribute: text that is taken as it is."""
