"""Where the fields of aligned text begin and end, found from the characters themselves.

Three signs are used, the surest first: positions that are blank in every row; words of a heading
that stand over one run of characters; and a change of what kind of character stands at a position
(digits to letters, or the last digit of one number to the padded first digit of the next). A break
is between two positions; `after` is the one on its left.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence

import msgspec
import numpy as np

from ...plan.fields import Field
from ..base import Break
from ..text.cells import shape_of

BLANK, DIGIT, LETTER, OTHER = 0, 1, 2, 3
CLASSES = ("blank", "digit", "letter", "other")
CERTAIN = 0.75
LIKELY = 0.7
NO_CUT = 0.02
WORTH_NAMING = 0.2
LOOKED_AT = 600
FEW_ROWS = 4
"""So many rows are kept, whatever runs through them."""
HEAD, LINES_ABOVE = 200, 4
"""Lines at the top in which the block may begin, and above it in which its heading may stand."""


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


def codes_of(lines: Sequence[str]) -> np.ndarray:
    """Lines as a table of character codes, shaped (rows, positions), blanks behind short ones."""
    width = max((len(line) for line in lines), default=0)
    text = "".join(line.ljust(width) for line in lines)
    codes = np.frombuffer(text.encode("utf-32-le", "surrogatepass"), "<u4")
    return codes.reshape(len(lines), width) if width else np.zeros((len(lines), 0), np.uint32)


def classes_of(codes: np.ndarray) -> np.ndarray:
    """The class of each character."""
    classes = np.full(codes.shape, OTHER, np.uint8)
    classes[(codes == 32) | (codes == 0xA0)] = BLANK
    classes[(codes >= 48) & (codes <= 57)] = DIGIT
    lower = codes | 0x20
    classes[((lower >= 97) & (lower <= 122)) | (codes >= 0xC0)] = LETTER
    return classes


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
    middle = float(np.median(alike))
    spread = float(np.median(np.abs(alike - middle)))
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
    more = _fitting_above(lines, body) if at_blanks else []
    heading, first = (given_heading, 0) if given_heading else _heading(lines, body, len(more))
    body = [*more, *body]
    rows = [index for index in body if index >= first] or body
    if at_blanks:
        rows = _without_notes(lines, rows)
    step = -(-len(rows) // LOOKED_AT)
    codes = codes_of([lines[index] for index in rows[::step]])
    classes = classes_of(codes)
    if not classes.size:
        return FoundFields((), (), (), len(rows), False)
    runs = _runs((classes != BLANK).any(axis=0))
    cuts = cut_shares(classes)
    filled = classes != BLANK
    touch = (filled[:, :-1] & filled[:, 1:]).mean(axis=0)
    scores = change_scores(codes, classes)
    words = _words_of(heading or "")
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


def _without_notes(lines: Sequence[str], rows: list[int]) -> list[int]:
    """The rows without notes at either end: lines that run through breaks which all others have."""
    filled = classes_of(codes_of([lines[index] for index in rows])) != BLANK
    counts = filled.sum(axis=0)

    def is_note(place: int) -> bool:
        """Does this line close more than one break?"""
        return len(_runs(counts - filled[place] > 0)) > len(_runs(counts > 0)) + 1

    first, last = 0, len(rows) - 1
    while last - first > FEW_ROWS and is_note(last):
        counts = counts - filled[last]
        last -= 1
    while last - first > FEW_ROWS and is_note(first):
        counts = counts - filled[first]
        first += 1
    return rows[first : last + 1]


def _runs(filled: np.ndarray) -> list[tuple[int, int]]:
    """Runs of positions that are not always blank, as (start, end) counted from 0."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], filled.astype(np.int8), [0]))))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _words_of(heading: str) -> list[tuple[int, int]]:
    """Where the words of a heading lie; words run together are parted at their capitals."""
    return [
        (match.start() + inner.start(), match.start() + inner.end())
        for match in re.finditer(r"\S+", heading)
        for inner in re.finditer(r".+?(?:(?<=\w[a-z])(?=[A-Z])|$)", match.group())
    ]


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
    gaps = [(a, b) for (_, a), (b, _) in itertools.pairwise(_runs(filled))]
    found: list[int] = []
    for index in range(body[0] - 1, -1, -1):
        line = lines[index]
        if not line.strip() or any(line[a:b].strip() for a, b in gaps):
            break
        found.insert(0, index)
    return found


def _heading(lines: Sequence[str], body: Sequence[int], more: int) -> tuple[str | None, int]:
    """A line of words right above lines with digits, and where the data begin."""
    filled = [index for index, line in enumerate(lines[:HEAD]) if line.strip()]
    runs = _runs((classes_of(codes_of([lines[at] for at in body[1:]])) != BLANK).any(axis=0))
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
    words = _words_of(line)
    across = any(sum(a < end and b > start for start, end in runs) > 1 for a, b in words)
    return len(runs) > 1 and (len(words) > 2 * len(runs) or (across and len(words) > len(runs)))


