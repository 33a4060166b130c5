"""What a plan promises of the source that is read, ready to be held against the data."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from ..declaration.promises import Promised, checkable
from ..errors import PlanError, nearest
from ..evidence import PromiseNotChecked

if TYPE_CHECKING:
    from .promises import PromiseCheck
    from .state import Reading


def promise_check(reading: Reading) -> PromiseCheck | None:
    """The check of all promises; `None` where there is none.

    What cannot be judged by a part of the variables or rows is left out, and noted.
    """
    plan = reading.found.plan
    variables = [each.variable for each in reading.columns]
    if plan.promised == Promised() and not any(
        each.required or each.promised for each in variables
    ):
        return None
    from .promises import PromiseCheck  # wakes up Arrow's compute functions

    promised, left = checkable(plan.promised, reading.not_kept, plan.limit is not None)
    for each in left:
        note = PromiseNotChecked(promise=each.promise, names=each.names, lacking=each.lacking)
        if note not in reading.notes:
            reading.notes.append(note)
    totals = {
        name: _total_in_source(reading, name, total)
        for name, total in promised.totals.items()
        if isinstance(total, str)
    }
    return PromiseCheck(promised, variables, totals)


def _total_in_source(reading: Reading, name: str, where: str) -> float:
    """A control total that is in a row of the source, read as a cell of its variable."""
    from .loading import loaded

    found, row = reading.found, int(where.removeprefix("row "))
    kept = [each.variable.name for each in reading.columns]
    if name not in kept:
        raise PlanError(f'promised.totals: there is no variable "{name}"{nearest(name, kept)}')
    replace = msgspec.structs.replace
    alone = replace(found.plan, keep=(name,), order=None, promised=Promised(), limit=None)
    layout = found.layout.only_rows(row, row)
    column = loaded(replace(found, plan=alone, layout=layout)).columns[name]
    value = column.values[0].as_py() if len(column) == 1 else None
    if not isinstance(value, (int, float)):
        raise PlanError(f"promised.totals.{name}: {where} holds no number for it")
    return float(value)
