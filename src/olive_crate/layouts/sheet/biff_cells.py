"""Cells of the binary form, all records of a kind at once."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from ... import kernels
from ...errors import SourceError
from ...kernels.reference.sheet_xml import FAILED, LOGICAL, NUMERIC, SHARED
from ...kernels.types import PAD, Bytes, Ints
from ...sources.limits import Limits
from .biff_text import unicode_text
from .grid import Format, GridCells
from .parser import PLAIN
from .pieces import Assembly
from .strings import Strings

NUMBER, RK, MULRK, LABEL_SST, LABEL = 0x203, 0x27E, 0xBD, 0xFD, 0x204
RSTRING, BOOL_ERR, FORMULA, STRING = 0xD6, 0x205, 0x06, 0x207
ERRORS = {
    0x00: "#NULL!",
    0x07: "#DIV/0!",
    0x0F: "#VALUE!",
    0x17: "#REF!",
    0x1D: "#NAME?",
    0x24: "#NUM!",
    0x2A: "#N/A",
}
"""Errors by their codes (MS-XLS, 2.5.10)."""
EXACT = float(2**53)
LAST_COLUMN = 255


class Records(NamedTuple):
    """Where the records of a sheet begin, by kind."""

    name: str
    """Of the workbook, for messages."""
    data: bytes
    places: dict[int, Ints]


class _Found(NamedTuple):
    """Raw cells: places, styles, kinds of values, and the values as texts."""

    rows: Ints
    columns: Ints
    styles: Ints
    types: Ints
    texts: pa.StringArray


def cells_of(
    sheet: Records,
    strings: Strings,
    formats: Sequence[Format],
    from_1904: bool,
    limits: Limits,
) -> GridCells:
    """All cells of a sheet."""
    raw = np.frombuffer(sheet.data, np.uint8)
    found = [
        _numbers(sheet, raw),
        _rk(sheet, raw),
        _mulrk(sheet, raw),
        _shared(sheet, raw),
        _labels(sheet),
        _truths(sheet, raw),
        *_formulas(sheet, raw),
    ]
    if sum(len(each.rows) for each in found) > limits.cells:
        raise SourceError(f"{sheet.name}: more than {limits.cells:,} cells; raise limits.cells")
    assembly = Assembly(strings, formats, from_1904, in_full=True)
    for each in found:
        if len(each.rows):
            if int(each.columns.max()) > LAST_COLUMN:
                raise ValueError("a cell beyond the last column")
            buffer, starts, ends = _spans(each.texts)
            places = (each.rows + 1, each.columns + 1, each.styles, each.types)
            assembly.add(buffer, *places, starts, ends)
    return assembly.cells()


def _spans(texts: pa.StringArray) -> tuple[Bytes, Ints, Ints]:
    _, offsets, data = texts.buffers()
    at = np.frombuffer(offsets, np.int32)[: len(texts) + 1].astype(np.int64)
    buffer = kernels.padded(memoryview(data)[: int(at[-1])] if data is not None else b"")
    return buffer, at[:-1] + PAD, at[1:] + PAD


def _at(sheet: Records, kind: int) -> Ints:
    return np.array(sheet.places.get(kind, ()), np.int64)


def _short(raw: Bytes, at: Ints) -> Ints:
    """Numbers of two bytes at these places."""
    return raw[at].astype(np.int64) | (raw[at + 1].astype(np.int64) << 8)


def _bytes_at(raw: Bytes, at: Ints, count: int) -> np.ndarray:
    return np.ascontiguousarray(raw[at[:, None] + np.arange(count)])


def _of(raw: Bytes, at: Ints, kind: int, texts: pa.StringArray) -> _Found:
    """Cells whose records begin with row, column and style."""
    types = np.full(len(at), kind, np.int64)
    return _Found(_short(raw, at), _short(raw, at + 2), _short(raw, at + 4), types, texts)


def _numbers(sheet: Records, raw: Bytes) -> _Found:
    at = _at(sheet, NUMBER)
    values = _bytes_at(raw, at + 6, 8).view("<f8").ravel()
    return _of(raw, at, NUMERIC, numerals(values))


def numerals(values: np.ndarray) -> pa.StringArray:
    """Numbers as the shortest numerals, whole ones without a point or an exponent."""
    with np.errstate(invalid="ignore"):
        whole = (values == np.floor(values)) & (np.abs(values) < EXACT)
    if whole.all():
        return pa.array(values.astype(np.int64)).cast(pa.string())
    texts = pa.array(values).cast(pa.string())
    if not whole.any():
        return texts
    import pyarrow.compute as pc

    plain = pa.array(values[whole].astype(np.int64)).cast(pa.string())
    return pc.replace_with_mask(texts, pa.array(whole), plain)


def _rk_values(raw: Bytes, at: Ints) -> np.ndarray:
    """Numbers in four bytes (2.5.217): whole or the upper half of a double, perhaps times 100."""
    packed = _bytes_at(raw, at, 4).view("<u4").ravel()
    whole = packed.view("<i4") >> 2
    double = ((packed & np.uint32(0xFFFFFFFC)).astype(np.uint64) << np.uint64(32)).view("<f8")
    values = np.where(packed & 2, whole.astype(np.float64), double)
    return np.where(packed & 1, values / 100, values)


def _rk(sheet: Records, raw: Bytes) -> _Found:
    at = _at(sheet, RK)
    return _of(raw, at, NUMERIC, numerals(_rk_values(raw, at + 6)))


def _mulrk(sheet: Records, raw: Bytes) -> _Found:
    """Several numbers side by side in a record (2.4.175)."""
    at = _at(sheet, MULRK)
    counts = (_short(raw, at - 2) - 6) // 6
    within = np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts, counts)
    start = np.repeat(at, counts)
    place = start + 4 + 6 * within
    values = _rk_values(raw, place + 2)
    columns = _short(raw, start + 2) + within
    types = np.full(len(start), NUMERIC, np.int64)
    return _Found(_short(raw, start), columns, _short(raw, place), types, numerals(values))


def _shared(sheet: Records, raw: Bytes) -> _Found:
    at = _at(sheet, LABEL_SST)
    which = _bytes_at(raw, at + 6, 4).view("<u4").ravel().astype(np.int64)
    return _of(raw, at, SHARED, pa.array(which).cast(pa.string()))


def _labels(sheet: Records) -> _Found:
    """Texts in records of their own (2.4.148), as older programs write them."""
    at = np.array(sorted([*sheet.places.get(LABEL, ()), *sheet.places.get(RSTRING, ())]), np.int64)
    texts = [unicode_text(sheet.data[place : place + 65_550], 6) for place in at.tolist()]
    return _of(np.frombuffer(sheet.data, np.uint8), at, PLAIN, pa.array(texts, pa.string()))


def _truths(sheet: Records, raw: Bytes) -> _Found:
    """Truth values and errors (2.4.24)."""
    at = _at(sheet, BOOL_ERR)
    wrong = raw[at + 7] != 0
    values = raw[at + 6].tolist()
    texts = [_wrong(v) if w else str(v) for v, w in zip(values, wrong.tolist(), strict=True)]
    found = _of(raw, at, LOGICAL, pa.array(texts, pa.string()))
    return found._replace(types=np.where(wrong, FAILED, LOGICAL).astype(np.int64))


def _wrong(code: int) -> str:
    return ERRORS.get(code, f"error {code}")


def _formulas(sheet: Records, raw: Bytes) -> list[_Found]:
    """The stored values of formulas (2.4.127); a text stands in a record behind."""
    at = _at(sheet, FORMULA)
    if not len(at):
        return []
    special = _short(raw, at + 12) == 0xFFFF
    kind = raw[at + 6]
    plain = at[~special]
    values = _bytes_at(raw, plain + 6, 8).view("<f8").ravel()
    found = [_of(raw, plain, NUMERIC, numerals(values))]
    odd = at[special & ((kind == 1) | (kind == 2))]
    wrong = raw[odd + 6] == 2
    pairs = zip(raw[odd + 8].tolist(), wrong.tolist(), strict=True)
    texts = pa.array([_wrong(value) if bad else str(value) for value, bad in pairs], pa.string())
    made = _of(raw, odd, LOGICAL, texts)
    found.append(made._replace(types=np.where(wrong, FAILED, LOGICAL).astype(np.int64)))
    worded = at[special & (kind == 0)]
    behind = _at(sheet, STRING)
    where = np.searchsorted(behind, worded)
    worded, where = worded[where < len(behind)], where[where < len(behind)]
    told = [_formula_text(sheet.data, place) for place in behind[where].tolist()]
    found.append(_of(raw, worded, PLAIN, pa.array(told, pa.string())))
    return found


def _formula_text(data: bytes, at: int) -> str:
    size = struct.unpack_from("<H", data, at - 2)[0]
    return unicode_text(data[at : at + size], 0)
