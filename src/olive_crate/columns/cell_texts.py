"""Cells as text: what a person reads in a table, and what a file holds."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import FIRST_CODE
from ..declaration.values import duration_text, value_text
from ..declaration.variable import Variable
from ..errors import Advice, PlanError, nearest, several
from ..kernels.buffers import numpy_of, or_empty
from ..kernels.types import Ints
from .column import Column
from .dates import ANY_ZONED
from .dictionary_encoding import decoded
from .rule import IS_NOT_IN_FILE

EPOCH = dt.datetime(1970, 1, 1, tzinfo=dt.UTC)
WAYS = ("codes", "null", "reasons")


def shown_cells(column: Column, count: int) -> list[str]:
    """The first cells of a column; a missing one shows its reason in brackets."""
    values = _as_python(column.values.slice(0, count))
    variable = column.variable
    return [
        f"[{column.why(index)}]" if value is None else shown_of(value, variable)
        for index, value in enumerate(values)
    ]


def _as_python(values: pa.Array) -> list[Any]:
    """Values as Python has them. (Arrow's way with moments in UTC wakes a data frame package.)"""
    kind = values.type
    if not pa.types.is_timestamp(kind) or kind.tz != "UTC" or kind.unit != "us":
        return list(values.to_pylist())
    micros = values.view(pa.int64()).to_pylist()
    return [None if each is None else EPOCH + dt.timedelta(microseconds=each) for each in micros]


def shown_of(value: Any, variable: Variable) -> str:
    """One value of a variable, rounded and cut as its declaration says for showing."""
    return value_text(value, variable.decimals)


def more_decimals(column: Column) -> int:
    """Values with more decimals than the declaration shows."""
    variable = column.variable
    if variable.type != "number" or variable.decimals is None:
        return 0
    numbers = numpy_of(column.values.drop_null())
    with np.errstate(over="ignore", invalid="ignore"):
        return int(np.count_nonzero(np.round(numbers, variable.decimals) != numbers))


def cell_texts(column: Column, missing: str = "codes") -> list[str]:
    """The text of each cell, as a file holds it: what is read back is the same value or reason.

    With `missing="codes"` a cell that a code made missing shows the code, and one that could not
    be read shows what stood there; else all missing cells are empty. Raises `PlanError` for
    missing cells whose text is not known any more.
    """
    checked_way(missing)
    texts: list[str] = [text or "" for text in value_texts(column).to_pylist()]
    if missing == "codes":
        cells, words = missing_texts(column)
        for cell, word in zip(cells.tolist(), words.to_pylist(), strict=True):
            texts[cell] = word
    return texts


def checked_way(missing: str) -> str:
    """One of the ways to hand on missing cells. Raises `PlanError` for another."""
    if missing not in WAYS:
        raise PlanError(f'missing: unknown choice "{missing}"{nearest(missing, WAYS)}')
    return missing


def value_texts(column: Column) -> pa.Array:
    """The text of each value, null where there is none."""
    values = decoded(column.values)
    if pa.types.is_string(values.type) or pa.types.is_large_string(values.type):
        return values
    if pa.types.is_int64(values.type):
        return values.cast(pa.string())
    word = writer(column.variable)
    if len(values) > 10_000 and not pa.types.is_boolean(values.type):
        encoded = values.dictionary_encode()
        texts = kernels.strings([word(each) for each in encoded.dictionary.to_pylist()])
        return pa.DictionaryArray.from_arrays(encoded.indices, texts).cast(pa.string())
    return kernels.strings([None if each is None else word(each) for each in values.to_pylist()])


def source_texts(column: Column) -> pa.Array:
    """What stood in each cell, empty where it was blank; raises as `missing_texts`."""
    import pyarrow.compute as pc

    values = value_texts(column)
    cells, texts = missing_texts(column)
    if len(cells):
        place = np.full(len(column), -1, np.int64)
        place[cells] = np.arange(len(cells))
        others = texts.take(kernels.arrow(place, place >= 0, pa.int64()))
        values = pc.coalesce(values, others.cast(values.type))
    return or_empty(values)


def missing_texts(column: Column) -> tuple[Ints, pa.Array]:
    """The cells that a code made missing, or that could not be read, and what stood there.

    Where a file lacks the variable, nothing stood. Raises `PlanError` where it is not known.
    """
    cells = np.flatnonzero((column.reasons > 1) & (column.reasons != IS_NOT_IN_FILE))
    texts = np.full(len(cells), None, object)
    reasons = column.reasons[cells]
    for number in kernels.distinct(reasons).tolist():
        code = column.variable.missing[number - FIRST_CODE] if number >= FIRST_CODE else None
        if code is not None and code.value is not None:
            texts[reasons == number] = value_text(code.value)
    place = np.searchsorted(cells, column.withheld.cells)
    texts[place] = column.withheld.texts.to_pylist()
    unknown = cells[[text is None for text in texts]]
    if len(unknown):
        raise PlanError(
            f'"{column.variable.name}": {several(len(unknown), "cell")} '
            f"{column.why(int(unknown[0]))}, and the packed file does not hold their text",
            Advice(
                "read the source again, or export with {}", 'missing="null"', "--missing-as null"
            ),
        )
    return cells, kernels.strings(texts.tolist())


def writer(variable: Variable) -> Callable[[Any], str]:
    """How a file holds values of this variable."""
    if variable.type == "boolean":
        true = variable.true[0] if variable.true else "true"
        false = variable.false[0] if variable.false else "false"
        return lambda value: true if value else false
    if variable.type == "duration":
        return duration_text
    if variable.type in ("date", "time", "datetime"):
        form = variable.format
        if form and form != ANY_ZONED:
            return lambda value: value.strftime(form)
        return lambda value: value.isoformat()
    return value_text
