"""Quote, escape and comment characters, by what stands around them."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...evidence import CommentFound, EscapeFound, QuoteFound
from ...kernels.types import Dialect
from .delimiter import field_counts

ENOUGH = 64 << 10
COMMENTS = ("#", "//", "%", "!", "*")
SEPARATORS = b",;|\t"


def find_quote(pieces: Sequence[bytes]) -> QuoteFound | None:
    """The quote, where it is not the usual one; `None` for the usual one or none at all.

    The pieces are text from the head, the middle and the tail.
    """
    other = sum(_wrapped(piece[:ENOUGH], b"'") for piece in pieces)
    if other < 3 or other <= 2 * sum(_wrapped(piece[:ENOUGH], b'"') for piece in pieces):
        return None
    return QuoteFound(value="'", supporting=other)


def _wrapped(text: bytes, quote: bytes) -> int:
    """Fields that begin and end with this quote."""
    if quote not in text:
        return 0
    edge = rb"[" + SEPARATORS + rb"\r\n]"
    opening = quote + rb"(?:(?<=" + edge + quote + rb")|(?<=\A" + quote + rb"))"
    inside = rb"(?:[^" + quote + rb"]|" + quote + quote + rb"){0,200}?"
    pattern = opening + inside + quote + rb"(?=" + edge + rb"|$)"
    return len(re.findall(pattern, text))


def find_escape(pieces: Sequence[bytes], quote: str) -> EscapeFound | None:
    """A backslash that makes quotes literal."""
    if not quote:
        return None
    text = b"\n".join(piece[:ENOUGH] for piece in pieces)
    if b"\\" not in text:
        return None
    mark = re.escape(quote.encode())
    escaped = len(re.findall(rb"\\" + mark + rb"(?![" + SEPARATORS + rb"\r\n])", text))
    ends = len(re.findall(rb"\\" + mark + rb"(?=[" + SEPARATORS + rb"\r\n])", text))
    doubled = len(re.findall(rb"[^" + SEPARATORS + rb"\r\n]" + mark + mark, text))
    if escaped < 2 or escaped <= 2 * (doubled + ends):
        return None
    return EscapeFound(value="\\", supporting=escaped, against=doubled, certain=not doubled)


def find_comment(pieces: Sequence[bytes], marks: Dialect) -> CommentFound | None:
    """A prefix of lines that are not cut like the others; titles at the top count as such too."""
    met = [each for each in COMMENTS if any(_begins_lines(each.encode(), one) for one in pieces)]
    lines = [line for piece in pieces for line in piece.splitlines()] if met else []
    for prefix in met:
        begins = [line for line in lines if line.startswith(prefix.encode())]
        if not begins or len(begins) > 0.5 * len(lines):
            continue
        rest = b"\n".join(line for line in lines if not line.startswith(prefix.encode()))
        usual = field_counts(rest, True, marks)
        if not len(usual):
            continue
        width = max(set(usual.tolist()), key=usual.tolist().count)
        alike = any(field_counts(line, True, marks).tolist() == [width] for line in begins[:50])
        if width > 1 and not alike:
            return CommentFound(value=prefix, supporting=len(begins))
    return None


def _begins_lines(prefix: bytes, text: bytes) -> bool:
    """Does any line begin so?"""
    if prefix[:1] not in text:
        return False
    return text.startswith(prefix) or b"\n" + prefix in text or b"\r" + prefix in text
