"""Delimited text to blocks of whole records.

To split text on several threads, it must be cut into pieces first, and only splitting tells for
certain where a record ends: a line feed may lie inside quotes, and whether it does depends on every
quote before it. So the cut is speculative. A piece ends after its last line feed or, if the first
piece contains quoted line feeds, after the last one that is outside quotes if quotes simply
alternate from the start of the piece (`Cutting`). The guess is verified by the work itself. A scan
starts where a record starts, because the piece before ended at the end of a record, and reports a
quote that is still open at the end of the piece. Then the cut was wrong: the piece is joined with
the next one and scanned again. Pieces are handed on in order, so no piece is used before the one in
front of it has proved where it starts. Each piece is also checked: its line ends are counted in the
bytes, and its bytes must be UTF-8.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ... import kernels
from ...errors import Advice, LayoutError
from ...kernels.buffers import ColumnStart, WholeColumns
from ...kernels.types import (
    Dialect,
    Forecast,
    Ints,
    Structure,
    Table,
)
from ...sources.limits import Limits
from ...sources.source import Source
from ..base import BLANK, COMMENT, SKIPPED, CountedStream, Hands, Tally
from ..text.decoding import FIRST, Filled, Steps, bad_byte, filled, utf8_buffers
from .cutting import LARGEST, MORE, Cut, Cutting, longer_than, too_wide

if TYPE_CHECKING:
    from .reading import DelimitedLayout

SPARE = 4096
"""Rows for which there is room beyond those that are expected."""


class RawBlock(msgspec.Struct, eq=False):
    """Whole records of a piece of the source."""

    cut: Cut
    marks: Dialect
    found: Structure | Table
    first_row: int
    line_ends: int
    """Line ends in the bytes, counted apart from the records."""
    all_fields: Structure | None = None

    @property
    def structure(self) -> Structure:
        """The records with whatever fields they have."""
        if isinstance(self.found, Structure):
            return self.found
        if self.all_fields is None:
            cut = self.cut
            self.all_fields = kernels.structure(cut.buffer, cut.low, cut.high, self.marks, True)
        return self.all_fields

    @property
    def rows(self) -> Ints:
        """The number of the row on which each record starts."""
        return self.found.lines[:-1] + self.first_row

    @property
    def next_row(self) -> int:
        return int(self.found.lines[-1]) + self.first_row


def raw_blocks(
    source: Source,
    layout: DelimitedLayout,
    tally: Tally,
    hands: Hands = Hands(),
) -> Iterator[RawBlock]:
    """Blocks of whole records, from the first line that is not skipped as a title.

    A piece is cut behind its last line feed, or, where the first piece holds quoted ones, behind
    the last that is not quoted if quotes open and close in turn. The scan, which begins where a
    record begins, shows whether that was so: a piece that was cut within quotes is put together
    with the next one, and both are scanned again.

    Raises `LayoutError` for a quote that is never closed, `SourceError` for bytes that are not of
    the encoding.
    """
    workers, forecast, keeping = hands.workers, hands.forecast, hands.keeping
    with source.open() as opened:
        stream = CountedStream(opened, tally)
        steps = Steps(layout.block, source.size, workers.count, layout.fields)
        pieces = utf8_buffers(stream, layout.encoding, steps, source.name)
        row, offset = 1, 0
        if layout.skip:
            row, offset, pieces = _past_titles(pieces, layout, tally)
        cutting = Cutting(layout, source.name, workers.count > 1)
        beyond_ascii = False
        size = source.size or 0
        kept = _Kept(size) if keeping and size > FIRST else None  # one piece is a whole column
        held: Cut | None = None

        def scan(cut: Cut) -> _Scanned:
            start = None
            if kept is not None and not cut.heading:
                start = kept.start(cut, None if workers.count > 1 else cutting.records)
            return _scanned(cut, layout, {} if cut.heading else forecast(), start)

        above = max((*layout.heading, layout.first - 1)) - row + 1
        for cut, scanned in workers.ahead(scan, cutting.cuts(pieces, offset, above)):
            if held is not None:
                cut = _together(held, cut, source.name, row, layout.limits)
                scanned, held = _scanned(cut, layout, {}, None), None
            found = scanned.found
            if found.open_quote >= 0:
                if cut.final:
                    raise _left_open(source, layout, cut, found.open_quote, row)
                held = cut
                continue
            if len(found.lines) > 1:
                if not scanned.is_utf8:
                    raise _bad_byte_in(cut, layout, source.name, row, beyond_ascii)
                beyond_ascii |= not scanned.is_ascii
                block = RawBlock(cut, scanned.marks, found, row, scanned.line_ends)
                if cut.high - cut.low > min(layout.limits.fields, layout.limits.record):
                    _refuse_endless(block, layout, source.name)
                if not cut.heading and not cut.final:
                    cutting.learn(cut, len(found.lines) - 1)
                yield block
                row += int(found.lines[-1])
                if kept is not None and not cut.final:
                    kept.prepare(forecast)


def _refuse_endless(block: RawBlock, layout: DelimitedLayout, name: str) -> None:
    """Raise `SourceError` for a record that is longer, or has more fields, than a record may."""
    limits, cut = layout.limits, block.cut
    found = block.found
    if isinstance(found, Structure) and len(found.starts) > limits.fields:
        fields = np.diff(found.record)
        widest = int(fields.argmax())
        if fields[widest] > limits.fields:
            where = f"the record in row {int(block.rows[widest])}"
            raise too_wide(name, int(fields[widest]), limits, where)
    if cut.high - cut.low > limits.record:
        lengths = np.diff(block.structure.heads, append=block.structure.consumed)
        longest = int(lengths.argmax())
        if lengths[longest] > limits.record:
            raise longer_than(name, limits, f"the record in row {int(block.rows[longest])}")


class _Kept:
    """Room for the whole columns, as many rows as the first piece lets expect."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._keeping: WholeColumns | None = None
        self._prepared = False

    def prepare(self, forecast: Callable[[], Forecast]) -> None:
        """Get the room, once the first piece has shown of what kind the columns are."""
        if self._keeping is not None and not self._prepared:
            self._prepared = True
            self._keeping.prepare(forecast())

    def start(self, cut: Cut, row: int | None) -> ColumnStart | None:
        """Where a piece goes; `None` for the first one.

        `row` is how many records stand before it, if that is known; then nothing is behind it yet.
        """
        if self._keeping is None:
            of_row = (cut.high - cut.low) / max(1, cut.seen.records)
            self._keeping = WholeColumns(int(MORE * self._size / of_row) + SPARE)
            return None
        if row is not None:
            return ColumnStart(self._keeping, row, max(0, self._keeping.rows - row))
        return ColumnStart(self._keeping, cut.row, cut.seen.records + cut.final)


