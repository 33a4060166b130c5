"""Delimited text as RFC 4180 writes it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence


def csv_text(rows: Iterable[Sequence[str]]) -> str:
    """Rows of cells as text; a cell is quoted where it must be."""
    return "".join(",".join(map(_cell, row)) + "\r\n" for row in rows)


def _cell(text: str) -> str:
    if any(mark in text for mark in ',"\r\n') or text != text.strip():
        return '"' + text.replace('"', '""') + '"'
    return text
