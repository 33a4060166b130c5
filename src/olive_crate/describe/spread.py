"""Work on the pieces of variables: here, or on the machines where a packed set is worked on.

What is worked out is small and can be put together: counts, sums, histograms. A function of this
room takes iterators of columns and gives such a value; it is called once here, or once for each
group of parts on a cluster, and the values are put together in the same way.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from ..dataset.model import PlainDataset
from .prefetch import ahead

Work = Callable[..., Any]


def over(dataset: PlainDataset, names: Sequence[str], work: Work, *rest: Any) -> list[Any]:
    """What `work` makes of the pieces of these variables: one value, or one for each group."""
    if is_spread(dataset):
        assert dataset.parts is not None
        return dataset.parts.over(names, work, rest)
    return [work([ahead(dataset.column_pieces(name)) for name in names], *rest)]


def is_spread(dataset: PlainDataset) -> bool:
    """Is the dataset worked on by other machines?"""
    return dataset.parts is not None and dataset.parts.is_spread
