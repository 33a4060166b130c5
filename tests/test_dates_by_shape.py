"""Declared dates and moments whose cells differ in length, and odd cells among them."""

from __future__ import annotations

import datetime as dt
import random
import re

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

IN_FULL = ["january", "february", "march", "april", "may", "june", "july", "august"]
IN_FULL += ["september", "october", "november", "december"]
SHORT = [name[:3] for name in IN_FULL]
MONTHS = {name: place % 12 + 1 for place, name in enumerate([*SHORT, *IN_FULL])}
NUMBERS = {"%d": r"(?P<d>\d{1,2})", "%m": r"(?P<m>\d{1,2})", "%Y": r"(?P<Y>\d{4})"}
NUMBERS |= {"%y": r"(?P<y>\d{2})", "%b": r"(?P<b>[A-Za-z]+)", "%M": r"(?P<M>\d{2})"}
NUMBERS |= {
    "%S": r"(?P<S>\d{2})",
    "%H": r"(?P<H>\d{1,2})",
    "%I": r"(?P<I>\d{1,2})",
    "%p": r"(?P<p>[AaPp][Mm])",
}


def meant(text: str, pattern: str) -> dt.datetime | None:
    """What a cell says by a pattern, worked out part by part; `None` for what it does not allow."""
    written = re.escape(pattern)
    for directive, each in NUMBERS.items():
        written = written.replace(directive, each)
    match = re.fullmatch(written, text)
    if match is None:
        return None
    part = {name: value for name, value in match.groupdict().items() if value}
    year = int(part["Y"]) if "Y" in part else int(part["y"])
    if "y" in part:
        year += 2000 if year < 69 else 1900
    month = MONTHS.get(part["b"].lower(), 0) if "b" in part else int(part["m"])
    hour, minute = int(part.get("H", part.get("I", 0))), int(part.get("M", 0))
    if "I" in part:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + 12 * (part["p"].lower() == "pm")
    try:
        return dt.datetime(year, month, int(part["d"]), hour, minute, int(part.get("S", 0)))
    except ValueError:
        return None


def read(cells: list[str], pattern: str) -> tuple[list[object], int]:
    """The values of a declared column, and how many cells could not be read."""
    kind = "datetime" if "%H" in pattern or "%I" in pattern else "date"
    data = "id;day\n" + "".join(f"{row};{cell}\n" for row, cell in enumerate(cells))
    plan = oc.draft(data.encode(), delimiter=";").declare("day", type=kind, format=pattern)
    column = oc.load(data.encode(), plan=plan, workers=1)["day"]
    return column.values.to_pylist(), len(column.withheld.cells)


def expected(cells: list[str], pattern: str) -> list[object]:
    moments = [meant(cell, pattern) for cell in cells]
    of_days = "%H" not in pattern and "%I" not in pattern
    return [each.date() if of_days and each is not None else each for each in moments]


@pytest.mark.parametrize(
    ("pattern", "good", "odd"),
    [
        ("%d/%m/%y", ["1/5/69", "1/5/68", "31/12/00", "9/11/99"], ["0/5/21", "1/0/21", "1/13/21"]),
        ("%d %b %Y", ["5 May 2021", "14 June 2021", "9 Sep 2020"], ["5 Janu 2021", "5 Ma 2021"]),
        (
            "%d %b %Y",
            ["5 JANUARY 2021", "14 sep 2021"],
            ["5 Junx 2021", "5 Septembe 2021"],
        ),
        (
            "%m/%d/%Y",
            ["1/5/2021", "12/25/2021", "10/1/1999"],
            ["1/5/2O21", "1/5/20211", "0/5/2021"],
        ),
        (
            "%m/%d/%Y",
            ["2/29/2024", "2/28/2023"],
            ["2/29/2023", "2/30/2024", "4/31/2021", "1-5-2021"],
        ),
        (
            "%d.%m.%Y %H:%M",
            ["1.5.2021 9:30", "11.12.2021 23:59"],
            ["1.5.2021 24:00", "1.5.2021 9:60"],
        ),
        ("%d/%m/%Y %I:%M %p", ["1/5/2021 12:05 AM", "1/5/2021 12:05 pm"], ["1/5/2021 0:05 AM"]),
        ("%d/%m/%Y %I:%M %p", ["11/5/2021 1:05 PM"], ["1/5/2021 13:05 PM", "1/5/2021 1:05 XM"]),
        (
            "%Y-%m-%d",
            ["2021-05-01", "2199-12-31", "1900-01-01"],
            ["2021-00-05", "2021-5-00", "2021-01-32"],
        ),
        ("%Y-%m-%d", ["1899-12-31", "2200-01-01", "0001-01-01"], ["0000-01-01", "2021-01-0:"]),
    ],
)
def test_odd_cells_are_left_and_all_others_read(pattern, good, odd):
    """The odd ones stand among many good ones, so that the quick ways are on when they come."""
    cells = [each for place in range(200) for each in (*good, odd[place % len(odd)])]
    values, left = read(cells, pattern)
    assert values == expected(cells, pattern)
    assert left == 200


