"""The line above aligned text that names its columns: words over values, not prose."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from ..text.cells import shape_of
from .changes import BLANK, classes_of, codes_of

HEAD, LINES_ABOVE = 200, 4
"""Lines at the top in which the block may begin, and above it in which its heading may stand."""


def runs_of(filled: np.ndarray) -> list[tuple[int, int]]:
    """Runs of positions that are not always blank, as (start, end) counted from 0."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], filled.astype(np.int8), [0]))))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def words_of(heading: str) -> list[tuple[int, int]]:
    """Where the words of a heading lie; words run together are parted at their capitals."""
    return [
        (match.start() + inner.start(), match.start() + inner.end())
        for match in re.finditer(r"\S+", heading)
        for inner in re.finditer(r".+?(?:(?<=\w[a-z])(?=[A-Z])|$)", match.group())
    ]


def heading_line(lines: Sequence[str], body: Sequence[int], more: int) -> tuple[str | None, int]:
    """A line of words right above lines with digits, and where the data begin."""
    filled = [index for index, line in enumerate(lines[:HEAD]) if line.strip()]
    runs = runs_of((classes_of(codes_of([lines[at] for at in body[1:]])) != BLANK).any(axis=0))
    near = [place for place, index in enumerate(filled) if body and index <= body[0]]
    for place in reversed(near[-1 - LINES_ABOVE - more :]):
        index = filled[place]
        below = [lines[each] for each in filled[place + 1 : place + 12]]
        rules = [line for line in below[:1] if not re.search(r"\w", line)]
        below = below[len(rules) :]
        digits = sum(bool(re.search(r"\d", line)) for line in below)
        line = lines[index]
        words = re.findall(r"\S+", line)
        worded = sum(bool(re.match(r"[^\W\d]|%|\(|°", word)) for word in words)
        wide = len(line.rstrip()) >= 0.6 * max((len(each.rstrip()) for each in below), default=1)
        unlike = digits > 0.7 * len(below) and _stand_over_values(line, below)
        unlike = unlike or _names_only(words, lines[index + 1 : index + 60])
        names = len(words) > 1 and worded == len(words) and not _is_prose(line, runs)
        if names and wide and below and unlike:
            after = filled[place + 1 + len(rules) :]
            return line, after[0] if after else index + 1
    return None, 0


def _is_prose(line: str, runs: Sequence[tuple[int, int]]) -> bool:
    """Has a line more words than there are columns, of which some lie over two at once?"""
    words = words_of(line)
    across = any(sum(a < end and b > start for start, end in runs) > 1 for a, b in words)
    return len(runs) > 1 and (len(words) > 2 * len(runs) or (across and len(words) > len(runs)))


def _stand_over_values(line: str, below: Sequence[str]) -> bool:
    """Is any word of another kind than most of what stands below it?"""
    return any(
        sum(shape_of(text) != shape_of(line[start:end]) for text in under) > 0.5 * len(under) > 0
        for start, end in words_of(line)
        if (under := [text for each in below if (text := _under(each, start, end))])
        and sum(bool(re.search(r"\d", text)) for text in under) > 0.5 * len(under)
    )


def _under(line: str, start: int, end: int) -> str:
    """The word of a line that lies below these positions; empty if there is none."""
    found = (m.group() for m in re.finditer(r"\S+", line) if m.start() < end and m.end() > start)
    return next(found, "")


def _names_only(words: Sequence[str], below: Sequence[str]) -> bool:
    """Do these words never come again, though the words below do?"""
    lines = [line.split() for line in below if line.strip()]
    known = [word for line in lines for word in line]
    repeat = len(known) - len(set(known))
    return len(lines) > 5 and repeat > 0.5 * len(known) and not set(words) & set(known)
