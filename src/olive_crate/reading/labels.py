"""Labels of many variables: from a mapping, or from a table of names and labels."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence

from ..declaration.variable import Variable
from ..errors import PlanError, nearest
from ..sources.opening import open_source
from .tables import text_rows


def labels_of(
    labels: Mapping[str, str] | str | os.PathLike[str], variables: Sequence[Variable]
) -> dict[str, str]:
    """The label of each variable by its name; a table may name it by its heading.

    Raises `PlanError` for a name that there is not, and for a table of other than two columns.
    """
    pairs = list(labels.items()) if isinstance(labels, Mapping) else _pairs(labels)
    known = {each.heading: each.name for each in variables} | {
        each.name: each.name for each in variables
    }
    found: dict[str, str] = {}
    for name, label in pairs:
        if known and name not in known:
            raise PlanError(f'labels: there is no variable "{name}"{nearest(name, known)}')
        if not isinstance(label, str):
            raise PlanError(f'labels: "{name}": expected a text, got {label!r}')
        found[known.get(name, name)] = label
    return found


def _pairs(path: str | os.PathLike[str]) -> list[tuple[str, str]]:
    headings, rows = text_rows(open_source(path), {})
    if len(headings) != 2:
        raise PlanError(f"{path}: expected two columns, names and labels; it has {len(headings)}")
    return [(cells[0].strip(), cells[1].strip()) for _, cells in rows]
