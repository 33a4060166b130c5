"""Quotes in delimited text: whether they stand around whole fields, and over which lines.

A sample may begin and end anywhere, in the midst of a quoted field too. There every quote closes
what it seems to open. Only the shape of records tells: quotes stand around whole fields (RFC 4180,
section 2), so the right way to read a sample is the one that leaves fewer records badly quoted.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from ...kernels.types import Dialect

FEED, RETURN = 10, 13
ENOUGH = 64 << 10
"""Bytes of a sample that are looked at."""
QUOTED_LINES = 200
"""Lines looked at for how quotes stand."""
WELL_QUOTED = 0.5
"""A delimiter is no choice if it leaves quotes within fields in more than this share of rows."""


def quotes_well(text: bytes, delimiter: str, marks: Dialect) -> bool:
    """Do quotes stand around whole fields with this delimiter, in most rows that hold any?

    Rows are lines in which quotes are even, or lines put together until they are: the first way
    leaves out a line with a stray quote, the second reads what is quoted over several lines.
    """
    if not marks.quote or marks.escape or bytes([marks.quote]) not in text:
        return True
    sign = bytes([marks.quote])
    mark = delimiter.encode()
    lines = _first_lines(text[:ENOUGH])
    whole = [line for line in lines if sign in line and line.count(sign) % 2 == 0]
    return any(
        sum(_is_well_quoted(each, sign, mark) for each in rows) >= WELL_QUOTED * len(rows)
        for rows in (whole, _put_together(lines, sign))
    )


@lru_cache(maxsize=1)
def _first_lines(text: bytes) -> list[bytes]:
    """The first lines of a text, cached for all delimiters that are tried."""
    return text.splitlines(keepends=True)[:QUOTED_LINES]


def _is_well_quoted(record: bytes, sign: bytes, mark: bytes) -> bool:
    """Do quotes stand around whole fields of a record (RFC 4180, section 2)?

    Blanks may stand around the quotes; two quotes within a field are one that belongs to it.
    """
    pieces = record.rstrip(b"\r\n").split(sign)
    if len(pieces) % 2 == 0:
        return False
    outside = [mark + pieces[0], *filter(None, pieces[2:-1:2]), pieces[-1] + mark]
    if len(pieces) == 1:
        return True
    begins = all(_ends_with(each, mark) for each in outside[:-1])
    return begins and all(_starts_with(each, mark) for each in outside[1:])


def _ends_with(text: bytes, mark: bytes) -> bool:
    return text.endswith(mark) or text.rstrip(b" ").endswith(mark)


def _starts_with(text: bytes, mark: bytes) -> bool:
    return text.startswith(mark) or text.lstrip(b" ").startswith(mark)


def quotes_hold(text: bytes, marks: Dialect) -> bool:
    """Is every record in which quotes stand well quoted, if lines are put together by them?

    Then long records are long, and no stray quote has swallowed what follows it.
    """
    if not marks.quote or marks.escape or not marks.delimiter:
        return False
    sign = bytes([marks.quote])
    records = _put_together(text.splitlines(keepends=True), sign)
    return bool(records) and all(_is_well_quoted(e, sign, marks.delimiter) for e in records)


def quotes_lines(text: bytes, marks: Dialect) -> bool:
    """Are line ends quoted in the head of a text?"""
    if not marks.quote or bytes([marks.quote]) not in text:
        return False
    head = np.frombuffer(text, np.uint8, min(len(text), ENOUGH))
    quotes = np.flatnonzero(head == marks.quote)
    ends = np.flatnonzero((head == FEED) | (head == RETURN))
    return bool((np.searchsorted(quotes, ends) & 1).any())


def from_a_record(text: bytes, marks: Dialect) -> bytes:
    """Lines from the midst of a text, from where a record starts.

    The first line may stand in quotes, and then every quote opens what seems to be closed. Of both
    ways to read it, the one with fewer badly quoted records is right. The last record, which may
    go on behind the text, is left out; all of a text may be part of one field.
    """
    sign = bytes([marks.quote])
    if not marks.quote or marks.escape or not marks.delimiter or sign not in text:
        return text
    closing = re.search(rb"(?<!%b)%b(?:%b%b)*(?!%b)" % (*(re.escape(sign),) * 5,), text)
    behind = text.find(b"\n", closing.end()) + 1 if closing else 0

    def badly(records: list[bytes]) -> int:
        held = (each for each in records if sign in each)  # others are well quoted
        return sum(len(e) for e in held if not _is_well_quoted(e, sign, marks.delimiter))

    one, other = (_records(each, sign) for each in (text, text[behind:] if behind else b""))
    return b"".join(one if badly(one) <= badly(other) else other)


@lru_cache(maxsize=8)
def _records(text: bytes, sign: bytes) -> list[bytes]:
    """All records of a text, which several delimiters are tried on."""
    return _put_together(text.splitlines(keepends=True), sign, True)


def _put_together(lines: Sequence[bytes], sign: bytes, every: bool = False) -> list[bytes]:
    """Records that hold the sign an even number of times, of as many lines as that takes.

    With `every`, those without the sign too.
    """
    made: list[bytes] = []
    held: list[bytes] = []
    odd = False
    for line in lines:
        if not held and sign not in line:  # as most lines
            made += [line] if every else []
            continue
        odd ^= bool(line.count(sign) % 2)
        held.append(line)
        if not odd:
            record, held = b"".join(held), []
            if every or sign in record:
                made.append(record)
    return made
