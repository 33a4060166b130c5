"""Pictures of distributions: values as they are, and beside them why cells are missing."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from ...declaration.values import value_text
from ...declaration.variable import NUMERIC
from ...describe.counts import Counts, counts
from ...errors import several
from ...plan.selecting import Names, chosen
from ..counts import titled
from ..text import cut
from .canvas import BLUE, INK, OLIVE, RUST, bare, figure, save

if TYPE_CHECKING:
    from ...dataset.model import PlainDataset

FEW = 24
MOST = 12
BINS = 24


def draw_counts(
    dataset: PlainDataset,
    names: Names,
    path: str | os.PathLike[str],
    bins: int | Sequence[float] | None = None,
) -> None:
    """A panel for each variable: bars of its values or bins, and of missing cells by reason, apart.

    Numbers of many values are counted in bins. At most twelve variables are drawn.

    >>> oc.draw_counts(ds, "grade", folder / "grade.png")
    """
    wanted = chosen(names, dataset.variables)[:MOST]
    columns = 1 if len(wanted) == 1 else 2 if len(wanted) <= 4 else 3
    rows = -(-len(wanted) // columns)
    drawn = figure()
    panels = np.atleast_1d(drawn.subplots(rows, columns)).ravel()
    for panel, name in zip(panels, wanted, strict=False):
        _panel(panel, _counted(dataset, name, bins), len(wanted))
    for panel in panels[len(wanted) :]:
        panel.set_visible(False)
    drawn.suptitle(f"{several(dataset.rows, 'row')}; missing cells in rust", color=INK)
    save(drawn, path)


def _counted(dataset: PlainDataset, name: str, bins: int | Sequence[float] | None) -> Counts:
    """Values, or bins where there are many numbers."""
    made = counts(dataset, name, bins=bins)
    assert isinstance(made, Counts)
    if bins is None and made.variable.type in NUMERIC and len(made.rows) > FEW:
        made = counts(dataset, name, bins=BINS)
        assert isinstance(made, Counts)
    return made


def _panel(axes: Any, made: Counts, panels: int) -> None:
    rows = list(made.rows)
    binned = bool(rows) and isinstance(rows[0].value, str) and made.variable.type in NUMERIC
    left = 0
    if not binned and len(rows) > FEW:
        rows = sorted(rows, key=lambda each: -each.cases)[:FEW]
        left = len(made.rows) - len(rows)
    names = [_words(each.value, each.label, made, binned) for each in rows]
    heights = [each.cases for each in rows]
    reasons = list(made.missing)
    at = [*range(len(rows)), *(len(rows) + 0.8 + place for place in range(len(reasons)))]
    colours = [OLIVE if not binned else BLUE] * len(rows) + [RUST] * len(reasons)
    wide = [1.0 if binned else 0.8] * len(rows) + [0.8] * len(reasons)
    axes.bar(at, [*heights, *made.missing.values()], color=colours, width=wide, edgecolor="white")
    step = max(1, len(rows) // (14 if panels == 1 else 8)) if binned else 1
    ticks = [place for place in range(len(rows)) if place % step == 0]
    labels = [names[place] for place in ticks] + [cut(reason, 18) for reason in reasons]
    turn = any(len(label) > 3 for label in labels)
    axes.set_xticks(
        [place - 0.5 * binned for place in ticks] + at[len(rows) :],
        labels,
        rotation=50 if turn else 0,
        ha="right" if turn else "center",
    )
    bare(axes)
    axes.tick_params(labelsize=9 if panels <= 4 else 7)
    axes.yaxis.grid(True, color="#e7e3d6")
    axes.set_axisbelow(True)
    unit = f" ({made.variable.unit})" if made.variable.unit else ""
    more = f"; {several(left, 'rarer value')} not drawn" if left else ""
    title = cut(f"{titled(made.variable, ': ')}{unit}", 100 if panels == 1 else 52)
    axes.set_title(f"{title}{more}", fontsize=10, color=INK, loc="left")


def _words(value: Any, label: str, made: Counts, binned: bool) -> str:

    if binned:
        return str(value).split(" ")[0]
    return cut(f"{value_text(value)} {label}".strip(), 20)
