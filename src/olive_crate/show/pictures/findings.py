"""Pictures of findings, where looking is quicker: each value by its row, the suspects marked.

A value far from the rest, a block in another unit, times out of order and codes among numbers all
show in one kind of panel; cases with next to nothing in them show in a map of missing cells.
"""

from __future__ import annotations

import datetime as dt
import os
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from ...checks import kinds as found
from ...checks.findings import Finding, Findings
from ...checks.relations import values_at
from ...checks.seen import DAY, Seen, seen
from ...errors import PlanError, several
from ...kernels.types import Flags
from ..text import cut
from .canvas import INK, OLIVE, PAPER, RUST, bare, figure, save

if TYPE_CHECKING:
    from ...dataset.model import PlainDataset

MOST = 9
"""Panels of one picture."""
POINTS = 4_000
"""Values that are drawn of those that are not suspected."""
WIDE, HIGH = 200, 60
"""Parts of the rows, and variables, that a map of missing cells shows."""
SPAN = 1_000
"""Values from so many times the least to the greatest are drawn on a scale of logarithms."""
DRAWN = (
    found.FarFromTheRest,
    found.SlippedDecimals,
    found.SuspectedCodesFound,
    found.ChangeOfScale,
    found.MisalignedBlock,
    found.ImpossibleTogether,
    found.OutOfOrder,
    found.DatesFarOff,
    found.DatesAtAnEpoch,
    found.DatesInTheFuture,
)
MAPPED = (found.EmptyCases, found.EmptyVariable)


