"""Which type a column gets, held to the rule as Python says it.

A column has the first of these types that every one of its values fits: integer, number, date,
datetime, time, boolean (of which both words occur), and else it is text. Values are what Python
makes of the same texts. How the cells are told apart quickly must not show.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from typing import Any

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

INTEGER = re.compile(r"[+-]?[0-9]+")
NUMBER = re.compile(r"[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]+)?")
DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
MOMENT = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:[0-9]{2}(:[0-9]{2}(\.[0-9]{1,6})?)?")
ZONE = re.compile(r"Z|[+-][0-9]{2}:[0-9]{2}")
CLOCK = re.compile(r"[0-9]{2}:[0-9]{2}(:[0-9]{2})?")
WORDS = {"yes": True, "no": False}


def _integer(text: str) -> int | None:
    if INTEGER.fullmatch(text):
        return int(text) if -(2**63) <= int(text) < 2**63 else None
    return None


def _number(text: str) -> float | None:
    return float(text) if NUMBER.fullmatch(text) else None


def _iso(pattern: re.Pattern[str], parse: Callable[[str], Any]) -> Callable[[str], Any]:
    """What a text of this pattern means; `None` for another one, and for no day or time."""

    def value_of(text: str) -> Any:
        try:
            return parse(text) if pattern.fullmatch(text) else None
        except ValueError:
            return None

    return value_of


def _zoned(text: str) -> dt.datetime | None:
    found = ZONE.search(text, 10)
    if not found or found.end() != len(text) or not MOMENT.fullmatch(text[: found.start()]):
        return None
    try:
        return dt.datetime.fromisoformat(text).astimezone(dt.UTC)
    except (ValueError, OverflowError):
        return None


TYPES: dict[str, Callable[[str], Any]] = {
    "integer": _integer,
    "number": _number,
    "date": _iso(DATE, dt.date.fromisoformat),
    "datetime": _iso(MOMENT, dt.datetime.fromisoformat),
    "zoned": _zoned,
    "time": _iso(CLOCK, dt.time.fromisoformat),
    "boolean": WORDS.get,
}


def meant(cells: list[str]) -> tuple[str, list[Any]]:
    """The type of a column and its values."""
    filled = [cell for cell in cells if cell]
    for kind, value_of in TYPES.items():
        if kind == "boolean" and set(filled) != set(WORDS):
            continue
        if filled and all(value_of(cell) is not None for cell in filled):
            values = [value_of(cell) if cell else None for cell in cells]
            return {"zoned": "datetime"}.get(kind, kind), values
    return "text", [cell or None for cell in cells]


DAYS = st.dates(dt.date(1900, 1, 1), dt.date(2099, 12, 31))
SECONDS = st.datetimes(dt.datetime(1900, 1, 1), dt.datetime(2099, 12, 31)).map(
    lambda each: each.replace(microsecond=0)
)
FAMILIES: dict[str, st.SearchStrategy[str]] = {
    "integers": st.integers(-99_999, 99_999).map(str),
    "long integers": st.integers(-(2**63), 2**63 - 1).map(str),
    "decimals": st.decimals(-9999, 9999, places=2).map(str),
    "whole decimals": st.integers(0, 999).map(lambda each: f"{each}.0"),
    "exponents": st.floats(1e-30, 1e30).map(lambda each: f"{each:.5e}"),
    "whole exponents": st.integers(1, 9).map(lambda each: f"{each}.5e+03"),
    "days": DAYS.map(str),
    "moments": SECONDS.map(str),
    "moments with a T": SECONDS.map(dt.datetime.isoformat),
    "minutes": SECONDS.map(lambda each: each.strftime("%Y-%m-%d %H:%M")),
    "UTC": SECONDS.map(lambda each: each.isoformat() + "Z"),
    "zones": SECONDS.map(lambda each: each.isoformat() + "+02:00"),
    "clock": st.times().map(lambda each: each.strftime("%H:%M")),
    "clock to the second": st.times().map(lambda each: each.strftime("%H:%M:%S")),
    "yes or no": st.sampled_from(["yes", "no"]),
    "words": st.sampled_from(["Pago", "Campo alto", "press 2", "2 presses", "x"]),
    "no day": st.sampled_from(["2025-02-30", "2025-13-01"]),
}
MIXED = [
    ("integers", "decimals"),
    ("integers", "exponents"),
    ("integers", "whole exponents"),
    ("decimals", "exponents", "whole decimals"),
    ("integers", "long integers"),
    ("integers", "words"),
    ("decimals", "words"),
    ("days", "moments"),
    ("days", "words"),
    ("days", "no day"),
    ("moments", "minutes"),
    ("moments", "moments with a T"),
    ("moments", "UTC"),
    ("UTC", "zones"),
    ("clock", "clock to the second"),
    ("clock", "integers"),
    ("yes or no", "words"),
    ("integers", "days"),
]


def check(cells: list[str], block: int, workers: int) -> None:
    lines = [f"{row};{cell}\n" for row, cell in enumerate(cells)]
    data = ("row;cell\n" + "".join(lines)).encode()
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("OLIVE_CRATE_BLOCK", str(block))
        marks = {"delimiter": ";", "decimal": ".", "rows": {"names": 1, "closing": "keep"}}
        dataset = oc.load(data, workers=workers, **marks)
    kind, values = meant(cells)
    column = dataset["cell"]
    assert column.variable.type == kind
    assert column.values.to_pylist() == values
    assert dataset.receipt.balanced and column.values.null_count == cells.count("")


@pytest.mark.parametrize("family", FAMILIES)
@settings(max_examples=tries(30), deadline=None)
@given(st.data(), st.sampled_from([64, 1 << 20]), st.integers(1, 2))
def test_a_column_of_one_family(family, data, block, workers):
    cells = data.draw(st.lists(FAMILIES[family], min_size=2, max_size=90))
    check(cells, block, workers)


@pytest.mark.parametrize("families", MIXED, ids=" and ".join)
@settings(max_examples=tries(30), deadline=None)
@given(st.data(), st.sampled_from([64, 1 << 20]), st.integers(1, 2))
def test_a_column_of_several_families(families, data, block, workers):
    """Most are of the first one; where the others stand is not known before."""
    first, *others = (FAMILIES[each] for each in families)
    cells = data.draw(st.lists(first, min_size=20, max_size=90))
    more = data.draw(st.lists(st.one_of(*others, st.just("")), min_size=1, max_size=8))
    for cell in more:
        cells.insert(data.draw(st.integers(0, len(cells))), cell)
    check(cells, block, workers)


CELLS = [
    *(
        "3",
        "-2.48",
        "+.5",
        "5.",
        " 4.5",
        "7e3",
        "1e400",
        "007",
        "(3)",
        "12.5%",
        "€ 4",
        "1,5",
        "1.234.567",
    ),
    *(
        "13.10.2025",
        "2025-10-13",
        "2025-10-13T08:00:00Z",
        "12:30",
        "late",
        "yes",
        "no",
        "NA",
        ".",
        "",
    ),
]


@settings(max_examples=tries(300))
@given(st.lists(st.sampled_from(CELLS), min_size=1, max_size=6), st.sampled_from([12, 60, 300]))
def test_how_many_rows_there_are_changes_no_type(cells, times):
    """Few cells are tried all at once, of many the first ones before the others."""

    def read(cells):
        text = "x;y\n" + "".join(f"{cell};1\n" for cell in cells)
        return oc.load(text.encode(), delimiter=";", rows={"names": 1, "closing": "keep"})["x"]

    few, many = read(cells), read(cells * times)
    assert few.variable.type == many.variable.type
    assert few.values.to_pylist() * times == many.values.to_pylist()
