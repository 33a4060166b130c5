"""Evidence about alike variables as one line: a battery of sixty items is one point, not sixty."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import msgspec

from ..evidence import Evidence, SuspectedCodes
from .evidence import evidence_line, variable_words
from .mends import mend_of_several, mend_text
from .text import name_list

NAMED = 6
FEWEST = 3
"""So many variables with the same to say are one line."""
OF_NUMBERS = dict.fromkeys(map(ord, "0123456789.,:;\u2013"))
DIGITS, LONGEST_NUMBER = "0123456789", 9


class Line(NamedTuple):
    """What one line says, and the evidence that it stands for, the first of several."""

    words: str
    evidence: Evidence
    mend: str
    """What would mend it; empty for nothing."""


def lines_of(evidence: Iterable[Evidence]) -> list[Line]:
    """A line for each piece of evidence, or for all that say the same of several variables."""
    groups: dict[tuple[str, ...], list[Evidence]] = {}
    for place, each in enumerate(evidence):
        groups.setdefault(_key(each, place), []).append(each)
    lines: list[Line] = []
    for group in groups.values():
        if len(group) < FEWEST:
            lines += [Line(evidence_line(each), each, mend_text(each.mend)) for each in group]
        else:
            lines.append(_together(group))
    return lines


def _key(evidence: Evidence, place: int) -> tuple[str, ...]:
    """Alike are kinds and words, whatever the numbers in them."""
    if not evidence.variable:
        return (str(place),)
    words = variable_words(_alone(evidence)).translate(OF_NUMBERS)
    mend = "" if evidence.mend is None else str(evidence.mend.parts)
    return (type(evidence).__name__, str(evidence.certain), words, mend)


def _alone(evidence: Evidence) -> Evidence:
    """Without the names of the others, which the line names itself."""
    if isinstance(evidence, SuspectedCodes):
        return msgspec.structs.replace(evidence, also=())
    return evidence


def _together(group: list[Evidence]) -> Line:
    first, names = _alone(group[0]), [each.variable for each in group]
    words = {variable_words(_alone(each)) for each in group}
    such = "" if len(words) == 1 else " (of the first)"
    called, run = name_list(names, NAMED), ""
    if _is_run(names):
        called, run = (
            f"{names[0]} to {names[-1]} ({len(names)} variables)",
            f"{names[0]}..{names[-1]}",
        )
    mends = {str(each.mend.parts) for each in group if each.mend is not None}
    if first.mend is not None and len(mends) == 1:
        mend = mend_of_several(first.mend, run or names)
        return Line(f"{called}{such}: {variable_words(first)}", first, mend)
    return Line(f"{called}{such}: {variable_words(first)}", first, mend_text(first.mend))


def _is_run(names: list[str]) -> bool:
    """Are these numbered names without a gap?"""
    stems = [name.rstrip(DIGITS) for name in names]
    numbers = [name[len(stem) :] for name, stem in zip(names, stems, strict=True)]
    if not all(0 < len(number) <= LONGEST_NUMBER for number in numbers):
        return False
    found = list(zip(stems, map(int, numbers), strict=True))
    stem, start = found[0]
    return found == [(stem, start + place) for place in range(len(names))]
