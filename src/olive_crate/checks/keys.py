"""Cases that occur again: keys, whole rows, rows that differ only in a running number.

Rows may be equal by nature, as sales of one article at one price are. Then many more rows are
equal in all variables but one; where hardly any are, equal rows are one case entered twice.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..dataset.model import PlainDataset
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags, Ints, Words
from .distribution import different, drawn, repeats_often
from .findings import Finding, RowsOf, Severity
from .kinds import DuplicateKeys, DuplicateRows, KeysWithGaps
from .row_hashes import cell_hashes, repeated

MANY_ROWS = 0.1
"""Where more of the rows than this share are equal to others, that is how the data are."""
DIFFERENT, IN_A_RUN = 0.97, 0.95
"""The share of values that have to differ in a variable that is nearly a key, and in a running
number."""
UNIQUE = 0.9
"""The share from which on rows that are equal in this variable, too, are not so by nature."""
RUNNING = 0.75
"""The share of steps that are the usual one in a running number."""
WHOLE = 0.985
"""The same in a run from which nothing is left out but by loss."""
LOST_TOGETHER = 5
"""Numbers that have to be missing in one place for a lost block."""
VERIFIED = 1_000_000
"""Cases that are compared cell by cell once their numbers are the same; more are taken as equal."""
BY_CHANCE = 0.1
"""How many equal identifiers may be expected among random digits."""
TRIED = 10
"""Variables that are left out in turn, to see whether rows are alike by nature."""
BY_NATURE = 0.05
"""The share of equal rows that may be expected by nature."""
FEWEST_VARIABLES = 4
"""Rows of fewer variables, none of them a key, are equal by chance."""
NONE = np.zeros(0, np.int64)


class KeyFacts(msgspec.Struct, eq=False):
    """What is known of a column as a key."""

    name: str
    unique: bool = False
    """Nearly all of its values differ."""
    nearly: bool = False
    """Its values hardly ever repeat, and it is no measurement."""
    running: bool = False
    """They are a running number."""
    again: Ints = msgspec.field(default_factory=lambda: NONE)
    gaps: tuple[int, int, int, tuple[int, ...]] | None = None
    """A run that is whole but for one block: numbers lacking, first, last, and examples."""


def key_facts(column: Column, hashes: Words | None) -> KeyFacts:
    """Look at a column as a key; without hashes only whether it is a running number."""
    facts = KeyFacts(column.variable.name)
    kind, count = column.variable.type, len(column)
    if kind not in ("integer", "text") or count < 20 or column.values.null_count > 0.03 * count:
        return facts
    if repeats_often(column.values):
        return facts
    values = column.values.drop_null()
    if kind == "text":
        words = encoded(values).dictionary
        facts.unique = len(words) >= UNIQUE * count
        facts.nearly = facts.unique and _names(words, count)
    else:
        numbers = numpy_of(values)
        many = different(numbers)
        facts.unique = many >= UNIQUE * count
        facts.running = facts.nearly = many >= IN_A_RUN * count and _running(numbers, RUNNING)
        if facts.running and _running(numbers, WHOLE):
            facts.gaps = _gaps(numbers)
    if facts.nearly and hashes is not None:
        missing = column.reasons != 0
        again = repeated(hashes)
        facts.again = again[~missing[again]]
    return facts


def _running(numbers: np.ndarray, share: float) -> bool:
    """Do most of the numbers follow the one before by the same step, and none far off?"""
    steps = np.diff(numbers)
    steps = steps[steps != 0]
    if len(steps) < 10:
        return False
    usual = np.median(steps)
    return bool(usual != 0 and (steps == usual).mean() >= share)


def _names(words: pa.Array, count: int) -> bool:
    """Texts that hardly ever repeat, and are no sentences."""
    if len(words) < DIFFERENT * count:
        return False
    longest = pc.max(pc.utf8_length(words)).as_py()
    if longest > 20 or pc.any(pc.match_substring(words, " ")).as_py():
        return False
    if not pc.all(pc.match_substring_regex(words, r"\d")).as_py():
        return False
    digits = pc.mean(pc.utf8_length(pc.replace_substring_regex(words, r"\D", ""))).as_py()
    return bool(count * count / 2 / 10.0**digits < BY_CHANCE * max(1, count / 100))


def _gaps(numbers: np.ndarray) -> tuple[int, int, int, tuple[int, ...]] | None:
    """A block of numbers that is lacking in a run that is whole otherwise."""
    ordered = np.sort(numbers)
    steps = np.diff(ordered)
    if (steps == 0).any():
        ordered = ordered[np.append(True, steps > 0)]
        steps = steps[steps > 0]
    step = int(np.median(steps))
    wide = np.flatnonzero(steps > step)
    if not step or (steps % step).any() or not 1 <= len(wide) <= 2:
        return None
    lacking = int((steps[wide] // step - 1).sum())
    if not LOST_TOGETHER * len(wide) <= lacking <= len(ordered) / 2:
        return None
    first = tuple(int(ordered[place]) + step for place in wide)
    return lacking, int(ordered[0]), int(ordered[-1]), first


def key_findings(
    dataset: PlainDataset,
    facts: Sequence[KeyFacts],
    key: tuple[str, ...],
    of_keys: Words,
    left_out: Flags | None,
    rows: RowsOf,
) -> list[Finding]:
    """The declared key, or variables that are nearly one."""
    if key:
        if not all(name in dataset.names for name in key):
            return []
        again = _exactly(dataset, repeated(of_keys), of_keys, key)
        return list(_not_unique(key, again, rows))
    found: list[Finding] = []
    first = next((each for each in facts if each.nearly), None)
    if first is not None:
        again = _kept(first.again, left_out)
        found += _not_unique((first.name,), again, rows, "note")
    for each in facts:
        if each.gaps is not None:
            lacking, low, high, examples = each.gaps
            found.append(
                KeysWithGaps(
                    severity="note",
                    variables=(each.name,),
                    count=lacking,
                    first=low,
                    last=high,
                    lacking=examples,
                )
            )
    return found


def _kept(cases: Ints, left_out: Flags | None) -> Ints:
    return cases if left_out is None else cases[~left_out[cases]]


def _not_unique(
    names: tuple[str, ...], again: Ints, rows: RowsOf, severity: Severity = "serious"
) -> Iterator[Finding]:
    if len(again):
        yield DuplicateKeys(severity=severity, variables=names, count=len(again), rows=rows(again))


def duplicate_findings(
    dataset: PlainDataset,
    facts: Sequence[KeyFacts],
    of_rows: Words,
    left_out: Flags,
    rows: RowsOf,
) -> tuple[list[Finding], Ints]:
    """Rows equal to one before them, in all variables or in all but a running number."""
    names = dataset.names
    unique = tuple(each.name for each in facts if each.unique)
    again = _kept(repeated(of_rows), left_out)
    if len(again) > MANY_ROWS * dataset.rows or len(names) < (2 if unique else FEWEST_VARIABLES):
        return [], NONE
    if len(again):
        again = _exactly(dataset, again, of_rows, names)
        if not len(again) or _by_nature(dataset, of_rows, len(again), unique, left_out):
            return [], NONE
        return [
            DuplicateRows(severity="serious", sure=0.9, count=len(again), rows=rows(again))
        ], again
    running = [each.name for each in facts if each.running]
    others = [name for name in names if name not in running]
    if not running or len(others) < 3:
        return [], NONE
    rest = of_rows.copy()
    for name in running:
        rest -= cell_hashes(dataset.column_once(name), names.index(name))
    again = _kept(repeated(rest), left_out)
    if not len(again) or len(again) > MANY_ROWS / 2 * dataset.rows:
        return [], NONE
    again = _exactly(dataset, again, rest, others)
    if not len(again) or _by_nature(dataset, rest, len(again), (*running, *unique), left_out):
        return [], NONE
    return [
        DuplicateRows(
            severity="serious", sure=0.9, count=len(again), rows=rows(again), but_for=tuple(running)
        )
    ], again


def _by_nature(
    dataset: PlainDataset,
    hashes: Words,
    exact: int,
    without: tuple[str, ...],
    left_out: Flags,
) -> bool:
    """Do rows that are equal in all variables but one let expect as many that are equal in all?

    Of these, as many agree in the one left out as any two cases do.
    """
    places = {name: place for place, name in enumerate(dataset.names)}
    names = [name for name in places if name not in without]
    step = max(1, len(names) // TRIED)
    for name in names[::step]:
        own = cell_hashes(dataset.column_once(name), places[name])
        more = len(_kept(repeated(hashes - own), left_out)) - exact
        if more and more * _agreeing(own) > BY_NATURE * exact:
            return True
    return False


def _agreeing(hashes: Words) -> float:
    """How likely two cases have the same cell."""
    _, counts = np.unique(drawn(hashes), return_counts=True)
    shares = counts / counts.sum()
    return float(np.sum(shares * shares))


def _exactly(dataset: PlainDataset, again: Ints, hashes: np.ndarray, names: Sequence[str]) -> Ints:
    """Of these cases those whose cells are really those of one before."""
    if not len(again):
        return again
    cells = np.flatnonzero(np.isin(hashes, hashes[again]))
    if len(cells) > VERIFIED:
        return again
    held = [dataset.held(name) for name in names]
    joined = _combined([_codes(each.taken(cells)) for each in held])
    _, first = np.unique(joined, return_index=True)
    return np.intersect1d(np.delete(cells, first), again)


def _codes(column: Column) -> Ints:
    """A whole number for each cell, equal where cells are; missing ones by their reason."""
    values = column.values
    if pa.types.is_duration(values.type):
        values = values.cast(pa.int64())
    places = numpy_of(encoded(values).indices, -1).astype(np.int64)
    return np.where(column.reasons == 0, places, -1 - column.reasons.astype(np.int64))


def _combined(codes: list[Ints]) -> Ints:
    """One number for each row, equal where all its cells are."""
    joined = codes[0]
    for each in codes[1:]:
        _, joined = np.unique(joined, return_inverse=True)
        low = each - each.min()
        joined = joined * (int(low.max()) + 1) + low
    return joined
