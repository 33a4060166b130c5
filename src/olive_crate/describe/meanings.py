"""Do meanings and values fit each other?"""

from __future__ import annotations

import msgspec
import numpy as np

from ..columns.column import Column
from ..columns.meanings import meaning_counts, meaning_places
from ..declaration.values import value_text
from ..evidence import TextCount

MOST = 6
"""Values or meanings that are named; more are only counted."""


class UnexplainedValues(msgspec.Struct, frozen=True):
    """Values that have no meaning although others have."""

    values: tuple[TextCount, ...]
    """The commonest of them."""
    others: int
    """How many further values there are."""
    cells: int


class UnusedMeanings(msgspec.Struct, frozen=True):
    """Meanings that no value has."""

    meanings: tuple[str, ...]
    others: int


def unexplained(column: Column) -> UnexplainedValues | None:
    """Values without a meaning; `None` if there are none, or no value has a meaning."""
    variable = column.variable
    if not variable.meanings or not len(column):
        return None
    places = meaning_places(variable, column.values, column.reasons)
    bare = np.flatnonzero((places < 0) & (column.reasons == 0))
    if not len(bare):
        return None
    counted = column.values.take(bare).value_counts().to_pylist()
    counted.sort(key=lambda each: -each["counts"])
    named = tuple(TextCount(value_text(each["values"]), each["counts"]) for each in counted[:MOST])
    return UnexplainedValues(named, len(counted) - len(named), len(bare))


def unused(column: Column) -> UnusedMeanings | None:
    """Meanings that no value has; `None` if there are none."""
    variable = column.variable
    if not variable.meanings or not len(column):
        return None
    counts = meaning_counts(variable, column.values, column.reasons)
    found = [str(meaning) for meaning, count in counts if not count]
    return UnusedMeanings(tuple(found[:MOST]), len(found[MOST:])) if found else None
