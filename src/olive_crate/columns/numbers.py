"""Cells to integers and numbers.

Plain numerals go through the kernel at once. What is left over is small in most files: blanks,
codes, and the other ways to write a number (grouped digits, currency signs, percent signs,
parentheses for negative, exponents), which are brought into plain form together and read again.
Numerals with more digits than can be read exactly that way are read one by one.
"""

from __future__ import annotations

import re
from functools import lru_cache

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import MissingCode
from ..declaration.patterns import late
from ..kernels.buffers import may_be_missing, numpy_of, writable
from ..kernels.spans import Cells
from ..kernels.types import EarlyResult, Flags, Ints, NumberRequest, NumbersRead, Writing
from .code_texts import words_for
from .column import NOTHING, Withheld, merged
from .rule import (
    IS_UNREADABLE,
    PRESENT,
    Converted,
    Rule,
    by_text,
    by_value,
    no_numeral,
    ranged,
    reason_of,
    texts_in,
)

CURRENCY = tuple(sign.encode("utf-8") for sign in "€$£¥₹₺₽₪")
SPACES = tuple(sign.encode("utf-8") for sign in (" ", "\t", "\u00a0", "\u202f", "\u2009"))
QUOTES = tuple(sign.encode("utf-8") for sign in ("'", "\u2019"))
NUMERAL = "0123456789+-eE"
"""What stands in numerals, apart from a decimal mark."""
NONE = np.zeros(0, np.int64)


