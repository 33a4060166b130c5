"""Cells as the text that a file holds: what is read back is the same value, or the same reason."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any

import numpy as np

from ..convert.dates import ANY_ZONED
from ..dataset import Column
from ..errors import PlanError, nearest
from ..variables import FIRST_CODE, Variable
from ..words import several

WAYS = ("codes", "blank")


def cell_words(column: Column, missing: str = "codes") -> list[str]:
    """The text of each cell.

    With `missing="codes"` a cell that a code made missing shows the code; with "blank" all missing
    cells are empty. Raises `PlanError` for missing cells whose text is not known any more.
    """
    if missing not in WAYS:
        raise PlanError(f'missing: there is no way "{missing}"{nearest(missing, WAYS)}')
    word = _writer(column.variable)
    texts = ["" if value is None else word(value) for value in column.values.to_pylist()]
    if missing == "codes":
        codes = _code_words(column)
        for row in np.flatnonzero(column.reasons > 1).tolist():
            texts[row] = codes[int(column.reasons[row])]
    return texts


def _code_words(column: Column) -> dict[int, str]:
    """The text of each reason that is met."""
    variable, words = column.variable, {}
    for number in np.unique(column.reasons[column.reasons > 1]).tolist():
        code = variable.missing[number - FIRST_CODE] if number >= FIRST_CODE else None
        if code is None or code.value is None:
            count = int(np.count_nonzero(column.reasons == number))
            kind = "unreadable" if code is None else f'missing by the range "{code}"'
            raise PlanError(
                f'"{variable.name}": {several(count, "cell")} {kind}, and the text that stood '
                'there is not kept; export with missing="blank", or declare single codes'
            )
        words[number] = str(code.value)
    return words


def _writer(variable: Variable) -> Callable[[Any], str]:
    if variable.type == "boolean":
        true = variable.true[0] if variable.true else "true"
        false = variable.false[0] if variable.false else "false"
        return lambda value: true if value else false
    if variable.type == "duration":
        return _duration
    if variable.type in ("date", "time", "datetime"):
        form = variable.format
        if form and form != ANY_ZONED:
            return lambda value: value.strftime(form)
        return lambda value: value.isoformat()
    return repr if variable.type == "number" else str


def _duration(value: dt.timedelta) -> str:
    """ISO 8601-1:2019, 5.5.2."""
    sign, rest = ("-", -value) if value < dt.timedelta(0) else ("", value)
    fraction = f".{rest.microseconds:06d}" if rest.microseconds else ""
    return f"{sign}P{rest.days}DT{rest.seconds}{fraction}S"
