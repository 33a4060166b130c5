"""A picture of the positions of a fixed layout: what stands where, and where the breaks are.

For each character position the share of rows in which it is blank, a digit, a letter or something
else, as a stacked column; the breaks drawn over it; and below, some rows as they stand, in which a
value that a break cuts is marked. A marker that stands wrong is seen at a glance: its line runs
through a block of one colour, and the rows below it are marked.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import Any

import numpy as np

from ...errors import PlanError, several
from ...layouts.base import SourceLayout
from ...layouts.fixed.changes import CLASSES, DIGIT, LETTER, classes_of, codes_of
from ...plan.fields import Field
from .canvas import save

COLOURS = ("#f4f1e8", "#5b7f95", "#7a8450", "#c98f4e")
BREAK, CUT, TOUCH = "#2b2b2b", "#b3261e", "#c8c8c8"
ROWS_SHOWN = 14
WIDTH_INCHES, LETTER_INCHES = 11.6, 0.085
PACKED = 0.98
A_PAGE = 130


def draw_positions(found: SourceLayout, path: str | os.PathLike[str]) -> None:
    """Draw the positions of fixed columns to a PNG, SVG or PDF file.

    Long lines go on in further bands. Raises `PlanError` if the source not fixed-width text, or the
    extra `report` is not installed.
    """
    preview = found.preview(1)
    if not preview.fields:
        raise PlanError(f"{found.source.name}: not fixed-width text")
    numbered = [(number, line) for number, line in preview.data_lines if line.strip()]
    if not numbered:
        raise PlanError(f"{found.source.name}: no rows to draw")
    per_record = found.layout.rows_per_case
    bands = [
        (line, start)
        for line in range(1, per_record + 1)
        for start in range(0, _reach(preview.fields, numbered, line), A_PAGE)
    ]
    names = dict(zip(preview.fields, found.headings, strict=True))
    figure, axes = _figure(len(bands))
    for place, (line, start) in enumerate(bands):
        chosen = numbered[line - 1 :: per_record]
        fields = [field for field in preview.fields if field.line == line]
        stop = min(start + A_PAGE, _reach(preview.fields, numbered, line))
        which = f", line {line} of each record" if per_record > 1 else ""
        rows = several(len(chosen), "sampled row")
        title = f"{found.source.name}{which}: characters at each position, {rows}"
        _shares(axes[2 * place, 0], chosen, fields, names, (start, stop), title)
        _rows(axes[2 * place + 1, 0], chosen, fields, (start, stop))
    figure.tight_layout()
    save(figure, path)


def _figure(bands: int) -> tuple[Any, Any]:
    """A figure with two axes for each band. Raises `PlanError` without the extra `report`."""
    try:
        from matplotlib.figure import Figure
    except ImportError:
        raise PlanError('Matplotlib is not installed; install "olive-crate[report]"') from None
    figure = Figure(figsize=(12.8, 8.0 * bands), dpi=100)
    ratios = {"height_ratios": [3, 4] * bands}
    return figure, figure.subplots(2 * bands, 1, squeeze=False, gridspec_kw=ratios)


def _reach(fields: Sequence[Field], rows: Sequence[tuple[int, str]], line: int) -> int:
    longest = max(len(text) for _, text in rows)
    return max([longest, *(field.end for field in fields if field.line == line)])


def _shares(
    axis: Any,
    rows: Sequence[tuple[int, str]],
    fields: Sequence[Field],
    names: dict[Field, str],
    span: tuple[int, int],
    title: str,
) -> None:
    """The share of each class at each position, with the fields' names above."""
    start, stop = span
    classes = classes_of(codes_of([text.ljust(stop) for _, text in rows]))[:, start:stop]
    positions = np.arange(start + 1, start + 1 + classes.shape[1])
    below = np.zeros(len(positions))
    for kind in (DIGIT, LETTER, 3, 0):
        share = (classes == kind).mean(axis=0)
        axis.bar(positions, share, 1.0, below, color=COLOURS[kind], label=CLASSES[kind], lw=0)
        below += share
    highest = 0
    for field in fields:
        if start < field.end and field.start <= stop:
            middle = (max(field.start, start + 1) + min(field.end, stop)) / 2
            name = names[field] or f"{field.start}-{field.end}"
            lies = len(name) * LETTER_INCHES <= field.width * WIDTH_INCHES / (stop - start)
            highest = max(highest, 0 if lies else len(name))
            axis.text(
                middle,
                1.03,
                name,
                ha="center",
                va="bottom",
                fontsize=9,
                rotation=0 if lies else 90,
            )
    _draw_breaks(axis, fields, span)
    axis.set(xlim=(start + 0.5, stop + 0.5), ylim=(0, 1), ylabel="share of rows")
    axis.set_yticks([0, 0.5, 1], ["0 %", "50 %", "100 %"])
    axis.set_xticks([p for p in range(start + 1, stop + 1) if p % 5 == 0])
    axis.set_title(title, loc="left", fontsize=11, pad=24 + 6.2 * highest)
    axis.legend(ncols=4, loc="upper right", bbox_to_anchor=(1, -0.07), frameon=False, fontsize=9)
    for side in ("top", "right"):
        axis.spines[side].set_visible(False)


