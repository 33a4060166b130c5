"""Titles of groups among the data, filled down to the cases of each group."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...kernels.types import Ints


def texts_down(titles: Sequence[tuple[int, str]], rows: Ints) -> list[str]:
    """The title that stands last above each of these rows."""
    places = np.searchsorted([row for row, _ in titles], rows)
    return [titles[place - 1][1] if place else "" for place in places.tolist()]
