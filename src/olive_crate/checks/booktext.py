"""A codebook as plain text."""

from __future__ import annotations

from ..words import WIDTH, cut, several, table, visible, wrapped
from .codebook import Codebook, Entry


def codebook_text(book: Codebook, width: int = WIDTH, most: int = 60) -> str:
    """A line for each variable, within a width."""
    rows = [_row(entry) for entry in book.entries[:most]]
    headings = ["", "variable", "type", "unit", "valid", "missing", "distinct", "values", "label"]
    used = [index for index in range(len(headings)) if index < 3 or any(row[index] for row in rows)]
    lines = [f"{several(book.rows, 'row')}, {several(len(book), 'variable')}", ""]
    if rows:
        right = "".join("rlllrrrll"[index] for index in used)
        lines += table(
            [headings[index] for index in used],
            [[row[index] for index in used] for row in rows],
            right,
            width,
        )
    gone = [
        (entry.variable.name, _reasons(entry)) for entry in book.entries[:most] if entry.missing
    ]
    if gone:
        lines += ["", *table(["variable", "missing by reason"], gone, "ll", width, wrap=True)]
    if len(book) > most:
        lines.append(f"and {several(len(book) - most, 'more variable')}")
    return "\n".join(lines)


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
        variable.label or "",
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