def _stand_over_values(line: str, below: Sequence[str]) -> bool:
    """Is any word of another kind than most of what stands below it?"""
    return any(
        sum(shape_of(text) != shape_of(line[start:end]) for text in under) > 0.5 * len(under) > 0
        for start, end in _words_of(line)
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


def change_scores(codes: np.ndarray, classes: np.ndarray) -> np.ndarray:
    """How much what stands at a position differs from what stands at the next, from 0 to 1."""
    rows, width = classes.shape
    if width < 2 or not rows:
        return np.zeros(max(0, width - 1))
    kinds = np.stack([(classes == kind).mean(axis=0) for kind in range(4)])
    kinds[BLANK] *= 0.5  # blanks come and go with the width of a value
    of_class = 0.5 * np.abs(np.diff(kinds, axis=1)).sum(axis=0)
    within = _joined_by_mark(kinds)
    entropy = _entropies(codes)
    digits = kinds[DIGIT] > 0.5
    drop = np.clip(entropy[:-1] - entropy[1:], 0, None) / np.log2(10)
    drop = np.where(digits[:-1] & digits[1:], 0.7 * drop, 0)
    letters = (kinds[LETTER] > 0.5)[:-1] & (kinds[LETTER] > 0.5)[1:]
    alphabet = np.array(
        [_distance(codes[:, p], codes[:, p + 1]) if letters[p] else 0.0 for p in range(width - 1)]
    )
    padded = _ends_of_padding(kinds[BLANK])
    scores = np.maximum.reduce([of_class, drop, 0.6 * alphabet, padded])
    cased = _case_change(codes)
    scores = np.where(within, 0.3 * scores, scores) * np.where(cased, 0.5, 1)
    clipped: np.ndarray = np.clip(scores, 0, 1)
    return clipped


def _joined_by_mark(kinds: np.ndarray) -> np.ndarray:
    """Breaks beside a mark that joins digits (`0.35`, `2025-10-12`, `10:30`) are none."""
    mark = kinds[OTHER] > 0.9
    digit = kinds[DIGIT] > 0.5
    joins: np.ndarray = np.zeros(kinds.shape[1], bool)
    joins[1:-1] = mark[1:-1] & digit[:-2] & digit[2:]
    beside: np.ndarray = joins[:-1] | joins[1:]
    return beside


def _ends_of_padding(blank: np.ndarray) -> np.ndarray:
    """A value filled up with blanks ends, and the next one begins at once."""
    fall = blank[:-1] - blank[1:]
    rising = np.zeros(len(fall), bool)
    rising[1:] = blank[1:-1] >= blank[:-2]
    ends: np.ndarray = np.where(rising & (fall > 0.05), np.clip(0.5 + fall, 0, 1), 0)
    return ends


def _case_change(codes: np.ndarray) -> np.ndarray:
    """From a capital to a small letter is within a word."""
    upper = ((codes >= 65) & (codes <= 90)).mean(axis=0)
    lower = ((codes >= 97) & (codes <= 122)).mean(axis=0)
    found: np.ndarray = (upper[:-1] > 0.8) & (lower[1:] > 0.3)
    return found


def _entropies(codes: np.ndarray) -> np.ndarray:
    """How much the characters at each position vary, in bits."""
    rows, width = codes.shape
    _, dense = np.unique(codes, return_inverse=True)
    kinds = int(dense.max()) + 1
    at = dense.reshape(rows, width) + kinds * np.arange(width)
    share = np.bincount(at.ravel(), minlength=kinds * width).reshape(width, kinds) / rows
    bits: np.ndarray = -(share * np.log2(np.where(share > 0, share, 1))).sum(axis=1)
    return bits


def _distance(left: np.ndarray, right: np.ndarray) -> float:
    """Total variation between the characters at two positions."""
    both = np.unique(np.concatenate((left, right)))
    first = np.array([(left == each).mean() for each in both])
    second = np.array([(right == each).mean() for each in both])
    return float(0.5 * np.abs(first - second).sum())


def _fields_between(
    runs: Sequence[tuple[int, int]], breaks: Sequence[int], heading: str
) -> list[Field]:
    """The runs cut at the breaks, each with the words of the heading that stand over it."""
    pieces = []
    for start, end in runs:
        edges = [start, *(p for p in breaks if start < p < end), end]
        pieces += list(itertools.pairwise(edges))
    names = [""] * len(pieces)
    for start, end in _words_of(heading):
        place = _over(start, end, pieces)
        names[place] = f"{names[place]} {heading[start:end]}".strip()
    return [Field(name, start + 1, end) for name, (start, end) in zip(names, pieces, strict=True)]


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