def convert_numbers(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Take cells as `integer` or `number`."""
    whole = rule.kind == "integer"
    if rule.sign is not None:
        from .signs import sign_in_front  # which are declared, and rare

        cells = sign_in_front(cells, rule.sign)
    read = early if isinstance(early, NumbersRead) else _plain(cells, rule)
    values, reasons, most, left, span, place, worded, inexact = msgspec.structs.astuple(read)
    pending = np.flatnonzero(reasons == IS_UNREADABLE) if left else NONE
    if left:
        pending, deep, lost = _the_rest(cells, rule, pending, values, reasons)
        most, inexact = max(most, deep), inexact + lost
    held = NOTHING
    if rule.codes:
        reasons = writable(reasons)
        by_value(values, reasons, rule.codes, rule.decimal, rule.implied)
        if any(code.value is None for code in rule.codes):
            held = ranged(values, reasons, rule.codes)
        if whole and len(pending):
            pending, more = _coded_numbers(cells, rule, pending, reasons)
            held = merged([held, more])
    kind = pa.int64() if whole else pa.float64()
    validity = kernels.validity(reasons) if may_be_missing(reasons) else None
    if rule.codes or len(pending) != left:  # others than those were read or left out
        span = None
    made = kernels.masked(values, validity, kind)
    only = validity.only if validity else 0
    return Converted(made, reasons, pending, most, inexact, span, place, held, worded, only)


def _with_unit(cells: Cells, unit: str) -> Flags:
    """Which cells hold this sign in front of the number or behind it."""
    import pyarrow.compute as pc

    cells = cells.trimmed()
    texts = kernels.texts(cells.buffer, cells.starts, cells.ends)
    return numpy_of(pc.match_substring(texts, unit), False)


def _coded_numbers(
    cells: Cells, rule: Rule, pending: Ints, reasons: np.ndarray
) -> tuple[Ints, Withheld]:
    """Numbers that are no integers may still be codes; returns the cells left unread."""
    if all(code.value is not None for code in rule.codes):
        return pending, NOTHING
    rule = msgspec.structs.replace(rule, kind="number")
    done = convert_numbers(cells.at(pending), rule)
    hit = done.reasons > IS_UNREADABLE
    reasons[pending[hit]] = done.reasons[hit]
    return pending[~hit], Withheld(pending[done.ranged.cells], done.ranged.texts)


def number_request(rule: Rule) -> NumberRequest:
    """What the kernel is asked for."""
    whole = rule.kind == "integer"
    grouping = "" if rule.grouping == rule.decimal else rule.grouping
    writing = _writing(rule.codes, rule.strict, rule.unit, grouping)
    return NumberRequest(whole, ord(rule.decimal), rule.strict, rule.implied, writing)


@lru_cache(maxsize=256)
def _writing(codes: tuple[MissingCode, ...], strict: bool, unit: str, grouping: str) -> Writing:
    """What may stand in cells besides plain numerals."""
    signs = () if strict else (*CURRENCY, *SPACES)
    marks = grouping_marks(grouping) if grouping else ()
    return Writing(*words_for(codes), signs, unit.encode("utf-8"), marks)


def _plain(cells: Cells, rule: Rule) -> NumbersRead:
    """Plain numerals and blanks; what is neither is left."""
    asked = number_request(rule)
    if cells.grid is not None:
        return kernels.read_column(cells.buffer, *cells.grid, len(cells), asked)
    return kernels.read_numbers(cells.buffer, cells.starts, cells.ends, asked)


def _the_rest(
    cells: Cells, rule: Rule, pending: Ints, values: np.ndarray, reasons: np.ndarray
) -> tuple[Ints, int, int]:
    """Work through the cells that are no plain numerals; returns those left unread."""
    rest = cells.at(pending).trimmed()
    if rule.codes:
        code = by_text(rest, rule.codes)
        coded = code >= 0
        reasons[pending[coded]] = reason_of(0) + code[coded]
        pending, rest = pending[~coded], rest.at(np.flatnonzero(~coded))
    without: Ints = NONE
    if rule.unit and len(pending):
        has_unit = _with_unit(rest, rule.unit)
        without = pending[~has_unit]
        pending, rest = pending[has_unit], rest.at(np.flatnonzero(has_unit))
    plain = rule.strict and not (rule.unit or rule.grouping) and len(pending) <= kernels.FEW
    if plain and all(map(no_numeral(rule.decimal).match, texts_in(rest))):  # as nearly always
        return pending, 0, 0
    most = inexact = 0
    for reader in (_other_forms, _one_by_one):
        if not len(pending):
            break
        read, good, decimals, lost = reader(rest, rule)
        values[pending[good]] = read[good]
        reasons[pending[good]] = PRESENT
        most, inexact = max(most, decimals), inexact + lost
        pending, rest = pending[~good], rest.at(np.flatnonzero(~good))
    return np.sort(np.concatenate([pending, without])), most, inexact


def _other_forms(cells: Cells, rule: Rule) -> tuple[np.ndarray, Flags, int, int]:
    """Numerals with signs of currency or percent, in parentheses, grouped, or with an exponent."""
    from ..kernels.reference import numbers  # most files need none of this

    starts, ends = cells.starts.copy(), cells.ends.copy()
    negative = np.zeros(len(cells), bool)
    good = np.ones(len(cells), bool)
    if not rule.strict:
        negative = _without_adornment(cells, starts, ends)
    if rule.grouping:
        cells, good = _ungrouped(Cells(cells.buffer, starts, ends), rule)
        starts, ends = cells.starts, cells.ends
    mantissa_ends, exponent, fits = _exponents(cells, starts, ends)
    numerals = numbers.parse(cells.buffer, starts, mantissa_ends, ord(rule.decimal))
    if rule.implied:
        plain = numbers.with_implied(numerals, rule.implied).decimals
        written = np.where(mantissa_ends == ends, plain, numerals.decimals)
        numerals = msgspec.structs.replace(numerals, decimals=written)
    values, exact = numbers.floats(numerals, exponent)
    exact &= fits & good & (starts < ends)
    if rule.strict and numerals.padded is not None:
        exact &= ~numerals.padded
    values = np.where(negative, -values, values)
    decimals = numerals.most_decimals()
    if rule.kind == "integer":
        if rule.strict:
            exact &= (mantissa_ends == ends) & (numerals.decimals == 0)
        exact &= (values == np.floor(values)) & (np.abs(values) < 2.0**53)
        values = np.where(exact, values, 0).astype(np.int64)
    return values, exact, decimals, 0


def _without_adornment(cells: Cells, starts: Ints, ends: Ints) -> Flags:
    """Move starts and ends in past signs around the numeral; returns which are negative by them."""
    buffer = cells.buffer
    wrapped: Flags = (
        (buffer[starts] == ord("(")) & (buffer[ends - 1] == ord(")")) & (ends - starts > 2)
    )
    starts += wrapped
    ends -= wrapped
    minus = (buffer[starts] == ord("-")) & ~wrapped
    behind = starts + minus
    moved = behind.copy()
    for _ in range(2):
        for sign in (*CURRENCY, *SPACES):
            _strip_front(buffer, moved, ends, sign)
    advanced = moved > behind
    starts[advanced] = moved[advanced]
    for _ in range(2):
        for sign in (b"%", *CURRENCY, *SPACES):
            _strip_back(buffer, starts, ends, sign)
    negative: Flags = wrapped | (minus & advanced)
    return negative


def _strip_front(buffer: np.ndarray, starts: Ints, ends: Ints, sign: bytes) -> None:
    hit = ends - starts >= len(sign)
    for offset, byte in enumerate(sign):
        hit &= buffer[starts + offset] == byte
    starts += hit * len(sign)


def _strip_back(buffer: np.ndarray, starts: Ints, ends: Ints, sign: bytes) -> None:
    hit = ends - starts > len(sign)
    for offset, byte in enumerate(sign):
        hit &= buffer[ends - len(sign) + offset] == byte
    ends -= hit * len(sign)


def grouping_marks(grouping: str) -> tuple[bytes, ...]:
    """What may stand for a grouping mark: any kind of space for a space, either apostrophe."""
    own = grouping.encode("utf-8")
    for family in (SPACES[2:] + SPACES[:1], QUOTES):
        if own in family:
            return family
    return (own,)


def _ungrouped(cells: Cells, rule: Rule) -> tuple[Cells, Flags]:
    """Cells without their grouping marks, and which of them were grouped by threes (or not)."""
    lengths = cells.ends - cells.starts
    positions = kernels.ranges(cells.starts, lengths)
    text = cells.buffer[positions]
    mark = np.zeros(len(text), bool)
    head = np.zeros(len(text), bool)
    for sign in grouping_marks(rule.grouping):
        hit = np.ones(len(text), bool)
        for offset, byte in enumerate(sign):
            hit &= cells.buffer[positions + offset] == byte
        head |= hit
        for offset in range(len(sign)):
            mark[offset:] |= hit[: len(hit) - offset]
    last = np.cumsum(lengths)
    good = np.ones(len(cells), bool)
    owner = np.searchsorted(last, np.flatnonzero(head), side="right")
    digit = (text >= 48) & (text <= 57)
    stops = np.flatnonzero(~digit)
    ends_of = np.flatnonzero(head)
    for sign in grouping_marks(rule.grouping):
        if len(sign) > 1:
            ends_of = np.where(text[ends_of] == sign[0], ends_of + len(sign) - 1, ends_of)
    following = np.append(stops, len(text))[np.searchsorted(stops, ends_of, side="right")]
    following = np.minimum(following, last[owner])
    before = np.flatnonzero(head) - 1
    by_threes = (following - ends_of == 4) & (before >= (last - lengths)[owner]) & digit[before]
    in_order = _in_whole_part(text, digit | mark, last - lengths, owner, np.flatnonzero(head))
    good[owner[~(by_threes & in_order)]] = False
    buffer, starts, ends = kernels.squeezed(cells.buffer, cells.starts, cells.ends, ~mark)
    return Cells(buffer, starts, ends), good


def _in_whole_part(text: np.ndarray, usual: Flags, begins: Ints, owner: Ints, at: Ints) -> Flags:
    """Which marks stand where only digits and marks stand before, three digits at most at first."""
    if not len(at):
        return np.zeros(0, bool)
    first = begins + np.isin(text[np.minimum(begins, len(text) - 1)], (ord("-"), ord("+")))
    odd = np.append(0, np.cumsum(~usual))
    leading = np.append(True, owner[1:] != owner[:-1])[: len(owner)]
    is_short = ~leading | (at - first[owner] <= 3)
    return np.asarray(is_short & (odd[at] == odd[first[owner]]))


def _exponents(cells: Cells, starts: Ints, ends: Ints) -> tuple[Ints, Ints, Flags]:
    """Where the mantissa ends, the exponent, and whether it can be read."""
    lengths = np.maximum(ends - starts, 0)
    positions = kernels.ranges(starts, lengths)
    hits = np.flatnonzero((cells.buffer[positions] | 0x20) == ord("e"))
    mantissa_ends, exponent = ends.copy(), np.zeros(len(starts), np.int64)
    fits = np.ones(len(starts), bool)
    if len(hits):
        from ..kernels.reference import numbers

        owner = np.searchsorted(np.cumsum(lengths), hits, side="right")
        at = positions[hits]
        mantissa_ends[owner] = at
        tail = numbers.parse(cells.buffer, at + 1, ends[owner], 0)
        value, good = numbers.integers(tail)
        good &= np.abs(value) < 10_000
        exponent[owner] = np.where(good, value, 0)
        fits[owner] = good
    return mantissa_ends, exponent, fits


def _one_by_one(cells: Cells, rule: Rule) -> tuple[np.ndarray, Flags, int, int]:
    """Numerals that need more care than an exact power of ten allows."""
    values, good = np.zeros(len(cells)), np.zeros(len(cells), bool)
    if rule.kind == "integer" or not len(cells):
        return values, good, 0, 0
    mark = re.escape(rule.decimal)
    lead = "(?!0[0-9])" if rule.strict else ""
    form = late(rf"[+-]?{lead}([0-9]+(?:{mark}[0-9]*)?|{mark}[0-9]+)([eE][+-]?[0-9]+)?")
    texts = kernels.texts(cells.buffer, cells.starts, cells.ends).to_pylist()
    usual = f"{NUMERAL}{rule.decimal}"
    decimals = inexact = 0
    for index, text in enumerate(texts):
        plain = _plain_text(text, rule)
        if not plain.strip(usual) and form.fullmatch(plain):
            standard = plain.replace(rule.decimal, ".")
            scale = rule.implied if rule.implied and not set(".eE") & set(standard) else 0
            values[index], good[index] = float(f"{standard}e-{scale}" if scale else standard), True
            mantissa = re.split("[eE]", standard)[0]
            inexact += len(re.sub("[^0-9]", "", mantissa).strip("0")) > 17
            decimals = max(decimals, len(mantissa.partition(".")[2]))
    good &= np.isfinite(values)
    return values, good, decimals, inexact


def _plain_text(text: str, rule: Rule) -> str:
    if rule.strict:
        return text
    marks = "".join(sign.decode("utf-8") for sign in (*CURRENCY, *SPACES, b"%"))
    wrapped = text[:1] == "(" and text[-1:] == ")"
    text = f"-{text[1:-1]}" if wrapped else text
    if text[:1] == "-" and text[1:].lstrip(marks) != text[1:]:
        text = f"-{text[1:].lstrip(marks)}"
    text = text.strip(marks)
    mark = _either(rule)
    form = rf"([+-]?[0-9]{{1,3}}(?:{mark}[0-9]{{3}})+)([^0-9].*)?"
    if rule.grouping and (match := re.fullmatch(form, text)):
        text = re.sub(mark, "", match[1]) + (match[2] or "")
    return text


def _either(rule: Rule) -> str:
    return "(?:" + "|".join(re.escape(s.decode()) for s in grouping_marks(rule.grouping)) + ")"
