"""A first look at a set of files as plain text: a row a file, variables by files, one in full."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import several
from ..reading.sets.looking import FileLook, SetLook
from .alike import lines_of
from .look import look_lines
from .notes import note_words
from .text import WIDTH, cut, mark_words, size_words, table, visible, wrapped

FILES_SHOWN, VARIABLES_SHOWN = 40, 60
MARKS = {
    "integer": "i",
    "number": "n",
    "text": "t",
    "category": "c",
    "boolean": "b",
    "date": "d",
    "time": "h",
    "datetime": "D",
    "duration": "l",
}
"""One letter for a type in the view of variables by files."""
DOTS = "▁▂▃▄▅▆▇█"
"""Shares of missing cells, in eighths."""


def set_look_text(look: SetLook, width: int = WIDTH) -> str:
    """The look on about two screens."""
    return "\n".join(line for _, line in set_look_lines(look, width))


def set_look_lines(look: SetLook, width: int = WIDTH) -> Iterable[tuple[str, str]]:
    """Each line, with what it is."""
    size = "" if look.bytes is None else f", {size_words(look.bytes)}"
    yield (
        "title",
        f"{several(len(look.files), 'file')}{size}, {several(len(look.names), 'variable')}",
    )
    yield "", ""
    yield from _files(look, width)
    yield "", ""
    yield from _variables(look, width)
    yield from _points(look, width)
    yield "", ""
    yield "title", f"like most of them: {look.usual.source}"
    yield "", ""
    yield from look_lines(look.usual, width)


def _files(look: SetLook, width: int) -> Iterable[tuple[str, str]]:
    odd = [each for each in look.files if each.differs]
    chosen = {each.name for each in (*odd, *look.files)[:FILES_SHOWN]}
    shown = [each for each in look.files if each.name in chosen]
    rows = [
        [each.name, _lines_of(each), str(len(each.variables)), _differs(each)] for each in shown
    ]
    head = ["file", "lines", "variables", "differs from most in"]
    for line in table(head, rows, "lrrl", width, wrap=True):
        yield "file", line
    left = len(look.files) - len(shown)
    if left:
        yield "note", f"and {several(left, 'more file')} that differ in nothing"


def _lines_of(file: FileLook) -> str:
    if file.lines is not None:
        return f"{file.lines:,}"
    return "" if file.lines_estimated is None else f"~{file.lines_estimated:,}"


def _differs(file: FileLook) -> str:
    words: dict[str, list[str]] = {}
    for what, which in file.differs:
        mark = mark_words(which) if what in ("delimiter", "decimal") else which
        words.setdefault(what, []).append(mark)
    return "; ".join(f"{what} {', '.join(each)}".strip() for what, each in words.items())


def _variables(look: SetLook, width: int) -> Iterable[tuple[str, str]]:
    """A column a file: the type's letter where a variable is, `·` where not; missing below it."""
    files = look.files
    names = look.names[:VARIABLES_SHOWN]
    longest = min(max((len(name) for name in names), default=0), 24)
    room = max(width - longest - 2, 10)
    step = -(-len(files) // room)
    used = sorted({held.type for each in files for held in each.variables.values()})
    letters = ", ".join(f"{MARKS.get(kind, '?')} {kind}" for kind in used)
    columns = "a column a file" if step == 1 else f"a column for {step} files, the first of them"
    yield "title", f"variables by files ({columns}):"
    for name in names:
        cells = [each.variables.get(name) for each in files[::step]]
        text = "".join("·" if held is None else MARKS.get(held.type, "?") for held in cells)
        yield "cells", f"{cut(visible(name), longest):{longest}}  {text}"
        shares = "".join(_share(held.missing) if held is not None else " " for held in cells)
        if shares.strip():
            yield "shares", f"{'':{longest}}  {shares}".rstrip()
    if len(look.names) > len(names):
        yield "note", f"and {several(len(look.names) - len(names), 'more variable')}"
    legend = (
        f"{letters}; · not in the file; below: share missing, {DOTS[0]} little to {DOTS[-1]} all"
    )
    for line in wrapped(legend, width, "  "):
        yield "note", line


def _share(missing: float) -> str:
    return " " if missing == 0 else DOTS[min(int(missing * 8), 7)]


def _points(look: SetLook, width: int) -> Iterable[tuple[str, str]]:
    """What is open about the set, and what was settled for each file."""
    if look.evidence or look.notes:
        yield "", ""
    for words, _, mend in lines_of(look.evidence):
        for line in wrapped(visible("? " + words), width, "    "):
            yield "uncertain", line
        if mend:
            yield "mend", cut(f"    fix: {visible(mend)}", width)
    for note in look.notes:
        for line in wrapped(visible(f"  {note_words(note)}"), width, "    "):
            yield "note", line