class _Scanned(msgspec.Struct, frozen=True):
    marks: Dialect
    found: Structure | Table
    is_ascii: bool
    is_utf8: bool
    line_ends: int


def _scanned(
    cut: Cut, layout: DelimitedLayout, forecast: Forecast, start: ColumnStart | None
) -> _Scanned:
    """The records of a piece, and what is counted and checked of its bytes."""
    marks = msgspec.structs.replace(layout.dialect, returns=cut.seen.returns != 0)
    place = cut.buffer, cut.low, cut.high
    name = layout.names[0] if len(layout.names) > 1 else b""
    found: Structure | Table
    if cut.heading:
        found = kernels.structure(*place, marks, True)
    else:
        how = (marks, layout.fields, forecast)
        found = kernels.split_early(*place, *how, cut.seen, name, start)
    line_ends = is_ascii = None
    if isinstance(found, Table):
        line_ends, is_ascii = found.line_ends, found.is_ascii
    if line_ends is None or is_ascii is None:
        line_ends = kernels.line_marks(*place).line_ends
        is_ascii = bool(cut.buffer[cut.low : cut.high].max() < 0x80)
    return _Scanned(marks, found, is_ascii, is_ascii or kernels.is_utf8(*place), line_ends)


def _together(one: Cut, two: Cut, name: str, row: int, limits: Limits) -> Cut:
    """Two pieces that follow one another as one."""
    if one.high - one.low + two.high - two.low > min(limits.record, LARGEST):
        raise longer_than(name, limits, f"the record that begins in row {row}")
    buffer, low, high = filled(one.text + two.text)
    seen = kernels.cut(buffer, low, high, 0)
    return Cut(buffer, low, high, one.offset, two.final, seen, one.row)


