"""Rows of an OpenDocument sheet that are in the usual form, taken past the parser.

A large sheet is a long run of rows of plain cells. The kernel reads such rows where they lie, and
the parser never sees them: what it is given is the document without them, which is well-formed as
the document is. Any other row is the parser's: with merged, hidden or covered cells, comments,
formatted texts, several paragraphs. Where bytes are no UTF-8, or the document names its elements
otherwise, the parser gets all.
"""

from __future__ import annotations

import re

import numpy as np

from ... import kernels
from ...declaration.patterns import late
from ...kernels.types import DocumentRows
from ...sources.ranges import MOST_COLUMNS, MOST_ROWS
from .grid import BOOLEAN, DATE, DATETIME, NUMBER, TEXT, TIME, Format
from .ods_cells import even, meaning
from .tables import CellPart

ROW, ROW_END = b"<table:table-row", b"</table:table-row>"
NAMESPACES = tuple(
    f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'.encode()
    for name in ("table", "office", "text")
)
KINDS = np.array([0, NUMBER, TEXT, BOOLEAN, DATE, TIME, DATETIME], np.uint8)
NUMBERS, TIMES = 1, 5
VALUES = {
    1: ("float", "value"),
    2: ("string", ""),
    3: ("boolean", "boolean-value"),
    4: ("date", "date-value"),
    5: ("time", "time-value"),
    6: ("date", "date-value"),
}
"""The value type of each type of the kernel, and where its value stands."""
ENTITY = late("&(amp|lt|gt|quot|apos);")
NAMED = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}


def are_usual(head: bytes) -> bool:
    """Does a document name its elements as the kernel expects it, in UTF-8?"""
    encoding = re.match(rb"\s*<\?xml[^>]*encoding=[\"\']([\w-]+)", head.lstrip(b"\xef\xbb\xbf"))
    known = encoding is None or encoding[1].lower() in (b"utf-8", b"us-ascii")
    return (
        known and head[:2] not in (b"\xff\xfe", b"\xfe\xff") and all(n in head for n in NAMESPACES)
    )


def usual_rows(data: bytes, at: int) -> DocumentRows | None:
    """The usual rows from here on, if there is one."""
    read = kernels.document_rows(data, at, len(data))
    if read is None or not read.height:
        return None
    return read if kernels.is_utf8(np.frombuffer(data, np.uint8), at, read.consumed) else None


def part_of(
    read: DocumentRows, row: int, forms: list[Format], places: list[int], which: np.ndarray
) -> CellPart:
    """The cells of usual rows, of which `row` lie above.

    `which` says for each cell what its style means: a place in `forms` and `places`.
    """
    kinds, text = KINDS[read.types], read.texts
    starts, ends = np.concatenate(([0], read.ends))[:-1], read.ends.copy()
    of_truth = np.array([form.kind == BOOLEAN for form in forms], bool)
    by_style = (read.types == TIMES) | ((read.types == NUMBERS) & of_truth[which])
    odd = np.concatenate((np.flatnonzero(by_style), np.array(read.special, np.int64)))
    made: list[bytes] = []
    size = len(text)
    for cell in kernels.distinct(odd).tolist():
        kind, value = VALUES[int(read.types[cell])]
        held = text[starts[cell] : ends[cell]].decode("utf-8", "replace")
        shown = even(ENTITY.sub(lambda match: NAMED[match[1]], held)) if not value else ""
        given = {"value-type": kind, value: held}
        kinds[cell], word = meaning(given, shown, forms[which[cell]])
        made.append(word.encode("utf-8", "replace"))
        starts[cell], ends[cell] = size, size + len(made[-1])
        size += len(made[-1])
    rows = read.rows.astype(np.int64) + row + 1
    part = CellPart(
        rows,
        read.columns.astype(np.int64),
        kinds,
        np.array(places, np.int64)[which],
        starts,
        ends,
        b"".join([text, *made]),
    )
    kept = (rows <= MOST_ROWS) & (read.columns <= MOST_COLUMNS) & (ends > starts)
    return part if kept.all() else part.chosen(kept)
