"""All checks of a dataset: rows that are no cases, then each variable, then variables together.

Each check is a function that returns findings; it says nothing where all is well, and rather
nothing than something doubtful: a list that cries wolf is not read.
"""

from __future__ import annotations

from collections.abc import Sequence
from threading import Lock
from typing import Any

import numpy as np
from msgspec.structs import replace

from ..columns.column import Column
from ..dataset.case_names import case_key, names_of_rows
from ..dataset.model import PlainDataset
from ..dataset.promises import UniqueKey
from ..declaration.ignored import Ignored, ignored_from
from ..errors import PlanError, nearest
from ..evidence import ClosingRows, LeftOutByPosition, TitlesFound
from ..kernels.spans import FILE_BITS, LAST_ROW
from ..kernels.types import Ints
from ..workers import Progress, counted, for_columns
from .batteries import Scale, battery_findings, scale_of
from .causes import with_one_mend, without_echoes
from .findings import SHOWN, Finding, Findings, RowsOf, kinds_of_finding
from .grouping import grouped
from .headings import heading_findings
from .kinds import BrokenPromise, RowsLeftOut
from .meanings import meaning_findings
from .numbers import emptiness, number_findings
from .phases import group_starts, word_changes
from .relations import Sampled, relation_findings, sample_places, sampled, values_at
from .rows import RowChecks
from .seen import Seen, seen
from .shifts import shift_findings
from .texts import text_findings
from .times import time_findings

LEFT_OUT = (ClosingRows, TitlesFound, LeftOutByPosition)


def check(dataset: PlainDataset, ignore: Any = None, progress: Progress | None = None) -> Findings:
    """What looks wrong in a dataset, but for what its plan or `ignore` says not to show.

    Raises `PlanError` for a kind of finding that there is not.
    """
    ignored = (*dataset.plan.ignored, *ignored_from(ignore))
    _only_kinds(ignored)

    def rows(cells: Ints) -> tuple[int, ...]:
        return tuple(row_keys(dataset, cells[:SHOWN]).tolist())

    of_rows = RowChecks(dataset, rows)
    count = len(dataset.names)
    steps = 2 * count, "checking variables", progress

    def add(name: str) -> None:
        of_rows.add(dataset.column_once(name))

    with for_columns(dataset.rows) as workers:
        for _ in workers.each(counted(add, *steps), dataset.names):
            pass
        found = [*heading_findings(dataset), *_rows_left_out(dataset), *_broken_promises(dataset)]
        found += of_rows.causes()
        of_variables = VariableChecks(dataset, of_rows, rows)
        for own in workers.each(counted(of_variables.look, *steps, count), dataset.names):
            found += own
    found += of_rows.findings()
    found += of_variables.together()
    found = of_variables.without_shifts(found)
    kept = without_echoes(found, of_variables.group_starts)
    files = () if dataset.source_rows is None else dataset.source_rows.files
    asked = [each for each in kept if not _is_ignored(each, ignored)]
    shown = [_with_files(each, files) for each in grouped(asked, dataset.names)]
    key = case_key(dataset)
    if key:
        shown = [replace(each, key=key, cases=names_of_rows(dataset, each.rows)) for each in shown]
    return Findings(shown, len(kept) - len(asked))


def row_keys(dataset: PlainDataset, cases: Ints) -> Ints:
    """A number for the row of each case that no other row of any file has."""
    known = dataset.source_rows
    return cases + 1 if known is None else known.keys(cases)


def _only_kinds(ignored: Sequence[Ignored]) -> None:
    known = kinds_of_finding()
    for each in ignored:
        if each.kind not in known:
            raise PlanError(f'ignore: there is no finding "{each.kind}"{nearest(each.kind, known)}')


def _is_ignored(finding: Finding, ignored: Sequence[Ignored]) -> bool:
    """Is it ignored for all of its variables?"""
    every = [each.variable for each in ignored if each.kind == finding.kind]
    return "" in every or (bool(finding.variables) and set(finding.variables) <= set(every))


