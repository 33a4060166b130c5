"""Pictures of results. Needs the extra `report`."""

from __future__ import annotations

import os
from typing import Any, Unpack

from ..errors import PlanError
from ..plan.options import ReadingOptions
from ..show.pictures.distributions import draw_counts
from ..show.pictures.findings import draw_findings
from ..show.pictures.matrices import draw_pairs, draw_patterns
from .documented import takes_reading_options
from .plan import NO_PLAN, Plan
from .reading import within_memory


@takes_reading_options
@within_memory
def draw_positions(
    source: Any,
    path: str | os.PathLike[str],
    *,
    plan: Plan | None = None,
    **options: Unpack[ReadingOptions],
) -> None:
    """Draw the positions of fixed columns to a PNG, SVG or PDF file.

    Accepts the source and options of `look`; fields are inferred if not given. Raises `PlanError`
    if the source is not fixed-width text, or if the extra `report` is not installed.

    >>> fields = [("id", 1, 1), ("acid", 3, 5)]
    >>> oc.draw_positions(b"1 0.3\\n2 0.4\\n", folder / "positions.png", fields=fields)
    """
    from ..layouts.base import Before
    from ..layouts.registry import find_layout
    from ..reading.preparing import source_and_plan
    from ..show.pictures import positions

    base = NO_PLAN if plan is None else plan
    opened, decisions = source_and_plan(source, base, {**options, "layout": "fixed"})
    positions.draw_positions(find_layout(opened, decisions, Before(thorough=False)), path)


@takes_reading_options
@within_memory
def draw_files(
    source: Any,
    path: str | os.PathLike[str],
    *,
    plan: Plan | None = None,
    **options: Unpack[ReadingOptions],
) -> None:
    """Draw which variables are in which file of a set, with types and shares missing.

    Accepts the source and options of `look`. Raises `PlanError` if the source is not a set of
    files, or if the extra `report` is not installed.

    >>> oc.draw_files(folder / "*.csv", folder / "files.png")
    """
    from ..reading.sets.looking import SetLook
    from ..show.pictures import sets
    from .reading import look

    found = look(source, plan=plan, **options)
    if not isinstance(found, SetLook):
        raise PlanError(f"{found.source}: one file, where a set of files is asked for")
    sets.draw_files(found, path)


__all__ = [
    "draw_counts",
    "draw_files",
    "draw_findings",
    "draw_pairs",
    "draw_patterns",
    "draw_positions",
]
