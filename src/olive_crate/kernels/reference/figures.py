"""What a column of numbers or reasons holds."""

from __future__ import annotations

import numpy as np

from ..buffers import bitmap
from ..types import COURSE_HEAD, Bytes, CodeValues, Course, Extremes, Ints, Validity, Words

FIRST, SECOND = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
GOLDEN = np.uint64(0x9E3779B97F4A7C15)


def tally(reasons: Bytes) -> Ints:
    """How often each of the 256 reasons comes."""
    return np.bincount(reasons, minlength=256)


def validity(reasons: Bytes) -> Validity:
    """How many of these cells have no value, and the validity bitmap if some have none."""
    present = reasons == 0
    missing = len(reasons) - int(np.count_nonzero(present))
    if not missing:
        return Validity(0, None)
    first = int(reasons[present.argmin()])
    alone = np.count_nonzero(reasons == first) == missing
    return Validity(missing, bitmap(present), first if alone else 0)


def find_codes(values: np.ndarray, reasons: Bytes, codes: CodeValues) -> int:
    """Give the numbers that are codes their reasons, of several the first; returns how many are.

    Cells that have a reason already are left alone.
    """
    before = np.count_nonzero(reasons)
    for low, high, reason in zip(*codes, strict=True):
        reasons[(reasons == 0) & (values >= low) & (values <= high)] = reason
    return int(np.count_nonzero(reasons) - before)


def extremes(values: np.ndarray, reasons: Bytes | None, looks: np.ndarray) -> Extremes:
    """The smallest and the largest of the numbers that have no reason and are none of `looks`.

    Those of `looks` that lie beyond both are counted.
    """
    rest = values if reasons is None else values[reasons == 0]
    usual = rest[~np.isin(rest, looks)]
    low, high = float("inf"), float("-inf")
    if len(usual):
        low, high = float(usual.min()), float(usual.max())
    beyond = looks[(looks < low) | (looks > high)].tolist()
    counts = {look: int(np.count_nonzero(rest == look)) for look in beyond}
    return Extremes(low, high, {look: count for look, count in counts.items() if count})


def course(numbers: Ints, reasons: Bytes | None) -> Course:
    """How the whole numbers that have no reason follow each other."""
    rest = numbers if reasons is None else numbers[reasons == 0]
    head = rest[:COURSE_HEAD].tolist()
    repeats = len(set(head)) < len(head)
    return Course(repeats, not repeats and bool((rest[1:] > rest[:-1]).all()))


def mixed(raw: Words, reasons: Bytes | None, salt: np.uint64) -> Words:
    """Whole numbers turned into others that look as if drawn at random, one for one.

    The finaliser of G. L. Steele, D. Lea and C. H. Flood, "Fast splittable pseudorandom number
    generators", OOPSLA 2014. `salt` is added first; a cell with a reason counts as that reason,
    whatever it holds.
    """
    if reasons is not None:
        raw = np.where(reasons != 0, GOLDEN + reasons.astype(np.uint64), raw)
    with np.errstate(over="ignore"):
        raw = raw + salt
        raw = (raw ^ (raw >> np.uint64(30))) * FIRST
        raw = (raw ^ (raw >> np.uint64(27))) * SECOND
        return np.asarray(raw ^ (raw >> np.uint64(31)))
