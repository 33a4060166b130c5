"""Checks of dates and times: at a calendar's ends, in the future, far off, out of order."""

from __future__ import annotations

import datetime as dt
from bisect import bisect_right

import numpy as np

from ..kernels.types import Flags, Ints
from .findings import Finding, RowsOf
from .kinds import DatesAtAnEpoch, DatesFarOff, DatesInTheFuture, OutOfOrder
from .seen import DAY, Seen
from .tails import ENOUGH, far_values

EPOCHS = (
    *((1, 1, 1), (1753, 1, 1), (1899, 12, 30), (1899, 12, 31), (1900, 1, 1), (1901, 1, 1)),
    *((1904, 1, 1), (1970, 1, 1), (1980, 1, 1), (2999, 12, 31), (9999, 12, 31)),
)
"""Days at which calendars of machines begin or end."""
ZERO = dt.date(1970, 1, 1)
YEAR = 366
FEWEST = 4
"""So few days, or fewer, show no distance that is usual."""
MANY_YEARS = 50 * YEAR
"""Before or after so many, a day is far from the others even where they are few."""
ORDERED, STRAYS = 0.005, 4
"""Where at most this share of the steps, or so many, go back, the rest is in order for a reason."""
RISING = 10
"""Times later than the one before, that show an order."""
LONGEST = 200_000
"""Times that are put in order one by one; of more, only those around a step back are looked at."""


def time_findings(seen: Seen, rows: RowsOf) -> list[Finding]:
    """What looks wrong among dates."""
    if seen.kind != "date" or not len(seen.values):
        return []
    days = seen.values // DAY
    epochs = np.array([(dt.date(*each) - ZERO).days for each in EPOCHS])
    odd = np.isin(days, epochs)
    rest = days[~odd]
    apart = odd & _apart(days, rest)
    today = (dt.date.today() - ZERO).days
    future = (days > today + YEAR) & ~apart
    coming = future & (len(rest) == 0 or np.quantile(rest, 0.95) <= today)
    far = ~apart & ~coming
    far[far] = _far(days[far])
    found: list[Finding] = []
    kinds: list[tuple[Flags, type[DatesAtAnEpoch] | type[DatesInTheFuture]]]
    kinds = [(apart, DatesAtAnEpoch), (coming, DatesInTheFuture)]
    for hit, kind in kinds:
        if hit.any():
            met = sorted({_day(each) for each in days[hit].tolist()})
            found.append(
                kind(
                    severity="serious",
                    variables=(seen.name,),
                    count=int(np.count_nonzero(hit)),
                    rows=rows(seen.cases[hit]),
                    days=tuple(met[:3]),
                    others=len(met) > 3,
                )
            )
    if far.any():
        found.append(_far_days(seen, days, far, ~(far | apart | coming), rows))
    usual = ~(apart | coming | far)
    return [*found, *_out_of_order(seen, usual, rows)]


def _day(day: int) -> str:
    return (ZERO + dt.timedelta(int(day))).isoformat()


def _apart(days: Ints, rest: Ints) -> Flags:
    """More than a year away from all other days."""
    if not len(rest):
        return np.ones(len(days), bool)
    return np.asarray((days < rest.min() - YEAR) | (days > rest.max() + YEAR))


def _far(days: Ints) -> Flags:
    """Days far from the others by their own tail, and by at least a year."""
    if len(days) <= FEWEST:
        return np.zeros(len(days), bool)
    if len(days) < ENOUGH:
        return np.asarray(np.abs(days - np.median(days)) > MANY_YEARS)
    far: Flags = far_values(days, amounts=False)
    if not far.any() or far.all():
        return far
    rest = days[~far]
    return np.asarray(far & ((days < rest.min() - YEAR) | (days > rest.max() + YEAR)))


def _far_days(seen: Seen, days: Ints, far: Flags, usual: Flags, rows: RowsOf) -> Finding:
    met = sorted({_day(each) for each in days[far].tolist()})
    return DatesFarOff(
        severity="serious",
        variables=(seen.name,),
        count=int(np.count_nonzero(far)),
        rows=rows(seen.cases[far]),
        days=tuple(met[:3]),
        others=len(met) > 3,
        first=_day(days[usual].min()),
        last=_day(days[usual].max()),
    )


def _out_of_order(seen: Seen, usual: Flags, rows: RowsOf) -> list[Finding]:
    """Times before the one above, where nearly all others are after it."""
    times, cases = seen.values[usual], seen.cases[usual]
    steps = np.diff(times)
    back = np.flatnonzero(steps < 0)
    if not len(back) or len(back) > max(STRAYS, ORDERED * len(steps)):
        return []
    if np.count_nonzero(steps > 0) < max(RISING, 20 * len(back)):
        return []
    odd = _strays(times) if len(times) <= LONGEST else back + 1
    if len(odd) > 2 * len(back):
        return []
    return [
        OutOfOrder(
            severity="note",
            sure=0.8,
            variables=(seen.name,),
            count=len(odd),
            rows=rows(cases[odd]),
            ordered=len(times) - len(odd),
        )
    ]


def _strays(times: np.ndarray) -> Ints:
    """The fewest times without which all others are in order.

    All but a longest subsequence that never falls: C. Schensted, "Longest increasing and
    decreasing subsequences", Canadian Journal of Mathematics 13 (1961) 179-191.
    """
    ends: list[int] = []
    places: list[int] = []
    before = np.full(len(times), -1)
    for place, time in enumerate(times.tolist()):
        at = bisect_right(ends, time)
        before[place] = places[at - 1] if at else -1
        if at == len(ends):
            ends.append(time)
            places.append(place)
        else:
            ends[at], places[at] = time, place
    kept = np.zeros(len(times), bool)
    at = places[-1]
    while at >= 0:
        kept[at] = True
        at = int(before[at])
    return np.flatnonzero(~kept)
