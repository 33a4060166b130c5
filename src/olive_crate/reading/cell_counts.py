"""What the cells of a variable became, from counts over blocks that are not kept."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..columns.outcome import Outcome
from ..dataset.receipt import CellCounts
from ..kernels.types import Ints


def counts_of(outcome: Outcome, valid: int, reasons: Ints) -> CellCounts:
    """So many cells with a value, and so many with each reason as it was numbered while read."""
    variable = outcome.variable
    numbers = np.flatnonzero(reasons).astype(np.uint8)
    final = np.zeros(256, np.int64)
    np.add.at(final, outcome.reasons(numbers.copy()), reasons[numbers])
    named = Column(variable, pa.nulls(0), np.zeros(0, np.uint8)).named(final)
    return CellCounts(variable.name, variable.type or "text", valid, named)
