"""Where records and fields begin and end in a block of delimited text.

All bytes that can matter (delimiter, line ends, quotes, escapes) are found by whole-array
comparison; everything after that works on the few positions found.

Quotes need no scan in order. A run of quotes of even length changes nothing: it is a pair inside
quoted text, or an empty quoted field. A run of odd length opens where a field starts, closes inside
quoted text, and is literal elsewhere. So a run that does not stand at the start of a field always
leaves us outside, and one that does swaps: after any run the state is the parity of the swaps
since the last run of the other kind, which is a cumulative sum.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .gather import ranges
from .words import Bytes, Flags, Ints

LF, CR, SPACE, TAB = 10, 13, 32, 9


@dataclass(frozen=True, slots=True)
class Marks:
    """The bytes that give delimited text its structure."""

    delimiter: bytes
    """Empty: one field a line."""
    blanks: bool = False
    """Fields are separated by runs of blanks and tabs; `delimiter` is not looked at."""
    quote: int = 0
    escape: int = 0
    comment: bytes = b""
    skip_blanks: bool = False
    """A quote may open after blanks."""


@dataclass(frozen=True, slots=True)
class Structure:
    """Fields of a block in order, and the records they make up.

    `starts` and `ends` hold the text of each field without its quotes; `record` holds the index of
    each record's first field, and one more for the end; `heads` the position where each record
    starts; `lines` the number of line ends before each record, and one more for the end.
    """

    starts: Ints
    ends: Ints
    record: Ints
    heads: Ints
    lines: Ints
    comments: Flags
    consumed: int
    open_quote: int
    """Where a quote stands that is never closed in this block; -1 if none."""


@dataclass(slots=True)
class _Specials:
    """The bytes that matter, in order."""

    at: Ints
    byte: Bytes

    def only(self, kept: Flags) -> _Specials:
        return _Specials(self.at[kept], self.byte[kept])


@dataclass(slots=True)
class _Quoting:
    inside: Flags
    """For each special byte: does it stand within quotes?"""
    dropped: Ints
    """Positions of quotes (and escapes) that are not part of the text."""
    unclosed: int = -1


def split(buffer: Bytes, low: int, high: int, marks: Marks, final: bool) -> Structure:
    """Find the complete records in `buffer[low:high]`, which starts where a record starts.

    With `final`, the text ends at `high` and the last record needs no line end. Quoted fields in
    which quotes are doubled or escaped are closed up in place, so the buffer must be writable.
    """
    if not final and high > low and buffer[high - 1] == CR:
        high -= 1  # a line feed may follow
    specials = _find(buffer, low, high, marks)
    quoting = _quoting(buffer, low, specials, marks)
    comments = np.zeros(0, np.int64)
    if marks.comment:
        specials, quoting, comments = _without_comments(buffer, low, specials, marks)
    line_end = (specials.byte == LF) | (specials.byte == CR)
    lines_so_far = np.cumsum(line_end)
    lines = int(lines_so_far[-1]) if len(lines_so_far) else 0
    at = specials.at
    if marks.quote or marks.escape:
        outside = ~quoting.inside & (specials.byte != marks.quote)
        at, line_end, lines_so_far = at[outside], line_end[outside], lines_so_far[outside]
    begin, end = _separators(buffer, low, at, line_end, marks)
    behind = np.concatenate(([low], end))
    if marks.blanks:
        begin, end, behind, line_end, kept = _only_between(low, begin, end, line_end)
        lines_so_far = lines_so_far[kept]
    if final and high > low and not (len(line_end) and line_end[-1] and end[-1] == high):
        begin, end = np.append(begin, high), np.append(end, high)
        line_end, lines_so_far = np.append(line_end, True), np.append(lines_so_far, lines + 1)
    last = np.flatnonzero(line_end)
    count = int(last[-1]) + 1 if len(last) else 0
    starts, ends = behind[:count], np.maximum(begin[:count], behind[:count])
    record = np.concatenate(([0], last + 1))
    heads = starts[record[:-1]]
    consumed = int(end[count - 1]) if count else low
    if len(quoting.dropped):
        starts, ends = _unquoted(buffer, starts, ends, quoting.dropped)
    flagged = np.isin(heads, comments) if len(comments) else np.zeros(len(heads), bool)
    before = np.concatenate(([0], lines_so_far[last]))
    return Structure(starts, ends, record, heads, before, flagged, consumed, quoting.unclosed)


def _find(buffer: Bytes, low: int, high: int, marks: Marks) -> _Specials:
    text = buffer[low:high]
    mask = text == LF
    has_return = bool(np.any(text == CR))
    for byte in _singles(marks, has_return):
        mask |= text == byte
    at = np.flatnonzero(mask)
    specials = _Specials(at + low, text[at])
    if has_return:
        paired = (specials.byte == CR) & (buffer[specials.at + 1] == LF) & (specials.at + 1 < high)
        if paired.any():
            specials = specials.only(~paired)
    if len(marks.delimiter) > 1 and not marks.blanks:
        specials = _whole_delimiters(buffer, high, specials, marks.delimiter)
    return specials


def _singles(marks: Marks, has_return: bool) -> list[int]:
    """The single bytes to look for beside the line feed."""
    found = [CR] if has_return else []
    if marks.blanks:
        found += [SPACE, TAB]
    elif marks.delimiter:
        found.append(marks.delimiter[0])
    return found + [byte for byte in (marks.quote, marks.escape) if byte]


def _whole_delimiters(buffer: Bytes, high: int, found: _Specials, delimiter: bytes) -> _Specials:
    """Keep the first byte of a longer delimiter only where all of it stands, leftmost first."""
    first = found.byte == delimiter[0]
    whole = first & (found.at + len(delimiter) <= high)
    for offset, byte in enumerate(delimiter[1:], 1):
        whole &= buffer[found.at + offset] == byte
    kept = ~first | whole
    candidates = np.flatnonzero(whole)
    close = np.flatnonzero(np.diff(found.at[candidates]) < len(delimiter))
    if len(close):
        reach = -1
        for place in candidates:
            if found.at[place] < reach:
                kept[place] = False
            else:
                reach = int(found.at[place]) + len(delimiter)
    return found.only(kept)


def _quoting(buffer: Bytes, low: int, specials: _Specials, marks: Marks) -> _Quoting:
    """Which special bytes are text, because they are within quotes or escaped."""
    none = np.zeros(0, np.int64)
    escaped = np.zeros(len(specials.at), bool)
    active = none
    if marks.escape:
        active, escaped = _escapes(specials, marks.escape)
    if not marks.quote:
        return _Quoting(escaped | (specials.byte == marks.escape) if marks.escape else escaped, active)
    quotes = np.flatnonzero((specials.byte == marks.quote) & ~escaped)
    if not len(quotes):
        inside = escaped | (specials.byte == marks.escape) if marks.escape else escaped
        return _Quoting(inside, active)
    at = specials.at[quotes]
    breaks = np.concatenate(([True], np.diff(at) != 1))
    first = np.flatnonzero(breaks)
    lengths = np.diff(np.append(first, len(at)))
    opening = _at_field_start(buffer, low, at[first], specials, quotes[first], escaped, marks)
    odd = (lengths & 1) == 1
    after = _state_after(opening[odd])
    order = np.cumsum(odd) - odd
    previous = np.concatenate(([False], after))
    within = previous[order]
    dropped = _dropped_quotes(at, first, lengths, within, opening)
    toggles = np.zeros(len(specials.at), np.int8)
    change = np.diff(previous.astype(np.int8))
    toggles[quotes[first[odd]]] = change
    inside = np.cumsum(toggles, dtype=np.int8) > 0
    unclosed = -1
    if after.size and after[-1]:
        opened = np.flatnonzero(change == 1)[-1]
        unclosed = int(at[first[odd][opened]])
    if marks.escape:
        inside |= escaped | (specials.byte == marks.escape)
        dropped = np.union1d(dropped, active)
    return _Quoting(inside, dropped, unclosed)


def _escapes(specials: _Specials, escape: int) -> tuple[Ints, Flags]:
    """Positions of escapes that act, and which special bytes they make literal."""
    places = np.flatnonzero(specials.byte == escape)
    at = specials.at[places]
    breaks = np.concatenate(([True], np.diff(at) != 1))[: len(at)]
    first = np.flatnonzero(breaks)
    lengths = np.diff(np.append(first, len(at)))
    rank = np.arange(len(at)) - np.repeat(first, lengths)
    active = at[(rank & 1) == 0]
    return active, np.isin(specials.at, active + 1)


def _at_field_start(
    buffer: Bytes,
    low: int,
    at: Ints,
    specials: _Specials,
    places: Ints,
    escaped: Flags,
    marks: Marks,
) -> Flags:
    """Which quotes stand where a field starts."""
    where = at
    if marks.skip_blanks and not marks.blanks:
        where = at.copy()
        moving = np.arange(len(at))
        while len(moving):
            byte = buffer[where[moving] - 1]
            blank = ((byte == SPACE) | (byte == TAB)) & (where[moving] > low)
            if len(marks.delimiter) == 1:
                blank &= byte != marks.delimiter[0]
            moving = moving[blank]
            where[moving] -= 1
    before = buffer[where - 1]
    start = (before == LF) | (before == CR) | (where == low)
    if marks.blanks:
        return start | (before == SPACE) | (before == TAB)
    if not marks.delimiter:
        return start
    width = len(marks.delimiter)
    if width == 1 and not marks.escape:
        return start | (before == marks.delimiter[0])
    is_delimiter = (specials.byte == marks.delimiter[0]) & ~escaped
    reach = specials.at[is_delimiter] + width
    return start | np.isin(where, reach)


def _state_after(opening: Flags) -> Flags:
    """After each odd run of quotes: are we within quotes? See the essay above."""
    swaps = np.cumsum(opening)
    base = np.maximum.accumulate(np.where(opening, 0, swaps)) if len(swaps) else swaps
    return ((swaps - base) & 1) == 1


def _dropped_quotes(
    at: Ints, first: Ints, lengths: Ints, within: Flags, opening: Flags
) -> Ints:
    """Quotes that are not text: those that open or close, and one of each doubled pair."""
    rank = np.arange(len(at)) - np.repeat(first, lengths)
    opens = np.repeat(opening & ~within, lengths)
    quoted = np.repeat(within, lengths)
    dropped = (quoted & ((rank & 1) == 0)) | (opens & ((rank == 0) | ((rank & 1) == 1)))
    return at[dropped]


def _without_comments(
    buffer: Bytes, low: int, specials: _Specials, marks: Marks
) -> tuple[_Specials, _Quoting, Ints]:
    """Take comment lines out of the quoting: a quote in a comment is not a quote.

    Which lines are comments depends on the quotes before them and the reverse; the first line
    judged wrongly is put right in each round, so rounds end when nothing changes.
    """
    line_ends = np.flatnonzero((specials.byte == LF) | (specials.byte == CR))
    heads = np.concatenate(([low], specials.at[line_ends] + 1))
    candidate = np.ones(len(heads), bool)
    for offset, byte in enumerate(marks.comment):
        candidate &= buffer[np.minimum(heads + offset, len(buffer) - 1)] == byte
    line_of = np.searchsorted(specials.at[line_ends], specials.at)
    is_end = np.zeros(len(specials.at), bool)
    is_end[line_ends] = True
    while True:
        kept = is_end | ~candidate[line_of]
        fewer = specials.only(kept)
        quoting = _quoting(buffer, low, fewer, marks)
        ends_inside = quoting.inside[is_end[kept]]
        begins_inside = np.concatenate(([False], ends_inside))
        wrong = np.flatnonzero(candidate & begins_inside)
        if not len(wrong):
            return fewer, quoting, heads[candidate]
        candidate[wrong[0]] = False


def _separators(
    buffer: Bytes, low: int, at: Ints, line_end: Flags, marks: Marks
) -> tuple[Ints, Ints]:
    """Where each separator begins and ends; a carriage return belongs to its line feed."""
    begin = at
    pairs = line_end & (buffer[at] == LF) & (buffer[at - 1] == CR) & (at > low)
    if pairs.any():
        begin = at - pairs
    width = 1 if marks.blanks else max(1, len(marks.delimiter))
    end = at + (np.where(line_end, 1, width) if width > 1 else 1)
    return begin, end


def _only_between(
    low: int, begin: Ints, end: Ints, line_end: Flags
) -> tuple[Ints, Ints, Ints, Flags, Ints]:
    """Merge blanks to runs, and leave out those at the start or the end of a line.

    Returns begin and end of each separator, where the field behind it starts, whether it ends a
    line, and its index before merging. The first start of all is returned as the first `behind`.
    """
    joined = np.zeros(len(begin), bool)
    joined[1:] = (begin[1:] == end[:-1]) & ~line_end[1:] & ~line_end[:-1]
    first = np.flatnonzero(~joined)
    last = np.append(first[1:], len(begin)) - 1 if len(first) else first
    begin, end, line_end = begin[first].copy(), end[last], line_end[first]
    behind = np.concatenate(([low], end))
    after_line = np.concatenate(([True], line_end))
    leading = ~line_end & after_line[:-1] & (begin == behind[:-1])
    behind[:-1][leading] = end[leading]
    trailing = np.zeros(len(begin), bool)
    trailing[:-1] = line_end[1:] & ~line_end[:-1] & (end[:-1] == begin[1:]) & ~leading[:-1]
    closing = np.flatnonzero(trailing) + 1
    begin[closing] = begin[closing - 1]
    kept = ~(leading | trailing)
    starts = np.concatenate((behind[:1], behind[1:][kept]))
    return begin[kept], end[kept], starts, line_end[kept], last[kept]


def _unquoted(buffer: Bytes, starts: Ints, ends: Ints, dropped: Ints) -> tuple[Ints, Ints]:
    """Field texts without their quotes: by moving the borders in, else closed up in place."""
    first = np.searchsorted(dropped, starts)
    held = np.searchsorted(dropped, ends) - first
    fields = np.flatnonzero(held)
    if not len(fields):
        return starts, ends
    starts, ends = starts.copy(), ends.copy()
    low, high, count = starts[fields], ends[fields], held[fields]
    wrapped = (count == 2) & (dropped[first[fields]] == low)
    wrapped &= dropped[first[fields] + np.minimum(count, 2) - 1] == high - 1
    plain = fields[wrapped]
    starts[plain] += 1
    ends[plain] -= 1
    rest = fields[~wrapped]
    if len(rest):
        lengths = ends[rest] - starts[rest]
        positions = ranges(starts[rest], lengths)
        text = np.ones(len(buffer), bool)
        text[dropped] = False
        kept = text[positions]
        within = np.cumsum(kept) - kept
        first_place = np.cumsum(lengths) - lengths
        shift = within - np.repeat(within[first_place], lengths)
        target = np.repeat(starts[rest], lengths) + shift
        buffer[target[kept]] = buffer[positions[kept]]
        ends[rest] -= held[rest]
    return starts, ends
