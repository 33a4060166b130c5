"""A first look as plain text."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..errors import several
from ..evidence import Evidence
from ..layouts.base import BlockView, Break, RawRow
from ..plan.fields import Field
from ..reading.looking import CASES_LOOKED_AT, Look
from .alike import lines_of
from .evidence import alternatives_of
from .text import WIDTH, cut, padded, size_words, table, visible, wrapped

EVIDENCE_SHOWN = 16
BLOCKS_SHOWN = 8
PART_MARKS = {"names": "names", "units": "units", "labels": "labels", "data": "", "skipped": "skip"}


def look_text(look: Look, width: int = WIDTH) -> str:
    """The raw rows, the first cases as read, and the evidence, within a width."""
    return "\n".join(line for _, line in look_lines(look, width))


def look_lines(look: Look, width: int = WIDTH) -> Iterable[tuple[str, str]]:
    """The lines of a look, each with the part it plays (for whoever wants to colour them)."""
    yield "title", cut(_title(look), width)
    if look.sheets:
        yield "", ""
        yield from _sheets(look, width)
    if look.tables:
        from .look_tables import table_lines

        yield "", ""
        yield from table_lines(look, width)
    if look.rows:
        yield "", ""
        yield from _raw(look, width)
    if look.breaks:
        yield "", ""
        yield from _break_lines(look.breaks, width)
    if look.cases:
        yield "", ""
        yield from _cases(look, width)
    yield "", ""
    yield from evidence_lines(look.evidence, width)


def _sheets(look: Look, width: int) -> Iterable[tuple[str, str]]:
    """All sheets in a table, then the cells of the one that is read."""
    rows = []
    for each in look.sheets:
        kinds = ", ".join(several(count, kind) for kind, count in each.cells.items())
        rows.append(
            [
                each.name + (" (hidden)" if each.hidden else ""),
                each.used,
                f"{each.rows:,}" if each.rows is not None else "",
                (kinds if each.whole else f"{kinds} in its head") or "empty",
                _blocks_words(each.blocks),
            ]
        )
    headings = ["sheet", "used range", "rows", "cells", "blocks"]
    for place, line in enumerate(table(headings, rows, "llrll", width)):
        yield ("title" if place == 0 else "case"), line
    if look.named:
        named = ", ".join(f"{name} ({where})" for name, where in look.named.items())
        for line in wrapped(f"named: {named}", width, "  "):
            yield "note", line
    if not look.cells:
        return
    yield "", ""
    rows = [[str(row.row), PART_MARKS.get(row.part, row.part), *row.cells] for row in look.cells]
    shown = _columns_that_fit(look, rows, width)
    yield "title", f'sheet "{look.sheet}":'
    lines = table(["", "", *look.letters[: shown - 2]], [row[:shown] for row in rows], "r", width)
    parts = ["title", "case", *(row.part for row in look.cells)]
    for part, line in zip(parts, lines, strict=True):
        yield part, line
    if shown - 2 < len(look.letters):
        yield "note", f"and columns {look.letters[shown - 2]} to {look.letters[-1]}"


def _blocks_words(blocks: Sequence[BlockView]) -> str:
    """The first blocks of a sheet, and how many more there are."""
    more = len(blocks) - BLOCKS_SHOWN
    rest = [f"{more:,} more"] if more > 0 else []
    return ", ".join([*map(_block_words, blocks[:BLOCKS_SHOWN]), *rest])


def _block_words(block: BlockView) -> str:
    """A block's range, and the rows of its heading."""
    names = f"names in {block.names}" if block.names else "no names"
    return f"{block.number}: {block.range} ({names})"


def _columns_that_fit(look: Look, rows: list[list[str]], width: int) -> int:
    """How many columns fit side by side, each at most 16 wide."""
    used, shown = 0, 0
    for index in range(len(look.letters) + 2):
        widest = max([len(row[index]) for row in rows] + [1])
        used += min(widest, 16) + 2
        if used > width + 2 and shown > 2:
            break
        shown += 1
    for row in rows:
        row[2:] = [cut(cell, 16) for cell in row[2:]]
    return shown


def _title(look: Look) -> str:
    if look.tables or look.layout in ("query", "page", "feed", "frame"):
        from .look_tables import table_title

        return table_title(look)
    if look.layout == "sheet":
        return f"{look.source}  {size_words(look.bytes)}, {several(len(look.sheets), 'sheet')}"
    if look.lines is not None:
        lines = several(look.lines, "line")
    elif look.lines_estimated is not None:
        lines = f"about {look.lines_estimated:,} lines (estimated from its size)"
    else:
        lines = "compressed, number of lines unknown"
    return f"{look.source}  {size_words(look.bytes)}, {lines}"


