"""Do the meanings of a variable and its values fit each other?"""

from __future__ import annotations

from ..columns.column import Column
from ..describe.meanings import unexplained, unused
from .findings import Finding
from .kinds import UnexplainedValuesFound, UnusedMeaningsFound


def meaning_findings(column: Column) -> list[Finding]:
    """Values that have no meaning although others have, and meanings that no value has."""
    found: list[Finding] = []
    names = (column.variable.name,)
    bare, idle = unexplained(column), unused(column)
    if bare is not None:
        found.append(
            UnexplainedValuesFound(severity="note", variables=names, count=bare.cells, values=bare)
        )
    if idle is not None:
        count = len(idle.meanings) + idle.others
        found.append(
            UnusedMeaningsFound(severity="note", variables=names, count=count, meanings=idle)
        )
    return found
