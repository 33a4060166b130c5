"""Lists of allowed values as the rules of a sheet have them.

A list stands in the rule itself, or in a range of the workbook (data validation: ECMA-376, part 1,
18.3.1.33; content validation: ODF 1.3, part 3, 9.4.5).
"""

from __future__ import annotations

import re
from xml.etree.ElementTree import Element

from ...declaration.patterns import late
from ...sources.markup import local
from ...sources.ranges import area_of
from .grid import CellList

IN_LIST = late(r"(?:of:)?cell-content-is-in-list\((.*)\)", re.DOTALL)
DOCUMENT_RANGE = late(r"\[\$?('(?:[^']|'')+'|[^'.\]]*)\.([$A-Z0-9]+)(?::\.([$A-Z0-9]+))?\]")
QUOTED = late(r'"((?:[^"]|"")*)"')


def lists_of(tree: Element) -> tuple[CellList, ...]:
    """The lists of a sheet, those of other sheets' ranges too, which stand in an extension."""
    found = []
    for each in tree.iter():
        if local(each.tag) != "dataValidation" or each.get("type") != "list":
            continue
        parts = {local(part.tag): (part.text or "").strip() for part in each.iter()}
        formula = parts.get("f") or parts.get("formula1", "")
        areas = [area_of(part) for part in (each.get("sqref") or parts.get("sqref", "")).split()]
        whole = tuple(area for area in areas if area is not None)
        if formula.startswith('"'):
            words = formula.strip('"').replace('""', '"').split(",")
            found.append(CellList(whole, tuple(word.strip() for word in words)))
        elif formula:
            found.append(CellList(whole, place=formula.lstrip("=").replace("$", "")))
    return tuple(found)


def list_of_condition(condition: str) -> CellList | None:
    """The list in a condition of an OpenDocument sheet, without its cells; `None` for another."""
    match = IN_LIST.fullmatch(condition.strip())
    if match is None:
        return None
    if place := DOCUMENT_RANGE.fullmatch(match[1].strip()):
        sheet = f"{place[1]}!" if place[1] else ""
        return CellList((), place=f"{sheet}{place[2]}:{place[3] or place[2]}".replace("$", ""))
    if re.fullmatch(r"[^\W\d][\w.]*", match[1].strip()):
        return CellList((), place=match[1].strip())
    words = tuple(word.replace('""', '"') for word in QUOTED.findall(match[1]))
    return CellList((), words) if words else None
