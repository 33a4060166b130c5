"""Cells as text: what a person reads in a table, and what a file holds."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa

from . import kernels
from .codes import FIRST_CODE
from .columns import Column, decoded
from .convert.dates import ANY_ZONED
from .errors import PlanError, nearest
from .kernels.reference import Ints
from .variables import Variable
from .words import cut, several, width_of

WAYS = ("codes", "null", "reasons")


def shown_cells(column: Column, count: int) -> list[str]:
    """The first cells of a column; a missing one shows its reason in brackets."""
    values = column.values.slice(0, count).to_pylist()
    variable = column.variable
    return [
        f"[{column.why(index)}]" if value is None else shown_of(value, variable)
        for index, value in enumerate(values)
    ]


def shown_of(value: Any, variable: Variable) -> str:
    """One value of a variable, rounded and cut as its declaration says for showing."""
    text = shown(value, variable.decimals)
    return text if variable.width is None else cut(text, variable.width)


def shown(value: Any, decimals: int | None = None) -> str:
    """One value; a number with this many decimals, or with as many as it has."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        if decimals is not None and abs(value) < 1e15:
            return f"{value:.{decimals}f}"
        text = repr(value)
        return text[:-2] if text.endswith(".0") else text
    return str(value)


def hidden(column: Column) -> str:
    """What showing hides, in words: decimals rounded away, texts cut. Empty if nothing."""
    variable, values = column.variable, column.values
    if variable.type == "number" and variable.decimals is not None:
        numbers = values.drop_null().to_numpy()
        with np.errstate(over="ignore", invalid="ignore"):
            more = int(np.count_nonzero(np.round(numbers, variable.decimals) != numbers))
        if more:
            told = several(variable.decimals, "decimal")
            return f"{variable.name}: shown to {told}; {_have(more)} more"
    if variable.type in ("text", "category") and variable.width is not None:
        words = values.dictionary_encode() if not pa.types.is_dictionary(values.type) else values
        long = [width_of(word) > variable.width for word in words.dictionary.to_pylist()]
        places = words.indices.drop_null().to_numpy()
        more = int(np.count_nonzero(np.array([*long, False], bool)[places]))
        if more:
            told = several(variable.width, "character")
            return f"{variable.name}: shown to {told}; {_have(more)} more"
    return ""


def _have(count: int) -> str:
    return f"{count:,} value has" if count == 1 else f"{count:,} values have"


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
        raise PlanError(f'missing: there is no way "{missing}"{nearest(missing, WAYS)}')
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
    return pa.array(
        [None if each is None else word(each) for each in values.to_pylist()], pa.string()
    )


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
    return values.fill_null("") if values.null_count else values


def missing_texts(column: Column) -> tuple[Ints, pa.Array]:
    """The cells that a code made missing, or that could not be read, and what stood there.

    Raises `PlanError` where that is not known.
    """
    cells = np.flatnonzero(column.reasons > 1)
    texts = np.full(len(cells), None, object)
    reasons = column.reasons[cells]
    for number in np.unique(reasons).tolist():
        code = column.variable.missing[number - FIRST_CODE] if number >= FIRST_CODE else None
        if code is not None and code.value is not None:
            texts[reasons == number] = shown(code.value)
    place = np.searchsorted(cells, column.withheld.cells)
    texts[place] = column.withheld.texts.to_pylist()
    unknown = cells[[text is None for text in texts]]
    if len(unknown):
        raise PlanError(
            f'"{column.variable.name}": {several(len(unknown), "cell")} '
            f"{column.why(int(unknown[0]))}, and an older packed file did not keep what they held; "
            'read the source again, or hand on with missing="null"'
        )
    return cells, pa.array(texts.tolist(), pa.string())


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
    return shown


def duration_text(value: dt.timedelta) -> str:
    """ISO 8601-1:2019, 5.5.2."""
    sign, rest = ("-", -value) if value < dt.timedelta(0) else ("", value)
    fraction = f".{rest.microseconds:06d}" if rest.microseconds else ""
    return f"{sign}P{rest.days}DT{rest.seconds}{fraction}S"
