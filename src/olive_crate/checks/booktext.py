"""A codebook as plain text."""

from __future__ import annotations

from ..words import WIDTH, cut, several, table, visible, wrapped
from .codebook import Codebook, Entry


def codebook_text(book: Codebook, width: int = WIDTH, most: int = 60) -> str:
    """A line for each variable, within a width, then what they mean and why cells are missing."""
    shown = book.entries[:most]
    lines = [f"{several(book.rows, 'row')}, {several(len(book), 'variable')}", ""]
    headings = ["", "variable", "type", "unit", "valid", "missing", "distinct", "values"]
    lines += _used(headings, [_row(entry) for entry in shown], "rlllrrrl", width, False)
    told = [
        [entry.variable.name, entry.variable.label or "", _reasons(entry)]
        for entry in shown
        if entry.variable.label or entry.missing
    ]
    if told:
        lines += ["", *_used(["variable", "label", "missing by reason"], told, "lll", width, True)]
    if len(book) > most:
        lines.append(f"and {several(len(book) - most, 'more variable')}")
    return "\n".join(lines)


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
        f"{entry.valid:,}",
        f"{sum(entry.missing.values()):,}" if entry.missing else "",
        f"{entry.distinct:,}",
        _values(entry),
    ]


def _reasons(entry: Entry) -> str:
    return ", ".join(f"{reason} {count:,}" for reason, count in entry.missing.items())


def _values(entry: Entry) -> str:
    if entry.common:
        return ", ".join(f"{cut(text, 16)} ×{count:,}" for text, count in entry.common)
    if entry.smallest or entry.largest:
        return f"{entry.smallest} … {entry.largest}"
    return "all different" if entry.valid and entry.distinct == entry.valid else ""


def entry_text(entry: Entry, width: int = WIDTH) -> str:
    """All that is known of one variable."""
    variable = entry.variable
    facts = [
        ("variable", variable.name),
        ("heading", variable.from_ or ""),
        ("label", variable.label or ""),
        ("type", variable.type or ""),
        ("level", variable.level or ""),
        ("unit", variable.unit or ""),
        ("decimals", "" if variable.decimals is None else str(variable.decimals)),
        ("format", variable.format or ""),
        ("valid", f"{entry.valid:,}"),
        ("missing", _reasons(entry)),
        ("codes", ", ".join(_code(each) for each in variable.missing)),
        ("distinct", f"{entry.distinct:,}"),
        ("values", _values(entry)),
    ]
    lines = []
    for fact, text in facts:
        if text:
            lines += wrapped(f"{fact:<10}{visible(text)}", width, " " * 10)
    for label, count in entry.labelled:
        lines.append(f"{'label' if label == entry.labelled[0][0] else '':<10}{label}  ×{count:,}")
    return "\n".join(lines)


def _code(code: object) -> str:
    reason = getattr(code, "reason", "")
    return f"{code} ({reason})" if reason else str(code)
