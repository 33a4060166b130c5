"""Delimited text as RFC 4180 writes it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence


def csv_text(rows: Iterable[Sequence[str]], delimiter: str = ",") -> str:
    """Rows of cells as text; a cell is quoted where it must be.

    That is also where a reader might take blanks away, or a line for a blank one or a comment.
    """
    special = re.compile(f'["\r\n]|{re.escape(delimiter)}|^\\s|\\s$').search

    def cell(text: str) -> str:
        return _quoted(text) if special(text) else text

    def line(cells: Sequence[str]) -> str:
        written = delimiter.join(map(cell, cells))
        if (not written or written[0] == "#") and cells:
            written = delimiter.join([_quoted(cells[0]), *map(cell, cells[1:])])
        return written + "\r\n"

    return "".join(map(line, rows))


def _quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"'