def _raw(look: Look, width: int) -> Iterable[tuple[str, str]]:
    shown = [*look.rows, *look.tail]
    digits = max(len(str(row.row)) for row in shown)
    if look.fields:
        yield from _ruler(look.fields, digits, width)
    for row in look.rows:
        yield row.part, _raw_line(row, digits, width)
    if look.tail:
        if look.tail[0].row != look.rows[-1].row + 1:
            yield "gap", padded("⋮", digits, right=True)
        for row in look.tail:
            yield row.part, _raw_line(row, digits, width)


def _ruler(fields: Sequence[Field], digits: int, width: int) -> Iterable[tuple[str, str]]:
    """Positions, and below them where the fields lie."""
    reach = max(field.end for field in fields)
    scale = [" "] * reach
    for place in range(5, reach + 1, 5):
        text = str(place) if place % 10 == 0 else "·"
        scale[place - len(text) : place] = text
    yield "title", cut(" " * (digits + 10) + "".join(scale), width).rstrip()
    lines = max(field.line for field in fields)
    for line in range(1, lines + 1):
        marks = [" "] * reach
        for field in (each for each in fields if each.line == line):
            inner = "├" + "─" * (field.width - 2) + "┤" if field.width > 1 else "│"
            marks[field.start - 1 : field.end] = inner
        which = f"line {line}" if lines > 1 else ""
        yield "title", cut(f"{'':{digits}}  {which:7} {''.join(marks)}", width).rstrip()


def _break_lines(breaks: Sequence[Break], width: int) -> Iterable[tuple[str, str]]:
    """Each break with the share of rows in which like characters stand on both sides of it."""
    listed = ", ".join(f"{each.after} ({each.cut:.0%})" for each in breaks[:60])
    more = f" and {len(breaks) - 60} more" if len(breaks) > 60 else ""
    text = f"breaks after positions (share of rows that they cut): {listed}{more}"
    for line in wrapped(text, width, "  "):
        yield "note", line


def _raw_line(row: RawRow, digits: int, width: int) -> str:
    mark = PART_MARKS.get(row.part, row.part)
    head = f"{padded(str(row.row), digits, right=True)}  {padded(mark, 7)} "
    return cut(head + "".join(map(visible_char, row.text)), width).rstrip()


def visible_char(char: str) -> str:
    """A character of raw text; tabs and odd blanks are shown by a sign, blanks stay."""
    return char if char == " " else "→" if char == "\t" else visible(char)


def _cases(look: Look, width: int) -> Iterable[tuple[str, str]]:
    which = f"as read, types from the first {several(look.cases_looked_at, 'row')}"
    if look.lines is not None and look.cases_looked_at < CASES_LOOKED_AT:
        which = "as read"
    yield "title", f"{which} ({several(len(look.variables), 'variable')}):"
    numbers = {"integer", "number"}
    start, variables = 0, look.variables
    headings = [f"{each.name}" for each in variables]
    types = [each.type + (f", {each.unit}" if each.unit else "") for each in variables]
    while start < len(variables):
        stop = _fitting(look, headings, types, start, width)
        rows = [types[start:stop], *[case[start:stop] for case in look.cases]]
        right = "".join("r" if each.type in numbers else "l" for each in variables[start:stop])
        for place, line in enumerate(table(headings[start:stop], rows, right, width)):
            yield ("types" if place == 2 else "case"), line
        start = stop
        if start < len(variables):
            yield "", ""
        if start >= 40 and start < len(variables):
            yield "note", f"and {several(len(variables) - start, 'more variable')}"
            return


def _fitting(look: Look, headings: list[str], types: list[str], start: int, width: int) -> int:
    """How many columns fit side by side, each at most 24 wide."""
    used, stop = 0, start
    while stop < len(headings):
        texts = [headings[stop], types[stop], *(case[stop] for case in look.cases)]
        used += min(24, max(len(text) for text in texts)) + (2 if stop > start else 0)
        if used > width and stop > start:
            break
        stop += 1
    return stop


def evidence_lines(evidence: Iterable[Evidence], width: int) -> Iterable[tuple[str, str]]:
    """The evidence in words, open points first and marked."""
    ranked = lines_of(sorted(evidence, key=lambda each: each.certain))
    for words, each, mend in ranked[:EVIDENCE_SHOWN]:
        mark = "  " if each.certain else "? "
        others = alternatives_of(each)
        more = f" (or {', '.join(others)})" if others else ""
        for line in wrapped(visible(mark + words + more), width, "    "):
            yield ("certain" if each.certain else "uncertain"), line
        if mend:
            yield "mend", cut(f"    fix: {visible(mend)}", width)
    if len(ranked) > EVIDENCE_SHOWN:
        yield "note", f"  and {len(ranked) - EVIDENCE_SHOWN} more"