def _past_titles(
    pieces: Iterator[Filled], layout: DelimitedLayout, tally: Tally
) -> tuple[int, int, Iterator[Filled]]:
    """The row and the place behind the lines that are skipped at the top, and the rest."""
    text, row, offset = b"", 1, 0
    for _ in range(layout.skip):
        while (cut := line_end(text, False)) < 0:
            piece = next(pieces, None)
            if piece is None:
                cut = line_end(text, True)
                break
            text += piece.text
        if cut < 0:
            break
        _count_title(tally, text[:cut], row, layout)
        text, row, offset = text[cut:], row + 1, offset + cut
    return row, offset, itertools.chain([filled(text)], pieces) if text else pieces


def line_end(text: bytes, final: bool) -> int:
    """Where the line behind the first line of the text starts; -1 if its end is not there yet."""
    feed, back = text.find(b"\n"), text.find(b"\r")
    if back >= 0 and (feed < 0 or back < feed):
        if back + 1 == len(text) and not final:
            return -1
        return back + 2 if feed == back + 1 else back + 1
    if feed >= 0:
        return feed + 1
    return len(text) if final and text else -1


def _count_title(tally: Tally, line: bytes, row: int, layout: DelimitedLayout) -> None:
    comment = layout.dialect.comment
    part = SKIPPED
    if not line.strip():
        part = BLANK
        tally.blank_rows.add([row])
    elif comment and line.startswith(comment):
        part = COMMENT
    else:
        tally.skipped_rows.add([row])
    tally.parts[part] += 1
    tally.lines += 1


def _left_open(source: Source, layout: DelimitedLayout, cut: Cut, at: int, row: int) -> LayoutError:
    line = row + kernels.line_marks(cut.buffer, cut.low, at).line_ends
    text = cut.buffer[at : min(at + 40, cut.high)].tobytes()
    shown = text.decode("utf-8", "replace").splitlines()[0]
    quote = chr(layout.dialect.quote)
    return LayoutError(
        f"{source.name}: row {line}: a quote is opened and never closed: {shown!r}",
        Advice(
            f"if {quote} is an ordinary character in this file, use {{}}",
            "quote=None",
            "--quote none",
        ),
    )


def _bad_byte_in(
    cut: Cut, layout: DelimitedLayout, name: str, row: int, beyond_ascii: bool
) -> Exception:
    """The error for a piece that is not valid UTF-8; `beyond_ascii`: others before it were."""
    text = cut.text
    try:
        text.decode("utf-8")
    except UnicodeDecodeError as error:
        line = row + text.count(b"\n", 0, error.start)
        wrong = bad_byte(name, layout.encoding, line, cut.offset + error.start, error)
        wrong.seen_beyond_ascii |= beyond_ascii
        return wrong
    raise AssertionError("kernels and decoder differ about UTF-8")


def record_texts(raw: RawBlock, record: int) -> tuple[str, ...]:
    """The fields of one record as text."""
    return next(records_as_text(raw.structure, record, record + 1))


def records_as_text(found: Structure, first: int, beyond: int) -> Iterator[tuple[str, ...]]:
    """The fields of some records as text."""
    record = found.record[first : beyond + 1].tolist()
    if len(record) < 2:
        return iter(())
    held = slice(record[0], record[-1])
    cells = kernels.texts(found.buffer, found.starts[held], found.ends[held])
    texts: list[str] = cells.to_pylist()
    fields = record[1] - record[0]
    if record == list(range(record[0], record[-1] + 1, fields)):
        return zip(*[iter(texts)] * fields, strict=True)
    pairs = itertools.pairwise(record)
    return (tuple(texts[here - record[0] : there - record[0]]) for here, there in pairs)
