"""The tables of a database or a page, as a look lists them."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import several
from ..layouts.base import COUNTED, TableView
from ..reading.looking import Look
from .text import cut, size_words, table, visible, wrapped

LINKS_SHOWN = 6


def table_title(look: Look) -> str:
    """What the source is, and how much it holds."""
    size = f"  {size_words(look.bytes)}," if look.bytes is not None else " "
    if look.layout == "feed":
        return f"{look.source}{size} feed of {several(look.lines or 0, 'entry', 'entries')}"
    if look.layout == "frame":
        return f"{look.source}{size} {several(look.lines or 0, 'row')}"
    if not look.tables:
        return f"{look.source}{size} query of {several(look.lines or 0, 'row')}"
    if look.layout == "query" and look.variables:
        return f"{look.source}{size} table of {several(look.lines or 0, 'row')}"
    what = "table or view" if look.layout == "query" else "table"
    many = "tables and views" if look.layout == "query" else "tables"
    return f"{look.source}{size} {several(len(look.tables), what, many)}"


def listing(look: Look) -> tuple[list[str], list[list[str]], str]:
    """Headings and rows of the list of tables, without blank columns; which stand to the right."""
    of_page = any(each.number for each in look.tables)
    headings = ["", "caption"] if of_page else ["table", "kind"]
    headings += ["rows", "columns", "names" if of_page else "key", "id" if of_page else "comment"]
    lines = [_row(each, of_page) + _rest(each, of_page) for each in look.tables]
    shown = [place for place in range(6) if place in (0, 2, 3) or any(r[place] for r in lines)]
    cells = [[row[place] for place in shown] for row in lines]
    return [headings[each] for each in shown], cells, "".join("llrrll"[place] for place in shown)


def table_lines(look: Look, width: int) -> Iterable[tuple[str, str]]:
    """A row for each table; of a database whose table was named, a line on that one."""
    if look.variables and look.layout == "query":
        for line in _one_table(look.tables[0], width):
            yield "case", line
        return
    headings, cells, right = listing(look)
    for place, line in enumerate(table(headings, cells, right, width)):
        yield ("title" if place == 0 else "case"), line
    if look.links:
        yield "", ""
        left = len(look.links) - LINKS_SHOWN
        more = f" and {left} more" if left > 0 else ""
        text = f"links to data files: {', '.join(look.links[:LINKS_SHOWN])}{more}"
        for line in wrapped(visible(text), width, "  "):
            yield "note", line


def _one_table(each: TableView, width: int) -> list[str]:
    """The table that is read: its name, its key, and what the database says of it."""
    key = f"key {', '.join(each.key)}" if each.key else "no key"
    comment = f"; {each.comment}" if each.comment else ""
    text = f"table {each.name}: {several(each.columns, 'column')}, {key}{comment}"
    return wrapped(visible(text), width, "  ")


def _row(each: TableView, of_page: bool) -> list[str]:
    rows = f"{each.rows:,}" if each.rows is not None else f"over {COUNTED:,}"
    rows = rows if each.columns else ""
    first = [str(each.number), each.comment] if of_page else [each.name, each.kind]
    if of_page and each.kind == "hidden":
        first[1] = f"{first[1]} (hidden)".strip()
    columns = f"{each.columns:,}" if each.columns else ""
    return [*(visible(cut(text, 40)) for text in first), rows, columns]


def _rest(each: TableView, of_page: bool) -> list[str]:
    if of_page:
        return [visible(" | ".join(each.names)), each.name if each.name != each.comment else ""]
    return [visible(", ".join(each.key)), visible(each.comment)]
