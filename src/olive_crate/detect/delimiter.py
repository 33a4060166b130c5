"""What separates the fields: the candidate that cuts the most rows alike."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from .. import kernels
from ..evidence import Evidence
from ..kernels.reference import PAD, Marks

CANDIDATES = ("\t", ";", "|", ",")
WORDS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe", "blanks": "runs of blanks"}
CLEARLY = 0.03


class _Cut(msgspec.Struct, frozen=True, eq=False):
    delimiter: str
    fields: int
    """The commonest number of fields in a row."""
    share: float
    """The share of rows that have it."""
    rows: int


def find_delimiter(text: bytes, final: bool, marks: Marks, more: Sequence[bytes] = ()) -> Evidence:
    """The delimiter; empty for a single column, `blanks` for runs of them.

    `more` are whole lines from the middle and the end of the file.
    """
    met = [each for each in CANDIDATES if any(each.encode() in piece for piece in (text, *more))]
    cuts = [_cut(text, final, delimiter, marks, more) for delimiter in met]
    good = [cut for cut in cuts if cut.fields > 1 and not _is_punctuation(cut, text)]
    best = max((cut.share for cut in good), default=0.0)
    if best < 0.7:
        blanks = _cut(text, final, "blanks", marks, more)
        if blanks.fields > 1 and blanks.share > max(best, 0.9) and blanks.rows > 1:
            good, best = [blanks], blanks.share
    chosen = next((cut for cut in good if cut.share >= best - CLEARLY), None)
    if chosen is None or chosen.share < 0.3:
        rows = _cut(text, final, CANDIDATES[0], marks, more).rows
        return Evidence("delimited.delimiter", "", "no delimiter: each row is one field", rows)
    others = tuple(
        f"{WORDS[cut.delimiter]} ({cut.fields} fields in {cut.share:.0%} of rows)"
        for cut in sorted(good, key=lambda cut: -cut.share)
        if cut is not chosen and cut.share > 0.3
    )
    agree = round(chosen.share * chosen.rows)
    return Evidence(
        "delimited.delimiter",
        chosen.delimiter,
        f"{agree:,} of {chosen.rows:,} rows looked at have {chosen.fields} fields",
        agree,
        chosen.rows - agree,
        alternatives=others,
        certain=chosen.share > max([0.9, *(cut.share + 0.1 for cut in good if cut is not chosen)]),
    )


def _is_punctuation(cut: _Cut, text: bytes) -> bool:
    """Commas with a blank behind nearly all of them, in rows that are not cut alike?"""
    mark = cut.delimiter.encode()
    return cut.share < 0.95 and text.count(mark + b" ") > 0.9 * text.count(mark)


def with_delimiter(marks: Marks, delimiter: str) -> Marks:
    """These marks with another delimiter."""
    blanks = delimiter == "blanks"
    return msgspec.structs.replace(
        marks, delimiter=b"" if blanks else delimiter.encode("utf-8"), blanks=blanks
    )


def field_counts(text: bytes, final: bool, marks: Marks) -> np.ndarray:
    """How many fields each record has, blank rows and comments left out."""
    buffer = kernels.padded(text)
    found = kernels.structure(buffer, PAD, PAD + len(text), marks, final)
    counts = np.diff(found.record)
    first = found.starts[found.record[:-1]]
    blank = (counts == 1) & kernels.blank(buffer, first, found.ends[found.record[:-1]])
    kept: np.ndarray = counts[~blank & ~found.comments]
    return kept


def _cut(
    text: bytes, final: bool, delimiter: str, marks: Marks, more: Sequence[bytes] = ()
) -> _Cut:
    by = with_delimiter(marks, delimiter)
    pieces = [field_counts(text, final, by), *(field_counts(piece, True, by) for piece in more)]
    counts = np.concatenate(pieces)
    if not len(counts):
        return _Cut(delimiter, 0, 0.0, 0)
    several = counts[counts > 1]
    fields, rows = 1, len(counts)
    if len(several):
        often = np.bincount(several)
        fields = int(several[often[several] == often.max()][0])  # of several, the one met first
        rows = int(often[fields])
    return _Cut(delimiter, fields, rows / len(counts), len(counts))
