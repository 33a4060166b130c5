"""The rows at the head and the tail of delimited text, comments that hold the names among them."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import msgspec
import numpy as np

from ... import kernels
from ...columns.numbers import number_request
from ...columns.rule import PRESENT, Rule
from ...evidence import NoHeading
from ...kernels.types import PAD, Dialect, Structure
from ...plan.model import Rows
from ...sources.source import Sample, decoded
from ..base import Row
from ..text.cells import is_value
from ..text.completing import heading_rows, without_mark
from ..text.heading import find_rows
from .quoting import from_a_record, quotes_hold, quotes_lines
from .records import line_end, records_as_text

LOOKED_AT = 200
"""Rows that are looked at, at either end."""


PLAIN = number_request(Rule("number"))
"""How plain numerals are read."""
SWALLOWED = 100
"""A record of more lines shows that a stray quote in a title has opened it."""


def usual_fields(rows: Sequence[Row]) -> int:
    counts = [len(row.cells) for row in rows if len(row.cells) > 1]
    if not counts:
        return 1
    return max(set(counts), key=lambda count: (counts.count(count), count))


class CutText(msgspec.Struct, frozen=True, eq=False):
    """A piece of text cut into records, once; its rows are made for those who ask."""

    found: Structure
    first: int
    """The number of the row on which it begins."""
    is_whole: bool
    """No quote was left open at its end."""

    def rows(self, begin: int = 0, beyond: int | None = None) -> list[Row]:
        """The rows of some records, comments too."""
        found, begin = self.found, max(0, begin)
        beyond = len(found.heads) if beyond is None else min(beyond, len(found.heads))
        numbers = (found.lines[begin:beyond] + self.first).tolist()
        cut = zip(numbers, records_as_text(found, begin, beyond), strict=True)
        if not found.comments.any():
            return [Row(number, cells) for number, cells in cut]
        comments = found.comments[begin:beyond].tolist()
        pairs = zip(cut, comments, strict=True)
        return [Row(number, cells, is_comment) for (number, cells), is_comment in pairs]

    def about(self, index: int, first: int, beyond: int) -> tuple[float, float] | None:
        """About the sum of a column's numbers in the rows from `first` to `beyond`, and of their
        amounts; `None` where cells hold anything but plain numerals."""
        found = self.found
        rows = found.lines[:-1] + self.first
        has_cell = np.diff(found.record) > index
        at = np.flatnonzero((rows >= first) & (rows < beyond) & has_cell & ~found.comments)
        at = found.record[at] + index
        read = kernels.read_numbers(found.buffer, found.starts[at], found.ends[at], PLAIN)
        numbers = read.values[read.reasons == PRESENT]
        return None if read.left else (float(numbers.sum()), float(np.abs(numbers).sum()))


def head_rows(text: bytes, marks: Dialect, rows: Rows) -> tuple[list[Row], CutText]:
    """The rows at the head of the source, titles too; and all of the text, cut into records."""
    skip = min([*heading_rows(rows), rows.first or 1]) - 1 if rows.names else 0
    cut = cut_text(text, marks, skip)
    head = cut.rows(0, LOOKED_AT)
    if cut.found.comments.any():
        head = _without_comments(head, marks, rows)
    jumps = [after.number - row.number for row, after in itertools.pairwise(head[:21])]
    swallowed = not head or max(jumps, default=0) > SWALLOWED
    if skip == 0 and marks.quote and swallowed and not quotes_hold(text, marks):
        plain = Dialect(marks.delimiter, marks.blanks, comment=marks.comment)
        head = _without_comments(cut_text(text, plain).rows(0, LOOKED_AT), plain, rows)
    return head, cut


def _without_comments(cut: list[Row], marks: Dialect, rows: Rows) -> list[Row]:
    """The rows that are no comments, and comments that hold the names: declared, or found so.

    A comment just above the data, cut into as many words as they have fields, holds their names.
    """
    kept = [row for row in cut if not row.is_comment]
    held = [row for row in cut if row.is_comment and row.number in (rows.names or ())]
    if rows.names is None and kept:
        above = [row for row in cut if row.is_comment and row.number < kept[0].number]
        fields = usual_fields(kept)
        widths = [len(_uncommented(row, marks).cells) for row in above]
        above = above[-1:] if widths and widths.count(widths[-1]) == 1 else []
        if above and not isinstance(find_rows(kept, fields).names, NoHeading):
            above = []
        held = [row for row in above if _are_names(_uncommented(row, marks).cells, fields)]
    return sorted([*kept, *(_uncommented(row, marks) for row in held)], key=lambda r: r.number)


def _uncommented(row: Row, marks: Dialect) -> Row:
    """A comment cut into cells, without its prefix."""
    text = row.cells[0].encode("utf-8").lstrip(marks.comment).lstrip(b" ")
    cut = cut_text(text, msgspec.structs.replace(marks, comment=b"")).rows(0, 1)
    return msgspec.structs.replace(row, cells=cut[0].cells if cut else ())


def _are_names(cells: Sequence[str], fields: int) -> bool:
    words = [cell.strip() for cell in cells]
    named = len(words) in (fields, fields - 1) and fields > 1
    return named and len({*words, ""}) == len(words) + 1 and not any(map(is_value, words))


def cut_text(text: bytes, marks: Dialect, skip: int = 0, first: int = 1) -> CutText:
    """A piece of text cut into records behind the lines that are skipped; it begins in row `first`.

    What follows a quote that is left open, as at the end of a sample, is left out.
    """
    for _ in range(skip):
        if (behind := line_end(text, True)) < 0:
            break
        text, first = text[behind:], first + 1
    high = PAD + len(text)
    buffer = kernels.padded(text)
    found = kernels.structure(buffer, PAD, high, marks, True)
    if found.open_quote < 0:
        return CutText(found, first, True)
    high = kernels.cut(buffer, PAD, high, marks.quote).cut
    found = kernels.structure(buffer, PAD, high, marks, True)
    if found.open_quote >= 0:
        found = kernels.structure(buffer, PAD, PAD, marks, True)
    return CutText(found, first, False)


def tail_rows(sample: Sample, tail: bytes, encoding: str, marks: Dialect) -> tuple[list[Row], int]:
    """The last rows, and the number of the last line.

    Where the file was not read whole, rows are counted from its end: the last one is -1.
    """
    if sample.is_whole:
        text = sample.utf8(encoding)
    else:
        if encoding.lower().startswith(("utf-16", "utf-32")):
            tail = tail[len(tail) % 4 :]
        text = decoded(tail, without_mark(encoding, sample.head), True).encode("utf-8", "replace")
        text = text[text.find(b"\n") + 1 or text.find(b"\r") + 1 :]
        if quotes_lines(sample.utf8(encoding), marks):
            text = from_a_record(text, marks)
    lines = text.splitlines(keepends=True)
    last = lines[-LOOKED_AT:]
    end = len(lines) if sample.is_whole else -1
    cut = cut_text(b"".join(last), marks, first=end - len(last) + 1)
    return [row for row in cut.rows(0, LOOKED_AT) if not row.is_comment], end
