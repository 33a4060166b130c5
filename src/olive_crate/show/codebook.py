"""A codebook as plain text."""

from __future__ import annotations

from ..describe.codebook import Codebook, Entry
from ..errors import several
from .codebook_forms import doubts_words, rounding_words, values_words
from .text import WIDTH, table, visible, wrapped


def codebook_text(book: Codebook, width: int = WIDTH, most: int = 60) -> str:
    """A line for each variable, within a width, then what they mean and why cells are missing."""
    shown = book.entries[:most]
    lines = [f"{several(book.rows, 'row')}, {several(len(book), 'variable')}", ""]
    headings = [
        "",
        "variable",
        "type",
        "unit",
        "dec.",
        "valid",
        "missing",
        "distinct",
        "longest",
        "values",
    ]
    lines += _used(headings, [_row(entry) for entry in shown], "rlllrrrrrl", width, False)
    meant = [
        [entry.variable.name, entry.variable.label or "", entry.variable.level or "", why]
        for entry in shown
        if (why := _reasons(entry)) or entry.variable.label or entry.variable.level
    ]
    if meant:
        means = ["variable", "label", "level", "missing by reason"]
        lines += ["", *_used(means, meant, "llll", width, True)]
    lines += _doubts(shown, width)
    if len(book) > most:
        lines += ["", f"and {several(len(book) - most, 'more variable')}: --all lists them"]
    return "\n".join(lines)


def _doubts(entries: tuple[Entry, ...], width: int) -> list[str]:
    """What does not fit its declaration, and what is not shown."""
    lines = []
    for entry in entries:
        for words in doubts_words(entry):
            lines += wrapped(f"? {entry.variable.name}: {words}", width, "    ")
        rounded = rounding_words(entry.variable, entry.more_decimals)
        if rounded:
            lines += wrapped(f"  {entry.variable.name}: {rounded}", width, "    ")
    return ["", *lines] if lines else []


def _used(
    headings: list[str], rows: list[list[str]], right: str, width: int, wrap: bool
) -> list[str]:
    """A table of the columns that hold anything."""
    used = [index for index in range(len(headings)) if any(row[index] for row in rows)]
    return table(
        [headings[index] for index in used],
        [[row[index] for index in used] for row in rows],
        "".join(right[index] for index in used),
        width,
        wrap=wrap,
    )


def _row(entry: Entry) -> list[str]:
    variable = entry.variable
    return [
        str(entry.position),
        variable.name,
        variable.type or "",
        variable.unit or "",
        "" if variable.decimals is None else str(variable.decimals),
        f"{entry.valid:,}",
        f"{sum(entry.missing.values()):,}" if entry.missing else "",
        f"{entry.distinct:,}",
        "" if entry.longest is None else str(entry.longest),
        values_words(entry, 20),
    ]


def _reasons(entry: Entry) -> str:
    return ", ".join(f"{reason} {count:,}" for reason, count in entry.missing.items())


def entry_text(entry: Entry, width: int = WIDTH) -> str:
    """All that is known of one variable."""
    variable = entry.variable
    facts = [
        ("variable", variable.name),
        ("position", str(entry.position)),
        ("heading", "" if variable.from_ is None else " or ".join(variable.headings)),
        ("label", variable.label or ""),
        ("type", variable.type or ""),
        ("level", variable.level or ""),
        ("unit", variable.unit or ""),
        ("decimals", "" if variable.decimals is None else str(variable.decimals)),
        ("format", variable.format or ""),
        (
            "words",
            f"{' '.join(variable.true)} or {' '.join(variable.false)}" if variable.true else "",
        ),
        ("valid", f"{entry.valid:,}"),
        ("missing", f"{sum(entry.missing.values()):,}"),
        ("distinct", f"{entry.distinct:,}"),
        ("values", values_words(entry)),
        ("longest", "" if entry.longest is None else several(entry.longest, "character")),
    ]
    lines = []
    for fact, text in facts:
        if text:
            lines += wrapped(f"{fact:<10}{visible(text)}", width, " " * 10)
    codes = {why for _, why, _ in entry.codes} | {code for code, _, _ in entry.codes}
    why = [["", why, f"{count:,}"] for why, count in entry.missing.items() if why not in codes]
    why += [[code, reason, f"{count:,}"] for code, reason, count in entry.codes]
    lines += _part(["missing code", "reason", "cells"], why, "llr", width)
    labels = [[label, f"{count:,}"] for label, count in entry.labelled]
    called = f"meaning set {variable.meaning_set}" if variable.meaning_set else "meaning"
    lines += _part([called, "cells"], labels, "lr", width)
    lines += _doubts((entry,), width)
    return "\n".join(lines)


def _part(headings: list[str], rows: list[list[str]], right: str, width: int) -> list[str]:
    if not rows:
        return []
    return ["", *(f"  {line}" for line in _used(headings, rows, right, width - 2, False))]
