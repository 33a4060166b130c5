"""Do value labels and values fit each other?"""

from __future__ import annotations

import numpy as np

from ..celltexts import shown
from ..columns import Column
from ..labelling import label_counts, label_places
from ..words import cut
from .findings import Finding

MOST = 6


def label_findings(column: Column) -> list[Finding]:
    """Values that have no label although others have, and labels that no value has."""
    variable = column.variable
    if not variable.values or len(column) == 0:
        return []
    return [*_unlabelled(column), *_unused(column)]


def _unlabelled(column: Column) -> list[Finding]:
    bare = np.flatnonzero((label_places(column) < 0) & (column.reasons == 0))
    if not len(bare):
        return []
    counted = column.values.take(bare).value_counts().to_pylist()
    counted.sort(key=lambda each: -each["counts"])
    listed = [f"{cut(shown(each['values']), 24)} ×{each['counts']:,}" for each in counted[:MOST]]
    more = f" and {len(counted) - MOST:,} more" if len(counted) > MOST else ""
    return [
        Finding(
            "unlabelled values",
            "doubtful",
            (column.variable.name,),
            ", ".join(listed) + more,
            len(bare),
        )
    ]


def _unused(column: Column) -> list[Finding]:
    unused = [str(label) for label, count in label_counts(column) if not count]
    if not unused:
        return []
    listed = ", ".join(unused[:MOST])
    more = f" and {len(unused) - MOST:,} more" if len(unused) > MOST else ""
    return [
        Finding(
            "unused labels",
            "note",
            (column.variable.name,),
            listed + more,
            len(unused),
        )
    ]
