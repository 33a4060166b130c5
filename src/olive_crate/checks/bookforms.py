"""A codebook as Markdown, CSV and a data frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..codecells import codes_text, labels_text
from ..formats.csvtext import csv_text
from .codebook import Codebook, Entry

if TYPE_CHECKING:
    import pandas

HEADINGS = (
    "number",
    "name",
    "heading",
    "label",
    "type",
    "level",
    "unit",
    "decimals",
    "format",
    "true",
    "false",
    "missing",
    "values",
    "valid cells",
    "missing cells",
    "different values",
    "smallest",
    "largest",
    "commonest",
    "doubts",
)


def codebook_csv(book: Codebook) -> str:
    """A row for each variable; codes and labels are written as in a layout table."""
    return csv_text([HEADINGS, *(_cells(entry) for entry in book)])


def codebook_frame(book: Codebook) -> pandas.DataFrame:
    """The same table as a data frame; counts are integers."""
    from ..formats.frames import frame

    rows = [dict(zip(HEADINGS, _cells(entry), strict=True)) for entry in book]
    made = frame(rows, HEADINGS)
    for heading in ("number", "valid cells", "missing cells", "different values"):
        made[heading] = made[heading].astype("int64")
    return made


def _cells(entry: Entry) -> list[str]:
    variable = entry.variable
    return [
        str(entry.position),
        variable.name,
        variable.from_ or "",
        variable.label or "",
        variable.type or "",
        variable.level or "",
        variable.unit or "",
        "" if variable.decimals is None else str(variable.decimals),
        variable.format or "",
        "; ".join(variable.true),
        "; ".join(variable.false),
        codes_text(variable),
        labels_text(variable),
        str(entry.valid),
        str(sum(entry.missing.values())),
        str(entry.distinct),
        entry.smallest,
        entry.largest,
        "; ".join(f"{text} ×{count}" for text, count in entry.common),
        "; ".join(entry.doubts),
    ]


def codebook_markdown(book: Codebook) -> str:
    """One table of all variables, then codes, labels and doubts of each that has any."""
    headings = ["", "variable", "label", "type", "level", "unit", "decimals", "valid", "missing"]
    headings += ["distinct", "values"]
    rows = [
        [
            str(entry.position),
            entry.variable.name,
            entry.variable.label or "",
            entry.variable.type or "",
            entry.variable.level or "",
            entry.variable.unit or "",
            "" if entry.variable.decimals is None else str(entry.variable.decimals),
            f"{entry.valid:,}",
            f"{sum(entry.missing.values()):,}",
            f"{entry.distinct:,}",
            values_words(entry),
        ]
        for entry in book
    ]
    parts = [f"{book.rows:,} rows, {len(book):,} variables", _pipes(headings, rows, "rlllllrrrrl")]
    for entry in book:
        parts += _details(entry)
    return "\n\n".join(parts) + "\n"


def _details(entry: Entry) -> list[str]:
    tables = []
    missing = [[code, why, f"{count:,}"] for code, why, count in entry.codes]
    others = {why: count for why, count in entry.missing.items() if why in ("blank", "unreadable")}
    missing += [["", why, f"{count:,}"] for why, count in others.items()]
    if entry.codes:
        tables.append(_pipes(["missing code", "reason", "cells"], missing, "llr"))
    if entry.labelled:
        labelled = [[label, f"{count:,}"] for label, count in entry.labelled]
        tables.append(_pipes(["value label", "cells"], labelled, "lr"))
    if entry.hidden or entry.doubts:
        tables.append(
            "\n".join(f"- {_marked(each)}" for each in (entry.hidden, *entry.doubts) if each)
        )
    return [f"## {_marked(entry.variable.name)}", *tables] if tables else []


def values_words(entry: Entry, width: int = 24) -> str:
    """What values there are, in a few words."""
    from ..words import cut

    if entry.common:
        return ", ".join(f"{cut(text, width)} ×{count:,}" for text, count in entry.common)
    if entry.smallest or entry.largest:
        return f"{entry.smallest} … {entry.largest}"
    return "all different" if entry.valid and entry.distinct == entry.valid else ""


def _pipes(headings: list[str], rows: list[list[str]], right: str) -> str:
    lines = [_line(headings), _line(["---:" if each == "r" else ":---" for each in right])]
    return "\n".join([*lines, *(_line([_marked(cell) for cell in row]) for row in rows)])


def _line(cells: list[str]) -> str:
    return f"| {' | '.join(cells)} |"


def _marked(text: str) -> str:
    """Text in which no character is taken for a mark of the notation."""
    for mark in "\\`*_{}[]<>#|":
        text = text.replace(mark, f"\\{mark}")
    return " ".join(text.split())
