"""The tables of a web page as grids of texts, by the HTML Living Standard.

The parser (Lexbor) makes the tree that a browser makes, of broken markup too. Which cell lies in
which row and column is worked out by the standard's algorithm for forming a table (4.9.12), with
cells that span rows and columns; the text of a cell is what a reader sees of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any
from urllib.parse import urljoin

import msgspec

from ...declaration.patterns import late
from ...errors import SourceError

LACKING = (
    'reading web pages needs a further package; install it with pip install "olive-crate[web]"'
)
MOST_SPAN, MOST_ROWS_SPANNED = 1000, 65_534
"""Bounds of `colspan` and `rowspan` (HTML, 4.9.11)."""
MOST_CELLS = 20_000_000
"""Cells of a table, with those that spans cover."""
DEEPEST = 400
"""Elements within one another that are followed."""
DEEPEST_PAGE = 1000
"""Elements within one another in a page: twice as many as browsers follow. The rules for parsing
look through all that are open at each new one, so that a page of many costs their square."""
OPENED = late(
    r"<(/?)(?:div|span|table|section|article|main|ul|ol|dl|blockquote|font|center|form|fieldset"
    r"|details|svg|math|template|b|i|u|em|strong|small|big|a|nobr|object|applet|marquee|button"
    r"|select|iframe|tt|code|s|strike)[\s/>]",
    re.I,
)
"""Elements that stay open until they are closed."""
UNSEEN = {"script", "style", "template", "noscript", "head", "datalist", "svg", "math", "select"}
BREAKS = {"br", "p", "div", "li", "tr", "td", "th", "dt", "dd", "hr", "h1", "h2", "h3", "h4"}
"""Elements that set words apart."""
WHITE = late(r"[ \t\r\n\f]+")
RAISED = {"0": "⁰", "1": "¹", "2": "²", "3": "³", "4": "⁴", "5": "⁵", "6": "⁶", "7": "⁷"}
RAISED |= {"8": "⁸", "9": "⁹", "-": "⁻", "−": "⁻", "+": "⁺"}
MARK = late(
    r"[\[(]?\s*(?:[a-z]{1,2}|[ivx]{1,4}|\d{1,2}|[*†‡§¶#]+)\s*[\])]?(?:\s*,\s*\w{1,2})*", re.I
)
"""What a mark of a footnote looks like."""
UNIT = late(r"(?:^|[^a-zA-Z])(?:[kcmdµ]?m|[hk]?g|ha|ft|in|yd|s|l)$")
"""What may be raised to a power: a unit of measurement."""
TEN = late(r"(?:^|[^\d.,])10$|\^$")
HIDING = late(r"display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)", re.IGNORECASE)
DATA_FILES = late(
    r"\.(csv|tsv|tab|txt|dat|xlsx|xlsm|xls|ods|zip|gz|json|xml|rss|atom|parquet)$", re.IGNORECASE
)


class PageTable(msgspec.Struct, frozen=True):
    """A table of a page: its cells in rows, and what the page says of it."""

    number: int
    """Its place among the tables of the page, from 1."""
    rows: tuple[tuple[str, ...], ...]
    """All rows, of one length; a cell that spans others stands in its first place only."""
    spans: tuple[tuple[int, int, int, int], ...] = ()
    """Row, column, rows and columns of each cell that spans others; counted from 0."""
    head: int = 0
    """Rows at the top that the page itself marks as a heading."""
    foot: int = 0
    """Rows at the bottom that it marks as a foot."""
    hidden: tuple[int, ...] = ()
    """Rows that nobody sees; counted from 0."""
    marks: tuple[tuple[int, str], ...] = ()
    """Marks of footnotes that were left out: the row and the mark."""
    caption: str = ""
    id: str = ""
    is_hidden: bool = False

    @property
    def columns(self) -> int:
        """The columns of the grid."""
        return len(self.rows[0]) if self.rows else 0

    @property
    def filled(self) -> int:
        """Cells that hold anything."""
        return sum(bool(cell) for row in self.rows for cell in row)

    @property
    def is_data(self) -> bool:
        """More than a line, and more than a column of text."""
        return len(self.rows) > 1 and self.columns > 1 and self.filled > self.columns


class Page(msgspec.Struct, frozen=True):
    """What a page holds."""

    tables: tuple[PageTable, ...]
    links: tuple[str, ...] = ()
    """Data files that it links to."""


def page_of(text: str, name: str, address: str = "") -> Page:
    """The tables of a page, and the data files that it links to.

    Raises `SourceError` where the parser is not installed.
    """
    try:
        from selectolax.lexbor import LexborHTMLParser
    except ImportError:
        raise SourceError(f"{name}: {LACKING}") from None
    _refuse_depth(text, name)
    tree = LexborHTMLParser(text)
    if tree.root is None:
        return Page(())
    found = [_table(node, number, name) for number, node in enumerate(tree.css("table"), 1)]
    links: dict[str, None] = {}
    for node in tree.css("a[href], link[type][href]"):
        link = (node.attributes.get("href") or "").strip()
        if DATA_FILES.search(link.partition("?")[0].partition("#")[0]):
            links[urljoin(address, link) if address else link] = None
    return Page(tuple(found), tuple(links))


def _refuse_depth(text: str, name: str) -> None:
    """Raise `SourceError` for a page whose elements stand in one another too deep."""
    depth = 0
    for match in OPENED.finditer(text):
        depth = max(0, depth - 1) if match[1] else depth + 1
        if depth > DEEPEST_PAGE:
            raise SourceError(
                f"{name}: elements are nested more than {DEEPEST_PAGE:,} deep; save the table alone"
            )


def _table(node: Any, number: int, name: str) -> PageTable:
    grid = _Grid(name, number)
    for row, section, group in _rows(node):
        grid.add(row, section, group)
    caption = next((_text(each) for each in _children(node) if each.tag == "caption"), "")
    return grid.finished(
        number,
        caption or _heading_before(node),
        (node.attributes.get("id") or "").strip(),
        _is_hidden_within(node),
    )


def _children(node: Any) -> Iterator[Any]:
    child = node.child
    while child is not None:
        yield child
        child = child.next


def _rows(table: Any) -> Iterator[tuple[Any, str, int]]:
    """The rows of a table with the kind and the place of their section; feet come last."""
    feet: list[tuple[Any, str, int]] = []
    for place, part in enumerate(_children(table)):
        if part.tag == "tr":
            yield part, "tbody", -1
        elif part.tag in ("thead", "tbody", "tfoot"):
            own = [(each, part.tag, place) for each in _children(part) if each.tag == "tr"]
            if part.tag == "tfoot":
                feet += own
            else:
                yield from own
    yield from feet


class _Grid:
    """Cells laid into rows and columns, one row of the page after another."""

    def __init__(self, name: str, number: int) -> None:
        self.name, self.number = name, number
        self.rows: list[dict[int, str]] = []
        self.spans: list[tuple[int, int, int, int]] = []
        self.sections: list[str] = []
        self.groups: list[int] = []
        self.only_headings: list[bool] = []
        self.hidden: list[int] = []
        self.marks: list[tuple[int, str]] = []
        self.taken: dict[int, int] = {}
        """Columns that cells above reach into, with how many rows more they do."""
        self.cells = 0

    def add(self, row: Any, section: str, group: int) -> None:
        """Lay the cells of a row into the first free columns (HTML, 4.9.12.2)."""
        at, place = len(self.rows), 0
        if self.groups and self.groups[-1] != group:
            self.taken = {}
        now, after = dict(self.taken), {c: n - 1 for c, n in self.taken.items() if n > 1}
        held: dict[int, str] = {}
        cells = [each for each in _children(row) if each.tag in ("td", "th")]
        for cell in cells:
            while place in now:
                place += 1
            wide = min(max(_number(cell, "colspan"), 1), MOST_SPAN)
            high = _number(cell, "rowspan")
            high = MOST_ROWS_SPANNED if high == 0 else min(max(high, 1), MOST_ROWS_SPANNED)
            held[place] = self._cell(cell, at)
            if wide > 1 or high > 1:
                self.spans.append((at, place, high, wide))
            if high > 1:
                after |= dict.fromkeys(range(place, place + wide), high - 1)
            place += wide
        self.cells += max(place, 1)
        if self.cells > MOST_CELLS:
            raise SourceError(f"{self.name}: table {self.number} has over {MOST_CELLS:,} cells")
        self.taken = after
        self.rows.append(held)
        self.sections.append(section)
        self.groups.append(group)
        self.only_headings.append(bool(cells) and all(each.tag == "th" for each in cells))
        if _is_hidden(row):
            self.hidden.append(at)

    def _cell(self, cell: Any, row: int) -> str:
        marks: list[str] = []
        text = _text(cell, marks)
        self.marks += [(row, mark) for mark in marks]
        return text

    def finished(self, number: int, caption: str, own_id: str, hidden: bool) -> PageTable:
        """The table, its rows of one length."""
        high = len(self.rows)
        spans = [(r, c, min(h, self._section_end(r) - r), w) for r, c, h, w in self.spans]
        spans = [each for each in spans if each[2] > 1 or each[3] > 1]
        wide = max(
            [c + 1 for row in self.rows for c in row] + [c + w for _, c, _, w in spans] + [0]
        )
        if wide * high > MOST_CELLS:
            raise SourceError(f"{self.name}: table {number} has over {MOST_CELLS:,} cells")
        rows = tuple(tuple(row.get(c, "") for c in range(wide)) for row in self.rows)
        head = next((i for i, each in enumerate(self.sections) if each != "thead"), high)
        if not head:
            head = next((i for i, each in enumerate(self.only_headings) if not each), 0)
        return PageTable(
            number,
            rows,
            tuple(spans),
            head if head < high else 0,
            self.sections.count("tfoot"),
            tuple(self.hidden),
            tuple(self.marks),
            caption,
            own_id,
            hidden,
        )

    def _section_end(self, row: int) -> int:
        """The row behind the section that a row is in: no cell reaches beyond it."""
        end = row + 1
        while end < len(self.rows) and self.groups[end] == self.groups[row]:
            end += 1
        return end


def _number(node: Any, name: str) -> int:
    text = (node.attributes.get(name) or "").strip()
    match = re.match(r"\+?(\d{1,9})", text)
    return int(match[1]) if match else 1


def _is_hidden(node: Any) -> bool:
    attributes = node.attributes
    return "hidden" in attributes or bool(HIDING.search(attributes.get("style") or ""))


def _is_hidden_within(node: Any) -> bool:
    depth = 0
    while node is not None and depth < DEEPEST:
        if node.tag not in ("-document", "-undef") and _is_hidden(node):
            return True
        node, depth = node.parent, depth + 1
    return False


def _heading_before(table: Any) -> str:
    """The heading that stands last before a table, in the same part of the page."""
    node = table
    for _ in range(4):
        before = node.prev
        steps = 0
        while before is not None and steps < 12:
            if before.tag in ("h1", "h2", "h3", "h4", "h5", "h6", "figcaption"):
                return _text(before)
            if before.tag == "table":
                return ""
            before, steps = before.prev, steps + 1
        node = node.parent
        if node is None or node.tag in ("body", "td", "th", "html"):
            break
    return ""


def _text(node: Any, marks: list[str] | None = None) -> str:
    """What a reader sees of an element; marks of footnotes go into `marks`, if they may."""
    pieces: list[str] = []
    _collect(node, pieces, marks, 0)
    text = WHITE.sub(" ", "".join(pieces)).strip(" \u00a0")
    if text or marks is None:
        return text
    image = node.css_first("img[alt]")
    given = node.css_first("input[value]")
    alone = image.attributes.get("alt") if image is not None else None
    if given is not None and given.attributes.get("type") not in ("hidden", "checkbox", "radio"):
        alone = given.attributes.get("value")
    return WHITE.sub(" ", alone or "").strip(" \u00a0")


def _collect(node: Any, pieces: list[str], marks: list[str] | None, depth: int) -> None:
    if depth > DEEPEST:
        return
    for child in _children(node):
        tag = child.tag or "-"  # an instruction has none
        if tag == "-text":
            pieces.append(child.text_content or "")
        elif tag in UNSEEN or tag.startswith(("-", "!")) or tag == "table" or _is_hidden(child):
            continue
        elif tag == "sup" or (tag == "a" and _leads_down(child)):
            _raised(child, pieces, marks)
        else:
            pieces.append(" " if tag in BREAKS else "")
            _collect(child, pieces, marks, depth + 1)
            pieces.append(" " if tag in BREAKS and tag != "br" else "")


def _leads_down(node: Any) -> bool:
    """Is this a link to a note further down, shown as a mark?"""
    down = (node.attributes.get("href") or "").startswith("#")
    return down and bool(MARK.fullmatch(WHITE.sub(" ", node.text(deep=True) or "").strip()))


def _raised(node: Any, pieces: list[str], marks: list[str] | None) -> None:
    """A raised text: a power of a unit or of ten, or the mark of a footnote."""
    inner = WHITE.sub(" ", node.text(deep=True) or "").strip()
    before = "".join(pieces).rstrip(" \u00a0")
    link = node if node.tag == "a" else node.css_first("a[href]")
    points_down = link is not None and (link.attributes.get("href") or "").startswith("#")
    power = all(char in RAISED for char in inner) and inner != ""
    if power and not points_down and (UNIT.search(before) or TEN.search(before)):
        pieces.append("".join(RAISED[char] for char in inner))
    elif marks is not None and inner and before and (points_down or MARK.fullmatch(inner)):
        marks.append(inner)
    elif marks is None and (points_down or MARK.fullmatch(inner)):
        return
    else:
        pieces.append(inner)