PATTERNS = [
    *("%d/%m/%Y", "%m/%d/%y", "%d %b %Y", "%b %d, %Y", "%d-%b-%y", "%Y.%m.%d", "%d.%m.%Y %H:%M"),
    *("%b %d %Y %I:%M %p", "%d/%m/%y %I:%M %p", "%Y-%m-%d %H:%M"),
    *("%Y-%m-%d", "%Y-%m-%dT%H:%M:%S", "%d.%m.%Y %H:%M:%S"),
]


@st.composite
def columns(draw):
    """A pattern and cells that follow it in turn, some with one character changed."""
    pattern = draw(st.sampled_from(PATTERNS))
    names = draw(st.sampled_from([SHORT, [name.title() for name in IN_FULL]]))
    cells = []
    for moment in draw(st.lists(st.datetimes(dt.datetime(1890, 1, 1)), min_size=1, max_size=12)):
        year = moment.year if "%Y" in pattern else 1969 + moment.year % 100
        bare = draw(st.booleans())
        width = 1 if bare else 2
        parts = {"%d": f"{moment.day:0{width}}", "%m": f"{moment.month:0{width}}"}
        parts |= {"%Y": f"{year:04}", "%y": f"{year % 100:02}", "%b": names[moment.month - 1]}
        parts |= {"%H": f"{moment.hour:0{width}}", "%I": f"{moment.hour % 12 or 12:0{width}}"}
        parts |= {"%M": f"{moment.minute:02}", "%S": f"{moment.second:02}"}
        parts |= {"%p": "PM" if moment.hour > 11 else "AM"}
        cell = pattern
        for directive, text in parts.items():
            cell = cell.replace(directive, text)
        if draw(st.integers(0, 5)) == 0:
            place = draw(st.integers(0, len(cell) - 1))
            cell = cell[:place] + draw(st.sampled_from("0139:/x ")) + cell[place + 1 :]
        cells.append(cell.strip())
    return pattern, cells * draw(st.sampled_from([1, 40, 200]))


@settings(max_examples=tries(120))
@given(columns())
def test_a_column_says_what_its_pattern_says(case):
    pattern, cells = case
    values, _ = read(cells, pattern)
    assert values == expected(cells, pattern)


DIVIDED = [
    (" ", " "),
    ("-", "-"),
    (" de ", " de "),
    (". ", " "),
    (" ", ", "),
    ("/", "/"),
    (" of ", " "),
]
ORDERS = ["%d{}%b{}%Y", "%b{}%d{}%Y", "%Y{}%b{}%d"]
BY_NAME = st.tuples(
    st.one_of(st.integers(0, 32).map(str), st.sampled_from(["01", "09", "031", "x"])),
    st.sampled_from(
        [*IN_FULL, *SHORT, "Septem", "JUNE", "mayx", "septembes", "Zeptember", "m", ""]
    ),
    st.one_of(st.integers(1, 9999).map("{:04}".format), st.sampled_from(["21", "02021", "2O21"])),
)
DEVIATION = st.tuples(st.integers(0, 24), st.sampled_from(["", *"0 5a-,."]), st.booleans())


@settings(max_examples=tries(80))
@given(
    st.sampled_from(ORDERS),
    st.sampled_from(DIVIDED),
    st.lists(st.tuples(BY_NAME, st.none() | DEVIATION), min_size=1, max_size=6),
    st.integers(0, 99),
)
def test_dates_with_names_in_any_order(level, order, marks, odd, seed):
    """Names in full make cells differ in length, so that each is found from its ends."""
    pattern = order.format(*marks)
    rng = random.Random(seed)
    cells = [
        (str(rng.randrange(1, 29)), rng.choice(IN_FULL).title(), str(rng.randrange(1900, 2200)))
        for _ in range(300)
    ]
    texts = [_put(pattern, *each) for each in cells]
    for parts, deviation in odd:
        text = _put(pattern, *parts)
        if deviation is not None:
            at, mark, inserted = deviation
            text = text[:at] + mark + text[at + (not inserted) :]
        texts.insert(rng.randrange(len(texts)), text.strip() or "x")
    values, unread = read(texts, pattern)
    assert values == expected(texts, pattern)
    assert unread == values.count(None)


def _put(pattern: str, day: str, name: str, year: str) -> str:
    return pattern.replace("%d", day).replace("%b", name).replace("%Y", year)
