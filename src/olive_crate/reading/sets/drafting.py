"""A plan drafted for the files of a set: what all of them have in common, with the evidence.

Decisions in which files differ are left out of the plan: each file is found by itself, today and
next month. Types are those of all rows of all files.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, TypeVar

import msgspec

from ...declaration.variable import Variable
from ...evidence import Evidence
from ...plan.model import Decisions
from ...sources.sets import Files
from ...workers import Progress
from ..decided import with_others
from .combining import Combined, about_files
from .loading import SetRead, read_set
from .survey import Survey

S = TypeVar("S", bound=msgspec.Struct)


def draft_set(files: Files, plan: Decisions, progress: Progress | None = None) -> Decisions:
    """Read all files of a set and write down how they would be read together."""
    read = read_set(files, plan, progress, keeping=False)
    found, combined = read.survey, read.combined
    every = [each.found.plan for each in found.files]
    usual = every[0]
    made = msgspec.structs.replace(
        found.plan,
        delimited=_shared(found.plan.delimited, [each.delimited for each in every]),
        rows=_shared(found.plan.rows, [each.rows for each in every]),
        variables=tuple(_drafted(found, each) for each in combined.values()),
        keep=tuple(combined) if found.not_kept else None,
        type=None,
        evidence=tuple(_evidence(read)),
        listed=True,
    )
    if all(each.layout == usual.layout for each in every):
        made = msgspec.structs.replace(made, layout=usual.layout)
    if all(each.fields == usual.fields for each in every):
        made = msgspec.structs.replace(made, fields=usual.fields, fixed=usual.fixed)
    return made


def _shared(given: S, every: Sequence[S]) -> S:
    """The parts of a section that are the same for all files, or that were given."""
    parts: dict[str, Any] = {}
    for name in given.__struct_fields__:
        values = [getattr(each, name) for each in every]
        same = all(value == values[0] for value in values)
        parts[name] = values[0] if same else getattr(given, name)
    return type(given)(**parts)


def _drafted(found: Survey, combined: Combined) -> Variable:
    """The declaration to write down; codes for all variables stay where they are declared."""
    variable, declared = combined.outcome.variable, combined.variable
    codes = len(combined.outcome.search.rule.codes) - len(declared.missing)
    return msgspec.structs.replace(
        variable, missing=variable.missing[: len(variable.missing) - codes]
    )


def _evidence(read: SetRead) -> Iterable[Evidence]:
    """What is known of the files, and of the variables by all of them."""
    yield from read.survey.evidence
    yield from about_files(read.receipts())
    yield from with_others([each for held in read.combined.values() for each in held.evidence])
