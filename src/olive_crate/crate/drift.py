"""What is new in a dataset against the one before: rows, variables, types, values, figures."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..columns.column import Column
from ..dataset.crates import Difference
from ..dataset.model import PlainDataset
from ..declaration.variable import NUMERIC
from ..describe.summary import summary

POINTS = 1.0
"""A share of missing cells is told if it has moved by more than so many percentage points."""
SHIFT = 0.25
"""A mean is told if it has moved by more than this part of the standard deviation before."""
MOST_VALUES = 1_000
"""New values of a variable that has more are not told."""
SHOWN = 5
"""New values that are named."""


def differences(before: PlainDataset, now: PlainDataset) -> tuple[Difference, ...]:
    """What is new, in the order of the variables."""
    found: list[Difference] = []
    if before.rows != now.rows:
        found.append(Difference("rows", "", before.rows, now.rows))
    found += [Difference("gone", name) for name in before.names if name not in now]
    for name in now.names:
        if name not in before:
            found.append(Difference("new", name, None, now[name].variable.type or "text"))
        else:
            found += _of_variable(name, before, now)
    return tuple(found)


def _of_variable(name: str, before: PlainDataset, now: PlainDataset) -> Iterator[Difference]:
    old, new = before.column_once(name), now.column_once(name)
    types = (old.variable.type or "text", new.variable.type or "text")
    if types[0] != types[1]:
        yield Difference("type", name, *types)
    yield from _missing(name, old, new)
    values = list(_values(name, old, new))
    yield from values
    if types[0] in NUMERIC and types[1] in NUMERIC:
        figures = _figures(name, before, now)
        yield from (each for each in figures if each.what != "range" or not values)


def _missing(name: str, old: Column, new: Column) -> Iterator[Difference]:
    """Reasons for missing cells whose share has moved, or that are new."""
    shares = [_shares(old), _shares(new)]
    for reason in dict.fromkeys([*shares[0], *shares[1]]):
        one, other = (each.get(reason, 0.0) for each in shares)
        if abs(one - other) > POINTS or (reason not in shares[0] and other):
            yield Difference("missing", name, one, other, reason=reason)


def _shares(column: Column) -> dict[str, float]:
    """The percentage of cells that are missing, by reason."""
    counts = np.bincount(column.reasons, minlength=1)
    total = max(1, len(column))
    made: dict[str, float] = {}
    for code in np.flatnonzero(counts).tolist():
        if code:
            case = int(np.flatnonzero(column.reasons == code)[0])
            reason = str(column.why(case))
            made[reason] = made.get(reason, 0.0) + 100.0 * int(counts[code]) / total
    return made


def _values(name: str, old: Column, new: Column) -> Iterator[Difference]:
    """Values that occur for the first time, of variables with few."""
    if (new.variable.type or "text") not in ("category", "text", "integer", "boolean"):
        return
    one, other = old.values.unique(), new.values.unique()
    if max(len(one), len(other)) > MOST_VALUES or 2 * len(other) > len(new):
        return  # names, numbers and texts, of which new ones are no news
    known = {str(each) for each in one.to_pylist()}
    met = [str(each) for each in other.to_pylist() if each is not None and str(each) not in known]
    if met and len(known) * 4 > len(met):
        yield Difference("values", name, values=tuple(sorted(met)[:SHOWN]), count=len(met))


def _figures(name: str, before: PlainDataset, now: PlainDataset) -> Iterator[Difference]:
    """A mean that has moved far, and values beyond those that there were."""
    old, new = summary(before, [name])[0], summary(now, [name])[0]
    if None in (old.mean, new.mean, old.sd) or old.sd is None:
        return
    if abs((new.mean or 0.0) - (old.mean or 0.0)) > SHIFT * old.sd:
        yield Difference("mean", name, old.mean, new.mean)
    if (new.min, new.max) != (old.min, old.max):
        wider = _below(new.min, old.min) or _below(old.max, new.max)
        if wider:
            yield Difference("range", name, (old.min, old.max), (new.min, new.max))


def _below(one: object, other: object) -> bool:
    return isinstance(one, (int, float)) and isinstance(other, (int, float)) and one < other
