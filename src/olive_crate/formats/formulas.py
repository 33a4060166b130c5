"""Texts that a spreadsheet would take for formulas when it opens a text file."""

from __future__ import annotations

from collections.abc import Iterator

import pyarrow as pa

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..declaration.patterns import late
from ..errors import PlanError, several

AS_IS, QUOTED = "as is", "quoted"
BEGINS, NUMBER = r"^[=+@\t\r-]", r"^[+-][0-9.,]+([eE][+-]?[0-9]+)?$"
"""How a formula begins, and what begins so and is none."""
_BEGINS, _NUMBER = late(BEGINS), late(NUMBER)
NAMED = 4


def checked_formulas(value: str) -> str:
    """`as is` or `quoted`. Raises `PlanError` for anything else."""
    if value not in (AS_IS, QUOTED):
        raise PlanError(f'formulas: expected "{AS_IS}" or "{QUOTED}", got {value!r}')
    return value


def is_formula(text: str) -> bool:
    """Would a spreadsheet work this text out?"""
    return bool(_BEGINS.match(text)) and not _NUMBER.match(text)


def guarded(text: str) -> str:
    """The text with an apostrophe before it if it would be worked out."""
    return f"'{text}" if is_formula(text) else text


def formula_notes(dataset: PlainDataset, formulas: str) -> list[str]:
    """What is to be said of such cells; nothing where there are none."""
    counts = dict(_counts(dataset))
    if not counts:
        return []
    names = ", ".join(list(counts)[:NAMED]) + (" …" if len(counts) > NAMED else "")
    cells = f"{several(sum(counts.values()), 'cell')} ({names})"
    if formulas == QUOTED:
        return [f"{cells} would be formulas in a spreadsheet; an apostrophe was put before each"]
    return [
        f'{cells} would be formulas in a spreadsheet that opens the file; formulas="{QUOTED}" puts '
        "an apostrophe before each"
    ]


def _counts(dataset: PlainDataset) -> Iterator[tuple[str, int]]:
    for variable in dataset.variables:
        count = int(is_formula(variable.name))
        for piece in dataset.column_pieces(variable.name):
            count += _count(piece)
        if count:
            yield variable.name, count


def _count(column: Column) -> int:
    import pyarrow.compute as pc

    count = 0
    if pa.types.is_duration(column.values.type):  # -PT5S
        below = pc.less(column.values.cast(pa.int64()), 0)
        count = int(pc.sum(below).as_py() or 0)
    for texts in (column.values, column.withheld.texts):
        kind = texts.type
        if pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type):
            texts = texts.cast(pa.string())
        if not pa.types.is_string(texts.type) or not len(texts):
            continue
        begins = pc.match_substring_regex(texts, BEGINS)
        numbers = pc.match_substring_regex(texts, NUMBER)
        count += int(pc.sum(pc.and_(begins, pc.invert(numbers))).as_py() or 0)
    return count
