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
    row = _well_quoted_row(sign, delimiter)
    lines = text[:ENOUGH].splitlines(keepends=True)[:QUOTED_LINES]
    whole = [line for line in lines if sign in line and line.count(sign) % 2 == 0]
    return any(
        sum(bool(row.fullmatch(each.rstrip(b"\r\n"))) for each in rows) >= WELL_QUOTED * len(rows)
        for rows in (whole, _put_together(lines, sign))
    )


def _well_quoted_row(sign: bytes, delimiter: str) -> re.Pattern[bytes]:
    """A row in which quotes stand around whole fields (RFC 4180, section 2)."""
    quote, mark = re.escape(sign), re.escape(delimiter.encode())
    field = rb"(?:[ ]*%b(?:[^%b]|%b%b)*%b[ ]*|[^%b%b\r\n]*)" % (*(quote,) * 6, mark)
    return re.compile(rb"%b(?:%b%b)*" % (field, mark, field))


def quotes_hold(text: bytes, marks: Dialect) -> bool:
    """Is every record in which quotes stand well quoted, if lines are put together by them?

    Then long records are long, and no stray quote has swallowed what follows it.
    """
    if not marks.quote or marks.escape or not marks.delimiter:
        return False
    sign = bytes([marks.quote])
    row = _well_quoted_row(sign, marks.delimiter.decode("utf-8"))
    records = _put_together(text.splitlines(keepends=True), sign)
    return bool(records) and all(row.fullmatch(each.rstrip(b"\r\n")) for each in records)


def quotes_lines(text: bytes, marks: Dialect) -> bool:
    """Are line ends quoted in the head of a text?"""
    if not marks.quote or bytes([marks.quote]) not in text:
        return False
    head = np.frombuffer(text, np.uint8, min(len(text), ENOUGH))
    is_open = np.cumsum(head == marks.quote, dtype=np.int32) & 1
    return bool(is_open[(head == FEED) | (head == RETURN)].any())


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
    row = _well_quoted_row(sign, marks.delimiter.decode("utf-8"))

    def badly(records: list[bytes]) -> int:
        held = (each for each in records if sign in each)  # others are well quoted
        return sum(len(each) for each in held if not row.fullmatch(each.rstrip(b"\r\n")))

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
