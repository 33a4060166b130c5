"""Checks of rows as wholes, before and after the variables are looked at one by one.

Some rows are no cases: a heading, a total, cells that have moved. They are found first, and the
checks of variables do not see them, so that one cause gives one finding.
"""

from __future__ import annotations

from threading import Lock

import msgspec
import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..evidence import Mend
from ..kernels.types import Flags, Ints, Words
from .findings import Finding, RowsOf
from .keys import KeyFacts, duplicate_findings, key_facts, key_findings
from .kinds import EmptyCases, HeadingAmongTheData, ShiftedRows
from .row_hashes import cell_hashes
from .seen import seen
from .shapes import NONE, cells_with, coded, odd_cells, of_kind
from .totals import ends_in_its_sum, total_findings, total_words

FEWEST_ROWS = 5
"""With fewer rows than these, equal rows and sums mean nothing."""
NAMES = ("text", "date")
FILLED = 0.9
"""The share of cases that a variable has to have a value for to name them."""
EMPTY, USUAL = 0.15, 0.5
"""At most and at least so many of its variables have a value in a case of nothing, and usually."""
FEW_EMPTY = 0.1
FEW_BLANK = 0.05
"""The share of cases in which the first or last variable may be blank, for one to say something."""
TOP = 3
"""First cases that may be a second heading."""


class ColumnFacts(msgspec.Struct, eq=False):
    """What the checks of rows need to know of a column, once it is no longer at hand."""

    name: str
    kind: str
    """What most of its cells look like."""
    odd: Ints
    """The filled cells that do not look so, where they are few."""
    texts: pa.Array
    """What stands in these."""
    blank: Ints
    """The blank cells, where they are few."""
    named: Ints
    """The cells that hold its own heading."""
    totals: list[tuple[int, str]]
    """Cells that say that their row is a total."""
    ends_in_its_sum: bool
    """Its last value is the sum of all above."""
    key: KeyFacts


