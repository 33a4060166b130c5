"""The rows at the head and the tail of delimited text, comments that hold the names among them."""

from __future__ import annotations

import io
import itertools
from collections.abc import Sequence

import msgspec

from ... import kernels
from ...errors import LayoutError
from ...evidence import NoHeading
from ...kernels.types import Dialect
from ...plan.rows import Rows
from ...sources.source import Sample, Source, decoded
from ..base import Row, Tally
from ..text.cells import is_value
from ..text.completing import as_utf8, heading_rows, without_mark
from ..text.decoding import filled
from ..text.heading import find_rows
from .quoting import from_a_record, quotes_hold, quotes_lines
from .reading import DelimitedLayout
from .records import raw_blocks, records_as_text

LOOKED_AT = 200
"""Rows that are looked at, at either end."""


SWALLOWED = 100
"""A record of more lines shows that a stray quote in a title has opened it."""


def usual_fields(rows: Sequence[Row]) -> int:
    counts = [len(row.cells) for row in rows if len(row.cells) > 1]
    if not counts:
        return 1
    return max(set(counts), key=lambda count: (counts.count(count), count))


def head_rows(text: bytes, whole: bool, marks: Dialect, rows: Rows) -> list[Row]:
    """The rows at the head of the source, titles too."""
    skip = min([*heading_rows(rows), rows.first or 1]) - 1 if rows.names else 0
    cut = _records(text, marks, skip, rows)
    jumps = [after.number - row.number for row, after in itertools.pairwise(cut[:21])]
    swallowed = not cut or max(jumps, default=0) > SWALLOWED
    if skip == 0 and marks.quote and swallowed and not quotes_hold(text, marks):
        plain = Dialect(marks.delimiter, marks.blanks, comment=marks.comment)
        cut = _records(text, plain, 0, rows)
    return cut


def _records(text: bytes, marks: Dialect, skip: int, rows: Rows) -> list[Row]:
    """The rows that are no comments, and comments that hold the names: declared, or found so.

    A comment just above the data, cut into as many words as they have fields, holds their names.
    """
    cut = _cut_rows(text, marks, skip)
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
    cut = _cut_rows(text, msgspec.structs.replace(marks, comment=b""), 0)
    return msgspec.structs.replace(row, cells=cut[0].cells if cut else ())


def _are_names(cells: Sequence[str], fields: int) -> bool:
    words = [cell.strip() for cell in cells]
    named = len(words) in (fields, fields - 1) and fields > 1
    return named and len({*words, ""}) == len(words) + 1 and not any(map(is_value, words))


def _cut_rows(
    text: bytes, marks: Dialect, skip: int, first: int = 1, most: int | None = LOOKED_AT
) -> list[Row]:
    """The rows of a piece of text, comments too."""
    source = Source("sample", None, len(text), lambda: io.BytesIO(text))
    layout = DelimitedLayout("utf-8", marks, 0, skip=skip, block=max(1, len(text)))
    rows: list[Row] = []
    try:
        for block in raw_blocks(source, layout, Tally()):
            count = len(block.structure.heads)
            beyond = count if most is None else min(count, most)
            numbers = block.rows[:beyond].tolist()
            comments = block.structure.comments[:beyond].tolist()
            texts = records_as_text(block, 0, beyond)
            for number, is_comment, cells in zip(numbers, comments, texts, strict=True):
                rows.append(Row(number + first - 1, tuple(cells), bool(is_comment)))
    except LayoutError:  # a quote left open at the end of a sample, if not before
        buffer, low, high = filled(text)
        end = kernels.cut(buffer, low, high, marks.quote).cut - low if marks.quote else 0
        return _cut_rows(text[:end], marks, skip, first, most) if 0 < end < len(text) else rows
    return rows


def tail_rows(
    sample: Sample, tail: bytes, encoding: str, marks: Dialect, most: int | None
) -> tuple[list[Row], int]:
    """The last rows and the number of the last line.

    Where the file was not read whole, rows are counted from its end: the last one is -1.
    """
    if sample.is_whole:
        text = as_utf8(tail, encoding, True)
    else:
        if encoding.lower().startswith(("utf-16", "utf-32")):
            tail = tail[len(tail) % 4 :]
        text = decoded(tail, without_mark(encoding, sample.head), True).encode("utf-8", "replace")
        text = text[text.find(b"\n") + 1 or text.find(b"\r") + 1 :]
        if quotes_lines(as_utf8(sample.head, encoding, False), marks):
            text = from_a_record(text, marks)
    lines = text.splitlines(keepends=True)
    last = lines if most is None else lines[-most:]
    end = len(lines) if sample.is_whole else -1
    rows = _cut_rows(b"".join(last), marks, 0, end - len(last) + 1, LOOKED_AT if most else None)
    return [row for row in rows if not row.is_comment], end
