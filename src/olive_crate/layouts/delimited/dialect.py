"""The dialect of delimited text: which characters separate, quote and escape fields."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec
import numpy as np

from ... import kernels
from ...declaration.patterns import late
from ...evidence import CommentFound, DelimiterFound, EscapeFound, QuoteFound, Rival
from ...kernels.types import PAD, Dialect
from ..text.cells import is_value
from .quoting import ENOUGH, FEED, RETURN, from_a_record, quotes_lines, quotes_well

CANDIDATES = ("\t", ";", "|", ",")
COLON = ":"
"""Separates where every row agrees and it is not within times or addresses."""
CLEARLY = 0.03
"""Candidates within this share of the best are as good; the one named first is taken."""
GOOD = 0.7
"""Where no candidate cuts this share of the rows alike, runs of blanks are tried."""
GOOD_BLANKS = 0.9
"""The share of rows that blanks must cut alike: they occur in any text."""
WORTH_NAMING = 0.3
"""A candidate that cuts a smaller share alike is no alternative."""
CERTAIN, AHEAD = 0.9, 0.1
"""A delimiter is certain above this share, and so far ahead of the next one."""
WEAK = 0.9
"""A delimiter that cuts a smaller share of the rows alike may be none."""
GROUPING = 0.95
"""A delimiter of which more than this share stand between groups of digits only groups them."""
RAGGED = 0.6
"""Rows cut short are still rows if this share of them holds the delimiter at all."""
COMMENTS = ("#", "//", "%", "!", "*")
SEPARATORS = b",;|\t:"
WITHIN_WORDS = late(rb"\d{1,2}:\d\d(:\d\d)?(?!\d)|://|\b[A-Za-z]:\\\\")
"""Colons of times, of addresses and of paths."""
ALIKE = 0.95
"""Marks with a blank behind them separate if so many rows have as many of them."""
TITLES = 5
"""So many rows above the block may be cut like it by chance."""
BETWEEN = 0.8
"""The share of lines in which colons must stand between fields."""
BEHIND = 0.95
"""Where blanks follow this share of the delimiters, they belong to them."""
FIRST_ARE_VALUES = 0.8
"""Where this share of rows begin with a value, a line that begins with a prefix is none."""
MOST_WITHIN = 0.5
"""More comments than this share of the rows of data do not stand among them."""
SEPARATING = (b",", b";", b"|", b"\t")
STAR = "*"
NO_PREFIX = "none"
NAMING_COMMENTS = ("#", "//", "%", "!")
"""Prefixes that may stand before the names of the columns."""


class _Cut(msgspec.Struct, frozen=True, eq=False):
    delimiter: str
    fields: int
    """The commonest number of fields in a row."""
    share: float
    """The share of rows that have it."""
    rows: int
    ragged: bool = False
    """The first row has the most fields, as a heading has over rows cut short."""
    block: float = 0.0
    """The share of rows with so many fields from the first such row to the last."""


def find_delimiter(
    text: bytes, final: bool, marks: Dialect, more: Sequence[bytes] = ()
) -> DelimiterFound:
    """The delimiter; empty for a single column, `blanks` for runs of them.

    `more` are whole lines from the middle and the end of the file.
    """
    met = [each for each in CANDIDATES if any(each.encode() in piece for piece in (text, *more))]
    cuts = [_cut(text, final, delimiter, marks, more) for delimiter in met]
    good = [cut for cut in cuts if cut.fields > 1]
    good = [cut for cut in good if cut.share == 1.0 or not _is_punctuation(cut, text)]
    if marks.quote and bytes([marks.quote]) in text:
        good = [cut for cut in good if quotes_well(text, cut.delimiter, marks)]
    best = max((cut.share for cut in good), default=0.0)
    if GOOD <= best < CERTAIN:
        cut = _rare(text, final, "blanks", marks, more)
        if cut is not None and cut.share == 1.0 and cut.fields > max(each.fields for each in good):
            good, best = [cut], 1.0  # blanks and tabs in turn, as it looked right on a screen
    if best < GOOD:
        for rare, least in ((COLON, 1.0), ("blanks", GOOD_BLANKS)):
            cut = _rare(text, final, rare, marks, more)
            alike = 0.0 if cut is None else cut.block if rare == COLON else cut.share
            if cut is not None and alike >= least and cut.share > best:
                good, best = [cut], cut.share
                break
    chosen = next((cut for cut in good if cut.share >= best - CLEARLY), None)
    if chosen is None or chosen.share < WORTH_NAMING:
        found = _cut(text, final, COLON, marks, more)
        doubt = (COLON,) if found.fields > 1 and found.block >= GOOD_BLANKS else ()
        rows = found.rows
        return DelimiterFound(rows=rows, supporting=rows, alternatives=doubt, certain=not doubt)
    rivals = [
        Rival(cut.delimiter, cut.fields, cut.share)
        for cut in sorted(good, key=lambda cut: -cut.share)
        if cut is not chosen and cut.share > WORTH_NAMING
    ]
    agree = round(chosen.share * chosen.rows)
    clear = max([CERTAIN, *(each.share + AHEAD for each in rivals)])
    return DelimiterFound(
        value=chosen.delimiter,
        rows=chosen.rows,
        fields=chosen.fields,
        rivals=tuple(rivals),
        supporting=agree,
        against=chosen.rows - agree,
        alternatives=tuple(each.delimiter for each in rivals),
        certain=chosen.share > clear or (chosen.ragged and not rivals),
    )


def _rare(
    text: bytes, final: bool, delimiter: str, marks: Dialect, more: Sequence[bytes]
) -> _Cut | None:
    """How a delimiter cuts that occurs in any text; `None` where it cannot be one."""
    if delimiter == COLON and not _between_fields(text):
        return None
    cut = _cut(text, final, delimiter, marks, more)
    if cut.fields < 2 or cut.rows < 2:
        return None
    return cut if delimiter != COLON or quotes_well(text, delimiter, marks) else None


def _between_fields(text: bytes) -> bool:
    """Do nearly all colons stand elsewhere than in times, addresses and paths?"""
    lines = [line for line in text[:ENOUGH].splitlines() if b":" in line]
    between = sum(b":" in WITHIN_WORDS.sub(b"", line) for line in lines)
    return between > BETWEEN * len(lines)


def blanks_follow(text: bytes, delimiter: str, marks: Dialect) -> bool:
    """Does a blank stand behind nearly all delimiters?"""
    mark, sign = delimiter.encode(), bytes([marks.quote])
    if delimiter in ("", "blanks", " ", "\t") or mark + b" " not in text:
        return False
    if marks.quote and sign in text and quotes_lines(text, marks):  # commas of whole paragraphs
        text = sign.join(text.split(sign)[::2])
    count = text.count(mark)
    return count > 1 and text.count(mark + b" ") >= BEHIND * count


def _is_punctuation(cut: _Cut, text: bytes) -> bool:
    """Commas with a blank behind nearly all of them, in rows that are not cut alike?"""
    mark = cut.delimiter.encode()
    prose = cut.delimiter == "," and cut.fields == 2  # commas occur once in many a sentence
    alike = cut.share if prose else cut.block
    return alike < ALIKE and text.count(mark + b" ") > 0.9 * text.count(mark)


def explains_rows(text: bytes, found: DelimiterFound) -> bool:
    """Is this a delimiter beyond doubt, so that the text need not be tried for aligned columns?"""
    cut, missed = found.supporting or 0, found.against
    by_mark = found.value not in ("", "blanks")
    clear = cut >= (WEAK if by_mark else 1.0) * (cut + missed)
    if found.value == "blanks" and b"  " in text:  # the same positions may be blank in all rows
        return False
    return bool(found.value) and clear and not (by_mark and _groups_digits(text, found.value))


def _groups_digits(text: bytes, delimiter: str) -> bool:
    """Is this a comma between digits only, with three behind it, as a grouping mark?"""
    if delimiter != ",":  # nobody groups digits by another one
        return False
    commas = text.count(b",")
    others = commas - GROUPING * commas
    start = text[: text.rfind(b"\n", 0, len(text) // 8) + 1]  # which mostly shows it
    for part in (start, text):
        chars = kernels.padded(part)  # nothing is a digit before the text, or behind it
        digit = chars - np.uint8(ord("0")) < 10
        three = digit[2:-3] & digit[3:-2] & digit[4:-1] & ~digit[5:]
        groups = np.count_nonzero((chars[1:-4] == ord(",")) & digit[:-5] & three)
        if part.count(b",") - groups >= others:
            return False
    return True


def with_delimiter(marks: Dialect, delimiter: str) -> Dialect:
    """These marks with another delimiter."""
    blanks = delimiter == "blanks"
    return msgspec.structs.replace(
        marks, delimiter=b"" if blanks else delimiter.encode("utf-8"), blanks=blanks
    )


def field_counts(text: bytes, final: bool, marks: Dialect) -> np.ndarray:
    """How many fields each record has, blank rows and comments left out."""
    buffer = kernels.padded(text)
    found = kernels.structure(buffer, PAD, PAD + len(text), marks, final)
    counts = np.diff(found.record)
    out = found.comments
    if (counts == 1).any():
        first = found.record[:-1]
        blank = kernels.blank(buffer, found.starts[first], found.ends[first])
        out = out | ((counts == 1) & blank)
    kept: np.ndarray = counts[~out]
    return kept


def _cut(
    text: bytes, final: bool, delimiter: str, marks: Dialect, more: Sequence[bytes] = ()
) -> _Cut:
    by = with_delimiter(marks, delimiter)
    if more and quotes_lines(text, by):  # a piece without a quote may be part of one field
        more = [from_a_record(each, by) for each in more if bytes([by.quote]) in each]
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
    many = int(counts.max())
    ragged = many > 2 and counts[0] == many and len(several) >= RAGGED * len(counts)
    block = 1.0 if rows == len(counts) else _block_share(np.flatnonzero(counts == fields))
    return _Cut(delimiter, fields, rows / len(counts), len(counts), bool(ragged), block)


def _block_share(held: np.ndarray) -> float:
    """The share of like rows from one of the first of them to the last; titles may be like them."""
    starts = range(min(TITLES, (len(held) + 1) // 2))
    shares = ((len(held) - at) / (held[-1] - held[at] + 1) for at in starts)
    return float(max(shares, default=0.0))


def find_quote(pieces: Sequence[bytes]) -> QuoteFound | None:
    """The quote, where it is not the usual one; `None` for the usual one or none at all.

    The pieces are text from the head, the middle and the tail.
    """
    if not any(b"'" in piece for piece in pieces):
        return None
    other = sum(_wrapped(piece[:ENOUGH], b"'") for piece in pieces)
    if other and all(_all_wrapped(piece[:ENOUGH]) for piece in pieces):
        return None
    if other < 3 or other <= 2 * sum(_wrapped(piece[:ENOUGH], b'"') for piece in pieces):
        return None
    return QuoteFound(value="'", supporting=other)


def _all_wrapped(text: bytes) -> bool:
    """Does every line begin and end with the usual quote?"""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return all(len(line) > 1 and line[0] == line[-1] == ord('"') for line in lines)


def _wrapped(text: bytes, quote: bytes) -> int:
    """Fields that begin and end with this quote."""
    if quote not in text:
        return 0
    edge = rb"[" + SEPARATORS + rb"\r\n]"
    opening = quote + rb"(?:(?<=" + edge + quote + rb")|(?<=\A" + quote + rb"))"
    inside = rb"(?:[^\r\n" + quote + rb"]|" + quote + quote + rb"){0,200}?"
    pattern = opening + inside + quote + rb"(?=" + edge + rb"|$)"
    return len(re.findall(pattern, text))


def find_escape(pieces: Sequence[bytes], quote: str) -> EscapeFound | None:
    """A backslash that makes quotes literal."""
    text = b"\n".join(piece[:ENOUGH] for piece in pieces)
    mark = re.escape(quote.encode())
    escaped = len(re.findall(rb"\\" + mark + rb"(?![" + SEPARATORS + rb"\r\n])", text))
    ends = len(re.findall(rb"\\" + mark + rb"(?=[" + SEPARATORS + rb"\r\n])", text))
    doubled = len(re.findall(rb"[^" + SEPARATORS + rb"\r\n]" + mark + mark, text))
    if escaped < 2 or escaped <= 2 * (doubled + ends):
        return None
    return EscapeFound(value="\\", supporting=escaped, against=doubled, certain=not doubled)


def find_comment(pieces: Sequence[bytes], final: bool, marks: Dialect) -> CommentFound | None:
    """A prefix of lines that are not data: cut unlike the others, or with other first fields.

    The delimiter is found anew without these lines. A line that is cut like the others may hold
    the names, if it is the last of the comments at the top.
    """
    met = [each for each in COMMENTS if any(each.encode() in piece for piece in pieces)]
    if met:
        begin = {byte for piece in pieces for byte in _first_bytes(piece)}
        met = [each for each in met if ord(each[0]) in begin]
    lines = [line for piece in pieces for line in piece.splitlines()] if met else []
    for prefix in met:
        mark = prefix.encode()
        if lines[0].startswith(mark) and lines[0][len(mark) : len(mark) + 1] in SEPARATING:
            continue  # the prefix is the name of the first column
        begins = [line for line in lines if line.startswith(mark)]
        others = [line for line in lines if line.strip() and not line.startswith(mark)]
        if not begins or not others or _within(lines, mark) > MOST_WITHIN * len(others):
            continue
        if prefix == STAR and not lines[0].startswith(mark):
            continue  # a footnote, rather
        rest = b"\n".join(others) + b"\n"
        by = with_delimiter(marks, find_delimiter(rest, final, marks).value)
        unlike = _without_names(lines, mark, prefix)
        if not _alike(unlike, rest, by):
            return CommentFound(
                value=prefix,
                supporting=len(begins),
                certain=bool(unlike),
                alternatives=() if unlike else (NO_PREFIX,),
            )
    return None


def _first_bytes(text: bytes) -> set[int]:
    """The bytes with which lines begin."""
    behind = np.frombuffer(text, np.uint8)
    ends = (behind[:-1] == FEED) | (behind[:-1] == RETURN)
    return {*text[:1], *behind[1:][ends].tolist()}


def _within(lines: Sequence[bytes], mark: bytes) -> int:
    """How many lines that begin so stand below the first that does not."""
    begin = [line.startswith(mark) for line in lines if line.strip()]
    return sum(begin[begin.index(False) :]) if False in begin else 0


def _only_above(lines: Sequence[bytes], mark: bytes) -> bool:
    """Do all lines that begin so stand above all others?"""
    begin = [line.startswith(mark) for line in lines if line.strip()]
    return begin == sorted(begin, reverse=True)


def _without_names(lines: Sequence[bytes], mark: bytes, prefix: str) -> list[bytes]:
    """The lines that begin so, but the last of those at the top, which may hold the names."""
    begins = [line for line in lines if line.startswith(mark)]
    held = begins[-1][len(mark) :].lstrip()[:1]
    if prefix in NAMING_COMMENTS and _only_above(lines, mark) and held.isalpha():
        return begins[:-1]
    return begins


def _alike(begins: Sequence[bytes], rest: bytes, marks: Dialect) -> bool:
    """Are these lines rows like the rest? Their first fields tell, where those are values."""
    usual = field_counts(rest, True, marks)
    if not len(usual):
        return True
    width = int(np.bincount(usual).argmax())
    first = [line.split(marks.delimiter or None, 1)[0] for line in rest.splitlines()[:50]]
    texts = [each.decode("utf-8", "replace").strip('" ') for each in first[1:] if each.strip()]
    if texts and sum(map(is_value, texts)) > FIRST_ARE_VALUES * len(texts):
        return False
    return any(field_counts(line, True, marks).tolist() == [width] for line in begins[:50])
