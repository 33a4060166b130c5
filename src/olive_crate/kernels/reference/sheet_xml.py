"""The rows of a sheet's XML in the form that common writers produce, without a parser.

`<row r="2" …><c r="A2" s="1" t="s"><v>71</v></c>…</row>`: tags are found by their bracket
and told apart by the two characters behind it; addresses, styles and types stand at known places.
Whatever stands otherwise (prefixes, comments, cells without an address, rich text) makes it give
up, and the caller goes the long way, by a parser, to the same cells.
"""

from __future__ import annotations

import msgspec
import numpy as np

from ..types import PAD, Bytes, DocumentRows, Ints, NumberRequest, SheetRead, SheetRule
from .gather import squeezed
from .machine_words import fetch
from .numbers import read_numbers

NUMERIC, SHARED, FORMULA_TEXT, INLINE, LOGICAL, FAILED, ISO = range(7)
"""What a cell's attribute `t` says: n, s, str, inlineStr, b, e, d."""
TYPES = {"n": 0, "s": 1, "str": 2, "inlineStr": 3, "b": 4, "e": 5, "d": 6}
PRESERVED = b'<t xml:space="preserve">'
MOST_COLUMNS = 1 << 14
LT, GT, SLASH, QUOTE, SPACE = 60, 62, 47, 34, 32


class Scanned(msgspec.Struct, frozen=True):
    """The filled cells of a piece of XML; spans of their values point into its buffer."""

    rows: Ints
    columns: Ints
    styles: Ints
    types: Ints
    starts: Ints
    ends: Ints
    hidden: list[int]
    """Rows that are hidden."""


class _Irregular(Exception):
    """The XML is not in the usual form."""


def scan(buffer: Bytes, low: int, high: int, hiding: bool = True) -> Scanned | None:
    """Scan whole rows between two positions of a padded buffer; `None` if their form is unusual.

    With `hiding` false no row is looked at for being hidden.
    """
    try:
        return _scan(buffer, low, high, hiding)
    except _Irregular:
        return None


NUMBER, TEXT, ERROR = 1, 2, 4
LONG = 17
"""Characters of a numeral with a point and 16 digits."""
INDEX = NumberRequest(True, 0)


def read_sheet(buffer: Bytes, low: int, high: int, rule: SheetRule) -> SheetRead | None:
    """Scan whole rows and understand their cells; `None` if their form is unusual."""
    found = scan(buffer, low, high, rule.hiding)
    if found is None or (
        len(found.rows) and (found.rows.min() < 1 or found.columns.max() > MOST_COLUMNS)
    ):
        return None
    shared = np.flatnonzero(found.types == SHARED)
    own = np.flatnonzero(found.types != SHARED)
    packed, low_of, high_of = squeezed(
        buffer, found.starts[own], found.ends[own], np.ones(_total(found, own), bool)
    )
    starts, ends = np.zeros((2, len(found.rows)), np.int64)
    starts[own], ends[own] = low_of - PAD, high_of - PAD
    known = read_numbers(buffer, found.starts[shared], found.ends[shared], INDEX)
    good = (known.reasons == 0) & (known.values >= 0) & (known.values < len(rule.string_starts))
    index = known.values[good]
    starts[shared[good]], ends[shared[good]] = rule.string_starts[index], rule.string_ends[index]
    kinds = np.full(len(found.rows), TEXT, np.uint8)
    kinds[found.types == FAILED] = ERROR
    kinds[found.types == NUMERIC] = NUMBER
    style = np.minimum(found.styles, len(rule.format_kinds) - 1)
    plain = (found.types == NUMERIC) & (rule.format_kinds[style] == NUMBER)
    plain &= found.ends - found.starts < LONG
    final = plain | (found.types == SHARED) | (found.types == FAILED)
    filled = np.flatnonzero(ends > starts)
    place = found.rows * (1 << 15) + found.columns
    return SheetRead(
        found.rows[filled].astype(np.int32),
        found.columns[filled].astype(np.int16),
        kinds[filled],
        found.types[filled].astype(np.uint8),
        found.styles[filled].astype(np.int32),
        starts[filled],
        ends[filled],
        packed[PAD : len(packed) - PAD],
        np.flatnonzero(~final[filled]),
        found.hidden,
        int(np.count_nonzero(~good)),
        bool((np.diff(place[filled]) > 0).all()),
    )


