"""A date or time that is declared, but not how it is written: the way that fails least is used."""

from __future__ import annotations

import msgspec

from ..kernels.spans import Cells
from .convert import TypedBlock, without_value
from .rule import Rule, base, words_of
from .statistics import Attempt
from .written import written

PROBE = 64
"""Cells by which the ways are found that are tried on every block."""


class DeclaredTime(msgspec.Struct, frozen=True, tag=True):
    """A date or time is declared; `misses` counts the cells that each way of writing fails on."""

    declared: str
    misses: dict[str, int] = {}

    @property
    def candidates(self) -> tuple[str, ...]:
        """The ways that fail least."""
        least = min(self.misses.values(), default=0)
        return tuple(kind for kind, count in self.misses.items() if count == least)

    @property
    def kind(self) -> str:
        return (*self.candidates, self.declared)[0]


def by_declared_time(
    cells: Cells, state: DeclaredTime, attempt: Attempt, rule: Rule
) -> tuple[TypedBlock, DeclaredTime]:
    """The block by the way that failed least so far, and the state after it."""
    misses = state.misses
    if not misses:
        _, filled = without_value(cells, rule)
        if not len(filled):
            return attempt(cells, state.declared), state
        misses = dict.fromkeys(_ways(cells.at(filled[:PROBE]), state.declared, attempt), 0)
    tried = {kind: attempt(cells, kind) for kind in misses}
    after = DeclaredTime(
        state.declared,
        {kind: misses[kind] + len(each.converted.unread) for kind, each in tried.items()},
    )
    return tried[after.kind], after


def _ways(probe: Cells, declared: str, attempt: Attempt) -> list[str]:
    """ISO 8601, unless few cells follow it and more follow another way."""

    def mostly(kind: str) -> bool:
        return 2 * len(attempt(probe, kind).converted.unread) <= len(probe)

    if mostly(declared):
        return [declared]
    others = [kind for kind in written(words_of(probe), packed=True) if base(kind) == declared]
    return [kind for kind in others if mostly(kind)] or [declared]
