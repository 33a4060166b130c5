"""Figures that another system has exported, held against a dataset's own."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from ..declaration.patterns import late
from ..declaration.values import value_text
from ..describe.summary import summary
from ..errors import Advice, PlanError, nearest

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

GROUPED = late(r"[+-]?\d{1,3}(,\d{3})+(\.\d*)?")
WORDS = {
    "name": ("name", "variable", "item", "column", "field"),
    "n": ("n", "valid", "valid n", "nobs", "obs", "count", "cases"),
    "missing": ("missing", "nmiss", "n missing", "missing n"),
    "distinct": ("distinct", "unique", "different values"),
    "mean": ("mean", "average", "avg"),
    "sd": ("sd", "std", "std dev", "std deviation", "standard deviation", "stdev", "s d"),
    "min": ("min", "minimum", "smallest"),
    "q1": ("q1", "p25", "25", "first quartile", "lower quartile"),
    "median": ("median", "q2", "p50", "50"),
    "q3": ("q3", "p75", "75", "third quartile", "upper quartile"),
    "max": ("max", "maximum", "largest"),
}


class FigureDifference(msgspec.Struct, frozen=True):
    """One figure of one variable, here and there."""

    name: str
    figure: str
    here: str
    there: str
    difference: float | None
    agrees: bool


def figure_differences(
    dataset: PlainDataset,
    figures: Any,
    headings: Mapping[str, str],
    tolerance: float = 0.0,
    relative: float = 0.0,
) -> tuple[tuple[FigureDifference, ...], tuple[str, ...]]:
    """Each figure of the table against the dataset's own, and headings that name no figure."""
    rows = _rows(figures)
    columns = _columns(list(rows[0]) if rows else [], headings)
    names = [row[columns["name"]].strip() for row in rows]
    for name in names:
        if name not in dataset:
            hint = nearest(name, dataset.names)
            raise PlanError(f'figures: the dataset has no variable "{name}"{hint}')
    own = summary(dataset, names)
    made = []
    for name, row in zip(names, rows, strict=True):
        for figure, heading in columns.items():
            there = row[heading].strip()
            if figure != "name" and there:
                here = getattr(own[name], figure)
                made.append(_difference(name, figure, here, there, tolerance, relative))
    unknown = tuple(name for name in (rows[0] if rows else ()) if name not in columns.values())
    return tuple(made), unknown


def _rows(figures: Any) -> list[dict[str, str]]:
    if isinstance(figures, (str, os.PathLike)):
        from ..reading.tables import text_rows
        from ..sources.opening import open_source

        headings, rows = text_rows(open_source(figures), {})
        return [dict(zip(headings, cells, strict=True)) for _, cells in rows]
    if isinstance(figures, Mapping):
        return [{"name": name, **_texts(row)} for name, row in figures.items()]
    if isinstance(figures, Sequence) and all(isinstance(each, Mapping) for each in figures):
        return [_texts(row) for row in figures]
    raise PlanError("figures: expected the path of a table, or a list of mappings with a name")


def _texts(row: Mapping[str, Any]) -> dict[str, str]:
    return {key: "" if value is None else value_text(value) for key, value in row.items()}


def _columns(known: list[str], mapped: Mapping[str, str]) -> dict[str, str]:
    """Which heading holds which figure."""
    found: dict[str, str] = {}
    for figure, heading in mapped.items():
        if figure not in WORDS:
            raise PlanError(f'headings: there is no figure "{figure}"{nearest(figure, WORDS)}')
        if heading not in known:
            raise PlanError(
                f'figures: no column has the heading "{heading}"{nearest(heading, known)}'
            )
        found[figure] = heading
    for heading in known:
        plain = re.sub(r"[\W_]+", " ", heading).strip().casefold()
        for figure, words in WORDS.items():
            if plain in words and figure not in found and heading not in found.values():
                found[figure] = heading
    if "name" not in found:
        advice = Advice("set {}", 'headings={"name": "…"}', "--heading name=…")
        raise PlanError("figures: no column of names", advice)
    return found


def _difference(
    name: str, figure: str, here: Any, there: str, tolerance: float, relative: float
) -> FigureDifference:
    own = "" if here is None else value_text(here)
    numbers = _numbers(there)
    if not numbers or not isinstance(here, (int, float)):
        return FigureDifference(name, figure, own, there, None, own == there)
    number, decimals = min(numbers, key=lambda pair: abs(here - pair[0]))
    apart = abs(float(here) - number)
    whole = isinstance(here, int) or float(here).is_integer()
    rounded = 0.0 if whole and decimals == 0 else 0.5 * 10.0**-decimals
    allowed = tolerance + relative * max(abs(here), abs(number)) + rounded
    agrees = apart <= allowed * (1 + 1e-9)
    return FigureDifference(name, figure, own, there, apart, agrees)


def _numbers(text: str) -> list[tuple[float, int]]:
    """The numbers that a text may be, each with its decimals: `1,234` may have a decimal comma."""
    plain = text.replace("\u00a0", "").replace("\u202f", "").replace(" ", "")
    ways = {plain.replace(",", "")} if GROUPED.fullmatch(plain) else set()
    if plain.count(",") == 1 and "." not in plain:
        ways.add(plain.replace(",", "."))
    if "," not in plain:
        ways.add(plain)
    found = []
    for way in ways:
        try:
            number = float(way)
        except ValueError:
            continue
        mantissa, _, exponent = way.casefold().partition("e")
        found.append((number, len(mantissa.partition(".")[2]) - int(exponent or 0)))
    return found
