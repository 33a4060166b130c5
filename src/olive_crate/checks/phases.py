"""Words that give way to others from some row on: another coding, another program, another file."""

from __future__ import annotations

import numpy as np

from .findings import Finding, RowsOf
from .kinds import ChangeOfWords
from .seen import Seen

MOST_WORDS = 30
"""More different words are no categories."""
ENOUGH = 60
LEAST_SIDE = 0.03
"""The share of cells on either side of a change."""
STRAY = 0.02
"""The share of cells with words that keep to neither side."""
GROUPED = 8
"""Rows of a group on average, from which on they are grouped by a variable."""
MOST_GROUPS = 10_000
SHUFFLED = 3
"""Stretches of one word for each word of a side: fewer are groups that the rows are sorted by."""


def word_changes(seen: Seen, rows: RowsOf) -> list[Finding]:
    """All words of a variable replaced by others at one row."""
    words = seen.words
    if words is None or not 3 <= len(words.words) <= MOST_WORDS or len(seen.filled) < ENOUGH:
        return []
    index, count = words.index, len(words.index)
    last = np.zeros(len(words.words), np.int64)
    last[index] = np.arange(count)
    first = np.full(len(words.words), count)
    first[index[::-1]] = np.arange(count)[::-1]
    usual = words.counts > STRAY * count
    for at in sorted(set(first[usual].tolist())):
        before, after = usual & (last < at), usual & (first >= at)
        if at == 0 or (before | after).sum() != usual.sum():
            continue
        if (
            before.sum() < 2
            or after.sum() < 2
            or not LEAST_SIDE * count < at < (1 - LEAST_SIDE) * count
        ):
            continue
        if words.counts[~usual].sum() > STRAY * count or not _shuffled(index, at, before, after):
            continue
        return [
            ChangeOfWords(
                severity="serious",
                variables=(seen.name,),
                count=count - at,
                rows=rows(seen.filled[at:]),
                before=_named(words.words, before, words.counts),
                after=_named(words.words, after, words.counts),
            )
        ]
    return []


def _shuffled(index: np.ndarray, at: int, before: np.ndarray, after: np.ndarray) -> bool:
    """Do the words of each side alternate, as they would not where rows are sorted by them?"""
    for part, side in ((index[:at], before), (index[at:], after)):
        stretches = 1 + int(np.count_nonzero(np.diff(part)))
        if stretches < SHUFFLED * side.sum():
            return False
    return True


def _named(words: list[str], which: np.ndarray, counts: np.ndarray) -> tuple[str, ...]:
    places = sorted(np.flatnonzero(which), key=lambda place: -counts[place])
    return tuple(words[place] for place in places[:4])


def group_starts(seen: Seen) -> np.ndarray:
    """The cases where groups of rows begin, in a variable by which they are grouped."""
    values: np.ndarray = seen.values
    if seen.words is not None and seen.taken_as is None:
        values = seen.words.index
    if len(values) < ENOUGH:
        return np.zeros(0, np.int64)
    starts = np.flatnonzero(np.diff(values)) + 1
    if not 0 < len(starts) <= min(len(values) / GROUPED, MOST_GROUPS):
        return np.zeros(0, np.int64)
    cases = seen.filled if seen.words is not None and seen.taken_as is None else seen.cases
    return cases[starts]
