"""Values impossible together, suggested by what nearly all cases hold to.

A start before an end, a lowest below a highest, a whole that is the sum of its parts: where all but
a handful of cases keep to such a relation and it could well be otherwise, those that do not are
named. A relation is looked for among a sample of the cases and then held against all.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations

import msgspec
import numpy as np

from ..kernels.types import Ints
from .distribution import drawn
from .findings import Finding, RowsOf
from .kinds import ImpossibleTogether, MisalignedBlock
from .seen import Seen

SAMPLE = 2_000
"""Cases in which relations are looked for."""
ENOUGH = 100
MOST_NUMBERS, MOST_DATES = 40, 20
"""Variables that are compared with each other."""
MOST_ORDERS = 60
"""Orders that are held against all cases; each reads two variables."""
BROKEN, HANDFUL = 0.003, 3
"""The share of cases that may break a relation, and how many at least."""
OTHERWISE = 0.1
"""How often unrelated cases have to break it, so that keeping to it says something."""
DEPTH = 0.3
"""How deep what breaks an order has to lie, as a quantile of how far apart the others are."""
FEW_DIFFERENT = 6
"""Variables of no more different values add up by chance."""
ADD_UP = 0.9
"""The share of cases in which parts have to add up to a whole."""
MOST_WRONG = 0.4
"""The share of cases whose parts may not add up, in a block that was joined one row off."""
ROUNDED = 0.6
"""How far a sum may be from its whole, in units of the last decimal."""
BLOCK = 5


class Sampled(msgspec.Struct, frozen=True, eq=False):
    """What is kept of a variable: its values in the sampled cases, NaN where there is none."""

    name: str
    kind: str
    values: np.ndarray
    unit: float
    """The last decimal."""


Full = Callable[[str], np.ndarray]
"""All values of a variable, NaN where there is none."""


def sample_places(count: int) -> Ints:
    """The cases that are sampled, at random: no pattern in their order can hide."""
    places = drawn(np.arange(count))
    return np.asarray(places[:: max(1, len(places) // SAMPLE)], np.int64)


def sampled(seen: Seen, places: Ints) -> Sampled | None:
    """A variable's values in the sample, where it is a number or a date."""
    if len(seen.values) < ENOUGH or (seen.values == seen.values[0]).all():
        return None
    values = np.full(len(places), np.nan)
    at = np.minimum(np.searchsorted(seen.cases, places), len(seen.cases) - 1)
    hit = seen.cases[at] == places
    values[hit] = seen.values[at[hit]]
    unit = 1.0
    if seen.kind == "number" and seen.values.dtype != np.int64:
        some = seen.values[:200]
        unit = next(
            (
                10.0**-d
                for d in range(6)
                if np.allclose(some * 10**d, np.round(some * 10**d), atol=1e-6)
            ),
            1e-6,
        )
    return Sampled(seen.name, seen.kind, values, unit)


def values_at(seen: Seen) -> np.ndarray:
    """The values of all cases, NaN where there is none."""
    made = np.full(len(seen.column), np.nan)
    made[seen.cases] = seen.values
    return made


def relation_findings(known: list[Sampled], full: Full, rows: RowsOf) -> list[Finding]:
    """What breaks the relations that nearly all cases keep to."""
    numbers = [each for each in known if each.kind == "number"][:MOST_NUMBERS]
    dates = [each for each in known if each.kind == "date"][:MOST_DATES]
    found: list[Finding] = []
    held: list[set[int]] = []
    for whole, parts in _sums(numbers):
        finding, cases = _broken_sum(whole, parts, full, rows)
        if finding is not None:
            found.append(finding)
            held.append(set(cases.tolist()))
    for first, last in [*_orders(dates, True), *_orders(numbers, False)][:MOST_ORDERS]:
        cases = _broken_order(first, last, full)
        if not len(cases) or any(set(cases.tolist()) <= known for known in held):
            continue
        held.append(set(cases.tolist()))
        found.append(
            ImpossibleTogether(
                severity="serious",
                sure=0.85,
                variables=(first.name, last.name),
                count=len(cases),
                rows=rows(cases),
                relation=f"{first.name} <= {last.name}",
            )
        )
    return found


def _orders(known: list[Sampled], dates: bool) -> list[tuple[Sampled, Sampled]]:
    """Pairs of which the first is hardly ever the greater, though it could be."""
    found = []
    for one, other in combinations(known, 2):
        for first, last in ((one, other), (other, one)):
            both = ~np.isnan(first.values) & ~np.isnan(last.values)
            count = int(np.count_nonzero(both))
            if count < ENOUGH or (not dates and first.unit != last.unit):
                continue
            a, b = first.values[both], last.values[both]
            broken = int(np.count_nonzero(a > b))
            if broken > max(HANDFUL, BROKEN * count) or (a == b).mean() > 0.5:
                continue
            by_chance = float(np.mean(np.searchsorted(np.sort(b), a) / count))
            if by_chance >= OTHERWISE or (dates and by_chance > 0) or (dates and broken):
                found.append((first, last))
    return found


