"""Summaries as plain text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from ..declaration.values import value_text
from ..declaration.variable import NUMERIC
from ..describe.summary import TIMED, Figures, Summary
from ..errors import several
from .text import WIDTH, table

if TYPE_CHECKING:
    pass


def summary_text(made: Summary, width: int = WIDTH) -> str:
    """Numbers, dates and texts, each in a table of their own."""
    which = ", complete cases only" if made.complete else ""
    lines = [f"{several(made.rows, 'row')}{which}"]
    for headings, rows, right in tables_of_summary(made):
        lines += ["", *table(headings, rows, right, width)]
    beyond = [each.name for each in made if each.overflow]
    if beyond:
        lines += ["", f"beyond the range of the type, so not shown: figures of {', '.join(beyond)}"]
    return "\n".join(lines)


def tables_of_summary(made: Summary) -> Iterator[tuple[list[str], list[list[str]], str]]:
    numbers = [each for each in made if each.type in NUMERIC]
    spread = ["mean", "sd", "min", "q1", "median", "q3", "max"]
    if numbers:
        parts = ["n", "missing", *spread]
        yield ["variable", *parts], [_cells(each, parts) for each in numbers], "l" + "r" * 9
        heads, parts = ["distinct", "zeros", "below 0"], ["distinct", "zeros", "negatives"]
        yield ["variable", *heads], [_cells(each, parts) for each in numbers], "lrrr"
    timed = [each for each in made if each.type in TIMED]
    if timed:
        parts = ["n", "missing", "distinct", *spread[2:]]
        yield ["variable", *parts], [_cells(each, parts) for each in timed], "lrrrlllll"
    others = [each for each in made if each.type not in NUMERIC and each.type not in TIMED]
    if others:
        parts = ["type", "n", "missing", "distinct", "mean", "shortest", "longest"]
        heads = ["variable", *parts[:4], "share true", "shortest", "longest"]
        used = [0, 1, 2, 3, 4]
        used += [5] if any(each.mean is not None for each in others) else []
        used += [6, 7] if any(each.type != "boolean" for each in others) else []
        rows = [_cells(each, parts) for each in others]
        right = "llrrrrrr"
        yield (
            [heads[place] for place in used],
            [[row[place] for place in used] for row in rows],
            "".join(right[place] for place in used),
        )


def _cells(figures: Figures, parts: Sequence[str]) -> list[str]:
    counted = ("n", "missing", "distinct", "zeros", "negatives")
    return [figures.name, *(_shown(getattr(figures, part), part in counted) for part in parts)]


def _shown(value: Any, counted: bool) -> str:
    """A figure as people print it: counts grouped, others with up to six significant digits."""
    if isinstance(value, float):
        return f"{value:.6g}" if abs(value) < 1e6 or abs(value) >= 1e15 else f"{value:.0f}"
    return "" if value is None else f"{value:,}" if counted else value_text(value)
