"""Titles of groups among the data: rows of one text that name what follows them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ...evidence import Example, GroupTitles
from ...kernels.types import Ints
from ...plan.model import KEEP, SKIP, Rows

FEWEST = 2
"""Titles of groups where nothing but their place marks one."""


def name_groups(texts: Sequence[str], others: Iterable[str]) -> bool:
    """Do texts in rows of their own name groups, though nothing but their place says so?

    There are several, all different, with more rows of data between them than there are titles, and
    `others`, the first cells of these rows, have none of them: a row of data that only has its
    first cell filled stays a case.
    """
    first = list(others)
    several = len(texts) >= FEWEST and len(set(texts)) == len(texts)
    return several and len(first) >= 2 * len(texts) and set(texts).isdisjoint(first)


def of_titles(titles: Sequence[tuple[int, str]], parts: Rows) -> GroupTitles:
    """The evidence for titles of groups: an open point, unless the plan decides."""
    return GroupTitles(
        value=parts.groups or SKIP,
        supporting=len(titles),
        examples=tuple(Example(row, text) for row, text in titles[:3]),
        certain=parts.groups is not None,
        alternatives=() if parts.groups else (KEEP,),
    )


def texts_down(titles: Sequence[tuple[int, str]], rows: Ints) -> list[str]:
    """The title that stands last above each of these rows."""
    places = np.searchsorted([row for row, _ in titles], rows)
    return [titles[place - 1][1] if place else "" for place in places.tolist()]
