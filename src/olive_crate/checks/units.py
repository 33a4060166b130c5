"""Numbers in another unit: from some row on, for a while, or in single cells.

Where the logarithms of a variable shift by that of a usual factor (grams for kilograms, pounds,
tenths) and stay there, the rows in between were recorded in another unit. The block is the one
with the greatest sum of log-likelihood ratios of a Laplace distribution around the middle of the
first (or the last) rows, shifted and not: J. Bentley, "Programming pearls: algorithm design
techniques", Communications of the ACM 27 (1984) 865-873, finds it in one pass; E. S. Page,
"Continuous inspection schemes", Biometrika 41 (1954) 100-115, is the sequential form.
"""

from __future__ import annotations

import math

import numpy as np

from ..declaration.values import value_text
from ..kernels.types import Flags
from .distribution import drawn
from .findings import Finding, RowsOf
from .kinds import ChangeOfScale, FarFromTheRest, SlippedDecimals
from .seen import Seen
from .tails import FAR, NEAR, far_values, low_in_logarithms

TENFOLD = (10.0, 100.0, 1000.0)
UNITS = (*TENFOLD, 2.2046, 3.2808, 2.54, 1.6093, 60.0, 3.7854, 28.35)
"""Factors between units in use: metric steps, pounds, feet, inches, miles, minutes, gallons,
ounces."""
ENOUGH = 100
"""Values in which a change of scale can be seen."""
LEAST, SHORT = 8, 0.015
"""The shortest block: this many values, and this share of them."""
SEEN_SHIFT = 0.8
"""The share of a shift that the middles of stretches have to show."""
LOOKED_AT = 20_000
"""Values in which the block is looked for; its ends are then found among all."""
TENFOLD_DOUBT = 0.3
"""How far the middles may be from a tenfold: values drift, and small ones are rounded."""
STICKY = 0.5
"""The correlation of neighbours from which on groups of rows may differ by nature."""
CLEAR = 2.0
"""So many times as large as all others, or as small, a slip has to be."""
APART = 0.8
"""The share of values on either side that lie beyond the middle between both."""
AT_EDGE = 15
"""Values on both sides of a change that have to show it, so that a slow drift is none."""


def unit_findings(seen: Seen, rows: RowsOf) -> list[Finding]:
    """Changes of scale, slipped decimal points, and what else is far from the rest."""
    values, cases = seen.values, seen.cases
    found: list[Finding] = []
    block = _other_scale(values)
    if block is not None:
        first, last, factor = block
        found.append(
            ChangeOfScale(
                severity="serious",
                sure=0.85,
                variables=(seen.name,),
                count=last - first,
                rows=rows(cases[first:last]),
                last_row=rows(cases[last - 1 : last])[0],
                factor=factor,
                to_the_end=last == len(values),
                inside=f"{np.median(values[first:last]):.6g}",
                outside=f"{np.median(np.delete(values, np.s_[first:last])):.6g}",
            )
        )
        values = np.concatenate([values[:first], values[last:]])
        cases = np.concatenate([cases[:first], cases[last:]])
    near = far_values(values, NEAR)
    slips, factor = _slips(values, near)
    far = far_values(values) & ~slips if near.any() else near
    if slips.any():
        hit = values[slips]
        found.append(
            SlippedDecimals(
                severity="serious",
                sure=0.85,
                variables=(seen.name,),
                count=int(np.count_nonzero(slips)),
                rows=rows(cases[slips]),
                values=_texts(hit),
                factor=factor,
                low=value_text(values[~slips & ~far].min().item()),
                high=value_text(values[~slips & ~far].max().item()),
            )
        )
    if far.any():
        rest = values[~far & ~slips]
        found.append(
            FarFromTheRest(
                severity="doubtful",
                sure=0.7,
                variables=(seen.name,),
                count=int(np.count_nonzero(far)),
                rows=rows(cases[far]),
                values=_texts(values[far]),
                others=len(np.unique(values[far])) > 5,
                low=value_text(rest.min().item()),
                high=value_text(rest.max().item()),
            )
        )
    return found


