"""Where a source is cut into pieces behind records, as it seems: see `records` for the proof."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ... import kernels
from ...errors import SourceError
from ...kernels.types import PAD, Bytes, CutPoint
from ...sources.limits import Limits, raising
from ..text.decoding import Filled, behind, together

if TYPE_CHECKING:
    from .reading import DelimitedLayout

LARGEST = (1 << 31) - 4 * PAD
"""The greatest piece that kernels can address with 32 bits."""
SURELY_NO_TEXT = 1 << 24
"""So many delimiters in one record are fields, whatever quotes stand among them."""
FEED = 10
BACK = 1 << 16
"""Bytes looked through at a time for the last line end."""
MORE = 1.12
"""Room for so many times the records that are expected."""
UNKNOWN = -1
MOST_ABOVE = 64
"""Lines above the data that are looked for in the first piece."""


class Cut(msgspec.Struct, frozen=True, eq=False):
    """A piece of the source that seems to end where a record ends."""

    buffer: Bytes
    low: int
    high: int
    """What stands before `low` and behind `high` is not of this piece."""
    offset: int
    """Where it starts in the source's text."""
    final: bool
    seen: CutPoint
    row: int = 0
    """How many records seem to stand before it."""
    heading: bool = False
    """It holds the lines above the data, and none of these."""

    @property
    def text(self) -> bytes:
        return self.buffer[self.low : self.high].tobytes()


class Cutting:
    """Cuts the source behind records, as it seems.

    With `counting`, the records of a piece are counted beforehand, so that it is known where those
    behind it begin; else their number is guessed from what came before, as room to be given.
    """

    def __init__(self, layout: DelimitedLayout, name: str, counting: bool) -> None:
        self._layout, self._name, self._counting = layout, name, counting
        self._plain = False
        """Line feeds end records, as far as the first piece shows."""
        self.records = self._bytes = 0

    def learn(self, cut: Cut, records: int) -> None:
        """So many records were found in a piece."""
        self._bytes += cut.high - cut.low
        self.records += records

    def cuts(self, pieces: Iterator[Filled], offset: int, above: int) -> Iterator[Cut]:
        """The pieces of the source, cut; the lines above the data are one of their own.

        So all rows of the next piece are alike, and can be converted while they are split.
        """
        longest, row = self._layout.block, 0
        piece = next(pieces, None)
        if piece is not None and 0 < above <= MOST_ABOVE:
            buffer, low, high = piece
            end = _behind_lines(piece, above)
            if low < end < high:
                seen = kernels.cut(buffer, low, end, self._layout.dialect.quote)
                yield Cut(buffer, low, end, offset, False, seen, heading=True)
                piece, offset = Filled(buffer, end, high), offset + end - low
        while piece is not None:
            following = next(pieces, None)
            buffer, low, high = piece
            seen = self._seen(buffer, low, high, following is None)
            if following is None:
                yield Cut(buffer, low, high, offset, True, seen, row)
                return
            if seen.cut > low:
                yield Cut(buffer, low, seen.cut, offset, False, seen, row)
                longest, row = self._layout.block, row + seen.records
            else:
                self._refuse_endless(buffer[low:high])
                longest *= 2  # a record longer than a piece: look at it less and less often
                following = together(following, pieces, longest)
            offset += seen.cut - low
            piece = behind(buffer[seen.cut : high], following)

    def _refuse_endless(self, text: Bytes) -> None:
        """Raise for a record that is longer, or has more fields, than a record may."""
        limits, marks = self._layout.limits, self._layout.dialect
        if len(text) > min(limits.record, LARGEST):
            raise longer_than(self._name, limits)
        if marks.delimiter and len(text) > limits.fields:
            fields = int(np.count_nonzero(text == marks.delimiter[-1]))
            quoted = marks.quote and (text == marks.quote).any()
            if fields > (max(limits.fields, SURELY_NO_TEXT) if quoted else limits.fields):
                raise too_wide(self._name, fields, limits)

    def _seen(self, buffer: Bytes, low: int, high: int, final: bool) -> CutPoint:
        end = low
        if self._plain:
            end = high if final else _last_feed(buffer, low, high)
        if end > low and self._counting:
            marks = kernels.line_marks(buffer, low, end)
            return CutPoint(end, marks.feeds, marks.returns, UNKNOWN, marks.feeds)
        if end > low and self.records:
            guess = int(MORE * (high - low) * self.records / self._bytes) + BACK // 1024
            return CutPoint(end, guess, UNKNOWN, UNKNOWN, guess)
        seen = kernels.cut(buffer, low, high, self._layout.dialect.quote)
        self._plain = seen.records == seen.feeds > 0
        return seen


def longer_than(name: str, limits: Limits, where: str = "a record") -> SourceError:
    """The error for a record that is longer than one may be."""
    most = min(limits.record, LARGEST)
    advice = raising("record") if most < LARGEST else None
    return SourceError(f"{name}: {where} is longer than {most:,} bytes", advice)


def too_wide(name: str, fields: int, limits: Limits, where: str = "a record") -> SourceError:
    """The error for a record of more fields than one may have."""
    return SourceError(
        f"{name}: {where} has at least {fields:,} fields, more than {limits.fields:,}; is the "
        "delimiter right?",
        raising("fields"),
    )


def _behind_lines(piece: Filled, lines: int) -> int:
    """Behind so many line feeds, far away in a wide file; the beginning if there are fewer."""
    buffer, low, high = piece
    reach = BACK * lines
    while True:
        feeds = np.flatnonzero(buffer[low : min(high, low + reach)] == FEED)
        if len(feeds) >= lines:
            return low + int(feeds[lines - 1]) + 1
        if low + reach >= high:
            return low
        reach *= 4


def _last_feed(buffer: Bytes, low: int, high: int) -> int:
    """Behind the last line feed; `low` if there is none."""
    while high > low:
        begin = max(low, high - BACK)
        at = np.flatnonzero(buffer[begin:high] == FEED)
        if len(at):
            return begin + int(at[-1]) + 1
        high = begin
    return low
