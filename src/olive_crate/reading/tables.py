"""A small table as text: its headings, and its rows with the numbers they have in the file."""

from __future__ import annotations

from typing import Any

from .. import kernels
from ..kernels.spans import listed
from ..layouts.base import Hands, Tally
from ..layouts.registry import find_layout
from ..plan.model import Decisions, with_options
from ..plan.options import OPTIONS
from ..sources.source import Source


def text_rows(
    source: Source, options: dict[str, Any]
) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """The headings of a table, and each row of data: its number and the text of its cells."""
    found = find_layout(source, with_options(Decisions(), options, OPTIONS))
    headings = list(found.headings)
    rows: list[tuple[int, list[str]]] = []
    for block in found.layout.read(source, Tally(), Hands()):
        columns = []
        for index in range(len(headings)):
            cells = block.field(index).trimmed()
            columns.append(kernels.texts(cells.buffer, cells.starts, cells.ends).to_pylist())
        rows += [
            (number, list(cells))
            for number, *cells in zip(listed(block.rows), *columns, strict=True)
        ]
    return headings, rows
