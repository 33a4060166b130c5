"""Columns read while a block is being split, those of which the conversion is known already.

This is for speed alone. What is read ahead is just what `read_numbers` and `read_times` give for
the same cells; the reference reads nothing ahead.
"""

from __future__ import annotations

from collections.abc import Mapping

from ..buffers import ColumnStart
from ..types import Bytes, CutPoint, EarlyColumn, Forecast, Structure, Table
from .splitting import Dialect, split


def split_early(
    buffer: Bytes,
    low: int,
    high: int,
    marks: Dialect,
    fields: int,
    forecast: Forecast,
    seen: CutPoint,
    name: bytes,
    start: ColumnStart | None = None,
) -> Structure | Table:
    """As `split` with `final`; columns of a table may have been read on the way.

    `seen` is what `cut` met; `name` is looked for in the first field.
    """
    return split(buffer, low, high, marks, True, fields)


def records_early(
    buffer: Bytes,
    first: int,
    stride: int,
    length: int,
    rows: int,
    places: Mapping[int, tuple[int, int]],
    forecast: Forecast,
    start: ColumnStart | None = None,
) -> dict[int, EarlyColumn]:
    """Columns of records of one length, of which `places` gives where each begins and its width."""
    return {}
