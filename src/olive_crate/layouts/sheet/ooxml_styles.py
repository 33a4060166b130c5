"""The styles of an OOXML workbook: number formats, bold letters, coloured cells.

Sections are those of ECMA-376, part 1.
"""

from __future__ import annotations

from xml.etree.ElementTree import Element

from .grid import Format
from .number_formats import BUILT_IN, format_of

NO_COLOUR = ("none", "gray125")
"""The fills that every workbook has first."""


def formats_of(styles: Element) -> tuple[Format, ...]:
    """What each style of a cell says (18.8.10)."""
    codes = dict(BUILT_IN)
    for each in styles.iter("numFmt"):
        codes[_number(each, "numFmtId")] = each.get("formatCode", "")
    bold, coloured = _bold_fonts(styles), _coloured_fills(styles)
    found = []
    for each in _parts(styles, "cellXfs"):
        form = format_of(codes.get(_number(each, "numFmtId"), "General"))
        out = _number(each, "fontId") in bold or _number(each, "fillId") in coloured
        found.append(form._replace(stands_out=out))
    return tuple(found) or (Format(),)


def _parts(styles: Element, name: str) -> list[Element]:
    found = styles.find(name)
    return [] if found is None else list(found)


def _number(given: Element, name: str) -> int:
    text = given.get(name, "0")
    return int(text) if text.isdecimal() else 0


def _bold_fonts(styles: Element) -> set[int]:
    """The numbers of fonts in bold letters (18.8.2)."""
    found = set()
    for number, font in enumerate(_parts(styles, "fonts")):
        bold = font.find("b")
        if bold is not None and bold.get("val", "1") not in ("0", "false"):
            found.add(number)
    return found


def _coloured_fills(styles: Element) -> set[int]:
    """The numbers of fills that colour a cell (18.8.32)."""
    found = set()
    for number, fill in enumerate(_parts(styles, "fills")):
        pattern = fill.find("patternFill")
        if pattern is not None and pattern.get("patternType", "none") not in NO_COLOUR:
            found.add(number)
    return found
