"""The parts of the names of a set's files as variables of what is packed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from ...columns.column import Column
from ...dataset.packed_set import PackedSource
from ...dataset.receipt import CellCounts
from ...sources.sets import Member
from ..source_columns import part_column
from .part_task import NamePart
from .survey import Survey


class NameColumn:
    """A part of the names of files as a variable: a cell for each text."""

    def __init__(self, column: Column, texts: Sequence[str | None]) -> None:
        self.column, self.variable = column, column.variable
        self._places = {text: place for place, text in enumerate(texts)}

    def in_file(self, parts: Mapping[str, str]) -> NamePart:
        """What it is in a file whose name has these parts."""
        text = parts.get(self.variable.name)
        return NamePart(self.column.taken(np.array([self._places[text]])), text)


def names_as_columns(
    found: Survey, kept: Sequence[PackedSource], current: Mapping[str, Member]
) -> list[NameColumn]:
    """The parts of the files' names as columns; those of files that were packed before too."""
    held = [each.member.parts for each in found.files]
    held += [each.name_parts for each in kept]
    made = []
    for part in found.parts:
        texts = [each.get(part) for each in held]
        known = set(texts)
        texts += {each.parts.get(part) for each in current.values()} - known
        made.append(NameColumn(part_column(found.plan, part, texts), texts))
    return made


def name_cells(named: NameColumn, sources: Iterable[PackedSource]) -> CellCounts:
    """What a part of the files' names became in the cases of all files."""
    valid, missing = 0, Counter[str]()
    for each in sources:
        why = named.in_file(each.name_parts).cell.why(0)
        if why is None:
            valid += each.rows
        elif each.rows:
            missing[why] += each.rows
    return CellCounts(named.variable.name, named.variable.type or "text", valid, dict(missing))
