"""Values as plain text that a person reads: aligned, within a width, nothing hidden in silence."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Iterable, Sequence

from ..declaration.patterns import late
from ..errors import several

WIDTH = 100
SHOWN = {"\t": "→", "\n": "↵", "\r": "␍", "\u00a0": "⍽", "\ufeff": "␣"}
CUT = "…"


def visible(text: str) -> str:
    """Text with control characters and odd blanks made visible; a tab alone is called so."""
    if text == "\t":
        return "tab"
    if text == " ":
        return "space"
    return text if text.isprintable() else "".join(_visible(char) for char in text)


MARK_WORDS = {
    ",": "comma",
    ";": "semicolon",
    ".": "point",
    "|": "pipe",
    '"': "double quote",
    "'": "apostrophe",
}


def mark_words(mark: str) -> str:
    """A punctuation mark as a word, since it would be lost among others."""
    return MARK_WORDS.get(mark) or visible(mark)


def _visible(char: str) -> str:
    if char in SHOWN:
        return SHOWN[char]
    code = ord(char)
    if code < 32:
        return chr(0x2400 + code)
    return "␡" if code == 127 else "·" if 0x80 <= code < 0xA0 or char in TURNS else char


FILES_NAMED = 3
TURNS = "\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"
"""Characters that turn the direction of what follows (Unicode, annex 9), and hide nothing else."""
FIRST_OF_OTHER_WIDTH = "\u0300"
"""The first character that is not one column wide: it combines with the one before."""
_CONTROLS = late(f"[\x00-\x08\x0b-\x1f\x7f-\x9f{TURNS}]")


def cleaned(text: str) -> str:
    """Lines of text with everything made visible that would steer a terminal or a page.

    This is the door that all words go through, whoever has put the text of a file, of its name or
    of a server into them.
    """
    if text.replace("\n", "").isprintable():
        return text
    return _CONTROLS.sub(lambda match: _visible(match[0]), text)


def width_of(text: str) -> int:
    """Columns that a text takes in a terminal."""
    if text.isascii() or max(text) < FIRST_OF_OTHER_WIDTH:
        return len(text)
    wide = sum(unicodedata.east_asian_width(char) in "WF" for char in text)
    return len(text) + wide - sum(bool(unicodedata.combining(char)) for char in text)


def cut(text: str, width: int) -> str:
    """At most `width` columns, with a mark where something was left out."""
    if width_of(text) <= width:
        return text
    kept = text[: max(0, width - 1)]
    while width_of(kept) > width - 1:
        kept = kept[:-1]
    return kept.rstrip(CUT + " ") + CUT


def cut_apart(names: Sequence[str], width: int) -> list[str]:
    """Names of at most `width` columns that stay as different as they were.

    Where the beginnings are alike, the ends are kept: `Free acidity, au…25`.
    """
    made = [cut(name, width) for name in names]
    for tail in range(2, width - 1):
        times = Counter(made)
        again = [place for place, each in enumerate(made) if times[each] > 1]
        if not any(names[place] != made[place] for place in again):
            break
        for place in again:
            if width_of(names[place]) > width:
                made[place] = names[place][: width - tail - 1] + CUT + names[place][-tail:]
    return made


def padded(text: str, width: int, right: bool = False) -> str:
    """Filled up with blanks to a width."""
    blanks = " " * (width - width_of(text))
    return blanks + text if right else text + blanks


def name_list(names: Sequence[str], most: int = 4) -> str:
    """Names as words: `acid, grade and 3 more`."""
    shown = ", ".join(names[:most])
    return f"{shown} and {len(names) - most} more" if len(names) > most else shown


def row_list(rows: Sequence[int], count: int | None = None, most: int = 5) -> str:
    """Row numbers as words, neighbours joined: `rows 1-3, 7 and 40 more`."""
    total = len(rows) if count is None else count
    runs: list[list[int]] = []
    for row in rows:
        if runs and row == runs[-1][1] + 1:
            runs[-1][1] = row
        else:
            runs.append([row, row])
    shown = runs[:most]
    left = total - sum(high - low + 1 for low, high in shown)
    listed = ", ".join(str(low) if low == high else f"{low}-{high}" for low, high in shown)
    more = f" and {left:,} more" if left > 0 else ""
    return f"row{'s' * (total != 1)} {listed}{more}"


def place_list(
    rows: Sequence[int], files: Sequence[str], count: int | None = None, most: int = 3
) -> str:
    """Rows with their files: `rows 3 and 4 of a.csv, row 7 of b.csv and 12 more`."""
    if not files:
        return row_list(rows, count)
    held: dict[str, list[int]] = {}
    for row, file in zip(rows, files, strict=True):
        held.setdefault(file, []).append(row)
    shown = list(held.items())[:most]
    named = sum(len(own) for _, own in shown)
    left = (len(rows) if count is None else count) - named
    parts = [f"{row_list(own, len(own))} of {visible(file)}" for file, own in shown]
    return "; ".join(parts) + (f" and {left:,} more" if left > 0 else "")


def case_list(key: Sequence[str], cases: Sequence[str], count: int, most: int = 5) -> str:
    """Cases by their key: `delivery 1040, 1080 and 28 more`."""
    between = ", " if len(key) == 1 else "; "
    left = count - len(cases[:most])
    more = f" and {left:,} more" if left > 0 else ""
    return visible(f"{', '.join(key)} {between.join(cases[:most])}{more}")


def table(
    headings: Sequence[str],
    rows: Iterable[Sequence[str]],
    right: str = "",
    width: int = WIDTH,
    wrap: bool = False,
) -> list[str]:
    """Lines of a table. `right` has an `r` for each column to be aligned to the right.

    The last column is cut first, then the widest ones, until all fit; with `wrap`, the last one is
    continued on further lines instead.
    """
    body = [[visible(str(cell)) for cell in row] for row in rows]
    widths = [
        max([width_of(heading), *(width_of(row[index]) for row in body)])
        for index, heading in enumerate(headings)
    ]
    gap = 2
    while sum(widths) + gap * (len(widths) - 1) > width and max(widths) > 6:
        last = len(widths) - 1
        widest = last if widths[last] > 24 else widths.index(max(widths))
        widths[widest] -= 1
    lines: list[str] = []
    if not headings:
        return lines
    for row in [list(headings), *body]:
        parts = wrapped(row[-1], widths[-1]) if wrap and row[-1] else row[-1:]
        cells = [
            padded(cut(cell, widths[index]), widths[index], right[index : index + 1] == "r")
            for index, cell in enumerate([*row[:-1], parts[0]])
        ]
        lines.append((" " * gap).join(cells).rstrip())
        indent = " " * (sum(widths[:-1]) + gap * (len(widths) - 1))
        lines += [indent + cut(part, widths[-1]) for part in parts[1:]]
    lines.insert(1, (" " * gap).join("─" * each for each in widths))
    return lines


def wrapped(text: str, width: int = WIDTH, indent: str = "") -> list[str]:
    """A sentence on as many lines as it needs."""
    import textwrap

    return textwrap.wrap(
        text, width, initial_indent="", subsequent_indent=indent, break_on_hyphens=False
    ) or [""]


def size_words(count: int | None) -> str:
    """Bytes as a person says them."""
    if count is None:
        return "size unknown"
    for unit, scale in (("GB", 10**9), ("MB", 10**6), ("kB", 10**3)):
        if count >= scale:
            return f"{count / scale:.1f} {unit}"
    return several(count, "byte")


def file_list(files: Sequence[str], count: int, most: int = FILES_NAMED) -> str:
    """The first of so many files, by their names: `a.csv, b.csv and 3 more`."""
    shown = ", ".join(visible(each) for each in files[:most])
    left = count - min(most, len(files))
    return f"{shown} and {left:,} more" if left > 0 else shown
