"""Figures of pairs as plain text."""

from __future__ import annotations

import numpy as np

from ..describe.pairs import Pairs
from .text import WIDTH, cut_apart, table


def pairs_text(made: Pairs, width: int = WIDTH) -> str:
    """The lower half of the figures, and of the numbers of cases if these differ."""
    figures = [
        [figure(made, row, column) for column in range(row + 1)] for row in range(len(made.names))
    ]
    lines = _half(made, figures, made.kind, width)
    if len(np.unique(made.n)) > 1 and made.kind != "overlap":
        cases = [
            [f"{made.n[row, column]:,}" for column in range(row + 1)]
            for row in range(len(made.names))
        ]
        lines += ["", *_half(made, cases, "cases with both", width)]
    elif made.kind != "overlap" and made.n.size:
        lines.append(f"{made.n.flat[0]:,} cases")
    return "\n".join(lines)


def figure(made: Pairs, row: int, column: int) -> str:
    """One figure of a pair; a dash where there is none."""
    value = made.values[row, column]
    if np.isnan(value):
        return "-"
    if made.kind == "overlap":
        return f"{100 * value:.1f} %"
    text = f"{value:.3f}" if made.kind == "correlation" else f"{value:.5g}"
    return text.removeprefix("-") if not float(text) else text


def _half(made: Pairs, cells: list[list[str]], title: str, width: int) -> list[str]:
    """A triangle; too many columns are parted into several."""
    longest = max((len(name) for name in made.names), default=0)
    room = max(1, (width - min(longest, 24) - 2) // 11)
    sides, tops = cut_apart(made.names, 24), cut_apart(made.names, 9)
    lines: list[str] = []
    for first in range(0, len(made.names), room):
        part = tops[first : first + room]
        held = [row[first : first + room] for row in cells]
        rows = [
            [name, *row, *[""] * (len(part) - len(row))]
            for name, row in list(zip(sides, held, strict=True))[first:]
        ]
        heads = [title, *part]
        lines += [""] * bool(lines) + table(heads, rows, "l" + "r" * len(part), width)
    return lines
