"""One cause, one finding: what another finding explains is not said again."""

from __future__ import annotations

import itertools

from msgspec.structs import replace

from ..evidence import Mend
from .findings import Finding
from .kinds import (
    BrokenPromise,
    ChangeOfScale,
    DatesAtAnEpoch,
    DatesFarOff,
    DatesInTheFuture,
    FarFromTheRest,
    ImpossibleTogether,
    KeptAsText,
    MisalignedBlock,
    OutOfOrder,
    SlippedDecimals,
    SuspectedCodesFound,
)

EXPLAINS: tuple[tuple[type[Finding], tuple[type[Finding], ...]], ...] = (
    (MisalignedBlock, (ImpossibleTogether, OutOfOrder)),
    (ChangeOfScale, (ImpossibleTogether,)),
    (SlippedDecimals, (ImpossibleTogether,)),
    (ImpossibleTogether, (SlippedDecimals,)),
    (SuspectedCodesFound, (ImpossibleTogether,)),
    (DatesAtAnEpoch, (ImpossibleTogether, OutOfOrder)),
    (DatesFarOff, (ImpossibleTogether, OutOfOrder)),
    (DatesInTheFuture, (ImpossibleTogether, OutOfOrder)),
    (ImpossibleTogether, (FarFromTheRest, OutOfOrder)),
)
"""A finding, and those that it explains where they are about the same rows and a variable of it."""


def with_one_mend(found: list[Finding]) -> list[Finding]:
    """Of texts among numbers and codes among these numbers one mend: all is declared at once."""
    kept = next((each for each in found if isinstance(each, KeptAsText) and each.mend), None)
    codes = next((each for each in found if isinstance(each, SuspectedCodesFound)), None)
    if kept is None or codes is None or kept.mend is None or codes.mend is None:
        return found
    parts = dict(kept.mend.parts)
    parts["missing"] = [*parts.get("missing", []), *codes.mend.parts["missing"]]
    whole = replace(kept, mend=Mend(parts, kept.mend.variable))
    same = replace(codes, mend=whole.mend)
    return [whole if each is kept else same if each is codes else each for each in found]


def without_echoes(found: list[Finding], group_starts: set[int]) -> list[Finding]:
    """The findings that no other one explains.

    Where groups of rows begin (a state, a species), figures change by nature.
    """
    gone = {
        id(each)
        for each in found
        if isinstance(each, ChangeOfScale) and each.rows[0] in group_starts
    }
    for one in found:
        if isinstance(one, ImpossibleTogether):
            gone.update(_both_far(one, found))
    about: dict[str, list[Finding]] = {}
    for each in found:
        for name in each.variables:
            about.setdefault(name, []).append(each)
    for cause, echoes in EXPLAINS:
        for one in found:
            if not isinstance(one, cause) or not one.rows or id(one) in gone:
                continue
            for each in itertools.chain(*(about[name] for name in one.variables)):
                if isinstance(each, echoes) and each is not one and _explained(each, one):
                    gone.add(id(each))
    promised = {
        name for each in found if isinstance(each, BrokenPromise) for name in each.variables
    }
    return [
        each
        for each in found
        if id(each) not in gone
        and not (isinstance(each, FarFromTheRest) and set(each.variables) <= promised)
    ]


def _both_far(relation: Finding, found: list[Finding]) -> set[int]:
    """Dates that are far off in both variables of a relation: they were exchanged."""
    far = [
        each
        for each in found
        if isinstance(each, DatesFarOff)
        and set(each.variables) <= set(relation.variables)
        and set(each.rows) <= set(relation.rows)
    ]
    return {id(each) for each in far} if len(far) > 1 else set()


def _explained(echo: Finding, cause: Finding) -> bool:
    """Are the rows of one those of the other, as far as they are shown, in a variable of both?"""
    if not set(echo.variables) & set(cause.variables) or not echo.rows:
        return False
    if cause.last_row:
        return bool(cause.rows[0] <= min(echo.rows) and max(echo.rows) <= cause.last_row)
    return set(echo.rows) <= set(cause.rows)