def _broken_order(first: Sampled, last: Sampled, full: Full) -> Ints:
    """Cases in which the first is greater, and by no less than it usually is smaller."""
    slack = full(last.name) - full(first.name)
    there = ~np.isnan(slack)
    broken = np.flatnonzero(there & (slack < 0))
    kept = slack[there & (slack >= 0)]
    if not len(broken) or len(broken) > max(HANDFUL, BROKEN * there.sum()):
        return np.zeros(0, np.int64)
    depth = float(np.median(-slack[broken]))
    if depth < max(float(np.quantile(kept, DEPTH)), first.unit):
        return np.zeros(0, np.int64)  # the edge of a scatter, not a swap
    return broken


def _sums(known: list[Sampled]) -> list[tuple[Sampled, tuple[Sampled, Sampled]]]:
    """Wholes that are the sums of two parts in nearly all cases."""
    known = [each for each in known if len(np.unique(each.values)) > FEW_DIFFERENT]
    if len(known) < 3:
        return []
    table = np.stack([each.values for each in known])
    units = np.array([each.unit for each in known])
    filled = np.flatnonzero(~np.isnan(table).any(axis=0))
    if len(filled) < ENOUGH:
        filled = np.flatnonzero(np.isnan(table).mean(axis=0) < 0.5)
    tried = filled[np.linspace(0, len(filled) - 1, 24).astype(np.int64)] if len(filled) else filled
    found = []
    few = table[:, tried]
    for at, whole in enumerate(known):
        apart = np.abs(few[at][None, None, :] - few[:, None, :] - few[None, :, :])
        fits = np.nanmean(apart <= ROUNDED * units[at] + 1e-9, axis=2) if len(tried) else None
        if fits is None:
            break
        for one, two in zip(*np.nonzero(fits >= 0.5), strict=True):
            if one >= two or at in (one, two) or units[one] < units[at] or units[two] < units[at]:
                continue
            total = table[one] + table[two]
            there = ~np.isnan(total) & ~np.isnan(table[at])
            near = np.abs(total - table[at])[there] <= ROUNDED * units[at] + 1e-9
            if there.sum() >= ENOUGH and near.mean() >= 1 - MOST_WRONG:
                found.append((whole, (known[one], known[two])))
    return found


def _broken_sum(
    whole: Sampled, parts: tuple[Sampled, Sampled], full: Full, rows: RowsOf
) -> tuple[Finding | None, Ints]:
    """Cases whose parts do not add up, or the block of one part that stands a row off."""
    total, values = full(whole.name), [full(each.name) for each in parts]
    apart = np.abs(total - values[0] - values[1])
    there = ~np.isnan(apart)
    broken = np.flatnonzero(there & (apart > ROUNDED * whole.unit + 1e-9))
    names = (whole.name, *(each.name for each in parts))
    if not len(broken):
        return None, broken
    moved = _moved(total, values, broken, whole.unit)
    if moved is not None:
        which, by = moved
        return (
            MisalignedBlock(
                severity="serious",
                variables=(names[which],),
                count=len(broken),
                rows=rows(broken),
                last_row=rows(broken[-1:])[0],
                others=tuple(name for at, name in enumerate(names) if at != which),
                by=by,
            ),
            broken,
        )
    if len(broken) > max(HANDFUL, (1 - ADD_UP) / 2 * there.sum()):
        return None, broken[:0]
    finding = ImpossibleTogether(
        severity="serious",
        sure=0.85,
        variables=names,
        count=len(broken),
        rows=rows(broken),
        relation=f"{names[0]} = {names[1]} + {names[2]}",
    )
    return finding, broken


def _moved(
    total: np.ndarray, values: list[np.ndarray], broken: Ints, unit: float
) -> tuple[int, int] | None:
    """Which variable fits again when it is moved by a row, and by how many."""
    first, last = int(broken[0]), int(broken[-1])
    if len(broken) < BLOCK or last - first + 1 > 1.3 * len(broken) + 2:
        return None
    inner = np.arange(first, last)
    for which in range(3):
        for by in (1, -1):
            place = inner + by
            place = place[(place >= 0) & (place < len(total))]
            own = place - by
            series = [total, *values]
            moved = [each[place] if at == which else each[own] for at, each in enumerate(series)]
            apart = np.abs(moved[0] - moved[1] - moved[2])
            if np.nanmean(apart <= ROUNDED * unit + 1e-9) > 0.9:
                return which, by
    return None
