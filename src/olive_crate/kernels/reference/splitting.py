"""Where records and fields begin and end in a block of delimited text.

All bytes that can matter (delimiter, line ends, quotes, escapes) are found by whole-array
comparison; everything after that works on the few positions found.
"""

from __future__ import annotations

import msgspec
import numpy as np

from ..buffers import by_field
from ..types import Bytes, CutPoint, Dialect, Flags, Ints, LineMarks, Structure, Table, TextMarks
from .gather import ranges
from .quoting import (
    CR,
    LF,
    NONE,
    SPACE,
    TAB,
    Outside,
    Specials,
    outside_quotes,
    without_comments,
    without_escaped,
)


class _Borders(msgspec.Struct, frozen=True, eq=False):
    """Separators as borders between fields."""

    begin: Ints
    """Where the field before each separator ends."""
    behind: Ints
    """Where fields start: the first, and the one behind each separator."""
    stop: Ints
    """Where each separator ends."""
    line_end: Flags


def split(
    buffer: Bytes, low: int, high: int, marks: Dialect, final: bool, fields: int
) -> Structure | Table:
    """Find the complete records in `buffer[low:high]`, which starts where a record starts.

    With `final`, the text ends at `high` and the last record needs no line end. Fields in which
    quotes are doubled or escaped are closed up in a copy of the buffer. A table is given where
    `fields` is above 1 and just the number of fields of every record.
    """
    found = structure(buffer, low, high, marks, final)
    count = len(found.heads)
    if fields < 2 or not count or not bool((np.diff(found.record) == fields).all()):
        return found
    starts, ends = by_field(found.starts, fields), by_field(found.ends, fields)
    return Table(
        found.buffer,
        count,
        found.lines,
        found.consumed,
        found.open_quote,
        lambda index: (starts[:, index], ends[:, index]),
    )


def text_marks(buffer: Bytes, low: int, high: int) -> TextMarks:
    """Line ends, tabs, and whether all is ASCII in a piece of a buffer."""
    text = buffer[low:high]
    is_ascii = not len(text) or int(text.max()) < 0x80
    return TextMarks(line_marks(buffer, low, high), int(np.count_nonzero(text == TAB)), is_ascii)


def line_marks(buffer: Bytes, low: int, high: int) -> LineMarks:
    """What ends lines in a piece of a buffer."""
    text = buffer[low:high]
    feeds = int(np.count_nonzero(text == LF))
    returns = np.flatnonzero(text == CR)
    followed = returns[returns + 1 < len(text)] + 1
    pairs = int(np.count_nonzero(text[followed] == LF))
    return LineMarks(feeds, len(returns), pairs, feeds + len(returns) - pairs)


def cut(buffer: Bytes, low: int, high: int, quote: int) -> CutPoint:
    """Where the last record ends, if quotes open and close in turn; `low` if none does.

    A guess, for the record that is cut may hold quotes that are only text.
    """
    half = high > low and buffer[high - 1] == CR  # a line feed may follow
    text = buffer[low : high - 1 if half else high]
    ends = text == LF
    feeds = int(np.count_nonzero(ends))
    returns = text == CR
    if returns.any():
        ends |= returns & ~np.append(ends[1:], False)
    at = np.flatnonzero(ends)
    quotes = np.flatnonzero(text == quote) if quote else NONE
    if len(quotes):
        at = at[np.searchsorted(quotes, at) % 2 == 0]
    end = low + int(at[-1]) + 1 if len(at) else low
    return CutPoint(end, feeds, int(np.count_nonzero(returns)) + half, len(quotes), len(at))


