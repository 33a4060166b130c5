"""Alike findings in a run of alike variables are one finding."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace

from ..evidence import Mend
from .findings import SHOWN, Finding
from .kinds import (
    ConstantVariable,
    EmptyVariable,
    HeapedValues,
    KeptAsText,
    MixedForms,
    SuspectedCodesFound,
)

FEWEST = 3
"""Alike findings from which on they are one; two with the same codes are enough."""


def grouped(found: list[Finding], names: Sequence[str]) -> list[Finding]:
    """The findings, alike ones of several variables as one."""
    groups: dict[Any, list[Finding]] = defaultdict(list)
    for each in found:
        alike = _alike(each)
        groups[id(each) if alike is None else (type(each).__name__, alike)].append(each)
    made: list[Finding] = []
    for alike, group in groups.items():
        few = 2 if isinstance(alike, tuple) and alike[0] == "SuspectedCodesFound" else FEWEST
        made += group if len(group) < few else [_one(group, names)]
    return made


def _alike(finding: Finding) -> Any:
    """What has to be the same in findings of one group; `None` for one that stands alone."""
    if len(finding.variables) != 1:
        return None
    if isinstance(finding, SuspectedCodesFound):
        fix = None if finding.mend is None else repr(finding.mend.parts)
        return tuple(each.value for each in finding.suspects), fix
    if isinstance(finding, KeptAsText):
        return finding.type, tuple(sorted(each.text for each in finding.texts)), finding.others
    if isinstance(finding, EmptyVariable):
        return tuple(finding.reasons)
    if isinstance(finding, HeapedValues):
        return finding.ends
    if isinstance(finding, MixedForms):
        return tuple(tuple(sorted(each.text for each in ways)) for ways in finding.words)
    return finding.value if isinstance(finding, ConstantVariable) else None


def _one(found: list[Finding], names: Sequence[str]) -> Finding:
    """Several findings as one of all their variables."""
    order = {name: place for place, name in enumerate(names)}
    found = sorted(found, key=lambda each: order[each.variables[0]])
    rows = sorted({row for each in found for row in each.rows})
    first = found[0]
    variables = tuple(each.variables[0] for each in found)
    mend = None if first.mend is None else Mend(first.mend.parts, variables=variables)
    changed: dict[str, Any] = {}
    if isinstance(first, SuspectedCodesFound):
        changed = {
            "low": min(each.low for each in found if isinstance(each, SuspectedCodesFound)),
            "high": max(each.high for each in found if isinstance(each, SuspectedCodesFound)),
            "suspects": _summed(found),
        }
    return replace(
        first,
        variables=variables,
        count=sum(each.count for each in found),
        rows=tuple(rows[:SHOWN]),
        mend=mend,
        **changed,
    )


def _summed(found: list[Finding]) -> tuple[Any, ...]:
    """The suspects of several variables with their counts together."""
    of_all = [each.suspects for each in found if isinstance(each, SuspectedCodesFound)]
    return tuple(
        replace(ways[0], count=sum(each.count for each in ways), away=min(e.away for e in ways))
        for ways in zip(*of_all, strict=True)
    )
