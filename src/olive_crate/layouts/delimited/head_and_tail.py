"""The first and the last rows of delimited text, cut as the marks say."""

from __future__ import annotations

import io
import itertools
from collections.abc import Sequence

from ...errors import LayoutError
from ...kernels.types import Dialect
from ...plan.rows import Rows
from ...sources.codecs import decoded
from ...sources.source import Source
from ..base import Row
from ..tally import Tally
from ..text.roles import as_utf8, heading_rows, without_mark
from ..text.sample import Sample
from .layout import DelimitedLayout
from .records import raw_blocks, records_as_text

LOOKED_AT = 200


def head_rows(text: bytes, whole: bool, marks: Dialect, rows: Rows) -> list[Row]:
    """The rows at the head of the source, titles too."""
    skip = min([*heading_rows(rows), rows.first or 1]) - 1 if rows.names else 0
    cut = _cut_rows(text, marks, skip)
    if skip == 0 and marks.quote and (not cut or _swallowed(cut, text)):
        cut = _cut_rows(text, Dialect(marks.delimiter, marks.blanks, comment=marks.comment), 0)
    return cut


def _cut_rows(text: bytes, marks: Dialect, skip: int, first: int = 1) -> list[Row]:
    source = Source("sample", None, len(text), lambda: io.BytesIO(text))
    layout = DelimitedLayout("utf-8", marks, 0, skip=skip, block=max(1, len(text)))
    rows: list[Row] = []
    try:
        for block in raw_blocks(source, layout, Tally()):
            beyond = min(len(block.structure.heads), LOOKED_AT)
            numbers = block.rows[:beyond].tolist()
            comments = block.structure.comments[:beyond].tolist()
            texts = records_as_text(block, 0, beyond)
            for number, is_comment, cells in zip(numbers, comments, texts, strict=True):
                if not is_comment:
                    rows.append(Row(number + first - 1, tuple(cells)))
    except LayoutError:
        pass  # a quote left open at the end of a sample
    return rows


def _swallowed(rows: Sequence[Row], text: bytes) -> bool:
    """Has a stray quote in a title made one record of very many lines?"""
    jumps = [after.number - row.number for row, after in itertools.pairwise(rows)]
    return max(jumps[:20], default=0) > 100


def tail_rows(sample: Sample, tail: bytes, encoding: str, marks: Dialect) -> list[Row]:
    """The last rows, numbered so that only differences mean something unless the file is small."""
    if sample.is_whole:
        return _last_rows(as_utf8(tail, encoding, True), marks)
    if encoding.lower().startswith(("utf-16", "utf-32")):
        tail = tail[len(tail) % 4 :]
    text = decoded(tail, without_mark(encoding, sample.head), True).encode("utf-8", "replace")
    cut = text.find(b"\n") + 1 or text.find(b"\r") + 1
    return _last_rows(text[cut:], marks)


def _last_rows(text: bytes, marks: Dialect) -> list[Row]:
    lines = text.splitlines(keepends=True)
    last = lines[-LOOKED_AT:]
    return _cut_rows(b"".join(last), marks, 0, len(lines) - len(last) + 1)
