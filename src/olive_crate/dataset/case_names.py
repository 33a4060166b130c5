"""Cases of a database's table are known by its key, not by a row number."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .. import kernels
from ..declaration.values import value_text
from ..errors import PlanError
from .model import PlainDataset


def case_key(dataset: PlainDataset) -> tuple[str, ...]:
    """The variables that name a case of a table; empty for other sources."""
    key = dataset.plan.promised.key
    known = dataset.plan.layout == "query" and dataset.plan.table.query is None
    return key if known and key and all(each in dataset for each in key) else ()


def names_of_rows(dataset: PlainDataset, rows: Sequence[int]) -> tuple[str, ...]:
    """What the cases that came from these rows are called: `1040`, or `17, 2025-10-07`."""
    key = case_key(dataset)
    if not key or not len(rows) or dataset.source_rows is None:
        return ()
    known = dataset.source_rows.keys(np.arange(dataset.rows))
    order = np.argsort(known, kind="stable")
    at = order[np.searchsorted(known[order], rows)]
    columns = [dataset[name].values.take(kernels.whole_numbers(at)).to_pylist() for name in key]
    return tuple(", ".join(map(value_text, each)) for each in zip(*columns, strict=True))


def case_named(dataset: PlainDataset, key: Sequence[str], wanted: Sequence[str]) -> int:
    """The case with these values of the key, or with the name that is shown for it.

    Raises `PlanError` where there is none.
    """
    columns = [dataset[name].values.to_pylist() for name in key]
    for case, values in enumerate(zip(*columns, strict=True)):
        texts = list(map(value_text, values))
        if texts == list(wanted) or [", ".join(texts)] == list(wanted):
            return case
    raise PlanError(f"no case has {', '.join(key)} = {', '.join(wanted)}")
