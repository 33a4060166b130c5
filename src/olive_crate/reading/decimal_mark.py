"""The decimal and the grouping mark, judged by the whole source.

The head of a file says how its numbers are written, as far as it shows any: whole numbers may come
first and decimals later, small numbers first and grouped ones later, or only such as `1,234`, which
can be read two ways. After a pass over the source, the columns that stayed text although they hold
numbers in another writing tell what the head could not. If that settles the marks, the source is
read once more with them.
"""

from __future__ import annotations

import re
from collections import Counter

import msgspec

from .. import kernels
from ..columns.search import TypeSearch
from ..evidence import DecimalMark, Evidence, Example, GroupingMark
from ..kernels.row_numbers import listed
from ..layouts.base import Block
from ..layouts.text.decimal_mark import find_marks, number_form, shapes_of
from .state import ColumnReader, Reading

WEIGHT = 50
"""A text counts so many times at most, so that one that repeats does not outweigh the rest."""


class OtherMarksMet(Exception):
    """The source was read with marks that it does not use throughout; these shapes were met."""

    def __init__(self, shapes: Counter[str]) -> None:
        self.shapes = shapes
        super().__init__("the decimal and grouping marks have to be found again")


def check_marks(reading: Reading) -> None:
    """Raise `OtherMarksMet` if other marks make numbers of a column that these leave as text."""
    head, section = reading.found.shapes, reading.found.plan.delimited
    met = [each for each in reading.columns if _is_number_otherwise(each.search)]
    if head is None or not met:
        return
    shapes = head + shapes_of(_texts(each.search) for each in met)
    decimal, grouping = find_marks(shapes, section.delimiter or "")
    if decimal is None:
        return
    groups = section.grouping or "" if grouping is None else grouping.value
    if _is_certain(reading) and (decimal.value != section.decimal or section.grouping):
        return
    changed = (decimal.value, groups) != (section.decimal, section.grouping or "")
    if changed and _explains(met, decimal.value, groups):
        raise OtherMarksMet(shapes)


def _explains(columns: list[ColumnReader], decimal: str, grouping: str) -> bool:
    """Do these marks make a number of every cell of one of the columns?"""
    form = number_form(decimal, grouping)
    obstacles = (each.search.statistics.obstacles for each in columns)
    return any(not each.odd and all(map(form.fullmatch, each.texts)) for each in obstacles if each)


def _is_number_otherwise(search: TypeSearch) -> bool:
    obstacles = search.statistics.obstacles
    return (
        obstacles is not None
        and obstacles.count > obstacles.odd
        and obstacles.kind in ("integer", "number")
        and search.state.kind == "text"
        and not search.is_declared
    )


def _texts(search: TypeSearch) -> list[str]:
    obstacles = search.statistics.obstacles
    met = obstacles.texts if obstacles else {}
    return [text for text, (count, _) in met.items() for _ in range(min(count, WEIGHT))]


def _decimal(reading: Reading) -> DecimalMark | None:
    found = (each for each in reading.found.evidence if isinstance(each, DecimalMark))
    return next(found, None)


def _is_certain(reading: Reading) -> bool:
    """Has any number shown for certain what its decimal mark is?"""
    decimal = _decimal(reading)
    if decimal is None:
        return any(each.search.statistics.decimals for each in reading.columns)
    return decimal.certain or not _is_doubtful(decimal) or reading.proof is not None


def _is_doubtful(decimal: DecimalMark) -> bool:
    return not decimal.supporting and not decimal.against and bool(decimal.alternatives)


def is_open(reading: Reading) -> bool:
    """Does the head leave open which of two marks is the decimal one?"""
    decimal = _decimal(reading)
    return reading.found.shapes is not None and decimal is not None and _is_doubtful(decimal)


def look_for_proof(reading: Reading, block: Block) -> None:
    """Look for a number that can be read in one way only, where the head shows none."""
    section = reading.found.plan.delimited
    proof = _proof(section.decimal or ".", section.grouping or "")
    for each in reading.columns:
        numbers = each.search.state.kind in ("number", "integer")
        if not numbers and not _is_number_otherwise(each.search):
            continue
        cells = block.field(each.index).trimmed()
        texts = kernels.texts(cells.buffer, cells.starts, cells.ends)
        for row, text in zip(listed(block.rows), texts.to_pylist(), strict=True):
            if proof.fullmatch(text) and (reading.proof is None or row < reading.proof.row):
                reading.proof = Example(row, text)
                break


def _proof(decimal: str, grouping: str) -> re.Pattern[str]:
    point = re.escape(decimal)
    ways = [rf"\d*{point}(\d{{1,2}}|\d{{4,}})", rf"(\d{{4,}}|0\d*){point}\d*"]
    if grouping:
        group = re.escape(grouping)
        ways += [rf"\d{{1,3}}({group}\d{{3}}){{2,}}", rf"\d{{1,3}}({group}\d{{3}})+{point}\d*"]
    return re.compile(rf"[+-]?({'|'.join(ways)})")


def proven(reading: Reading) -> list[Evidence]:
    """The evidence about the source, with what the whole of it says of the marks."""
    proof = reading.proof
    if proof is None:
        return list(reading.found.evidence)
    settled = {
        "proven": True,
        "supporting": 1,
        "examples": (proof,),
        "certain": True,
        "alternatives": (),
    }
    return [
        msgspec.structs.replace(each, **settled)
        if isinstance(each, (DecimalMark, GroupingMark))
        else each
        for each in reading.found.evidence
    ]
