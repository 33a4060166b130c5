"""Which of the bytes that could structure a text are only text, because they are quoted.

Quotes need no scan in order. A run of quotes of even length changes nothing: it is a pair inside
quoted text, or an empty quoted field. A run of odd length opens where a field starts, closes inside
quoted text, and is literal elsewhere. So a run that does not stand at the start of a field always
leaves us outside, and one that does swaps: after any run the state is the parity of the swaps
since the last run of the other kind, which is a cumulative sum.
"""

from __future__ import annotations

import msgspec
import numpy as np

from ..types import Bytes, Dialect, Flags, Ints
from .gather import ranges

LF, CR, SPACE, TAB = 10, 13, 32, 9
NONE = np.zeros(0, np.int64)


class Specials(msgspec.Struct, frozen=True, eq=False):
    """Bytes that may matter, in order: delimiters, line ends (one for CR LF), quotes, escapes."""

    at: Ints
    byte: Bytes
    has_return: bool

    def only(self, kept: Flags | Ints) -> Specials:
        """Some of them."""
        return Specials(self.at[kept], self.byte[kept], self.has_return)

    @property
    def line_end(self) -> Flags:
        """Which of them end a line, unless quoted."""
        found: Flags = self.byte == LF
        return found | (self.byte == CR) if self.has_return else found


class Outside(msgspec.Struct, frozen=True, eq=False):
    """What is left of the special bytes without quotes and what stands within them."""

    separators: Specials
    quoted_ends: Ints = msgspec.field(default_factory=lambda: NONE)
    """Positions of line ends within quotes."""
    dropped: Ints = msgspec.field(default_factory=lambda: NONE)
    """Positions of quotes that are not part of the text."""
    before: Ints = msgspec.field(default_factory=lambda: NONE)
    """For each of those, how many separators stand before it."""
    pairs: bool = False
    """Those open and close in turn, two to a field."""
    opened: int = -1
    """Where a quote stands that is never closed; -1 if there is none."""


class _Runs(msgspec.Struct, frozen=True, eq=False):
    """Runs of neighbouring quotes: index of the first quote of each, and how many there are."""

    first: Ints
    lengths: Ints


def outside_quotes(buffer: Bytes, low: int, specials: Specials, marks: Dialect) -> Outside:
    """Take quotes, and what stands within them, out of the special bytes."""
    is_quote = specials.byte == marks.quote
    quotes = np.flatnonzero(is_quote) if marks.quote else NONE
    if not len(quotes):
        return Outside(specials)
    at = specials.at[quotes]
    opening = _at_field_start(buffer, low, at, specials, marks)
    pairs = _alternate(at, opening)
    opens, closes, dropped = (
        (np.arange(0, len(at), 2), np.arange(1, len(at), 2), None)
        if pairs
        else _states(at, opening)
    )
    unclosed = len(closes) < len(opens)
    last = np.append(quotes[closes], len(specials.at)) if unclosed else quotes[closes]
    within = ranges(quotes[opens] + 1, last - quotes[opens] - 1)
    kept = ~is_quote
    kept[within] = False
    quoted = _line_ends(specials, within) if len(within) else NONE
    fields = quotes - np.arange(len(quotes))
    fields = _paired(fields, unclosed) if pairs else _fields(fields, opens, closes)
    return Outside(
        specials.only(kept),
        quoted,
        at if dropped is None else at[dropped],
        fields if dropped is None else fields[dropped],
        pairs,
        int(at[opens[-1]]) if unclosed else -1,
    )


def _line_ends(specials: Specials, within: Ints) -> Ints:
    """Positions of the line ends among some of the special bytes."""
    byte = specials.byte[within]
    ends = byte == LF
    if specials.has_return:
        ends |= byte == CR
    return specials.at[within[ends]] if ends.any() else NONE


def _alternate(at: Ints, opening: Flags) -> bool:
    """Do quotes open and close in turn, with none doubled? Then all is said already."""
    return bool(
        opening[::2].all() and not opening[1::2].any() and not (at[1:] - at[:-1] == 1).any()
    )


def _paired(before: Ints, unclosed: bool) -> Ints:
    """For quotes that open and close in turn, how many separators outside stand before each."""
    first = before[::2]
    held = before[1::2] - first[:-1] if unclosed else before[1::2] - first
    fields = first.copy()
    fields[1:] -= np.cumsum(held[: len(first) - 1])
    return np.repeat(fields, 2)[: len(before)]


def _states(at: Ints, opening: Flags) -> tuple[Ints, Ints, Flags]:
    """Which quotes open, which close, and which are not text."""
    runs = _runs(at)
    opening = opening[runs.first]
    odd = (runs.lengths & 1) == 1
    after = _state_after(opening[odd])
    previous = np.concatenate(([False], after))
    within = previous[np.cumsum(odd) - odd]
    changing = runs.first[odd]
    opens, closes = changing[after & ~previous[:-1]], changing[previous[:-1] & ~after]
    return opens, closes, _dropped(runs, within, opening)