def draw_findings(
    dataset: PlainDataset, findings: Findings, path: str | os.PathLike[str]
) -> tuple[int, int]:
    """A panel for each finding that can be seen: how many are drawn, and how many are not.

    Raises `PlanError` where there is nothing to draw, or no extra `report`.

    >>> marks = oc.load(folder / "odd.csv")
    >>> oc.draw_findings(marks, marks.check(), folder / "odd.png")[0] > 0
    True
    """
    panels = [
        (each, name)
        for each in findings
        if isinstance(each, DRAWN)
        for name in each.variables[:1]  # one of a run of alike ones is enough
    ]
    mapped = [each for each in findings if isinstance(each, MAPPED)]
    shown = panels[: MOST - bool(mapped)]
    many = len(shown) + bool(mapped)
    if not many:
        raise PlanError("there is no finding that a picture would show")
    columns = 1 if many == 1 else 2 if many <= 4 else 3
    drawn = figure()
    axes = np.atleast_1d(drawn.subplots(-(-many // columns), columns)).ravel()
    for place, (each, name) in enumerate(shown):
        _values(axes[place], dataset, each, name)
    if mapped:
        _map(axes[many - 1], dataset)
    for each in axes[many:]:
        each.set_visible(False)
    drawn.suptitle(f"{several(dataset.rows, 'row')}; what is suspected in rust", color=INK)
    save(drawn, path)
    told = {id(each) for each, _ in shown} | {id(each) for each in mapped}
    return len(told), len(findings) - len(told)


def _values(axes: Any, dataset: PlainDataset, finding: Finding, name: str) -> None:
    """Each value by its row; of a relation, how far its sides are apart."""
    from matplotlib.ticker import NullLocator

    view = seen(dataset.column_once(name), None, dataset.plan)
    title = name
    if isinstance(finding, found.ImpossibleTogether):
        view, title = _slack(dataset, finding, view), finding.relation
    hit = _suspects(dataset, finding, view)
    rest = np.flatnonzero(~hit)
    rest = rest[:: max(1, len(rest) // POINTS)]
    rows = view.cases + 1 if dataset.source_rows is None else dataset.source_rows.at(view.cases)
    as_days = view.kind == "date"
    values = view.values / DAY if as_days else view.values
    axes.plot(rows[rest], values[rest], ".", color=OLIVE, markersize=3, alpha=0.6)
    axes.plot(rows[hit], values[hit], "o", color=RUST, markersize=4)
    bare(axes)
    axes.yaxis.grid(True, color="#e7e3d6")
    if as_days and title == name:
        axes.yaxis.set_major_formatter(lambda day, _: _day(day))
    elif len(values) and values.min() > 0 and values.max() > SPAN * values.min():
        axes.set_yscale("log")
        axes.yaxis.set_major_formatter(lambda value, _: f"{value:,g}")
        axes.yaxis.set_minor_locator(NullLocator())
    if title != name:
        axes.set_ylabel("days apart" if as_days else "apart", fontsize=8, color=INK)
    axes.set_title(cut(f"{title}: {finding.kind}", 56), fontsize=10, color=INK, loc="left")
    axes.set_xlabel("row", fontsize=8, color=INK)


def _slack(dataset: PlainDataset, finding: found.ImpossibleTogether, view: Seen) -> Seen:
    """How far the sides of a relation are apart in each case."""
    sides = [view] + [
        seen(dataset.column_once(name), None, dataset.plan) for name in finding.variables[1:]
    ]
    every = [values_at(each) for each in sides]
    apart = every[1] - every[0] if len(every) == 2 else every[0] - sum(every[1:])
    cases = np.flatnonzero(~np.isnan(apart))
    return replace(view, values=apart[cases], cases=cases)


def _day(day: float) -> str:
    try:
        return (dt.date(1970, 1, 1) + dt.timedelta(int(day))).isoformat()
    except OverflowError:
        return ""


def _suspects(dataset: PlainDataset, finding: Finding, view: Seen) -> Flags:
    """Which of the values a finding is about: by value where it tells, else by its first rows."""
    values = view.values
    if isinstance(finding, found.SuspectedCodesFound):
        return np.isin(values, [each.value for each in finding.suspects])
    if isinstance(finding, (found.FarFromTheRest, found.SlippedDecimals)):
        low, high = float(finding.low), float(finding.high)
        return np.asarray((values < low) | (values > high))
    cases = view.cases
    rows = cases + 1 if dataset.source_rows is None else dataset.source_rows.at(cases)
    if isinstance(finding, (found.ChangeOfScale, found.MisalignedBlock)):
        first = int(np.searchsorted(rows, finding.rows[0]))
        hit = np.zeros(len(values), bool)
        hit[first : first + finding.count] = True
        return hit
    if isinstance(finding, found.DatesFarOff):
        day = [dt.date.fromisoformat(each).toordinal() for each in (finding.first, finding.last)]
        low, high = ((each - dt.date(1970, 1, 1).toordinal()) * DAY for each in day)
        return np.asarray((values < low) | (values >= high + DAY))
    return np.isin(rows, finding.rows)


def _map(axes: Any, dataset: PlainDataset) -> None:
    """Which cells are missing: rows across, variables down."""
    names = dataset.names[:HIGH]
    parts = min(WIDE, dataset.rows)
    edges = np.linspace(0, dataset.rows, parts + 1).astype(np.int64)
    shares = np.stack(
        [
            np.add.reduceat((dataset.column_once(name).reasons != 0).astype(float), edges[:-1])
            / np.maximum(np.diff(edges), 1)
            for name in names
        ]
    )
    from matplotlib.colors import LinearSegmentedColormap

    colours = LinearSegmentedColormap.from_list("missing", [PAPER, RUST])
    any_missing = np.where(shares > 0, 0.5 + shares / 2, 0)
    axes.imshow(any_missing, aspect="auto", cmap=colours, vmin=0, vmax=1, interpolation="nearest")
    bare(axes)
    few = len(names) <= 24
    axes.set_yticks(range(len(names)) if few else [], [cut(n, 14) for n in names] if few else [])
    axes.set_xticks([])
    axes.set_title("missing cells: rows across, variables down", fontsize=10, color=INK, loc="left")