def _draw_breaks(axis: Any, fields: Sequence[Field], span: tuple[int, int]) -> None:
    for border in {*(f.start - 1 for f in fields), *(f.end for f in fields)}:
        if span[0] < border < span[1]:
            axis.axvline(border + 0.5, color=BREAK, lw=1.1)


def _rows(
    axis: Any, rows: Sequence[tuple[int, str]], fields: Sequence[Field], span: tuple[int, int]
) -> None:
    """Some rows as they stand; what a border cuts is marked. Rows with most cuts come first."""
    start, stop = span
    classes = classes_of(codes_of([text.ljust(stop + 1) for _, text in rows]))
    borders = [
        b
        for b in sorted({*(f.start - 1 for f in fields), *(f.end for f in fields)})
        if 0 < b < classes.shape[1]
    ]
    like = np.zeros((len(rows), len(borders)), bool)
    for place, border in enumerate(borders):
        left, right = classes[:, border - 1], classes[:, border]
        like[:, place] = (left == right) & ((left == DIGIT) | (left == LETTER))
    always = like.mean(axis=0) >= PACKED
    most = np.argsort(-(like & ~always).sum(axis=1), kind="stable")[:ROWS_SHOWN]
    for height, place in enumerate(sorted(most.tolist())):
        number, text = rows[place]
        for offset, char in enumerate(text[start:stop]):
            axis.text(
                start + offset + 1,
                height,
                char,
                ha="center",
                va="center",
                family="monospace",
                fontsize=8.5 if stop - start < 100 else 6.5,
            )
        for border, cut, packed in zip(borders, like[place], always, strict=True):
            if cut and start < border < stop:
                axis.add_patch(_mark(border, height, TOUCH if packed else CUT))
        axis.text(start + 0.3, height, f"row {number:,} ", ha="right", va="center", fontsize=8)
    _draw_breaks(axis, fields, span)
    axis.set(xlim=(start + 0.5, stop + 0.5), ylim=(min(ROWS_SHOWN, len(rows)) - 0.4, -0.6))
    axis.set_xticks([p for p in range(start + 1, stop + 1) if p % 5 == 0])
    axis.set_yticks([])
    axis.set_xlabel(
        "position; red: digits or letters run across a break in these rows; "
        "grey: in all rows, as in packed columns"
    )
    for side in ("top", "right", "left"):
        axis.spines[side].set_visible(False)


def _mark(border: int, height: int, colour: str) -> Any:
    from matplotlib.patches import Rectangle

    return Rectangle((border - 0.5, height - 0.42), 2, 0.84, fc="none", ec=colour, lw=1.2)
