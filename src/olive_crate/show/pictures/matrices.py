"""Pictures of what is missing together, and of figures of pairs."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

import numpy as np

from ...errors import several
from ..text import cut
from .canvas import BLUE, INK, OLIVE, PAPER, QUIET, RUST, bare, figure, save

if TYPE_CHECKING:
    from ...describe.pairs import Pairs
    from ...describe.patterns import Patterns

MOST_PATTERNS = 30
MOST_NAMES = 60


def draw_patterns(made: Patterns, path: str | os.PathLike[str]) -> None:
    """A row for each pattern, the largest on top: filled where a variable is missing.

    To the right, how many cases have the pattern; above, the share missing of each variable.

    >>> oc.draw_patterns(ds.missing_patterns(), folder / "patterns.png")
    """
    shown = made.patterns[:MOST_PATTERNS]
    names = [name for name in made.names if any(name in each.missing for each in made.patterns)]
    whole = len(made.names) - len(names)
    names = names[:MOST_NAMES] or list(made.names[:MOST_NAMES])
    drawn = figure()
    above, grid, bars = drawn.subplot_mosaic(
        [["above", "."], ["grid", "bars"]],
        height_ratios=[1, 4],
        width_ratios=[4, 1],
    ).values()
    lacking = np.array([[name in each.missing for name in names] for each in shown], float)
    lacking = lacking.reshape(len(shown), len(names))
    for row, column in np.argwhere(lacking >= 0):
        colour = RUST if lacking[row, column] else QUIET
        grid.add_patch(_square(column, row, colour))
    grid.set(xlim=(-0.5, len(names) - 0.5), ylim=(len(shown) - 0.5, -0.5))
    grid.set_xticks(range(len(names)), [cut(name, 22) for name in names], rotation=60, ha="right")
    grid.set_yticks([])
    grid.set_ylabel(f"{several(len(made.patterns), 'pattern')}, the largest first", color=INK)
    shares = [
        100 * sum(each.count for each in made.patterns if name in each.missing) / max(1, made.rows)
        for name in names
    ]
    above.bar(range(len(names)), shares, color=RUST, width=0.8)
    above.set(xlim=(-0.5, len(names) - 0.5), xticks=[], ylabel="% missing")
    counts = [each.count for each in shown]
    colours = [OLIVE if not each.missing else BLUE for each in shown]
    bars.barh(range(len(shown)), counts, color=colours, height=0.8)
    bars.set(ylim=(len(shown) - 0.5, -0.5), yticks=[], xticks=[])
    for row, count in enumerate(counts):
        bars.text(count, row, f" {count:,}", va="center", fontsize=9, color=INK)
    bars.set_xlim(0, max(counts, default=1) * 1.3)
    bars.set_title("rows (nothing missing in olive)", fontsize=9, color=INK)
    for axes in (above, grid, bars):
        bare(axes)
    rest = f", {several(whole, 'variable')} never missing" if whole else ""
    left = len(made.patterns) - len(shown)
    more = f", {several(left, 'more pattern')} not drawn" if left > 0 else ""
    drawn.suptitle(
        f"What is missing together: {several(made.rows, 'row')}, {made.complete:,} complete"
        f"{rest}{more}",
        color=INK,
    )
    save(drawn, path)


def _square(column: int, row: int, colour: str) -> object:
    from matplotlib.patches import Rectangle

    return Rectangle((column - 0.42, row - 0.42), 0.84, 0.84, color=colour, linewidth=0)


def draw_pairs(made: Pairs, path: str | os.PathLike[str]) -> None:
    """The lower half of a matrix of overlap, correlations or covariances, with its figures.

    >>> oc.draw_pairs(ds.correlations(), folder / "pairs.png")
    """
    from matplotlib.colors import LinearSegmentedColormap

    count = len(made.names)
    values = np.where(np.tri(count, dtype=bool), made.values, np.nan)
    drawn = figure()
    axes = drawn.subplots()
    if made.kind == "overlap":
        colours, low, high = [PAPER, OLIVE], 0.0, 1.0
    else:
        finite = np.abs(values[np.isfinite(values)])
        reach = 1.0 if made.kind == "correlation" else float(finite.max(initial=1e-300))
        colours, low, high = [RUST, PAPER, BLUE], -reach, reach
    mapped = LinearSegmentedColormap.from_list("crate", colours)
    picture = axes.imshow(values, cmap=mapped, vmin=low, vmax=high, aspect="auto")
    axes.set_xticks(range(count), [cut(name, 22) for name in made.names], rotation=60, ha="right")
    axes.set_yticks(range(count), [cut(name, 22) for name in made.names])
    if count <= 24:
        for row, column in np.argwhere(np.tri(count, dtype=bool)):
            value = values[row, column]
            dark = abs(value) > 0.75 * high
            axes.text(
                *(column, row, _figure(made.kind, value) if np.isfinite(value) else "none"),
                ha="center",
                va="center",
                fontsize=9 if count <= 14 else 7,
                color=PAPER if dark else INK,
            )
    bare(axes)
    drawn.colorbar(picture, ax=axes, shrink=0.6).outline.set_visible(False)
    low_n, high_n = (int(made.n.min()), int(made.n.max())) if count else (0, 0)
    cases = f"{high_n:,} cases" if low_n == high_n else f"{low_n:,} to {high_n:,} cases"
    words = {"overlap": "Share of cases that have both", "correlation": "Correlations"}
    drawn.suptitle(f"{words.get(made.kind, 'Covariances')}, {cases}", color=INK)
    save(drawn, path)


def _figure(kind: str, value: float) -> str:
    if kind == "overlap":
        return f"{100 * value:.0f} %"
    text = f"{value:.2f}" if kind == "correlation" else f"{value:.3g}"
    return text.removeprefix("-") if not float(text) else text
