"""Open points of a plan as questions, and the plan with their answers.

The questions come from the evidence of a read of the source and from nothing else: what a plan file
says in its comments is not read. An answer changes the plan by the very declaration or option that
the evidence names, and is kept as a value, `keep as it is` included.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import msgspec

from ..declaration.codes import missing_codes
from ..declaration.settled import KEEP, Settled
from ..declaration.variable import Variable
from ..errors import PlanError
from ..evidence import Evidence, Mend, SuspectedCodes
from ..evidence.base import SETTLED_BY
from ..plan import declaring
from ..plan.model import Decisions, SheetSection, with_options
from ..plan.options import OPTIONS
from ..views import Worded
from .decided import without_settled


class Proposal(msgspec.Struct, frozen=True):
    """One answer to an open point."""

    kind: str
    """`keep`, `mend` or `alternative`."""
    value: str
    """What the decision is then."""
    mend: Mend | None = None
    """What is declared for it; `None` to keep the decision."""


class Case(msgspec.Struct, frozen=True):
    """A cell that a point is about, in its row."""

    row: int
    text: str
    beside: dict[str, str]
    """Cells of the variables on either side, by name."""
    file: str = ""


class OpenPoint(Worded, msgspec.Struct, frozen=True):
    """A decision that the source leaves open, with what it could be."""

    evidence: Evidence
    proposals: tuple[Proposal, ...]
    cases: tuple[Case, ...] = ()
    """Some cells that it is about."""
    readings: tuple[str, ...] = ()
    """Of an encoding: a word of the source as each proposal reads it."""

    @property
    def about(self) -> str:
        """The key of a plan that holds the decision."""
        return self.evidence.about

    @property
    def variable(self) -> str:
        """The variable that it is about; empty for the source as a whole."""
        return self.evidence.variable


Draft = Callable[[Decisions], Decisions]
"""Examines the source of a plan, and gives the plan with all that was found."""


def open_points(plan: Decisions, draft: Draft) -> list[OpenPoint]:
    """What the source of a plan leaves open and the plan has not answered, as questions.

    A written plan says all that a draft found. So its source is examined again as if nothing but
    the source were known, and what the plan decides as that draft does is still open. Questions
    about variables come from a draft that cuts the source as the plan says.
    """
    source = draft(_bare(plan))
    cut = _cut_otherwise(plan, source)
    if cut:
        source = draft(msgspec.structs.replace(_bare(plan), **cut))
    as_cut = draft(without_declarations(plan))
    found = [
        each
        for each in source.evidence
        if not each.variable and not _decides_otherwise(plan, source, each)
    ]
    found += [
        each
        for each in as_cut.evidence
        if each.variable and not _declares_otherwise(plan, as_cut, each)
    ]
    asked = [each for each in without_settled(found, plan.settled) if not each.answered]
    return [OpenPoint(each, _proposals(each)) for each in asked if not each.certain]


def _bare(plan: Decisions) -> Decisions:
    """A plan that says which source it is, and nothing that a draft finds."""
    kept = msgspec.structs.replace(
        Decisions(),
        source=msgspec.structs.replace(plan.source, encoding=None),
        table=plan.table,
        base=plan.base,
        reach=plan.reach,
        read_from=plan.read_from,
    )
    if plan.layout == "fixed":
        return msgspec.structs.replace(kept, fixed=plan.fixed, fields=plan.fields, layout="fixed")
    sheet = SheetSection(sheet=plan.sheet.sheet) if plan.sheet.sheet is not None else SheetSection()
    return msgspec.structs.replace(kept, sheet=sheet)


CUTS = {
    "source": ("encoding",),
    "sheet": ("sheet", "range", "block", "turned"),
    "delimited": ("delimiter", "quote", "escape", "comment"),
}
"""What parts a source into rows and cells; what else is asked depends on it."""


def _cut_otherwise(plan: Decisions, draft: Decisions) -> dict[str, Any]:
    """The sections of a bare plan with what this plan cuts in another way than its draft."""
    made = {}
    bare = _bare(plan)
    for section, keys in CUTS.items():
        own, other = getattr(plan, section), getattr(draft, section)
        changed = {
            key: value
            for key in keys
            if (value := getattr(own, key)) is not None and value != getattr(other, key)
        }
        if changed:
            made[section] = msgspec.structs.replace(getattr(bare, section), **changed)
    return made


def without_declarations(plan: Decisions) -> Decisions:
    """The plan without types, codes and levels; names remain."""
    bare = [
        Variable(each.name, from_=each.from_) if each.from_ is not None else None
        for each in plan.variables
    ]
    named = tuple(each for each in bare if each is not None)
    return msgspec.structs.replace(plan, variables=named, listed=False, evidence=())


def _decides_otherwise(plan: Decisions, draft: Decisions, evidence: Evidence) -> bool:
    """Does a plan say anything else than a draft, where a decision about the source lies?"""
    section, _, key = evidence.about.partition(".")
    if not hasattr(plan, section):
        return False
    own, other = getattr(plan, section), getattr(draft, section)
    if key:
        own, other = getattr(own, key, None), getattr(other, key, None)
    return own is not None and own != other


def _declares_otherwise(plan: Decisions, draft: Decisions, evidence: Evidence) -> bool:
    """Does a plan declare anything else of a variable, in the parts that settle a point?"""
    mine = {each.name: each for each in plan.variables}.get(evidence.variable)
    theirs = {each.name: each for each in draft.variables}.get(evidence.variable)
    if mine is None or theirs is None:
        return False
    if isinstance(evidence, SuspectedCodes):
        declared = {each.value for each in mine.missing or ()}
        return all(each.value in declared for each in evidence.suspects)
    parts = SETTLED_BY.get(evidence.about, ())
    return any(getattr(mine, part) != getattr(theirs, part) for part in parts)


def _proposals(evidence: Evidence) -> tuple[Proposal, ...]:
    made = [Proposal(KEEP, evidence.value)]
    if evidence.mend is not None:
        made.append(Proposal("mend", "", evidence.mend))
    for each in evidence.alternatives:
        options = evidence.settled_as(each)
        mend = Mend(options)
        if "variables" in options:
            mend = Mend(options["variables"][evidence.variable], evidence.variable)
        if mend not in [other.mend for other in made]:
            made.append(Proposal("alternative", each, mend))
    return tuple(made)


def settle(plan: Decisions, point: OpenPoint, answer: int | str | Mapping[str, Any]) -> Decisions:
    """The plan with a point answered.

    `answer` is the number of a proposal from 1, `"keep"`, the value of an alternative, or what is
    declared instead: parts of the variable's declaration, or options of the read. Codes are added
    to those that the variable has. Raises `PlanError` for an answer that is none of these.
    """
    if isinstance(answer, Mapping):
        mend: Mend | None = Mend(dict(answer), point.variable)
        told = "declared"
    else:
        chosen = _chosen(point, answer)
        mend, told = chosen.mend, chosen.value or (KEEP if chosen.mend is None else "declared")
    if mend is not None:
        parts = dict(mend.parts)
        if mend.variable:
            if parts.get("missing"):
                parts["missing"] = _with_codes(plan, mend.variable, parts["missing"])
            plan = declaring.declare(plan, mend.variable, parts)
        else:
            plan = with_options(plan, parts, OPTIONS)
    mine = Settled(point.about, point.variable, told)
    settled = (*(each for each in plan.settled if each != mine), mine)
    evidence = tuple(without_settled(list(plan.evidence), settled))
    return msgspec.structs.replace(plan, settled=settled, evidence=evidence)


def _with_codes(plan: Decisions, name: str, codes: Any) -> list[Any]:
    """Codes added to those that are declared: two points of one variable may give some each."""
    old = next((each.missing for each in plan.variables if each.name == name), ()) or ()
    new = missing_codes(codes, name)
    values = {each.value for each in new}
    return [*(each for each in old if each.value is None or each.value not in values), *new]


def _chosen(point: OpenPoint, answer: int | str) -> Proposal:
    if isinstance(answer, int) and 1 <= answer <= len(point.proposals):
        return point.proposals[answer - 1]
    for each in point.proposals:
        if answer in (each.kind if each.kind == KEEP else "", each.value) and answer != "":
            return each
    known = ", ".join(f'"{each.value or each.kind}"' for each in point.proposals)
    many = len(point.proposals)
    raise PlanError(f"there is no answer {answer!r}; known are 1 to {many}, or {known}")
