"""A small table as text: its headings, and its rows with the numbers they have in the file."""

from __future__ import annotations

from typing import Any

from . import kernels
from .detect.settle import settle
from .plan import Plan, with_options
from .reading import blocks_of
from .rownumbers import listed
from .sources import Source


def text_rows(
    source: Source, options: dict[str, Any]
) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """The headings of a table, and each row of data: its number and the text of its cells."""
    settled = settle(source, with_options(Plan(), options))
    headings = list(settled.headings)
    rows: list[tuple[int, list[str]]] = []
    for block in blocks_of(settled):
        columns = []
        for index in range(len(headings)):
            cells = block.field(index).trimmed()
            columns.append(kernels.texts(cells.buffer, cells.starts, cells.ends).to_pylist())
        rows += [
            (number, list(cells))
            for number, *cells in zip(listed(block.rows), *columns, strict=True)
        ]
    return headings, rows
