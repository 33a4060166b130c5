"""Small pictures written as SVG: their size is that of what they show.

Each has a text alternative. Colours are classes of the page's style, so that they follow light and
dark.
"""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

import numpy as np

WIDE, HIGH = 240, 56
"""A picture of one variable."""
SIDE = 16
"""A cell of a picture of many variables."""
LETTER, SLANT = 6.2, 0.87
"""The width of a letter in such a picture, and the height of names written aslant."""


def _svg(width: float, height: float, alternative: str, parts: Sequence[str]) -> str:
    words = escape(alternative)
    return (
        f'<svg role="img" width="{width:g}" height="{height:g}" viewBox="0 0 {width:g} {height:g}" '
        f'aria-label="{words}">{"".join(parts)}</svg>'
    )


def _rect(kind: str, x: float, y: float, width: float, height: float, words: str = "") -> str:
    title = f"<title>{escape(words)}</title>" if words else ""
    tag = f'<rect class="{kind}" x="{x:.4g}" y="{y:.4g}" width="{width:.4g}" height="{height:.4g}"'
    return f"{tag}>{title}</rect>" if title else f"{tag}/>"


def bars(
    counts: Sequence[int], ends: tuple[str, str], missing: int, cases: int, alternative: str
) -> str:
    """Bars of counts, with the first and last value below, and the share of missing cells."""
    parts = []
    most = max(counts, default=0)
    if most:
        step = WIDE / len(counts)
        gap = min(2.0, step * 0.15)
        for place, count in enumerate(counts):
            tall = max(1.0 if count else 0.0, HIGH * count / most)
            parts.append(_rect("b", place * step, HIGH - tall, step - gap, tall))
    top = HIGH + 4
    parts.append(_rect("g", 0, top, WIDE, 4))
    if missing and cases:
        parts.append(_rect("m", 0, top, max(1.0, WIDE * missing / cases), 4))
    if any(ends):
        parts.append(f'<text class="t" x="0" y="{top + 17}">{escape(ends[0])}</text>')
        last = f'<text class="t" x="{WIDE}" y="{top + 17}" text-anchor="end">'
        parts.append(f"{last}{escape(ends[1])}</text>")
    return _svg(WIDE, top + 20, alternative, parts)


def _room(names: Sequence[str]) -> float:
    """How long the longest name is."""
    return LETTER * max(map(len, names), default=0)


def pattern_grid(
    names: Sequence[str], patterns: Sequence[tuple[int, Sequence[str]]], cases: int
) -> str:
    """A row for each pattern: how many cases have it, and which variables it lacks."""
    left, top = 150, _room(names) * SLANT + 8
    parts = [
        f'<text transform="translate({left + place * SIDE + 11:g} {top - 6:.4g}) rotate(-60)">'
        f"{escape(name)}</text>"
        for place, name in enumerate(names)
    ]
    for row, (count, lacking) in enumerate(patterns):
        y = top + row * SIDE
        parts.append(_rect("b", 0, y + 2, max(1.0, 70 * count / cases), SIDE - 5))
        words = f"{count:,} ({count / cases:.1%})"
        parts.append(f'<text x="{left - 6}" y="{y + 11:.4g}" text-anchor="end">{words}</text>')
        for place, name in enumerate(names):
            kind = "m" if name in lacking else "has"
            parts.append(_rect(kind, left + place * SIDE, y + 1, SIDE - 2, SIDE - 2))
    told = f"{len(patterns)} patterns of missing cells over {len(names)} variables"
    return _svg(left + len(names) * SIDE + 90, top + len(patterns) * SIDE, told, parts)


def matrix(names: Sequence[str], values: np.ndarray) -> str:
    """Squares for each pair, larger and darker the closer to 1 or -1."""
    left = _room(names) + 8
    top = _room(names) * SLANT + 8
    parts = []
    for place, name in enumerate(names):
        y = top + place * SIDE + 11
        parts.append(
            f'<text x="{left - 6:.4g}" y="{y:.4g}" text-anchor="end">{escape(name)}</text>'
        )
        x = left + place * SIDE + 11
        parts.append(
            f'<text transform="translate({x:.4g} {top - 6:.4g}) rotate(-60)">{escape(name)}</text>'
        )
    for row, one in enumerate(names):
        for column, other in enumerate(names[: row + 1]):
            value = float(values[row, column])
            x, y = left + column * SIDE, top + row * SIDE
            parts.append(_rect("has", x, y, SIDE - 1, SIDE - 1))
            if not np.isnan(value):
                size = (SIDE - 1) * abs(value) ** 0.5
                shift = (SIDE - 1 - size) / 2
                kind = "neg" if value < 0 else "pos"
                words = f"{one}, {other}: {value:.2f}"
                parts.append(_rect(kind, x + shift, y + shift, size, size, words))
    told = f"correlations of {len(names)} variables; blue is positive, rust is negative"
    return _svg(left + len(names) * SIDE + 90, top + len(names) * SIDE, told, parts)
