"""What a sheet of the binary form says beside its cells: lists, comments, marks of a heading."""

from __future__ import annotations

import struct
from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence

from ...kernels.types import Ints
from ...sources.ranges import Area
from .biff_text import WIDE, unicode_text
from .grid import CellList, HeadMark

NOTE, OBJECT, TEXT_OBJECT, CONTINUE = 0x1C, 0x5D, 0x1B6, 0x3C
VALIDATION, WINDOW, PANE = 0x1BE, 0x23E, 0x41
OF_LIST, COMMENT_SHAPE, FROZEN = 3, 0x19, 0x08
TEXT, NAME, AREA, AREA_OF_SHEET = (
    (0x17,),
    (0x23, 0x43, 0x63),
    (0x25, 0x45, 0x65),
    (0x3B, 0x5B, 0x7B),
)
"""Tokens of a formula (2.5.198): a text, a name, a rectangle of this sheet, and of another."""
JOINED = b"\x29"
"""Stands before several rectangles, with the length of what is joined."""

Places = Mapping[int, Ints]


def _bodies(data: bytes, places: Places, kind: int) -> Iterator[bytes]:
    """The data of all records of a kind."""
    for at in places.get(kind, ()):
        size = struct.unpack_from("<H", data, at - 2)[0]
        yield data[at : at + size]


def area_at(formula: bytes, at: int) -> Area:
    """A rectangle, as a formula has it: rows and columns in two bytes each."""
    top, bottom, left, right = struct.unpack_from("<HHHH", formula, at)
    return Area(top + 1, (left & 0x3FFF) + 1, bottom + 1, (right & 0x3FFF) + 1)


def areas_of(formula: bytes) -> Iterator[Area]:
    """The rectangles of sheets that a formula joins."""
    at = 3 if formula[:1] == JOINED else 0
    while at + 11 <= len(formula) and formula[at] in AREA_OF_SHEET:
        yield area_at(formula, at + 3)
        at += 11


def lists_of(
    data: bytes, places: Places, names: Sequence[str], sheets: Sequence[str | None]
) -> tuple[CellList, ...]:
    """Lists of what may be typed into cells (2.4.89).

    `names` are all names of the workbook, in order; `sheets` the sheets that formulas refer to.
    """
    found = []
    for body in _bodies(data, places, VALIDATION):
        if body[0] & 0x0F != OF_LIST:
            continue
        at = 4
        for _ in range(4):  # the titles and texts of a prompt and of an error
            length, flags = struct.unpack_from("<HB", body, at)
            at += 3 + length * (1 + (flags & WIDE))
        size = struct.unpack_from("<H", body, at)[0]
        formula, at = body[at + 4 : at + 4 + size], at + 4 + size
        at += 4 + struct.unpack_from("<H", body, at)[0]
        count = struct.unpack_from("<H", body, at)[0]
        areas = tuple(area_at(body, at + 2 + 8 * number) for number in range(count))
        meant = _list_of(formula, names, sheets)
        if meant is not None:
            found.append(meant._replace(areas=areas))
    return tuple(found)


def _list_of(formula: bytes, names: Sequence[str], sheets: Sequence[str | None]) -> CellList | None:
    """What a formula of one token lists."""
    token = formula[0] if formula else 0
    if token in TEXT:
        wide = formula[2] & WIDE
        text = formula[3:].decode("utf-16-le" if wide else "latin-1", "replace")
        return CellList((), tuple(text.split("\0")))
    if token in AREA:
        return CellList((), place=str(area_at(formula, 1)))
    if token in AREA_OF_SHEET:
        which = struct.unpack_from("<H", formula, 1)[0]
        sheet = sheets[which] if which < len(sheets) else None
        quoted = "" if sheet is None else sheet.replace("'", "''")
        return CellList((), place=f"'{quoted}'!{area_at(formula, 3)}") if quoted else None
    if token in NAME:
        number = struct.unpack_from("<H", formula, 1)[0]
        return CellList((), place=names[number - 1]) if 0 < number <= len(names) else None
    return None


def comments_of(data: bytes, places: Places) -> dict[tuple[int, int], str]:
    """The text of each comment by the row and column of its cell.

    A cell's comment (2.4.179) names a shape (2.4.181), whose text stands in the records behind it
    (2.4.329), without the name of its author.
    """
    if not len(places.get(NOTE, ())):
        return {}
    texts = dict(_texts_of_shapes(data, places))
    found = {}
    for body in _bodies(data, places, NOTE):
        row, column, _, number = struct.unpack_from("<HHHH", body)
        text = texts.get(number, "").removeprefix(f"{unicode_text(body, 8)}:").strip()
        if text:
            found[row + 1, column + 1] = text
    return found


def _texts_of_shapes(data: bytes, places: Places) -> Iterator[tuple[int, str]]:
    shapes = [int(at) for at in places.get(OBJECT, ())]
    continued = [int(at) for at in places.get(CONTINUE, ())]
    for at in map(int, places.get(TEXT_OBJECT, ())):
        place, behind = bisect_right(shapes, at) - 1, bisect_right(continued, at)
        if place < 0 or behind == len(continued):
            continue
        kind, number = struct.unpack_from("<4xHH", data, shapes[place])
        left = struct.unpack_from("<H", data, at + 10)[0]
        if kind == COMMENT_SHAPE:
            yield number, "".join(_continued_text(data, continued[behind:], left))


def _continued_text(data: bytes, continued: Sequence[int], left: int) -> Iterator[str]:
    """So many characters from records each of which says how wide its own are."""
    for at in continued:
        if left <= 0:
            return
        size, wide = struct.unpack_from("<H", data, at - 2)[0] - 1, data[at] & WIDE
        count = min(left, max(size, 0) >> wide)
        piece = data[at + 1 : at + 1 + (count << wide)]
        yield piece.decode("utf-16-le" if wide else "latin-1", "replace")
        left -= count


def frozen_rows(data: bytes, places: Places) -> Iterator[HeadMark]:
    """The last row above panes that are frozen (2.4.189, 2.4.346)."""
    for window in _bodies(data, places, WINDOW):
        flags, top = struct.unpack_from("<HH", window)
        for pane in _bodies(data, places, PANE):
            rows = struct.unpack_from("<HH", pane)[1]
            if flags & FROZEN and rows:
                yield HeadMark(top + rows, "frozen panes")
