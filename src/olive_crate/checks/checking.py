"""All checks of a dataset, in one pass over its variables and one over its rows.

Each check is a function that returns findings; it says nothing where all is well, and rather
nothing than something doubtful: a list that cries wolf is not read.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from msgspec.structs import replace

from ..dataset.case_names import case_key, names_of_rows
from ..dataset.model import PlainDataset
from ..dataset.promises import UniqueKey
from ..evidence import ClosingRows, LeftOutByPosition, TitlesFound
from ..kernels.spans import FILE_BITS, LAST_ROW
from ..kernels.types import Ints
from ..workers import for_columns
from .findings import (
    BrokenPromise,
    FarFromTheRest,
    Finding,
    Findings,
    HeadingAmongTheData,
    KeptAsText,
    KeysWithGaps,
    RowsLeftOut,
    ShiftedRows,
    SuspectedCodesFound,
    TotalAmongTheData,
)
from .headings import heading_findings
from .meanings import meaning_findings
from .numbers import number_findings
from .rows import RowChecks
from .texts import text_findings
from .times import time_findings

LEFT_OUT = (ClosingRows, TitlesFound, LeftOutByPosition)
SHOWN = 10
"""Rows that a finding names."""
CAUSES = (TotalAmongTheData, ShiftedRows, HeadingAmongTheData)
ECHOES = (FarFromTheRest, KeptAsText, KeysWithGaps, SuspectedCodesFound)
"""Findings that are only shown where no cause explains all of their rows."""


def check(dataset: PlainDataset) -> Findings:
    """What looks wrong in a dataset."""

    def rows(cells: Ints) -> tuple[int, ...]:
        first = cells[:SHOWN]
        at = first + 1 if dataset.source_rows is None else dataset.source_rows.keys(first)
        return tuple(at.tolist())

    found: list[Finding] = heading_findings(dataset, rows)
    explained = {name for each in found for name in each.variables}
    found += _rows_left_out(dataset)
    found += _broken_promises(dataset)
    explained |= {name for each in found for name in each.variables}
    of_rows = RowChecks(dataset, rows)

    def of_variable(name: str) -> list[Finding]:
        column = dataset.column_once(name)
        own = [*meaning_findings(column), *number_findings(column, rows)]
        if name not in explained:
            own += text_findings(column, dataset.plan, rows)
        own += time_findings(column, rows)
        of_rows.add(column)
        return own

    with for_columns(dataset.rows) as workers:
        for own in workers.each(of_variable, dataset.names):
            found += own
    found += of_rows.findings()
    files = () if dataset.source_rows is None else dataset.source_rows.files
    placed = [_with_files(each, files) for each in _without_echoes(found)]
    key = case_key(dataset)
    if not key:
        return Findings(placed)
    return Findings(
        [replace(each, key=key, cases=names_of_rows(dataset, each.rows)) for each in placed]
    )


def _with_files(finding: Finding, files: Sequence[str]) -> Finding:
    """A finding whose rows are those of the files of a set."""
    if not files or not finding.rows or finding.files:
        return finding
    named = tuple(files[row >> FILE_BITS] for row in finding.rows)
    rows = tuple(row & LAST_ROW for row in finding.rows)
    return msgspec.structs.replace(finding, rows=rows, files=named)


def _rows_left_out(dataset: PlainDataset) -> list[Finding]:
    """Totals, notes and titles that the program set aside, where that is an open point."""
    return [
        RowsLeftOut(
            severity="doubtful",
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
            variables=(each.variable,) if each.variable else (),
            count=each.count,
            rows=each.rows,
            files=each.files,
            promise=each,
        )
        for each in dataset.receipt.promises
        if not each.kept and not isinstance(each, UniqueKey)
    ]


def _without_echoes(found: list[Finding]) -> list[Finding]:
    """Of findings with one cause only the one that names it: a total is far from the rest, too."""
    causes = {row for each in found if isinstance(each, CAUSES) for row in each.rows}
    return [
        each
        for each in found
        if not isinstance(each, ECHOES) or not each.rows or not set(each.rows) <= causes
    ]
