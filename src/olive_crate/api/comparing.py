"""Comparing a dataset with another, with its source, or with figures from elsewhere."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..checks.comparison import Comparison
from ..dataset.model import PlainDataset


def compare(
    dataset: PlainDataset,
    other: Any = None,
    *,
    key: str | Sequence[str] | None = None,
    tolerance: float = 0.0,
    relative: float = 0.0,
    figures: Any = None,
    headings: Mapping[str, str] | None = None,
    without: str | Sequence[str] = (),
) -> Comparison:
    """Compare a dataset with another, with its source read again, or with figures from elsewhere.

    `other` is a dataset or anything that `load` reads; by default, the dataset's own source is read
    again with its plan; of a dataset with some of its rows and variables, those are compared. Rows
    are matched by `key` (variables that are unique together; rows whose key is doubled or missing
    are counted and left out), by the rows of a source that both come from, or by position. Whole
    numbers are compared exactly; others agree if they differ by at most `tolerance` plus `relative`
    times the larger one. `without` leaves out "reasons", "labels" or "declarations", so that a
    dataset and its plain export can be equal.

    `figures` is a table (a path, or a list of mappings) with a row for each variable: `name` and
    any of n, missing, distinct, mean, sd, min, q1, median, q3, max; `headings` maps these to the
    table's headings. A figure agrees if it equals the dataset's own, rounded to the given digits.

    Raises `PlanError` for a key that is not there, and for a figure of an unknown variable.

    >>> oc.compare(ds, ds.head(3)).equal
    False
    >>> oc.compare(ds, ds).agreeing
    ('id', 'acid', 'grade')
    """
    from ..checks import comparison

    if figures is not None:
        given = headings or {}
        return comparison.compare_figures(dataset, figures, given, tolerance, relative)
    there = other if isinstance(other, PlainDataset) else _read(dataset, other)
    parts = [without] if isinstance(without, str) else list(without)
    return comparison.compare_datasets(dataset, there, key, tolerance, relative, parts)


def _read(dataset: PlainDataset, other: Any) -> PlainDataset:
    from ..checks.matching import rows_of_source
    from ..formats.unpacking import is_packed
    from .reading import load, unpack

    if other is None:
        own = (dataset.plan.file_as, dataset.plan.row_as)
        names = [name for name in dataset.names if name not in own]
        return rows_of_source(load(dataset.plan, keep=names), dataset)
    if is_packed(other):
        return unpack(other)
    return load(other)