def _texts(values: np.ndarray) -> tuple[str, ...]:
    return tuple(value_text(each) for each in np.unique(values)[:5].tolist())


def _slips(values: np.ndarray, near: Flags) -> tuple[Flags, float]:
    """Values far from the rest that a factor of ten, a hundred or a thousand puts in its midst.

    `near` are those that lie beyond the others at all.
    """
    none = np.zeros(len(values), bool)
    far, low = near.copy(), none
    if _may_be_low(values):
        low = low_in_logarithms(values, FAR)
    if not far.any() and not low.any():
        return none, 1.0
    rest = values[~far & ~low]
    outer_low, middle, outer_high = np.quantile(drawn(rest), (0.05, 0.5, 0.95))
    if middle <= 0 or outer_low <= 0:
        return none, 1.0
    least = float(rest[rest > 0].min())
    far &= values > CLEAR * float(rest.max())
    low &= (values > 0) & (values * CLEAR < least)
    for odd, way in ((far, 1), (low, -1)):
        for factor in TENFOLD:
            back = values * factor**-way
            fits = odd & (back >= outer_low) & (back <= outer_high)
            if fits.any() and fits.sum() >= 0.5 * odd.sum():
                return fits, factor**way
    return none, 1.0


def _may_be_low(values: np.ndarray) -> bool:
    """Is one of the least values much smaller than the next? Whole numbers often are."""
    if values.min() < 0 or np.array_equal(values, np.floor(values)):
        return False
    positive = values[values > 0]
    many = min(len(positive), max(4, len(positive) // 100))
    least = np.sort(np.partition(positive, many - 1)[:many])
    return bool((least[1:] > CLEAR * least[:-1]).any())


def _other_scale(values: np.ndarray) -> tuple[int, int, float] | None:
    """A run of values in another unit: its ends, and by how much it is larger."""
    if len(values) < ENOUGH or not (drawn(values) > 0).mean() > 0.98:
        return None
    positive = np.flatnonzero(values > 0)
    step = max(1, len(positive) // LOOKED_AT)
    places = positive[::step]
    logs = np.log(values[places].astype(np.float64))
    if logs.max() - logs.min() < math.log(1.5):
        return None
    shifts = _shift_of_chunks(logs)
    if shifts < SEEN_SHIFT * math.log(min(UNITS)):
        return None
    best: tuple[float, int, int, float] | None = None
    quarter = len(logs) // 4
    for middle in {float(np.median(logs[:quarter])), float(np.median(logs[-quarter:]))}:
        spread = float(np.median(np.abs(logs[:quarter] - np.median(logs[:quarter])))) + 0.01
        for unit in UNITS:
            if (
                shifts < SEEN_SHIFT * math.log(unit)
                or math.log(unit) < spread
                or (unit not in TENFOLD and math.log(unit) < 2.2 * spread)
            ):
                continue
            for factor in (unit, 1 / unit):
                score, first, last = _best_block(logs, middle, math.log(factor), spread)
                if best is None or score > best[0]:
                    best = score, first, last, factor
    if best is None:
        return None
    _, first, last, factor = best
    if first == 0 and last < len(logs):  # which is the other unit? The later rows
        first, last, factor = last, len(logs), 1 / factor
    if not _is_block(logs, first, last, factor):
        return None
    if step > 1:  # the very ends, among all values
        every = np.log(values[positive].astype(np.float64))
        _, first, last = _best_block(
            every, float(np.median(np.delete(logs, np.s_[first:last]))), math.log(factor), 1.0
        )
    end = len(values) if last == len(positive) else int(positive[last])
    return int(positive[first]), end, factor


def _shift_of_chunks(logs: np.ndarray) -> float:
    """How far the middles of short stretches are apart; a block of another unit holds some."""
    size = max(3, int(SHORT * len(logs) / 2))
    whole = logs[: len(logs) // size * size].reshape(-1, size)
    return float(np.ptp(np.sort(whole, axis=1)[:, size // 2]))


def _best_block(
    logs: np.ndarray, middle: float, shift: float, spread: float
) -> tuple[float, int, int]:
    """The block that speaks most for a shift: its log-likelihood ratio and its ends."""
    ratio = (np.abs(logs - middle) - np.abs(logs - middle - shift)) / spread
    total = np.concatenate(([0.0], np.cumsum(ratio)))
    lowest = np.minimum.accumulate(total)
    last = int(np.argmax(total - lowest))
    first = int(np.argmin(total[: last + 1]))
    return float(total[last] - total[first]), first, last


def _is_block(logs: np.ndarray, first: int, last: int, factor: float) -> bool:
    """Does a block stand apart all through, by that factor, with sharp ends?"""
    inside, outside = logs[first:last], np.delete(logs, np.s_[first:last])
    if len(inside) < max(LEAST, SHORT * len(logs)) or len(outside) < 0.2 * len(logs):
        return False
    shift = math.log(factor)
    found = float(np.median(inside) - np.median(outside))
    spread = float(np.median(np.abs(outside - np.median(outside)))) + 1e-9
    doubt = 4.5 * spread * math.sqrt(1 / len(inside) + 1 / len(outside)) + 0.02
    tenfold = any(abs(abs(shift) - math.log(each)) < 1e-9 for each in TENFOLD)
    if tenfold:
        doubt = TENFOLD_DOUBT
    if abs(found - shift) > min(doubt, 0.35 * abs(shift)):
        return False
    if not _same_shape(inside - found, outside, tenfold):
        return False
    border = float(np.median(outside)) + found / 2
    sign = math.copysign(1.0, found)
    if min(np.mean(sign * inside > sign * border), np.mean(sign * outside < sign * border)) < APART:
        return False
    before, after = logs[max(0, first - AT_EDGE) : first], logs[last : last + AT_EDGE]
    edges = [
        (side, logs[at : at + AT_EDGE] if at == first else logs[max(first, at - AT_EDGE) : at])
        for side, at in ((before, first), (after, last))
        if len(side) >= 3
    ]
    sticky = _sticky(outside)
    if not tenfold and (len(inside) < AT_EDGE or sticky):
        return False
    if sticky and np.quantile(sign * inside, 0.1) <= np.quantile(sign * outside, 0.98):
        return False
    return bool(edges) and all(
        0.6 * abs(found) < sign * float(np.median(within) - np.median(side)) < 1.5 * abs(found)
        for side, within in edges
    )


def _same_shape(inside: np.ndarray, outside: np.ndarray, tenfold: bool) -> bool:
    """Are the values in a block, put back into the unit of the others, distributed as these are?

    By the distance of two samples: N. Smirnov, "Table for estimating the goodness of fit of
    empirical distributions", Annals of Mathematical Statistics 19 (1948) 279-281; neighbours are
    alike in series, so that twice the usual distance is allowed.
    """
    both = np.concatenate([inside, outside])
    one = np.searchsorted(np.sort(inside), both, "right") / len(inside)
    other = np.searchsorted(np.sort(outside), both, "right") / len(outside)
    apart = float(np.max(np.abs(one - other)))
    allowed = 1.36 * math.sqrt(1 / len(inside) + 1 / len(outside))
    return apart < (2.2 if tenfold else 1.5) * allowed + 0.05


def _sticky(logs: np.ndarray) -> bool:
    """Are neighbours so alike that groups of rows differ by nature?"""
    if len(logs) < 3 or np.ptp(logs) == 0:
        return True
    apart = logs - logs.mean()
    return bool(np.sum(apart[1:] * apart[:-1]) > STICKY * np.sum(apart * apart))
