"""Figures that another system has exported, held against a dataset's own."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from ..declaration.values import value_text
from ..describe.summary import summary
from ..errors import Advice, PlanError, nearest

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

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
) -> tuple[FigureDifference, ...]:
    """Each figure of the table against the dataset's own. See `compare`."""
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
    return tuple(made)


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
    number = _number(there)
    if number is None or not isinstance(here, (int, float)):
        return FigureDifference(name, figure, own, there, None, own == there)
    apart = abs(float(here) - number)
    allowed = tolerance + relative * max(abs(here), abs(number)) + _half_a_digit(there)
    agrees = apart <= allowed * (1 + 1e-9)
    return FigureDifference(name, figure, own, there, apart, agrees)


def _number(text: str) -> float | None:
    plain = text.replace(",", ".") if text.count(",") == 1 and "." not in text else text
    try:
        return float(plain)
    except ValueError:
        return None


def _half_a_digit(text: str) -> float:
    """Half of the last digit that is given; nothing for whole numbers."""
    mantissa, _, exponent = text.replace(",", ".").casefold().partition("e")
    decimals = len(mantissa.partition(".")[2])
    return 0.5 * 10.0 ** (int(exponent or 0) - decimals) if decimals or exponent else 0.0