def structure(buffer: Bytes, low: int, high: int, marks: Dialect, final: bool) -> Structure:
    """The complete records of a block, whatever fields they have."""
    if not final and high > low and buffer[high - 1] == CR:
        high -= 1  # a line feed may follow
    specials = _find(buffer, low, high, marks)
    escapes = comments = NONE
    if marks.escape:
        specials, escapes = without_escaped(specials, marks.escape)
    if marks.comment:
        outside, comments = without_comments(buffer, low, specials, marks)
    else:
        outside = outside_quotes(buffer, low, specials, marks)
    borders = _borders(buffer, low, outside.separators, marks)
    last = np.flatnonzero(borders.line_end)
    if final and high > low and not (len(last) and borders.stop[last[-1]] == high):
        borders = _closed(borders, high)
        last = np.append(last, len(borders.begin) - 1)
    count = int(last[-1]) + 1 if len(last) else 0
    consumed = int(borders.stop[count - 1]) if count else low
    starts, ends = borders.behind[:count], borders.begin[:count]
    if marks.blanks:
        ends = np.maximum(starts, ends)
    record = np.concatenate(([0], last + 1))
    heads = starts[record[:-1]]
    lines = np.arange(len(record))
    if len(outside.quoted_ends):
        lines[1:] += np.searchsorted(outside.quoted_ends, borders.begin[last])
    pairs = outside.pairs and not len(escapes) and not marks.blanks
    dropped, fields = _dropped(outside, escapes, borders.begin[:count], marks, pairs)
    if len(dropped):
        buffer = _unquote(buffer, starts, ends, dropped, fields, pairs)
    flagged = np.isin(heads, comments) if len(comments) else np.zeros(len(heads), bool)
    return Structure(buffer, starts, ends, record, heads, lines, flagged, consumed, outside.opened)


def _find(buffer: Bytes, low: int, high: int, marks: Dialect) -> Specials:
    text = buffer[low:high]
    mask = text == LF
    has_return = marks.returns and bool(np.any(text == CR))
    for byte in _singles(marks, has_return):
        mask |= text == byte
    at = np.flatnonzero(mask)
    byte_at = text[at]
    at += low
    specials = Specials(at, byte_at, has_return)
    if has_return:
        paired = (byte_at == CR) & (buffer[at + 1] == LF) & (at + 1 < high)
        specials = specials.only(~paired)
    if len(marks.delimiter) > 1 and not marks.blanks:
        specials = _whole_delimiters(buffer, high, specials, marks.delimiter)
    return specials


def _singles(marks: Dialect, has_return: bool) -> list[int]:
    """The single bytes to look for beside the line feed."""
    found = [CR] if has_return else []
    if marks.blanks:
        found += [SPACE, TAB]
    elif marks.delimiter:
        found.append(marks.delimiter[0])
    return found + [byte for byte in (marks.quote, marks.escape) if byte]


def _whole_delimiters(buffer: Bytes, high: int, found: Specials, delimiter: bytes) -> Specials:
    """Keep the first byte of a longer delimiter only where all of it stands, leftmost first."""
    first = found.byte == delimiter[0]
    whole = first & (found.at + len(delimiter) <= high)
    for offset, byte in enumerate(delimiter[1:], 1):
        whole &= buffer[found.at + offset] == byte
    kept = ~first | whole
    candidates = np.flatnonzero(whole)
    if np.any(np.diff(found.at[candidates]) < len(delimiter)):
        reach = -1
        for place in candidates:
            if found.at[place] < reach:
                kept[place] = False
            else:
                reach = int(found.at[place]) + len(delimiter)
    return found.only(kept)


def _borders(buffer: Bytes, low: int, separators: Specials, marks: Dialect) -> _Borders:
    """Where each separator begins and ends; a carriage return belongs to its line feed."""
    at, line_end = separators.at, separators.line_end
    width = 1 if marks.blanks else max(1, len(marks.delimiter))
    behind = np.empty(len(at) + 1, np.int64)
    behind[0] = low
    np.add(at, 1 if width == 1 else np.where(line_end, 1, width), out=behind[1:])
    begin = at
    if separators.has_return:
        begin = at - ((separators.byte == LF) & (buffer[at - 1] == CR) & (at > low))
    borders = _Borders(begin, behind, behind[1:], line_end)
    return _runs_of_blanks(borders) if marks.blanks else borders


