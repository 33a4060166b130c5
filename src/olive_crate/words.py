"""Values as plain text that a person reads: aligned, within a width, nothing hidden in silence."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .evidence import Evidence
    from .receipt import Receipt

WIDTH = 100
SHOWN = {"\t": "→", "\n": "↵", "\r": "␍", "\u00a0": "⍽", "\ufeff": "␣"}
CUT = "…"


def visible(text: str) -> str:
    """Text with control characters and odd blanks made visible; a tab alone is called so."""
    if text == "\t":
        return "tab"
    if text == " ":
        return "space"
    return "".join(_visible(char) for char in text)


MARKS = {
    ",": "comma",
    ";": "semicolon",
    ".": "point",
    "|": "pipe",
    '"': "double quote",
    "'": "apostrophe",
}


def mark_words(mark: str) -> str:
    """A punctuation mark as a word, since it would be lost among others."""
    return MARKS.get(mark) or visible(mark)


def _visible(char: str) -> str:
    if char in SHOWN:
        return SHOWN[char]
    code = ord(char)
    if code < 32:
        return chr(0x2400 + code)
    return "␡" if code == 127 else "·" if 0x80 <= code < 0xA0 else char


def width_of(text: str) -> int:
    """Columns that a text takes in a terminal."""
    if text.isascii():
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


def padded(text: str, width: int, right: bool = False) -> str:
    """Filled up with blanks to a width."""
    blanks = " " * (width - width_of(text))
    return blanks + text if right else text + blanks


def several(count: int, what: str, many: str = "") -> str:
    """A count with its noun: `1 row`, `1,204 rows`."""
    return f"{count:,} {what if count == 1 else many or what + 's'}"


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


def receipt_text(receipt: Receipt, width: int = WIDTH, variables: int = 24) -> str:
    """The receipt on about a screen."""
    lines = [*_how(receipt, width), "", *_lines(receipt, width), ""]
    lines += _cells(receipt, width, variables)
    lines += _problems(receipt, width)
    lines += _decided(receipt, width)
    lines += _expectations(receipt, width)
    lines += _changes(receipt, width)
    lines += _balance(receipt)
    return "\n".join(lines)


def _how(receipt: Receipt, width: int) -> list[str]:
    packed = f", {receipt.compression}" if receipt.compression else ""
    settings = ", ".join(f"{key} {value}" for key, value in receipt.settings.items())
    return [
        cut(f"{receipt.source}  {size_words(receipt.bytes)}{packed}", width),
        *wrapped(
            settings
            if receipt.layout == "sheet"
            else f"{receipt.layout} text, {receipt.encoding}, {settings}",
            width,
            "  ",
        ),
        f"{several(receipt.rows, 'row')} of data, {several(len(receipt.cells), 'variable')}"
        + (f" ({len(receipt.not_kept)} not kept)" if receipt.not_kept else "")
        + (" - stopped at the limit, the rest was not read" if receipt.stopped else ""),
    ]


PART_WORDS = {
    "heading": "heading",
    "data": "data",
    "continued": "further lines of quoted text",
    "blank": "blank",
    "comment": "comment",
    "skipped": "skipped",
    "other": "of other record types",
}


def _lines(receipt: Receipt, width: int) -> list[str]:
    words = dict(PART_WORDS)
    if receipt.layout == "fixed":
        words["continued"] = "further lines of cases"
    parts = [f"{count:,} {words[part]}" for part, count in receipt.parts.items() if count]
    what = "row" if receipt.layout == "sheet" else "line"
    lines = wrapped(f"{several(receipt.lines, what)}: {', '.join(parts) or 'none'}", width, "  ")
    for rows, part in ((receipt.skipped_rows, "skipped"), (receipt.blank_rows, "blank")):
        if rows:
            lines.append(f"  {part}: {row_list(rows, receipt.parts[part])}")
    if receipt.record_types:
        kinds = [f'"{kind}" {count:,}' for kind, count in receipt.record_types.items()]
        more = f" and {len(kinds) - 8} more" if len(kinds) > 8 else ""
        lines += wrapped(f"  other record types: {', '.join(kinds[:8])}{more}", width, "    ")
    if receipt.characters and receipt.layout == "sheet":
        lines.append(
            f"  {several(receipt.characters, 'filled cell')}: {receipt.covered:,} in the range, "
            f"{receipt.uncovered:,} outside of it"
        )
    elif receipt.characters:
        lines.append(
            f"  {several(receipt.characters, 'character')}: {receipt.covered:,} in fields, "
            f"{receipt.uncovered:,} in none"
        )
    if receipt.short:
        lines.append(
            f"  short: {row_list(receipt.short_rows, receipt.short)} lack fields, taken as blank"
        )
    if receipt.surplus:
        lines.append(f"  long: {several(receipt.surplus, 'row')} with text beyond the last column")
    if receipt.trailing:
        lines.append(f"  {several(receipt.trailing, 'row')} end with empty fields too many")
    return lines


def _cells(receipt: Receipt, width: int, most: int) -> list[str]:
    rows = [
        [
            each.name,
            each.type,
            f"{each.valid:,}",
            ", ".join(f"{reason} {count:,}" for reason, count in each.missing.items()),
        ]
        for each in receipt.cells[:most]
    ]
    if not rows:
        return []
    lines = table(["variable", "type", "valid", "missing"], rows, "llrl", width, wrap=True)
    left = receipt.cells[most:]
    if left:
        empty = sum(sum(each.missing.values()) for each in left)
        lines.append(f"{several(len(left), 'more variable')}, {empty:,} of their cells missing")
    return lines


def _problems(receipt: Receipt, width: int, most: int = 10) -> list[str]:
    if not receipt.problem_count:
        return []
    lines = ["", f"{several(receipt.problem_count, 'problem')}:"]
    for problem in receipt.problems[:most]:
        name = f" {problem.variable}:" if problem.variable else ""
        text = cut(visible(problem.text), 40)
        lines.append(cut(f"  row {problem.row}{name} “{text}” {problem.why}", width))
    if receipt.problem_count > most:
        left = receipt.problem_count - most
        lines.append(f"  and {left:,} more: receipt.problems lists all")
    return lines


def _decided(receipt: Receipt, width: int, most: int = 12) -> list[str]:
    told = [each for each in receipt.decided if _is_news(each)]
    if not told and not receipt.notes:
        return []
    told.sort(key=lambda each: each.certain)
    lines = ["", "decided without being asked:"]
    for each in told[:most]:
        lines += wrapped(f"  {evidence_words(each)}", width, "      ")
        if each.mend:
            lines.append(cut(f"      to mend: {each.mend}", width))
    if len(told) > most:
        lines.append(f"  and {len(told) - most} more: receipt.decided lists all")
    lines += [line for note in receipt.notes[:5] for line in wrapped(f"  {note}", width, "      ")]
    if len(receipt.notes) > 5:
        lines.append(f"  and {len(receipt.notes) - 5} more notes: receipt.notes lists all")
    return lines


def _expectations(receipt: Receipt, width: int) -> list[str]:
    """What was expected and is not so; what is so only as a number."""
    if not receipt.expectations:
        return []
    failed = [each for each in receipt.expectations if not each.met]
    total = several(len(receipt.expectations), "expectation")
    lines = ["", f"{total}, {f'{len(failed)} NOT MET:' if failed else 'all met'}"]
    for each in failed:
        where = f" ({row_list(each.rows, each.count)})" if each.rows else ""
        lines += wrapped(f"  {visible(str(each))}{where}", width, "      ")
    return lines


def _changes(receipt: Receipt, width: int) -> list[str]:
    """What was declared after the read; the account below is that of the read."""
    if not receipt.changes:
        return []
    told = [line for each in receipt.changes for line in str(each).splitlines()]
    return ["", "declared after the read:", *(cut(f"  {visible(line)}", width) for line in told)]


def _is_news(evidence: Evidence) -> bool:
    """Types that simply fit are told by the table above; levels are only suggestions."""
    if evidence.subject.startswith("level."):
        return False
    return not (evidence.subject.startswith("variable.") and evidence.certain) or (
        "taken as missing" in evidence.claim or "64 bits" in evidence.claim
    )


SUBJECTS = {
    "source": "file",
    "source.encoding": "encoding",
    "delimited.delimiter": "delimiter",
    "delimited.decimal": "decimal mark",
    "delimited.grouping": "grouping mark",
    "delimited.quote": "quote",
    "delimited.escape": "escape",
    "delimited.comment": "comments begin with",
    "rows.names": "names in row",
    "rows.units": "units in row",
    "rows.labels": "labels in row",
    "rows.repeated": "repeated heading",
    "rows.data": "data end in row",
    "layout": "layout",
    "sheet.sheet": "sheet",
    "sheet.range": "range",
    "sheet.hidden": "hidden cells",
    "sheet.outside": "outside",
    "sheet.merged": "merged cells",
    "sheet.blanks": "blanks",
    "fixed.fields": "fields",
    "fixed.record_length": "record length",
    "fixed.overlap": "overlap",
    "fixed.uncovered": "positions",
}


def evidence_words(evidence: Evidence) -> str:
    """A piece of evidence as a line: what was decided, and why."""
    known = SUBJECTS.get(evidence.subject, evidence.subject.partition(".")[2])
    words = mark_words if evidence.subject.startswith("delimited.") else visible
    value = f" {words(evidence.value)}" if evidence.value else ""
    if evidence.alternatives == ("missing",):
        return f"{known}: {evidence.claim}"
    if evidence.subject.startswith("cells."):
        return f"{known}: {evidence.claim}"
    if evidence.subject.startswith("variable."):
        return f"{known}: {evidence.value}, {evidence.claim}"
    return f"{known}{value}: {evidence.claim}" if value else f"{known}: {evidence.claim}"


def _balance(receipt: Receipt) -> list[str]:
    wrong = receipt.imbalances()
    if wrong:
        return ["", "THE ACCOUNT DOES NOT BALANCE: " + "; ".join(wrong)]
    cells = receipt.rows * len(receipt.cells)
    what = "row" if receipt.layout == "sheet" else "line"
    return ["", f"balanced: {several(receipt.lines, what)} and {cells:,} cells accounted for"]
