"""What a sheet's XML says beside its rows: merges, hidden columns, lists, marks of headings."""

from __future__ import annotations

from xml.etree.ElementTree import Element

from ...sources.ranges import Area, area_of, cell_of
from .grid import CellList, HeadMark
from .lists import lists_of
from .parser import hidden_span


class Frame:
    """What a sheet says beside its rows."""

    def __init__(
        self,
        merged: tuple[Area, ...],
        hidden_columns: set[int],
        claimed: str,
        lists: tuple[CellList, ...] = (),
        heads: tuple[HeadMark, ...] = (),
    ) -> None:
        self.merged, self.hidden_columns, self.claimed = merged, hidden_columns, claimed
        self.lists, self.heads = lists, heads


def frame_of(tree: Element) -> Frame:
    """Merged cells, hidden columns and the claimed range, from a sheet without its rows."""
    merged = [area_of(each.get("ref", "")) for each in tree.iter("mergeCell")]
    dimension = tree.find("dimension")
    hidden: set[int] = set()
    for each in tree.iter("col"):
        hidden |= hidden_span(each.attrib)
    claimed = dimension.get("ref", "") if dimension is not None else ""
    areas = tuple(each for each in merged if each)
    return Frame(areas, hidden, claimed, lists_of(tree), marks_of(tree))


def marks_of(tree: Element) -> tuple[HeadMark, ...]:
    """The rows of headings by a filter and by panes that are frozen below them."""
    found = []
    for each in tree.findall("autoFilter"):
        area = area_of(each.get("ref", ""))
        found += [HeadMark(area.first_row, "filter")] if area else []
    for view in tree.iter("sheetView"):
        pane, top = view.find("pane"), cell_of(view.get("topLeftCell", "A1"))
        if pane is None or top is None or pane.get("state") not in ("frozen", "frozenSplit"):
            continue
        split = pane.get("ySplit", "0").partition(".")[0]
        if split.isdecimal() and int(split):
            found.append(HeadMark(top[0] + int(split) - 1, "frozen panes"))
    return tuple(found)
