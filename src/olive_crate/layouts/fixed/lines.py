"""Text to lines: by what ends them, by their length, or by reshaping where all are alike."""

from __future__ import annotations

from typing import Protocol

import msgspec
import numpy as np

from ...errors import Advice, LayoutError
from ...kernels.types import Bytes, Ints, LineMarks
from ..text.decoding import Filled, bad_byte

NEW_LINE, RETURN = 10, 13
LOOKED_THROUGH = 1 << 12
"""Bytes looked through at a time for the first line end."""


class HowLines(Protocol):
    """What has to be known of a layout to tell its lines apart."""

    @property
    def encoding(self) -> str: ...
    @property
    def length(self) -> int | None: ...
    @property
    def tabs(self) -> int | None: ...
    @property
    def in_bytes(self) -> bool: ...
    @property
    def undecoded(self) -> bool: ...


class Lines(msgspec.Struct, frozen=True, eq=False):
    """The lines of a piece of text; ends are without what ends the line."""

    starts: Ints
    ends: Ints
    consumed: int
    stride: int = 0
    """From one line to the next, where that is the same for all; else 0."""
    line_ends: int | None = None
    """Those of all these lines, where they were counted in the bytes."""


def expanded(text: bytes, layout: HowLines, name: str, row: int) -> bytes:
    at = text.find(b"\t")
    if at < 0:
        return text
    if layout.tabs is None:
        found = row + text.count(b"\n", 0, at)
        raise LayoutError(
            f"{name}: row {found}: a tab",
            Advice("set {} to expand tabs to multiples of 8", "tabs=8", "--tabs 8"),
        )
    if text.isascii() or layout.undecoded:
        return text.expandtabs(layout.tabs)
    return (
        text.decode("utf-8", "surrogateescape")
        .expandtabs(layout.tabs)
        .encode("utf-8", "surrogateescape")
    )


def characters_of(
    text: Filled, layout: HowLines, name: str, at: tuple[int, int], final: bool
) -> Ints | None:
    """Where each character of text beyond ASCII starts; `None` where positions are bytes."""
    if layout.undecoded:
        return None
    buffer, low, high = text
    data = text.text
    try:
        data.decode("utf-8")
    except UnicodeDecodeError as error:
        if final or len(data) - error.start > 3:
            row, offset = at
            row += data.count(b"\n", 0, error.start)
            raise bad_byte(name, layout.encoding, row, offset + error.start, error) from None
    if layout.in_bytes:
        return None
    found = np.flatnonzero((buffer[low:high] & 0xC0) != 0x80) + low
    return np.append(found, high)


def lines_of(
    text: Filled, marks: LineMarks, layout: HowLines, chars: Ints | None, final: bool
) -> Lines:
    """The lines of a piece, in which these line ends were counted."""
    buffer, low, high = text
    if layout.length:
        return _by_length(low, high, layout.length, chars, final)
    even = _even_lines(buffer, low, high, marks)
    if even is not None and (even.consumed == high or not final):
        return even
    return _by_ends(buffer, low, high, final)


def _by_length(low: int, high: int, length: int, chars: Ints | None, final: bool) -> Lines:
    if chars is None:
        count = (high - low) // length
        starts = low + length * np.arange(count)
        if final and low + length * count < high:
            starts = np.append(starts, low + length * count)
        ends = np.minimum(starts + length, high)
        even = len(starts) == count
        return Lines(starts, ends, low + length * count, length if even else 0)
    count = (len(chars) - 1) // length
    at = length * np.arange(count + 1)
    starts, ends = chars[at[:-1]], chars[at[1:]]
    if final and int(at[-1]) < len(chars) - 1:
        starts, ends = np.append(starts, chars[at[-1]]), np.append(ends, chars[-1])
    return Lines(starts, ends, int(chars[at[-1]]))


def _even_lines(buffer: Bytes, low: int, high: int, marks: LineMarks) -> Lines | None:
    """Lines of one length, if they all are."""
    feed = _first_feed(buffer, low, high) if marks.feeds else -1
    if feed < 0:
        return None
    stride = feed + 1 - low
    count = (high - low) // stride
    reach = low + count * stride
    if marks.feeds != count or not bool((buffer[feed:reach:stride] == NEW_LINE).all()):
        return None
    returns, ended = marks.returns, 1
    if reach < high and buffer[high - 1] == RETURN:  # half of a line end
        returns -= 1
    if returns:
        if (
            stride < 2
            or returns != count
            or not (buffer[feed - 1 : reach : stride] == RETURN).all()
        ):
            return None
        ended = 2
    starts = low + stride * np.arange(count)
    return Lines(starts, starts + (stride - ended), reach, stride, count)


def _first_feed(buffer: Bytes, low: int, high: int) -> int:
    """Where the first line feed stands; -1 if there is none."""
    for begin in range(low, high, LOOKED_THROUGH):
        at = np.flatnonzero(buffer[begin : min(begin + LOOKED_THROUGH, high)] == NEW_LINE)
        if len(at):
            return begin + int(at[0])
    return -1


def _by_ends(buffer: Bytes, low: int, high: int, final: bool) -> Lines:
    """Lines by what ends them: LF, CR LF, or CR."""
    text = buffer[low:high]
    feed = text == NEW_LINE
    back = text == RETURN
    if back.any():
        before_feed = np.append(feed[1:], not final)  # a CR at the very end may be half of CR LF
        alone = back & ~before_feed
        behind = np.flatnonzero(feed | alone) + 1
    else:
        behind = np.flatnonzero(feed) + 1
    starts = np.concatenate(([0], behind))
    ends = behind - 1
    if back.any() and len(ends):
        ends = ends - ((ends > 0) & feed[ends] & back[ends - 1])
    consumed = int(starts[-1])
    if final and consumed < len(text):
        ends = np.append(ends, len(text))
        consumed = len(text)
    else:
        starts = starts[:-1]
    return Lines(starts + low, ends + low, consumed + low)
