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
from typing import TYPE_CHECKING

import msgspec

from . import kernels
from .convert.finding import Finder
from .detect.marks import find_marks, number_form, shapes_of
from .evidence import Evidence, Example
from .records.fixedspans import Block
from .rownumbers import listed

if TYPE_CHECKING:
    from .reading import Reading, Slot

WEIGHT = 50


class MarksMet(Exception):
    """The source was read with marks that it does not use throughout; these shapes were met."""

    def __init__(self, shapes: Counter[str]) -> None:
        self.shapes = shapes
        super().__init__("the decimal and grouping marks have to be found again")


def check_marks(reading: Reading) -> None:
    """Raise `MarksMet` if other marks make numbers of a column that these leave as text."""
    settled = reading.settled
    head, section = settled.shapes, settled.plan.delimited
    if head is None:
        return
    met = [slot for slot in reading.slots if _is_number_otherwise(slot)]
    if not met:
        return
    shapes = head + shapes_of(_texts(slot.finder) for slot in met)
    found = {
        each.subject.partition(".")[2]: each for each in find_marks(shapes, section.delimiter or "")
    }
    if "decimal" not in found:
        return
    decimal = found["decimal"].value
    grouping = found["grouping"].value if "grouping" in found else ""
    grouping = section.grouping if grouping == "" and section.grouping else grouping
    if _is_certain(reading) and (decimal != section.decimal or section.grouping):
        return
    form = number_form(decimal, grouping)
    helped = any(
        not slot.finder.obstacles.odd and all(map(form.fullmatch, slot.finder.obstacles.texts))
        for slot in met
        if slot.finder.obstacles
    )
    if helped and (decimal, grouping) != (section.decimal, section.grouping or ""):
        raise MarksMet(shapes)


def _is_number_otherwise(slot: Slot) -> bool:
    finder = slot.finder
    obstacles = finder.obstacles
    return (
        obstacles is not None
        and obstacles.count > obstacles.odd
        and obstacles.kind in ("integer", "number")
        and finder.kind == "text"
        and not finder.declared
    )


def _texts(finder: Finder) -> list[str]:
    met = finder.obstacles.texts if finder.obstacles else {}
    return [text for text, (count, _) in met.items() for _ in range(min(count, WEIGHT))]


def _is_certain(reading: Reading) -> bool:
    """Has any number shown for certain what its decimal mark is?"""
    decimal = next(
        (each for each in reading.settled.evidence if each.subject == "delimited.decimal"), None
    )
    if decimal is not None and (decimal.certain or not _is_doubtful(decimal)):
        return True
    if decimal is not None:
        return reading.proof is not None
    return any(slot.finder.decimals for slot in reading.slots)


def _is_doubtful(decimal: Evidence) -> bool:
    return not decimal.supporting and not decimal.against and bool(decimal.alternatives)


def is_open(reading: Reading) -> bool:
    """Does the head leave open which of two marks is the decimal one?"""
    return reading.settled.shapes is not None and any(
        each.subject == "delimited.decimal" and _is_doubtful(each)
        for each in reading.settled.evidence
    )


def look_for_proof(reading: Reading, spans: Block) -> None:
    """Look for a number that can be read in one way only, where the head shows none."""
    section = reading.settled.plan.delimited
    proof = _proof(section.decimal or ".", section.grouping or "")
    for slot in reading.slots:
        if slot.finder.kind not in ("number", "integer") and not _is_number_otherwise(slot):
            continue
        cells = spans.field(slot.index).trimmed()
        texts = kernels.texts(cells.buffer, cells.starts, cells.ends)
        for row, text in zip(listed(spans.rows), texts.to_pylist(), strict=True):
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
        return list(reading.settled.evidence)
    told = []
    for each in reading.settled.evidence:
        if each.subject in ("delimited.decimal", "delimited.grouping"):
            claim = f'as "{proof.text}" in row {proof.row:,} shows'
            each = msgspec.structs.replace(
                each, claim=claim, supporting=1, examples=(proof,), certain=True, alternatives=()
            )
        told.append(each)
    return told