def document_rows(buffer: bytes, low: int, high: int) -> DocumentRows | None:
    """Rows of an OpenDocument sheet; `None`: they are left to the parser."""
    return None


def read_strings(buffer: Bytes, low: int, high: int) -> tuple[Ints, Ints] | None:
    """Where the texts of `<si><t>…</t></si>` start and end; `None` if any stands otherwise."""
    at = np.flatnonzero(buffer[low:high] == LT) + low
    if len(at) % 4:
        return None
    item, text, text_end, item_end = at.reshape(-1, 4).T
    usual = (
        (buffer[item + 1] == ord("s"))
        & (buffer[item + 3] == GT)
        & (buffer[text + 1] == ord("t"))
        & (buffer[text_end + 1] == SLASH)
        & (buffer[text_end + 2] == ord("t"))
        & (buffer[item_end + 1] == SLASH)
        & (buffer[item_end + 2] == ord("s"))
    )
    spaced = buffer[text + 2] == SPACE
    usual &= spaced | (buffer[text + 2] == GT)
    for offset, char in enumerate(PRESERVED):
        usual &= ~spaced | (buffer[text + offset] == char)
    if not usual.all():
        return None
    starts = text + np.where(spaced, len(PRESERVED), 3)
    return starts, np.ascontiguousarray(text_end)


def _total(found: Scanned, at: Ints) -> int:
    return int((found.ends[at] - found.starts[at]).sum())


def _need(condition: bool | np.bool_) -> None:
    if not condition:
        raise _Irregular


def _scan(buffer: Bytes, low: int, high: int, hiding: bool) -> Scanned:
    at = np.flatnonzero(buffer[low:high] == LT) + low
    first, second = buffer[at + 1], buffer[at + 2]
    is_row = (first == ord("r")) & (second == ord("o"))
    is_cell = (first == ord("c")) & (second == SPACE)
    is_value = (first == ord("v")) & (second == GT)
    is_text = (first == ord("t")) & ((second == GT) | (second == SPACE))
    known = is_row | is_cell | is_value | is_text | (first == SLASH)
    known |= (first == ord("i")) & (second == ord("s"))
    known |= (first == ord("f")) & ((second == GT) | (second == SPACE) | (second == SLASH))
    known |= (first == ord("v")) & (second == SLASH)
    _need(known.all())
    row_at, cell_at = at[is_row], at[is_cell]
    numbers, digits_end = _row_numbers(buffer, row_at)
    row_of = np.cumsum(is_row)[is_cell] - 1
    _need(not len(row_of) or row_of[0] >= 0)
    columns, styles, types = _attributes(buffer, cell_at, numbers, digits_end, row_of)
    values = np.flatnonzero(is_value | is_text)
    owner = np.cumsum(is_cell)[values] - 1
    _need(not len(owner) or (owner[0] >= 0 and bool((np.diff(owner) > 0).all())))
    starts = at[values] + 3
    spaced = is_text[values] & (second[values] == SPACE)
    if spaced.any():
        starts[spaced] = _behind_preserved(buffer, at[values[spaced]])
    _need(not len(values) or values[-1] + 1 < len(at))
    ends = at[values + 1]
    _need((first[values + 1] == SLASH).all() and (second[values + 1] == first[values]).all())
    _need((is_text[values] == (types[owner] == INLINE)).all())
    return Scanned(
        numbers[row_of[owner]],
        columns[owner],
        styles[owner],
        types[owner],
        starts,
        ends,
        _hidden(buffer, low, high, row_at, numbers) if hiding else [],
    )


def _row_numbers(buffer: Bytes, row_at: Ints) -> tuple[Ints, Ints]:
    """The number of each row, and where its digits end."""
    start = row_at + 8
    for offset, char in enumerate(b'<row r="'):
        _need((buffer[row_at + offset] == char).all())
    value, end = _digits(buffer, start, 7)
    _need((buffer[end] == QUOTE).all() and (end > start).all())
    return value, end