class VariableChecks:
    """The checks of variables one by one, and what is kept for those of several together."""

    def __init__(self, dataset: PlainDataset, of_rows: RowChecks, rows: RowsOf) -> None:
        self.dataset, self.rows = dataset, rows
        self.left_out = of_rows.left_out
        self.places = sample_places(dataset.rows)
        self.samples: dict[str, Sampled] = {}
        self.scales: dict[str, Scale] = {}
        self.group_starts: set[int] = set()
        self._alone = Lock()

    def look(self, name: str) -> list[Finding]:
        """All checks of one variable."""
        column = self.dataset.column_once(name)
        view = self._seen(column)
        self._keep(view)
        found = [*meaning_findings(column), *emptiness(view)]
        changes = word_changes(view, self.rows)
        found += changes or text_findings(view, self.rows)
        if view.kind == "number" or not len(view.values):
            found += number_findings(view, self.rows)
        return with_one_mend(found) + time_findings(view, self.rows)

    def _seen(self, column: Column) -> Seen:
        return seen(column, self.left_out, self.dataset.plan)

    def _keep(self, view: Seen) -> None:
        sample = sampled(view, self.places) if view.kind in ("number", "date") else None
        scale = scale_of(view.name, view.values) if view.kind == "number" else None
        starts = group_starts(view)
        at = row_keys(self.dataset, starts).tolist()
        with self._alone:
            self.group_starts.update(at)
            if sample is not None:
                self.samples[view.name] = sample
            if scale is not None:
                self.scales[view.name] = scale

    def without_shifts(self, found: list[Finding]) -> list[Finding]:
        """The findings, those that shifted rows of numbers explain as one."""

        def numbers(name: str) -> np.ndarray | None:
            view = seen(self.dataset.column_once(name), None, self.dataset.plan)
            return values_at(view) if view.kind == "number" else None

        def rows() -> Ints:
            return row_keys(self.dataset, np.arange(self.dataset.rows))

        return shift_findings(found, self.dataset.names, numbers, rows)

    def together(self) -> list[Finding]:
        """Checks of several variables at once."""
        names = self.dataset.names
        known = [self.samples[name] for name in names if name in self.samples]

        def full(name: str) -> np.ndarray:
            return values_at(self._seen(self.dataset.column_once(name)))

        found = relation_findings(known, full, self.rows)
        return found + battery_findings(self.dataset, self.scales, self.left_out, self.rows)


def _with_files(finding: Finding, files: Sequence[str]) -> Finding:
    """A finding whose rows are those of the files of a set; no fix names rows of one of them."""
    if not files or not finding.rows or finding.files:
        return finding
    mend = finding.mend
    if mend is not None and not {"repeated"}.issuperset(mend.parts.get("rows", ())):
        mend = None
    named = tuple(files[row >> FILE_BITS] for row in finding.rows)
    rows = tuple(row & LAST_ROW for row in finding.rows)
    last = finding.last_row & LAST_ROW
    return replace(finding, rows=rows, files=named, last_row=last, mend=mend)


def _rows_left_out(dataset: PlainDataset) -> list[Finding]:
    """Totals, notes and titles that the program set aside, where that is an open point."""
    return [
        RowsLeftOut(
            severity="note",
            count=each.supporting or 0,
            rows=tuple(example.row for example in each.examples),
            files=tuple(e.file or each.files[0] for e in each.examples) if each.files else (),
            evidence=each,
        )
        for each in dataset.receipt.decided
        if isinstance(each, LEFT_OUT) and not each.certain and not each.answered
    ]


def _broken_promises(dataset: PlainDataset) -> list[Finding]:
    """Promises about the data that do not hold; repeated keys have a finding of their own."""
    return [
        BrokenPromise(
            severity="serious",
            sure=1.0,
            variables=(each.variable,) if each.variable else (),
            count=each.count,
            rows=each.rows,
            files=each.files,
            promise=each,
        )
        for each in dataset.receipt.promises
        if not each.kept and not isinstance(each, UniqueKey)
    ]
