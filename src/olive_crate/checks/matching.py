"""Rows of two datasets that belong together: by key, by rows of one source, or by position."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.cell_texts import value_texts
from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..dataset.taking import rows_of
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC
from ..kernels.buffers import numpy_of
from ..kernels.types import Ints
from ..plan.selecting import resolve

EXAMPLES = 10


class Matched(NamedTuple):
    """The rows that belong together on either side, and those that have no counterpart."""

    here: Ints
    there: Ints
    left_here: tuple[str, ...] = ()
    left_there: tuple[str, ...] = ()
    doubled_here: tuple[str, ...] = ()
    doubled_there: tuple[str, ...] = ()
    doubled_rows: tuple[int, int] = (0, 0)
    blank: tuple[int, int] = (0, 0)
    blank_here: tuple[str, ...] = ()
    blank_there: tuple[str, ...] = ()


def matched_rows(
    here: PlainDataset, there: PlainDataset, key: str | Sequence[str] | None
) -> Matched:
    """Match rows by a key, by the rows of one source, or by position."""
    if key is not None:
        return _by_key(here, there, resolve(key, [name for name in here.names if name in there]))
    if _same_source(here, there):
        _, own, other = np.intersect1d(_source_rows(here), _source_rows(there), return_indices=True)
    else:
        own = other = np.arange(min(here.rows, there.rows))
    left = [
        tuple(place_words(each, int(case)) for case in _others(each.rows, rows)[:EXAMPLES])
        for each, rows in ((here, own), (there, other))
    ]
    return Matched(own, other, left[0], left[1])


def _same_source(here: PlainDataset, there: PlainDataset) -> bool:
    """Are they parts of one source, of which one lacks rows that the other has?"""
    if here.rows == there.rows or here.source_rows is None or there.source_rows is None:
        return False
    return here.receipt.source == there.receipt.source and here.receipt.rows == there.receipt.rows


def _source_rows(dataset: PlainDataset) -> Ints:
    assert dataset.source_rows is not None
    return dataset.source_rows.keys(np.arange(dataset.rows))


def rows_of_source(whole: PlainDataset, part: PlainDataset) -> PlainDataset:
    """Of a source read again, the rows that a part of it has, if it is one."""
    if part.rows == part.receipt.rows or part.source_rows is None or whole.source_rows is None:
        return whole
    kept = np.flatnonzero(np.isin(_source_rows(whole), _source_rows(part)))
    return rows_of(whole, kept)


def _others(count: int, rows: Ints) -> Ints:
    """The cases that are not among these."""
    left = np.ones(count, bool)
    left[rows] = False
    return np.flatnonzero(left)


def _by_key(here: PlainDataset, there: PlainDataset, names: Sequence[str]) -> Matched:
    codes = _joint_codes(here, there, names)
    sides = ((here, codes[: here.rows]), (there, codes[here.rows :]))
    usable, doubled = [], []
    blank, again_rows, blanks = [], [], []
    for dataset, numbers in sides:
        missing = np.zeros(dataset.rows, bool)
        for name in names:
            missing |= dataset[name].reasons != 0
        _, first, back, counts = np.unique(
            numbers, return_index=True, return_inverse=True, return_counts=True
        )
        again = counts > 1
        again &= ~missing[first]
        doubled.append(tuple(_key_text(dataset, names, int(at)) for at in first[again][:EXAMPLES]))
        usable.append(np.flatnonzero(~missing & (counts[back] == 1)))
        blank.append(int(missing.sum()))
        first_blank = np.flatnonzero(missing)[:EXAMPLES]
        blanks.append(tuple(place_words(dataset, int(case)) for case in first_blank))
        again_rows.append(dataset.rows - blank[-1] - len(usable[-1]))
    own, other = (numbers[rows] for (_, numbers), rows in zip(sides, usable, strict=True))
    _, at_own, at_other = np.intersect1d(own, other, assume_unique=True, return_indices=True)
    order = np.argsort(at_own, kind="stable")
    rows_here, rows_there = usable[0][at_own[order]], usable[1][at_other[order]]
    left = [
        tuple(_key_text(dataset, names, int(case)) for case in np.setdiff1d(rows, kept)[:EXAMPLES])
        for dataset, rows, kept in (
            (here, usable[0], rows_here),
            (there, usable[1], rows_there),
        )
    ]
    return Matched(
        *(rows_here, rows_there, left[0], left[1], doubled[0], doubled[1]),
        doubled_rows=(again_rows[0], again_rows[1]),
        blank=(blank[0], blank[1]),
        blank_here=blanks[0],
        blank_there=blanks[1],
    )


def _joint_codes(here: PlainDataset, there: PlainDataset, names: Iterable[str]) -> Ints:
    """A whole number for each row of both, one side after the other, equal where keys are."""
    joined = np.zeros(here.rows + there.rows, np.int64)
    for name in names:
        texts = [comparable(each[name]) for each in (here, there)]
        encoded = pa.concat_arrays([each.cast(pa.large_string()) for each in texts])
        places = numpy_of(encoded.dictionary_encode().indices, -1)
        _, joined = np.unique(joined, return_inverse=True)
        joined = joined * (len(joined) + 1) + places.astype(np.int64) + 1
    return joined


def comparable(column: Column) -> pa.Array:
    """Texts that are equal where values are, whatever the type."""
    if pa.types.is_integer(column.values.type):  # exact beyond 2^53 too
        return column.values.cast(pa.string())
    if column.variable.type in NUMERIC:
        numbers = column.values.cast(pa.float64(), safe=False).dictionary_encode()
        words = kernels.strings([_number_text(each) for each in numbers.dictionary.to_pylist()])
        return pa.DictionaryArray.from_arrays(numbers.indices, words).cast(pa.string())
    plain = msgspec.structs.replace(column.variable, format=None, true=(), false=())
    return value_texts(msgspec.structs.replace(column, variable=plain))


def _number_text(number: float) -> str:
    """A number as text; a whole one as an integer has it."""
    return str(int(number)) if number.is_integer() else value_text(number)


def _key_text(dataset: PlainDataset, names: Sequence[str], case: int) -> str:
    return ", ".join(f"{name} {shown(dataset[name], case)}" for name in names)


def shown(column: Column, case: int) -> str:
    value = column.values[case].as_py()
    return f"[{column.why(case)}]" if value is None else value_text(value)


def place_words(dataset: PlainDataset, case: int) -> str:
    """The row of the source that a case came from, with its file if that is one of a set."""
    file = source_file(dataset, case)
    return f"row {source_row(dataset, case)}" + (f" of {file}" if file else "")


def source_file(dataset: PlainDataset, case: int) -> str:
    """The file of a set that a case came from; empty where there is one source."""
    rows = dataset.source_rows
    return "" if rows is None else rows.files_at(np.array([case]))[0]


def source_row(dataset: PlainDataset, case: int) -> int:
    rows = dataset.source_rows
    return case + 1 if rows is None else int(rows.at(np.array([case]))[0])
