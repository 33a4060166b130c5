"""What all pictures share: Matplotlib, colours, how a file is written."""

from __future__ import annotations

import io
import os
from pathlib import Path
from typing import Any

from ...errors import PlanError, nearest
from ...sources.writing import write_whole

INK, PAPER, QUIET = "#22251f", "#fbfaf5", "#d9d5c7"
OLIVE, BLUE, RUST, STONE = "#7a8450", "#5b7f95", "#b3562e", "#b9b3a1"
KINDS = (".png", ".svg", ".pdf")
INCHES = (12.8, 8.0)


def figure() -> Any:
    """A figure of 1280 by 800 points. Raises `PlanError` where the extra `report` is missing."""
    try:
        from matplotlib.figure import Figure
    except ImportError:
        raise PlanError('Matplotlib is not installed; install "olive-crate[report]"') from None
    return Figure(figsize=INCHES, dpi=100, facecolor=PAPER, layout="constrained")


def save(made: Any, path: str | os.PathLike[str]) -> None:
    """Write a figure. Raises `PlanError` for a file that is no picture."""
    target = Path(path)
    kind = target.suffix.lower()
    if kind not in KINDS:
        raise PlanError(f'{target}: a picture cannot be written as "{kind}"{nearest(kind, KINDS)}')
    if not target.parent.is_dir():
        raise PlanError(f"{target}: no such folder: {target.parent}")
    held = io.BytesIO()
    made.savefig(held, format=kind[1:], facecolor=PAPER)
    write_whole(target, held.getvalue())


def bare(axes: Any) -> None:
    """Axes without a box around them."""
    axes.set_facecolor(PAPER)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.tick_params(length=0, colors=INK, labelsize=9)