def _digits(buffer: Bytes, start: Ints, most: int) -> tuple[Ints, Ints]:
    """The whole numbers that begin at these positions, and where they end."""
    value, end = np.zeros(len(start), np.int64), start.copy()
    going = np.ones(len(start), bool)
    for _ in range(most):
        byte = buffer[end]
        going &= (byte >= 48) & (byte <= 57)
        if not going.any():
            break
        value = np.where(going, value * 10 + byte - 48, value)
        end += going
    return value, end


def _attributes(
    buffer: Bytes, cell_at: Ints, numbers: Ints, digits_end: Ints, row_of: Ints
) -> tuple[Ints, Ints, Ints]:
    """Column, style and type of each cell."""
    _need(((fetch(buffer, cell_at + 2) & np.uint64(0xFFFFFFFF)) == _word(b' r="')).all())
    start = cell_at + 6
    one, two, three = buffer[start], buffer[start + 1], buffer[start + 2]
    has_two = two >= 65
    has_three = has_two & (three >= 65)
    _need(((one >= 65) & (one <= 90)).all())
    columns = one.astype(np.int64) - 64
    columns = np.where(has_two, columns * 26 + two - 64, columns)
    columns = np.where(has_three, columns * 26 + three - 64, columns)
    count = np.ones(len(numbers), np.int64)
    for power in range(1, 7):
        count += numbers >= 10**power
    held = count[row_of]
    end = start + 1 + has_two + has_three + held
    shift = (64 - 8 * held).astype(np.uint64)
    own = fetch(buffer, end - 8) >> shift
    _need((own == (fetch(buffer, digits_end - 8)[row_of] >> shift)).all())
    _need((buffer[end] == QUOTE).all())
    end += 1
    styles = np.zeros(len(cell_at), np.int64)
    types = np.zeros(len(cell_at), np.int64)
    styles, end = _style(buffer, end, styles)
    types, end = _type(buffer, end, types)
    styles, end = _style(buffer, end, styles)
    closed = buffer[end]
    _need(((closed == GT) | (closed == SLASH)).all())
    return columns, styles, types


def _word(text: bytes) -> np.uint64:
    return np.uint64(int.from_bytes(text, "little"))


def _style(buffer: Bytes, end: Ints, styles: Ints) -> tuple[Ints, Ints]:
    word = fetch(buffer, end) & np.uint64(0xFFFFFFFF)
    here = np.flatnonzero(word == _word(b' s="'))
    if not len(here):
        return styles, end
    value, behind = _digits(buffer, end[here] + 4, 6)
    _need((buffer[behind] == QUOTE).all())
    styles, end = styles.copy(), end.copy()
    styles[here], end[here] = value, behind + 1
    return styles, end


def _type(buffer: Bytes, end: Ints, types: Ints) -> tuple[Ints, Ints]:
    word = fetch(buffer, end)
    here = np.flatnonzero((word & np.uint64(0xFFFFFFFF)) == _word(b' t="'))
    if not len(here):
        return types, end
    types, end = types.copy(), end.copy()
    short = (word[here] >> np.uint64(32)) & np.uint64(0xFFFF)
    left = np.ones(len(here), bool)
    for name, number in TYPES.items():
        if len(name) == 1:
            hit = short == _word(name.encode() + b'"')
        else:
            hit = (short == _word(name[:2].encode())) & (buffer[end[here] + 4 + len(name)] == QUOTE)
        types[here[hit]] = number
        end[here[hit]] += 5 + len(name)
        left &= ~hit
    _need(not left.any())
    return types, end


def _behind_preserved(buffer: Bytes, at: Ints) -> Ints:
    for offset, char in enumerate(PRESERVED):
        _need((buffer[at + offset] == char).all())
    return at + len(PRESERVED)


def _hidden(buffer: Bytes, low: int, high: int, row_at: Ints, numbers: Ints) -> list[int]:
    text = buffer[low:high].tobytes()
    if b'hidden="1"' not in text and b'hidden="true"' not in text:
        return []
    found = []
    for place, number in zip((row_at - low).tolist(), numbers.tolist(), strict=True):
        tag = text[place : text.find(b">", place)]
        if b' hidden="1"' in tag or b' hidden="true"' in tag:
            found.append(number)
    return found


__all__ = [
    "PAD",
    "TYPES",
    "Scanned",
    "SheetRead",
    "SheetRule",
    "read_sheet",
    "read_strings",
    "scan",
]
