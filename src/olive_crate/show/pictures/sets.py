"""A picture of a set of files: variables by files, with types and shares missing."""

from __future__ import annotations

import os

from ...errors import PlanError, several
from ...reading.sets.looking import SetLook
from ..text import cut
from .canvas import BLUE, INK, OLIVE, RUST, STONE, bare, figure, save

MOST_NAMES, MOST_FILES = 60, 120
COLOURS = {
    "integer": OLIVE,
    "number": "#4f6b3a",
    "text": BLUE,
    "category": "#8fa9b8",
    "boolean": "#8a6d9e",
    "date": "#c9a227",
    "datetime": "#a37f10",
    "time": "#d9bd68",
    "duration": "#e0cf98",
}


def draw_files(look: SetLook, path: str | os.PathLike[str]) -> None:
    """A column a file and a row a variable: a square in the colour of its type.

    The lower part of a square, as far as it is red, is the share of cells without a value among the
    first rows; a small dot stands where a file does not have the variable.
    """
    if not look.files:
        raise PlanError("there is no file to draw")
    files, names = look.files[:MOST_FILES], look.names[:MOST_NAMES]
    drawn = figure()
    axes = drawn.subplots()
    used: dict[str, str] = {}
    for row, name in enumerate(names):
        for column, file in enumerate(files):
            held = file.variables.get(name)
            if held is None:
                axes.plot(column, row, ".", color=STONE, markersize=3)
                continue
            used[held.type] = COLOURS.get(held.type, INK)
            axes.add_patch(_square(column, row, 1.0, used[held.type]))
            if held.missing:
                axes.add_patch(_square(column, row, held.missing, RUST))
    axes.set(xlim=(-0.5, len(files) - 0.5), ylim=(len(names) - 0.5, -0.5))
    step = -(-len(files) // 40)
    shown = range(0, len(files), step)
    labels = [cut(files[place].name, 28) for place in shown]
    axes.set_xticks(list(shown), labels, rotation=60, ha="right")
    axes.set_yticks(range(len(names)), [cut(name, 24) for name in names])
    bare(axes)
    _legend(axes, used)
    more = [
        f"{several(len(look.names) - len(names), 'more variable')}"
        if look.names[len(names) :]
        else "",
        f"{several(len(look.files) - len(files), 'more file')}" if look.files[len(files) :] else "",
    ]
    left = f" (not drawn: {' and '.join(filter(None, more))})" if any(more) else ""
    drawn.suptitle(
        f"{several(len(look.names), 'variable')} in {several(len(look.files), 'file')}, "
        f"by the first {look.cases_looked_at} rows of each{left}",
        color=INK,
    )
    save(drawn, path)


def _square(column: int, row: int, share: float, colour: str) -> object:
    """A square, or the lower share of one."""
    from matplotlib.patches import Rectangle

    height = 0.84 * share
    return Rectangle((column - 0.42, row + 0.42 - height), 0.84, height, color=colour, linewidth=0)


def _legend(axes: object, used: dict[str, str]) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    marks: list[object] = [Patch(color=colour, label=kind) for kind, colour in sorted(used.items())]
    marks += [
        Patch(color=RUST, label="share missing"),
        Line2D([], [], marker=".", color=STONE, linewidth=0, label="not in the file"),
    ]
    axes.legend(  # type: ignore[attr-defined]
        handles=marks,
        loc="upper left",
        bbox_to_anchor=(1.0, 1.0),
        frameon=False,
        fontsize=9,
        labelcolor=INK,
    )