def _runs_of_blanks(each: _Borders) -> _Borders:
    """Merge blanks to runs, and leave out those at the start or the end of a line."""
    begin, stop, line_end = each.begin, each.stop, each.line_end
    joined = np.zeros(len(begin), bool)
    joined[1:] = (begin[1:] == stop[:-1]) & ~line_end[1:] & ~line_end[:-1]
    first = np.flatnonzero(~joined)
    last = np.append(first[1:], len(begin)) - 1 if len(first) else first
    begin, stop, line_end = begin[first].copy(), stop[last], line_end[first]
    behind = np.concatenate((each.behind[:1], stop))
    after_line = np.concatenate(([True], line_end))
    leading = ~line_end & after_line[:-1] & (begin == behind[:-1])
    behind[:-1][leading] = stop[leading]
    trailing = np.zeros(len(begin), bool)
    trailing[:-1] = line_end[1:] & ~line_end[:-1] & (stop[:-1] == begin[1:]) & ~leading[:-1]
    closing = np.flatnonzero(trailing) + 1
    begin[closing] = begin[closing - 1]
    kept = ~(leading | trailing)
    starts = np.concatenate((behind[:1], behind[1:][kept]))
    return _Borders(begin[kept], starts, stop[kept], line_end[kept])


def _closed(borders: _Borders, high: int) -> _Borders:
    """The borders with the end of the text as one more end of a line."""
    return _Borders(
        np.append(borders.begin, high),
        np.append(borders.behind, high),
        np.append(borders.stop, high),
        np.append(borders.line_end, True),
    )


def _dropped(
    outside: Outside, escapes: Ints, begin: Ints, marks: Dialect, pairs: bool
) -> tuple[Ints, Ints]:
    """Positions of bytes that are not text, and the field of each."""
    dropped, fields = outside.dropped, outside.before
    if marks.blanks or len(escapes):
        dropped = np.sort(np.concatenate((dropped, escapes)))
        fields = np.searchsorted(begin, dropped, side="right")
    count = int(np.searchsorted(fields, len(begin)))
    if pairs:
        count -= count % 2  # the last one may be left open
    return dropped[:count], fields[:count]


def _unquote(
    buffer: Bytes, starts: Ints, ends: Ints, dropped: Ints, fields: Ints, pairs: bool
) -> Bytes:
    """Leave the quotes out of fields: by moving the borders in, else closed up in a copy.

    Changes `starts` and `ends`; returns the buffer that they refer to.
    """
    if pairs:
        own, first, last, two = fields[::2], dropped[::2], dropped[1::2], True
    else:
        at = np.flatnonzero(np.diff(fields, prepend=-1))
        counts = np.diff(at, append=len(fields))
        own, first, last, two = fields[at], dropped[at], dropped[at + counts - 1], counts == 2
    begin, end = starts[own], ends[own] - 1
    wrapped = two & (first == begin) & (last == end)
    if wrapped.all():
        begin += 1
        starts[own], ends[own] = begin, end
        return buffer
    starts[own[wrapped]] += 1
    ends[own[wrapped]] -= 1
    rest = own[~wrapped]
    buffer = buffer.copy()
    _close_up(buffer, starts[rest], ends[rest], dropped)
    ends[rest] -= 2 if pairs else counts[~wrapped]
    return buffer


def _close_up(buffer: Bytes, starts: Ints, ends: Ints, dropped: Ints) -> None:
    """Move the bytes of these fields together over those that are dropped."""
    lengths = ends - starts
    positions = ranges(starts, lengths)
    text = np.ones(len(buffer), bool)
    text[dropped] = False
    kept = text[positions]
    within = np.cumsum(kept) - kept
    shift = within - np.repeat(within[np.cumsum(lengths) - lengths], lengths)
    target = np.repeat(starts, lengths) + shift
    buffer[target[kept]] = buffer[positions[kept]]


__all__ = [
    "CutPoint",
    "Dialect",
    "LineMarks",
    "Structure",
    "Table",
    "by_field",
    "cut",
    "line_marks",
    "split",
    "structure",
    "text_marks",
]