def _runs(at: Ints) -> _Runs:
    apart = np.diff(at) != 1
    if apart.all():
        return _Runs(np.arange(len(at)), np.ones(len(at), np.int64))
    first = np.concatenate(([0], np.flatnonzero(apart) + 1))
    return _Runs(first, np.diff(np.append(first, len(at))))


def _state_after(opening: Flags) -> Flags:
    """After each odd run of quotes: are we within quotes? See the essay above."""
    swaps = np.cumsum(opening)
    base = np.maximum.accumulate(np.where(opening, 0, swaps)) if len(swaps) else swaps
    within: Flags = ((swaps - base) & 1) == 1
    return within


def _dropped(runs: _Runs, within: Flags, opening: Flags) -> Flags:
    """Which quotes are not text: those that open or close, and one of each doubled pair."""
    total = int(runs.lengths.sum())
    if len(runs.lengths) == total:
        return within | opening
    rank = np.arange(total) - np.repeat(runs.first, runs.lengths)
    opens = np.repeat(opening & ~within, runs.lengths)
    quoted = np.repeat(within, runs.lengths)
    odd = (rank & 1) == 1
    dropped: Flags = (quoted & ~odd) | (opens & ((rank == 0) | odd))
    return dropped


def _fields(before: Ints, opens: Ints, closes: Ints) -> Ints:
    """For each quote, how many separators outside quotes stand before it."""
    if not len(opens):
        return before
    first, last = before[opens], closes
    if len(closes) < len(opens):
        last = np.append(closes, len(before) - 1)
    held = before[last] - first
    gone = np.cumsum(held)
    pair = np.zeros(len(before), np.int64)
    pair[opens] = 1
    pair = np.cumsum(pair) - 1
    inside = (pair >= 0) & (np.arange(len(before)) <= last[pair])
    own = (first - gone + held)[pair]
    return np.where(inside, own, before - np.where(pair >= 0, gone[pair], 0))


def _at_field_start(buffer: Bytes, low: int, at: Ints, specials: Specials, marks: Dialect) -> Flags:
    """Which of these positions are starts of fields, if they are not within quotes."""
    if marks.skip_blanks and not marks.blanks:
        at = _before_blanks(buffer, low, at, marks)
    before = buffer[at - 1]
    start: Flags = (before == LF) | (before == CR) | (at == low)
    if marks.blanks:
        start |= (before == SPACE) | (before == TAB)
    elif len(marks.delimiter) == 1 and not marks.escape:
        start |= before == marks.delimiter[0]
    elif marks.delimiter:
        ends = specials.at[specials.byte == marks.delimiter[0]] + len(marks.delimiter)
        start |= np.isin(at, ends)
    return start


def _before_blanks(buffer: Bytes, low: int, at: Ints, marks: Dialect) -> Ints:
    """The positions moved back over blanks."""
    at, moving = at.copy(), np.arange(len(at))
    while len(moving):
        byte = buffer[at[moving] - 1]
        blank = ((byte == SPACE) | (byte == TAB)) & (at[moving] > low)
        if len(marks.delimiter) == 1:
            blank &= byte != marks.delimiter[0]
        moving = moving[blank]
        at[moving] -= 1
    return at


def without_escaped(specials: Specials, escape: int) -> tuple[Specials, Ints]:
    """Take escapes, and what they make literal, out; returns the positions of escapes that act."""
    is_escape = specials.byte == escape
    at = specials.at[is_escape]
    if not len(at):
        return specials, NONE
    runs = _runs(at)
    rank = np.arange(len(at)) - np.repeat(runs.first, runs.lengths)
    active = at[(rank & 1) == 0]
    return specials.only(~is_escape & ~np.isin(specials.at, active + 1)), active


def without_comments(
    buffer: Bytes, low: int, specials: Specials, marks: Dialect
) -> tuple[Outside, Ints]:
    """Take comment lines out before the quotes: a quote in a comment is not a quote.

    Which lines are comments depends on the quotes before them and the reverse; the first line
    judged wrongly is put right in each round, so rounds end when nothing changes. Returns the
    positions at which comments start as well.
    """
    ends = np.flatnonzero(specials.line_end)
    heads = np.concatenate(([low], specials.at[ends] + 1))
    candidate = np.ones(len(heads), bool)
    for offset, byte in enumerate(marks.comment):
        candidate &= buffer[np.minimum(heads + offset, len(buffer) - 1)] == byte
    line = np.searchsorted(ends, np.arange(len(specials.at)))
    is_end = np.zeros(len(specials.at), bool)
    is_end[ends] = True
    plain = msgspec.structs.replace(marks, comment=b"")
    while True:
        outside = outside_quotes(buffer, low, specials.only(is_end | ~candidate[line]), plain)
        quoted = np.isin(heads, outside.quoted_ends + 1)
        wrong = np.flatnonzero(candidate & quoted)
        if not len(wrong):
            return outside, heads[candidate]
        candidate[wrong[0]] = False