class RowChecks:
    """Checks of rows, to which columns are shown one after the other, or side by side."""

    def __init__(self, dataset: PlainDataset, rows: RowsOf) -> None:
        self.dataset, self.rows = dataset, rows
        self.key = tuple(dataset.plan.promised.key or ())
        self.facts: dict[str, ColumnFacts] = {}
        self._places = {name: place for place, name in enumerate(dataset.names)}
        self._of_rows: Words = np.zeros(dataset.rows, np.uint64)
        self._of_keys: Words = np.zeros(dataset.rows if self.key else 0, np.uint64)
        self._filled = np.zeros(dataset.rows, np.int32)
        self._bare = np.zeros(dataset.rows, np.int32)
        self._naming = 0
        self._alone = Lock()
        self.left_out: Flags | None = None

    def add(self, column: Column) -> None:
        """Look at a column."""
        name = column.variable.name
        column = coded(column)
        hashes = cell_hashes(column, self._places[name])
        kind, odd, texts = odd_cells(column)
        there = column.reasons != 1
        names_cases = kind in NAMES and np.count_nonzero(there) >= FILLED * len(column)
        with self._alone:
            self._of_rows += hashes
            self._filled += there
            if names_cases:
                self._bare += ~there
                self._naming += 1
            if name in self.key:
                self._of_keys += hashes
        heading = column.variable.heading
        blank = np.flatnonzero(column.reasons == 1)
        self.facts[name] = ColumnFacts(
            name,
            kind,
            odd,
            texts,
            blank if len(blank) <= FEW_BLANK * len(column) else NONE,
            cells_with(column, heading) if heading else NONE,
            total_words(column) if len(column) >= FEWEST_ROWS else [],
            ends_in_its_sum(column),
            key_facts(column, None if self.key else hashes),
        )

    def causes(self) -> list[Finding]:
        """Rows that are no cases: from now on they are left out."""
        facts = [self.facts[name] for name in self.dataset.names]
        count = self.dataset.rows
        if count < FEWEST_ROWS or not facts:
            return []
        no_cases = np.zeros(count, bool)
        found: list[Finding] = []
        for finding, cases in (self._headings(facts), self._second_heading(facts)):
            no_cases[cases] = True
            found += finding
        shifted, cases = self._shifted(facts, no_cases)
        found += shifted
        no_cases[cases] = True
        totals, cases = self._totals(facts, no_cases)
        found += totals
        no_cases[cases] = True
        empty, cases = self._empty(no_cases)
        found += empty
        no_cases[cases] = True
        keys = [self.facts[name].key for name in self.dataset.names]
        twice, cases = duplicate_findings(self.dataset, keys, self._of_rows, no_cases, self.rows)
        found += twice
        no_cases[cases] = True
        self.left_out = no_cases if no_cases.any() else None
        return found

    def findings(self) -> list[Finding]:
        """Keys that occur again, once causes are known."""
        facts = [self.facts[name].key for name in self.dataset.names]
        return key_findings(self.dataset, facts, self.key, self._of_keys, self.left_out, self.rows)

    def _headings(self, facts: list[ColumnFacts]) -> tuple[list[Finding], Ints]:
        """Rows that are the heading again."""
        held = np.concatenate([each.named for each in facts])
        if not len(held):
            return [], NONE
        cases, counts = np.unique(held, return_counts=True)
        hit = counts >= max(min(2, len(facts)), 0.5 * len(facts))
        whole = bool((counts[hit] == len(facts)).all())
        cases = cases[hit]
        if not len(cases) or (len(facts) == 1 and facts[0].kind == "text"):
            return [], NONE
        at = self.rows(cases)
        return [
            HeadingAmongTheData(
                severity="serious",
                variables=tuple(each.name for each in facts if np.isin(cases, each.named).any()),
                count=len(cases),
                rows=at,
                again=True,
                mend=_without_rows(at, len(cases), whole),
            )
        ], cases

    def _second_heading(self, facts: list[ColumnFacts]) -> tuple[list[Finding], Ints]:
        """First cases with words where all others have numbers or dates."""
        measured = [each for each in facts if each.kind in ("number", "date")]
        hit: dict[int, list[str]] = {}
        for each in measured:
            for place in np.flatnonzero(each.odd < TOP):
                text = each.texts[int(place)].as_py() or ""
                if sum(map(str.isalpha, text)) > 0.5 * len(text.replace(" ", "")):
                    hit.setdefault(int(each.odd[place]), []).append(each.name)
        least = max(min(2, len(facts)), 0.5 * len(measured))
        cases = []
        for case in range(TOP):
            if len(hit.get(case, ())) < least:
                break
            cases.append(case)
        again = {int(cell) for each in facts for cell in each.named}
        if not cases or set(cases) & again:
            return [], NONE
        at = self.rows(np.array(cases))
        has_names = bool(self.dataset.plan.rows.names) or any(
            each.heading for each in self.dataset.variables
        )
        part = {"labels": at[0]} if has_names else {"names": at[0]}
        return [
            HeadingAmongTheData(
                severity="serious",
                variables=tuple(hit[cases[0]]),
                count=len(cases),
                rows=at,
                mend=Mend({"rows": part}),
            )
        ], np.array(cases)

    def _shifted(self, facts: list[ColumnFacts], no_cases: Flags) -> tuple[list[Finding], Ints]:
        """Rows in which several cells do not fit their variable, but the one beside it."""
        fitting = {by: self._fitting(facts, by) for by in (-1, 1)}
        most = np.maximum(fitting[-1], fitting[1])
        most[no_cases] = 0
        hit = np.flatnonzero(most >= 2)
        if not len(hit):
            return [], NONE
        involved = tuple(each.name for each in facts if len(np.intersect1d(each.odd, hit)))
        return [
            ShiftedRows(
                severity="serious",
                variables=involved,
                count=len(hit),
                rows=self.rows(hit),
                to="left" if fitting[-1][hit[0]] >= fitting[1][hit[0]] else "right",
            )
        ], hit

    def _fitting(self, facts: list[ColumnFacts], by: int) -> Ints:
        """How many cells of each case fit the variable so many places on, and not their own."""
        found = np.zeros(self.dataset.rows, np.int64)
        left_behind = np.zeros(self.dataset.rows, bool)
        left_behind[facts[0 if by < 0 else -1].blank] = True
        for place, own in enumerate(facts):
            if not 0 <= place + by < len(facts) or not len(own.odd):
                continue
            beside = facts[place + by].kind
            if beside == own.kind:
                continue
            cells = own.odd[of_kind(own.texts, beside)]
            found[cells] += 1
            if beside != "text":  # a word in place of a number is more often a mark
                found[cells] += left_behind[cells]
        return found

    def _totals(self, facts: list[ColumnFacts], no_cases: Flags) -> tuple[list[Finding], Ints]:
        words = [(case, text, each.name) for each in facts for case, text in each.totals]
        bare = self._bare / max(1, self._naming)
        bare[no_cases] = 0.0
        numbers = [each for each in facts if each.kind == "number"]
        names = [each.name for each in numbers]
        ending = names if no_cases.any() else [e.name for e in numbers if e.ends_in_its_sum]

        def values(name: str) -> np.ndarray:
            column = seen(self.dataset.column_once(name), None, self.dataset.plan)
            made = np.full(self.dataset.rows, np.nan)
            made[column.cases] = column.values
            made[no_cases] = 0.0
            return made

        return total_findings(words, bare, names, ending, values, self.rows)

    def _empty(self, no_cases: Flags) -> tuple[list[Finding], Ints]:
        """Cases in which next to nothing has a value."""
        many = len(self.dataset.names)
        if many < 4 or np.median(self._filled) < USUAL * many:
            return [], NONE
        hit = np.flatnonzero((self._filled <= max(1, EMPTY * many)) & ~no_cases)
        if not len(hit) or len(hit) > FEW_EMPTY * self.dataset.rows:
            return [], NONE
        return [
            EmptyCases(
                severity="note",
                sure=0.95,
                count=len(hit),
                rows=self.rows(hit),
                filled=int(self._filled[hit].max()),
            )
        ], hit


def _without_rows(rows: tuple[int, ...], count: int, whole: bool) -> Mend | None:
    """How headings within the data are left out: as such, or by their rows if all are named."""
    if whole:
        return Mend({"rows": {"repeated": "skip"}})
    return Mend({"rows": {"left_out": list(rows)}}) if len(rows) == count else None
