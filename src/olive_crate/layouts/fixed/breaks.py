"""Where the fields of aligned text begin and end, found from the characters themselves.

Three signs are used, the surest first: positions that are blank in every row; words of a heading
that stand over one run of characters; and a change of what kind of character stands at a position
(digits to letters, or the last digit of one number to the padded first digit of the next). A break
is between two positions; `after` is the one on its left.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import msgspec
import numpy as np

from ... import kernels
from ...plan.fields import Field
from ..base import Break
from .changes import BLANK, DIGIT, LETTER, change_scores, classes_of, codes_of
from .heading_line import heading_line, runs_of, words_of

CERTAIN = 0.75
LIKELY = 0.7
NO_CUT = 0.02
WORTH_NAMING = 0.2
LOOKED_AT = 600
FEW_ROWS = 4
"""So many rows are kept, whatever runs through them."""


class FoundFields(msgspec.Struct, frozen=True):
    """Fields found, the breaks between them, and the breaks that came next."""

    fields: tuple[Field, ...]
    breaks: tuple[Break, ...]
    alternatives: tuple[Break, ...]
    rows: int
    """Rows that were looked at."""
    by_blanks: bool
    """Every break is at a run of positions that are blank in all rows."""
    heading: int | None = None
    """The row of the heading, counted from 1, where one was seen."""
    top: int = 1
    """The first row of the block of like rows."""

    def runs_through(self, line: str) -> bool:
        """Does a line have characters between the fields, as prose has?"""
        pairs = itertools.pairwise(self.fields)
        return any(line[one.end : other.start - 1].strip() for one, other in pairs)


def cut_shares(classes: np.ndarray) -> np.ndarray:
    """For each break the share of rows in which like characters stand on both sides of it."""
    left, right = classes[:, :-1], classes[:, 1:]
    found: np.ndarray = ((left == right) & ((left == DIGIT) | (left == LETTER))).mean(axis=0)
    return found


def body_of(lines: Sequence[str]) -> list[int]:
    """Which lines are alike in where they are blank: the data, without titles and notes."""
    filled = [index for index, line in enumerate(lines) if line.strip()]
    if len(filled) < 4:
        return filled
    blank = classes_of(codes_of([lines[index] for index in filled])) == BLANK
    usual = blank.mean(axis=0) > 0.5
    alike = (blank == usual).mean(axis=1)
    middle = kernels.median(alike)
    spread = kernels.median(np.abs(alike - middle))
    like = alike >= min(middle - 4 * spread - 0.05, 0.9)
    places = range(len(filled))
    edge = next((at for at in places if like[at : at + 3].mean() > 0.6), None)
    end = next((at for at in reversed(places) if like[max(0, at - 2) : at + 1].mean() > 0.6), None)
    if edge is None or end is None:
        return filled
    first = edge + int(np.argmax(like[edge:]))
    last = end - int(np.argmax(like[: end + 1][::-1]))
    return filled[first : last + 1]


def find_fields(
    lines: Sequence[str], given_heading: str | None = None, at_blanks: bool = False
) -> FoundFields:
    """The fields of these lines, which hold the data and may begin with titles and a heading.

    With `at_blanks` no value is cut: breaks are only where no row has characters on both sides.
    """
    body = body_of(lines)
    if at_blanks:
        body = _without_paragraph(lines, body)
    more = _fitting_above(lines, body) if at_blanks else []
    heading, first = (given_heading, 0) if given_heading else heading_line(lines, body, len(more))
    body = [*more, *body]
    rows = [index for index in body if index >= first] or body
    if at_blanks:
        rows = _without_notes(lines, rows)
    step = -(-len(rows) // LOOKED_AT)
    codes = codes_of([lines[index] for index in rows[::step]])
    classes = classes_of(codes)
    if not classes.size:
        return FoundFields((), (), (), len(rows), False)
    runs = runs_of((classes != BLANK).any(axis=0))
    cuts = cut_shares(classes)
    filled = classes != BLANK
    touch = (filled[:, :-1] & filled[:, 1:]).mean(axis=0)
    scores = change_scores(codes, classes)
    words = words_of(heading or "")
    runs = _merged(runs, words)
    to_left = _stands_left(words, runs)
    chosen: list[Break] = []
    for place, (start, end) in enumerate(runs):
        if place:
            before = runs[place - 1][1]
            chosen.append(Break(before, _gap_score(start - before, len(rows)), 0.0, "blank"))
        inner = _inner(words, start, end, cuts, touch, scores, to_left)
        chosen += [each for each in inner if not at_blanks or touch[each.after - 1] == 0]
    taken = {each.after for each in chosen}
    inside = [p for start, end in runs for p in range(start + 1, end) if p not in taken]
    rest = [
        Break(p, round(float(scores[p - 1]), 3), round(float(cuts[p - 1]), 3), "change")
        for p in inside
        if scores[p - 1] >= WORTH_NAMING
    ]
    rest.sort(key=lambda each: -each.score)
    fields = _fields_between(runs, [each.after for each in chosen], heading or "")
    fields = _widened(fields, classes)
    by_blanks = all(each.why == "blank" or at_blanks for each in chosen)
    at = list(lines).index(heading) + 1 if heading and not given_heading else None
    top = rows[0] + 1 if rows else 1
    return FoundFields(tuple(fields), tuple(chosen), tuple(rest), len(rows), by_blanks, at, top)


def _without_paragraph(lines: Sequence[str], body: list[int]) -> list[int]:
    """The body without a few lines of prose that a blank line parts from it."""
    apart = [at for at in range(1, min(FEW_ROWS, len(body))) if body[at] > body[at - 1] + 1]
    if not apart or len(body) < 2 * FEW_ROWS:
        return body
    rest = body[apart[-1] :]
    runs = runs_of((classes_of(codes_of([lines[at] for at in rest])) != BLANK).any(axis=0))
    above = [lines[at] for at in body[: apart[-1]]]
    held = max(sum(bool(line[a:b].strip()) for a, b in runs) for line in above)
    return rest if held <= len(runs) / 2 else body


def _without_notes(lines: Sequence[str], rows: list[int]) -> list[int]:
    """The rows without notes at either end: lines that run through breaks which all others have."""
    filled = classes_of(codes_of([lines[index] for index in rows])) != BLANK
    counts = filled.sum(axis=0)

    def is_note(place: int) -> bool:
        """Does this line close more than one break?"""
        return len(runs_of(counts - filled[place] > 0)) > len(runs_of(counts > 0)) + 1

    first, last = 0, len(rows) - 1
    while last - first > FEW_ROWS and is_note(last):
        counts = counts - filled[last]
        last -= 1
    while last - first > FEW_ROWS and is_note(first):
        counts = counts - filled[first]
        first += 1
    return rows[first : last + 1]


def _merged(
    runs: Sequence[tuple[int, int]], words: Sequence[tuple[int, int]]
) -> list[tuple[int, int]]:
    """Runs parted by one blank belong together if no word of the heading stands over the second:
    then it is the same blank in all texts of one column."""
    merged: list[tuple[int, int]] = []
    for start, end in runs:
        headed = any(a < end and b > start for a, b in words)
        if merged and words and not headed and start - merged[-1][1] == 1:
            merged[-1] = (merged[-1][0], end)
        else:
            merged.append((start, end))
    return merged


def _gap_score(width: int, rows: int) -> float:
    """Blank in all rows: the surer, the more rows there are and the wider it is."""
    return round(1 - float(0.5 ** (0.25 * rows * min(width, 3))), 3)


def _fitting_above(lines: Sequence[str], body: Sequence[int]) -> list[int]:
    """Lines just above the body that have nothing where all of its rows are blank."""
    if not body:
        return []
    filled = (classes_of(codes_of([lines[at] for at in body])) != BLANK).any(axis=0)
    gaps = [(a, b) for (_, a), (b, _) in itertools.pairwise(runs_of(filled))]
    found: list[int] = []
    for index in range(body[0] - 1, -1, -1):
        line = lines[index]
        if not line.strip() or any(line[a:b].strip() for a, b in gaps):
            break
        found.insert(0, index)
    return found


def _stands_left(words: Sequence[tuple[int, int]], runs: Sequence[tuple[int, int]]) -> bool:
    """Do the words of the heading begin where the data begin, rather than end where they end?"""
    left = sum(any(start == a for a, _ in runs) for start, _ in words)
    right = sum(any(end == b for _, b in runs) for _, end in words)
    return left >= right


def _inner(
    words: Sequence[tuple[int, int]],
    start: int,
    end: int,
    cuts: np.ndarray,
    touch: np.ndarray,
    scores: np.ndarray,
    to_left: bool,
) -> list[Break]:
    """Breaks within a run: between words of the heading above it, and where characters change."""
    found: dict[int, Break] = {}
    over = [(a, b) for a, b in words if a < end and b > start]
    for (_, left), (right, _) in itertools.pairwise(over):
        usual = right if to_left else left
        between = [p for p in range(left, right + 1) if start < p < end]
        if not between:
            continue
        best = max(
            between,
            key=lambda p: (
                touch[p - 1] <= NO_CUT,
                cuts[p - 1] <= NO_CUT,
                scores[p - 1] + 0.5 * (p == usual),
            ),
        )
        if right - left != 1 or touch[best - 1] < 0.5 or scores[best - 1] > LIKELY:
            sure = 0.6 + 0.4 * max(float(scores[best - 1]), float(best == usual) * 0.5)
            found[best] = Break(best, round(sure, 3), round(float(cuts[best - 1]), 3), "heading")
    for p in range(start + 1, end) if not words else ():
        if scores[p - 1] >= CERTAIN:
            sure, cut = round(float(scores[p - 1]), 3), round(float(cuts[p - 1]), 3)
            found[p] = Break(p, sure, cut, "change")
    return [found[p] for p in sorted(found)]


def _fields_between(
    runs: Sequence[tuple[int, int]], breaks: Sequence[int], heading: str
) -> list[Field]:
    """The runs cut at the breaks, each with the words of the heading that stand over it."""
    pieces = []
    for start, end in runs:
        edges = [start, *(p for p in breaks if start < p < end), end]
        pieces += list(itertools.pairwise(edges))
    names = words_over(heading, pieces)
    return [Field(name, start + 1, end) for name, (start, end) in zip(names, pieces, strict=True)]


def words_over(line: str, pieces: Sequence[tuple[int, int]]) -> list[str]:
    """The words of a line that stand over each piece, none of them cut."""
    names = [""] * len(pieces)
    for start, end in words_of(line):
        place = _over(start, end, pieces)
        names[place] = f"{names[place]} {line[start:end]}".strip()
    return names


def _widened(fields: Sequence[Field], classes: np.ndarray) -> list[Field]:
    """The fields with the blanks beside them, for longer values than were looked at.

    A column that ends at one place in all rows grows to the left, any other one to the right; one
    blank is left between two fields, and two that grow into one gap share it.
    """
    right = []
    for field in fields:
        own = classes[:, field.start - 1 : field.end] != BLANK
        own = own[own.any(axis=1)]
        right.append(bool(len(own)) and bool(own[:, -1].all()) and not bool(own[:, 0].all()))
    made = list(fields)
    for place, field in enumerate(fields):
        before = fields[place - 1].end if place else -1
        room = field.start - before - 2
        if room <= 0:
            continue
        left_grows = place > 0 and not right[place - 1]
        mine = (room - room // 2 if left_grows else room) if right[place] else 0
        theirs = room - mine if left_grows else 0
        start = made[place].start - mine
        made[place] = Field(field.name, start, made[place].end)
        if theirs:
            last = made[place - 1]
            made[place - 1] = Field(last.name, last.start, last.end + theirs)
    return made


def _over(start: int, end: int, pieces: Sequence[tuple[int, int]]) -> int:
    """The piece that a word shares most positions with, else the nearest."""

    def closeness(place: int) -> tuple[int, int]:
        low, high = pieces[place]
        return min(end, high) - max(start, low), -abs(low - start)

    return max(range(len(pieces)), key=closeness)
