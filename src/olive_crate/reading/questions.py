"""Open points of a plan as questions, with cells of the source to judge them by.

`settling` says which questions there are and what an answer does; here the source is read for them:
twice to draft (as if nothing were known, and as the plan cuts it), and once more for the cells of
the variables that are asked about.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from ..columns.cell_texts import shown_cells
from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..declaration.patterns import late
from ..errors import OliveCrateError
from ..evidence import EncodingFound, SuspectedCodes, TextBecause
from ..kernels.types import Flags, Ints
from ..plan.model import Decisions
from . import loading
from .preparing import source_named
from .settling import Case, OpenPoint, without_declarations
from .settling import open_points as points_of

CASES = 4
"""Cases that a question shows."""
BESIDE = 2
"""Variables on either side that a case shows."""
HEAD = 1 << 20
"""Bytes in which a word beyond ASCII is looked for."""
MOST_WORDS = 500
WORD = late(rb"(?<![A-Za-z\x80-\xff])[A-Za-z]*+[\x80-\xff][A-Za-z\x80-\xff]*")
AsPlan = Callable[[Decisions], Decisions]


def open_points(plan: Decisions, as_plan: AsPlan) -> list[OpenPoint]:
    """What the source of a plan leaves open, as questions with cells and readings."""
    nothing = as_plan(Decisions())
    found = points_of(plan, lambda each: loading.draft(as_plan(each), nothing, {}, None))
    asked = [each.variable for each in found if each.variable]
    if asked:
        dataset = loading.load(as_plan(without_declarations(plan)), nothing, {})
        found = [_with_cases(each, dataset) for each in found]
    return [_with_readings(each, as_plan(plan), nothing) for each in found]


def _with_cases(point: OpenPoint, dataset: PlainDataset) -> OpenPoint:
    if point.variable not in dataset.names:
        return point
    places = _places(point, dataset[point.variable])
    shown = _cases(dataset, point.variable, places[:CASES])
    return msgspec.structs.replace(point, cases=shown)


def _places(point: OpenPoint, column: Column) -> Ints:
    """The cells that a point is about; the first with a value where it is about all of them."""
    evidence = point.evidence
    found: Flags | None = None
    if isinstance(evidence, TextBecause):
        found = column.is_in([each.text for each in evidence.texts])
    elif isinstance(evidence, SuspectedCodes):
        values = [each.value for each in evidence.suspects]
        is_text = column.variable.type in ("text", "category")
        found = column.is_in([f"{each:g}" for each in values] if is_text else values)
    if found is None or not found.any():
        found = np.asarray(column.reasons == 0)
    return np.flatnonzero(found)


def _cases(dataset: PlainDataset, name: str, places: Ints) -> tuple[Case, ...]:
    """Cases by their rows: the cell in question, and those beside it."""
    at = dataset.names.index(name)
    beside = dataset.names[max(0, at - BESIDE) : at + BESIDE + 1]
    cells = {
        each: shown_cells(dataset[each].taken(places), len(places)) for each in (name, *beside)
    }
    numbers = dataset.source_rows
    rows = (places + 1 if numbers is None else numbers.at(places)).tolist()
    files = [] if numbers is None or not numbers.files else numbers.files_at(places)
    return tuple(
        Case(
            row,
            cells[name][number],
            {each: cells[each][number] for each in beside if each != name},
            files[number] if files else "",
        )
        for number, row in enumerate(rows)
    )


def _with_readings(point: OpenPoint, plan: Decisions, nothing: Decisions) -> OpenPoint:
    """An encoding's point, with a word of the source as each answer reads it."""
    if not isinstance(point.evidence, EncodingFound):
        return point
    try:
        source = source_named(plan, nothing, {}).source
        words = WORD.findall(source.head(HEAD)) if source is not None else []
    except OliveCrateError:
        return point
    names = [point.evidence.value, *(each.value for each in point.proposals[1:])]

    def read(word: bytes) -> tuple[str, ...]:
        return tuple(word.decode(name, "replace") for name in names)

    telling = max(words[:MOST_WORDS], key=lambda each: (len({*read(each)}), len(each)), default=b"")
    return msgspec.structs.replace(point, readings=read(telling)) if telling else point
