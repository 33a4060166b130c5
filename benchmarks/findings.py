"""How many planted faults `check` finds, what it makes up, and how far up the right ones stand.

    python benchmarks/findings.py [--half written|held] [--seeds 8] [--misses]

Clean datasets of thirty kinds are made by seeded generators (`planted/kinds.py`), and about five
faults are planted in each (`planted/faults.py`). Rules are written against one half of the kinds
and reported on the other. A finding is right if its kind names a planted fault, at its variable,
and four of five rows that it shows are rows of the fault. A second finding about the same fault is
an echo, and so is one of another kind at the fault's rows or variables; both count against
precision, as does what is made up. `--misses` names them, for the written half only: the held half
is no longer held once its misses have been read.
"""

from __future__ import annotations

import argparse
import functools
import sys
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

import olive_crate as oc

sys.path.insert(0, str(Path(__file__).parent))

from planted import faults, kinds
from planted.made import Made

DENSITY = 5
"""Faults in a dataset."""
SHOWN_RIGHT = 0.8
"""The share of the rows a finding shows that have to be rows of the fault."""


@dataclass
class Score:
    """What came of some datasets."""

    datasets: int = 0
    planted: Counter[str] = field(default_factory=Counter)
    tellable: Counter[str] = field(default_factory=Counter)
    found: Counter[str] = field(default_factory=Counter)
    found_tellable: Counter[str] = field(default_factory=Counter)
    ranks: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))
    verdicts: Counter[tuple[str, str, str]] = field(default_factory=Counter)
    """Findings by kind, severity and verdict: right, echo or wrong."""
    clean: Counter[tuple[str, str]] = field(default_factory=Counter)
    """Findings in datasets without a fault, by kind and severity."""
    lines: list[str] = field(default_factory=list)
    """What was missed or made up."""

    def add(self, other: Score) -> None:
        """Take in another score."""
        self.datasets += other.datasets
        self.lines += other.lines
        for each in ("planted", "tellable", "found", "found_tellable", "verdicts", "clean"):
            getattr(self, each).update(getattr(other, each))
        for name, ranks in other.ranks.items():
            self.ranks[name] += ranks

    def precision(self, *severities: str) -> float:
        """The share of right ones among the findings shown."""
        shown = {k: n for k, n in self.verdicts.items() if not severities or k[1] in severities}
        right = sum(n for (_, _, verdict), n in shown.items() if verdict == "right")
        return right / max(1, sum(shown.values()))

    def recall(self, tellable: bool = True) -> float:
        """The share of the planted faults that are named rightly."""
        found, planted = self.found, self.planted
        if tellable:
            found, planted = self.found_tellable, self.tellable
        return found.total() / max(1, planted.total())


def plant(m: Made) -> list[faults.Planted]:
    """About five faults, at most one of them in the rows as wholes."""
    names = list(faults.ALL)
    m.rng.shuffle(names)
    done: list[faults.Planted] = []
    later = [name for name in names if name in faults.STRUCTURAL]
    many = int(m.rng.integers(DENSITY - 1, DENSITY + 2))
    structural = m.rng.random() < 0.6
    for name in [*(n for n in names if n not in faults.STRUCTURAL), *later]:
        if len(done) >= many - structural and name not in faults.STRUCTURAL:
            continue
        if name in faults.STRUCTURAL and not structural:
            continue
        made = faults.ALL[name](m)
        if made is not None:
            done.append(made)
            structural &= name not in faults.STRUCTURAL
    return done


def names_it(finding: oc.Finding, fault: faults.Planted, at: dict[int, int]) -> bool:
    """Does the finding name the fault, at its variable and rows?"""
    if finding.kind not in fault.kinds:
        return False
    if fault.variables and finding.variables and not set(finding.variables) & set(fault.variables):
        return False
    if not fault.rows:
        return True
    rows = {at[id(row)] for row in fault.rows}
    return bool(finding.rows) and len(rows & set(finding.rows)) >= SHOWN_RIGHT * len(finding.rows)


def verdict(finding: oc.Finding, planted: list[faults.Planted], at: dict[int, int]) -> str:
    """Is a finding that names no fault for the first time about one at all?"""
    for fault in planted:
        rows = {at[id(row)] for row in fault.rows}
        if rows & set(finding.rows) or set(fault.variables) & set(finding.variables):
            return "echo"
    return "wrong"


