"""All checks of a dataset, in one pass over its variables and one over its rows.

Each check is a function that returns findings; it says nothing where all is well, and rather
nothing than something doubtful: a list that cries wolf is not read.
"""

from __future__ import annotations

from ..dataset import Dataset
from ..kernels.reference import Ints
from .findings import Finding, Findings
from .headings import heading_findings
from .labels import label_findings
from .numbers import number_findings
from .rows import row_findings
from .texts import text_findings
from .times import time_findings

SHOWN = 10


def check(dataset: Dataset) -> Findings:
    """What looks wrong in a dataset."""

    def rows(cells: Ints) -> tuple[int, ...]:
        first = cells[:SHOWN]
        at = first + 1 if dataset.source_rows is None else dataset.source_rows.at(first)
        return tuple(at.tolist())

    found: list[Finding] = heading_findings(dataset, rows)
    found += _unmet(dataset)
    told = {name for each in found for name in each.variables}
    for name in dataset.names:
        column = dataset[name]
        found += label_findings(column)
        found += number_findings(column, rows)
        if name not in told:
            found += text_findings(column, dataset.plan, rows)
        found += time_findings(column, rows)
    found += row_findings(dataset, rows)
    return Findings(_without_echoes(found))


def _unmet(dataset: Dataset) -> list[Finding]:
    """What was expected when the data were read, and was not so."""
    return [
        Finding(
            "expectation not met",
            "serious",
            (each.variable,) if each.variable else (),
            f"{each.what}, {each.told}",
            each.count,
            each.rows,
        )
        for each in dataset.receipt.expectations
        if not each.met and not each.what.startswith(_key_words(dataset))
    ]


def _key_words(dataset: Dataset) -> str:
    """How an expectation of the key begins: repeated keys have a finding of their own."""
    return f"{', '.join(dataset.plan.expect.key)} different"


def _without_echoes(found: list[Finding]) -> list[Finding]:
    """Of findings with one cause only the one that names it: a total is far from the rest, too."""
    causes = {
        row
        for each in found
        if each.kind in ("a total among the data", "shifted rows", "a heading among the data")
        for row in each.rows
    }
    echoes = ("far from the rest", "kept as text", "keys with gaps", "suspected codes")
    return [
        each
        for each in found
        if each.kind not in echoes or not each.rows or not set(each.rows) <= causes
    ]
