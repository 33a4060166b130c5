"""A codebook as Markdown, CSV and a data frame."""

from __future__ import annotations

from ..declaration.notation import codes_text, meanings_text
from ..declaration.variable import Variable
from ..describe.codebook import Codebook, Entry
from ..errors import several
from ..sources.csv_text import csv_text
from .evidence import variable_words
from .findings import unexplained_words
from .text import cut

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
    "meanings",
    "valid cells",
    "missing cells",
    "different values",
    "smallest",
    "largest",
    "commonest",
    "doubts",
)


def codebook_csv(book: Codebook) -> str:
    """A row for each variable; codes and meanings are written as in a layout table."""
    headings, rows = codebook_table(book)
    return csv_text([headings, *rows])


def codebook_table(book: Codebook) -> tuple[list[str], list[list[str]]]:
    """The same table as headings and rows."""
    return list(HEADINGS), [_cells(entry) for entry in book]


def _cells(entry: Entry) -> list[str]:
    variable = entry.variable
    return [
        str(entry.position),
        variable.name,
        "" if variable.from_ is None else " or ".join(variable.headings),
        variable.label or "",
        variable.type or "",
        variable.level or "",
        variable.unit or "",
        "" if variable.decimals is None else str(variable.decimals),
        variable.format or "",
        "; ".join(variable.true),
        "; ".join(variable.false),
        codes_text(variable),
        meanings_text(variable),
        str(entry.valid),
        str(sum(entry.missing.values())),
        str(entry.distinct),
        entry.smallest,
        entry.largest,
        "; ".join(f"{text} ×{count}" for text, count in entry.common),
        "; ".join(doubts_words(entry)),
    ]


OVERVIEW = ("", "variable", "label", "type", "level", "unit", "decimals")
"""What every table of variables begins with."""


def declaration_cells(entry: Entry) -> list[str]:
    """The cells of a variable under `OVERVIEW`."""
    variable = entry.variable
    return [
        str(entry.position),
        variable.name,
        variable.label or "",
        variable.type or "",
        variable.level or "",
        variable.unit or "",
        "" if variable.decimals is None else str(variable.decimals),
    ]


def codebook_markdown(book: Codebook) -> str:
    """One table of all variables, then codes, labels and doubts of each that has any."""
    headings = [*OVERVIEW, "valid", "missing", "distinct", "values"]
    rows = [
        [
            *declaration_cells(entry),
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
        tables.append(_pipes(["meaning", "cells"], labelled, "lr"))
    remarks = [
        *filter(None, [rounding_words(entry.variable, entry.more_decimals)]),
        *doubts_words(entry),
    ]
    if remarks:
        tables.append("\n".join(f"- {_marked(each)}" for each in remarks))
    return [f"## {_marked(entry.variable.name)}", *tables] if tables else []


def values_words(entry: Entry, width: int = 24) -> str:
    """What values there are, in a few words."""
    if entry.common:
        return ", ".join(f"{cut(text, width)} ×{count:,}" for text, count in entry.common)
    if entry.smallest or entry.largest:
        return f"{entry.smallest} … {entry.largest}"
    return "all different" if entry.valid and entry.distinct == entry.valid else ""


def doubts_words(entry: Entry) -> list[str]:
    """What speaks against the declaration."""
    found = [variable_words(each) for each in entry.doubts]
    if entry.unexplained is not None:
        found.append(f"unexplained values: {unexplained_words(entry.unexplained)}")
    return found


def rounding_words(variable: Variable, more: int) -> str:
    """How many values have more decimals than are shown; empty if none."""
    have = "value has" if more == 1 else "values have"
    shown = f"shown to {several(variable.decimals or 0, 'decimal')}"
    return f"{shown}; {more:,} {have} more" if more else ""


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