def judged(job: tuple[str, int]) -> Score:
    """One dataset, clean and with faults."""
    name, seed = job
    kind = next(each for each in kinds.ALL if each.__name__ == name)
    score = Score(datasets=1)
    for finding in load(kinds.made(kind, seed)).check():
        score.clean[finding.kind, finding.severity] += 1
        score.lines.append(f"{name} {seed} clean: {finding}")
    m = kinds.made(kind, seed + 1000)
    planted = plant(m)
    at = {id(row): place + 2 for place, row in enumerate(m.rows)}
    planted = [each for each in planted if still_there(each, at)]
    dataset = load(m)
    planted = [each for each in planted if not set_aside(each, dataset, at)]
    open_faults = list(planted)
    for rank, finding in enumerate(dataset.check(), 1):
        hit = next((each for each in open_faults if names_it(finding, each, at)), None)
        said = "right" if hit else verdict(finding, planted, at)
        score.verdicts[finding.kind, finding.severity, said] += 1
        if hit is None:
            score.lines.append(f"{name} {seed} {said}: {finding}")
            continue
        open_faults.remove(hit)
        score.found[hit.name] += 1
        score.found_tellable[hit.name] += hit.tellable
        score.ranks[hit.name].append(rank)
    for each in planted:
        score.planted[each.name] += 1
        score.tellable[each.name] += each.tellable
    for each in open_faults:
        rows = [at[id(row)] for row in each.rows[:5]]
        sure = "" if each.tellable else " (not to be told apart)"
        score.lines.append(f"{name} {seed} missed: {each.name} {each.variables} {rows}{sure}")
    return score


def load(m: Made) -> oc.Dataset:
    """A made dataset, read as at a user's first look at it."""
    return oc.load(m.file(), workers=1)


def still_there(fault: faults.Planted, at: dict[int, int]) -> bool:
    """Is there a row left of it, after a later fault has taken rows away?"""
    had = bool(fault.rows)
    fault.rows = [row for row in fault.rows if id(row) in at]
    return bool(fault.rows) or not had


def set_aside(fault: faults.Planted, dataset: oc.Dataset, at: dict[int, int]) -> bool:
    """Was a heading rightly read as one, so that there is nothing left to find?"""
    rows = {at[id(row)] for row in fault.rows}
    return fault.name in faults.READ_RIGHTLY and not rows & set(
        dataset.source_rows.at(np.arange(dataset.rows)).tolist()
    )


@functools.cache
def score(half: str, seeds: int, workers: int = 2) -> Score:
    """The score of one half of the kinds."""
    chosen = kinds.HELD if half == "held" else kinds.WRITTEN
    jobs = [(kind.__name__, seed) for kind in chosen for seed in range(seeds)]
    whole = Score()
    with ProcessPoolExecutor(workers) as pool:
        for each in pool.map(judged, jobs, chunksize=4):
            whole.add(each)
    return whole


def report(half: str, found: Score, misses: bool) -> None:
    """Print a score."""
    print(f"{half} half: {found.datasets} datasets, {found.planted.total()} faults planted")
    print(f"{'finding':<26}{'severity':<10}{'right':>6}{'echo':>6}{'wrong':>6}{'clean':>6}")
    seen = sorted({key[:2] for key in found.verdicts} | set(found.clean))
    for kind, severity in seen:
        counts = [found.verdicts[kind, severity, each] for each in ("right", "echo", "wrong")]
        row = "".join(f"{each:>6}" for each in [*counts, found.clean[kind, severity]])
        print(f"{kind:<26}{severity:<10}{row}")
    print(f"\n{'fault':<42}{'planted':>8}{'tellable':>9}{'found':>6}{'rank':>6}")
    for name in sorted(found.planted):
        ranks = found.ranks[name]
        rank = f"{np.mean(ranks):.1f}" if ranks else "–"
        counts = (found.planted[name], found.tellable[name], found.found[name])
        print(f"{name:<42}{counts[0]:>8}{counts[1]:>9}{counts[2]:>6}{rank:>6}")
    print(f"\nprecision of serious ones {found.precision('serious'):.1%}, of all", end=" ")
    print(f"{found.precision():.1%}; recall {found.recall():.1%} of tellable ones,", end=" ")
    print(f"{found.recall(tellable=False):.1%} of all; in clean datasets", end=" ")
    print(f"{found.clean.total() / found.datasets:.3f} findings each")
    if misses:
        print("\n".join(["", *found.lines]))


def main() -> None:
    """Print the scores asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--half", choices=("written", "held"))
    parser.add_argument("--seeds", type=int, default=8)
    parser.add_argument("--misses", action="store_true")
    given = parser.parse_args()
    for half in [given.half] if given.half else ["written", "held"]:
        report(half, score(half, given.seeds), given.misses and half == "written")
        print()


if __name__ == "__main__":
    main()
