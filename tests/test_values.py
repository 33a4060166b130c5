"""Cells become values exactly, or say why not."""

from __future__ import annotations

import datetime as dt
import math

import pytest
from conftest import BLOCKS
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc


def column(texts: list[str], **options: object) -> oc.Column:
    """A column of these texts, each quoted, between two others."""
    lines = ["id;x;z"] + [f'{n};"{text}";end' for n, text in enumerate(texts)]
    data = ("\n".join(lines) + "\n").encode()
    options = {"delimiter": ";", "rows": {"names": 1, "data": "2.."}} | options
    dataset = oc.load(data, **options)
    assert dataset.receipt.balanced
    return dataset["x"]


def one(text: str, **options: object) -> object:
    """The value of one text; missing ones as their reason."""
    cell = column([text], **options)
    return cell.why(0) if cell.values[0].as_py() is None else cell.values[0].as_py()


NUMERAL = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
    st.decimals(-(10**12), 10**12, places=4, allow_nan=False).map(str),
    st.from_regex(
        r"[+-]?([0-9]{1,25}\.?[0-9]{0,25}|\.[0-9]{1,20})([eE][+-]?[0-9]{1,2})?", fullmatch=True
    ),
    st.sampled_from(["9007199254740993", "1e23", "2.2250738585072014e-308", "5e-324", "0.1"]),
    st.sampled_from(["8.5e-320", "179769313486231570000e289", "1.7976931348623157e308"]),
)


@given(st.lists(NUMERAL, min_size=1, max_size=30), st.sampled_from([".", ","]))
def test_numbers_are_the_nearest_to_what_is_written(texts, decimal):
    written = [text.replace(".", decimal) for text in texts]
    values = column(written, types={"x": "number"}, decimal=decimal).values.to_pylist()
    wanted = [float(text) if math.isfinite(float(text)) else None for text in texts]
    assert [repr(value) for value in values] == [repr(value) for value in wanted]


@given(st.lists(st.integers(-(2**65), 2**65), min_size=1, max_size=20))
def test_integers_are_exact_within_64_bits(numbers):
    values = column([f" {number} " for number in numbers], types={"x": "integer"})
    fits = [number if -(2**63) <= number < 2**63 else None for number in numbers]
    assert values.values.to_pylist() == fits
    assert {values.why(i) for i, number in enumerate(fits) if number is None} <= {"unreadable"}


FORMS = [
    ("1 204,5", {"decimal": ",", "grouping": " "}, 1204.5),
    ("1\u00a0204\u00a0000,5", {"decimal": ",", "grouping": " "}, 1204000.5),
    ("1.234.567,25", {"decimal": ",", "grouping": "."}, 1234567.25),
    ("12.34", {"decimal": ",", "grouping": "."}, "unreadable"),
    ("1'234.5", {"grouping": "'"}, 1234.5),
    ("€ 12.50", {}, 12.5),
    ("-€12.50", {}, -12.5),
    ("12.50 €", {}, 12.5),
    ("$1,204.00", {"grouping": ","}, 1204.0),
    ("(12.5)", {}, -12.5),
    ("12.5 %", {}, 12.5),
    ("1.5E3", {}, 1500.0),
    ("0012.50", {}, 12.5),
    ("+.5", {}, 0.5),
    ("5.", {}, 5.0),
    (".", {}, "."),
    ("-", {}, "-"),
    ("1.2.3", {}, "unreadable"),
    ("1e", {}, "unreadable"),
    ("--5", {}, "unreadable"),
    ("5 kg", {}, "unreadable"),
    ("１２", {}, "unreadable"),
    ("1_000", {}, "unreadable"),
    ("nan", {}, "nan"),
    ("inf", {}, "unreadable"),
]


@pytest.mark.parametrize(("text", "options", "value"), FORMS)
def test_ways_to_write_a_number(text, options, value):
    assert one(text, types={"x": "number"}, **options) == value


PATTERNS = ["%d.%m.%Y", "%m/%d/%y", "%Y%m%d", "%d %b %Y", "%B %d, %Y", "%Y-%j", "%d/%m/%Y %H:%M"]


@given(
    st.sampled_from(PATTERNS),
    st.lists(
        st.datetimes(dt.datetime(1970, 1, 1), dt.datetime(2068, 12, 31)), min_size=1, max_size=9
    ),
)
def test_dates_by_pattern_are_what_strptime_makes_of_them(pattern, moments):
    texts = [moment.strftime(pattern) for moment in moments]
    texts[0] = (
        texts[0].replace("0", "", 1)
        if pattern == "%d/%m/%Y %H:%M" and texts[0][0] == "0"
        else texts[0]
    )
    wanted = [dt.datetime.strptime(text, pattern) for text in texts]
    variable = column(texts, variables={"x": {"format": pattern}})
    whole = variable.variable.type == "date"
    assert variable.values.to_pylist() == [each.date() if whole else each for each in wanted]


TIMES = [
    ("2025-02-29", "date", "unreadable"),
    ("2024-02-29", "date", dt.date(2024, 2, 29)),
    ("1900-02-29", "date", "unreadable"),
    ("0001-01-01", "date", dt.date(1, 1, 1)),
    ("9999-12-31", "date", dt.date(9999, 12, 31)),
    ("2025-13-01", "date", "unreadable"),
    ("2025-1-1", "date", "unreadable"),
    ("07:42", "time", dt.time(7, 42)),
    ("07:42:09.25", "time", dt.time(7, 42, 9, 250000)),
    ("24:00", "time", "unreadable"),
    ("2025-11-02T07:42", "datetime", dt.datetime(2025, 11, 2, 7, 42)),
    ("2025-11-02 07:42:01.5", "datetime", dt.datetime(2025, 11, 2, 7, 42, 1, 500000)),
    ("PT1H30M", "duration", dt.timedelta(minutes=90)),
    ("36:15:00", "duration", dt.timedelta(hours=36, minutes=15)),
    ("P2DT0.5S", "duration", dt.timedelta(days=2, milliseconds=500)),
    ("ja", "boolean", True),
    ("NEIN", "boolean", False),
    ("maybe", "boolean", "unreadable"),
]


@pytest.mark.parametrize(("text", "kind", "value"), TIMES)
def test_dates_times_and_booleans(text, kind, value):
    words = {"true": ["ja"], "false": ["nein"]} if kind == "boolean" else {}
    assert one(text, variables={"x": {"type": kind, **words}}) == value


FOUND = [
    (["1", "-2", " 3 "], "integer"),
    (["1", "2.5"], "number"),
    (["1", "9223372036854775808"], "number"),
    (["1e3"], "number"),
    (["007", "12"], "text"),
    (["0.5", "0"], "number"),
    (["1", "n.d."], "text"),
    (["1", "NA", "-", ""], "integer"),
    (["NA", "x"], "text"),
    (["NA", ""], "text"),
    (["", ""], "text"),
    (["2025-10-13", "2025-10-14"], "date"),
    (["2025-10-13", "14.10.2025"], "text"),
    (["2025-10-13", "7"], "text"),
    (["2025-10-13T07:42:00Z", "2025-10-13T07:42:00+02:00"], "datetime"),
    (["2025-10-13T07:42:00Z", "2025-10-13T07:42:00"], "text"),
    (["07:42", "07:42:10"], "time"),
    (["$5", "$6"], "number"),
    (["yes", "no", "Yes"], "boolean"),
    (["nein", "ja"], "boolean"),
    (["yes", "yes"], "text"),
    (["yes", "no", "maybe"], "text"),
    (["m", "f"], "text"),
    (["13.10.2025", "1.2.2025"], "date"),
    (["10/13/2025", "01/02/2025"], "date"),
    (["13/10/2025", "01/14/2025"], "text"),
    (["01/02/25 07:42", "01/13/25 08:00"], "datetime"),
    (["13-Oct-2025", "2-Nov-2025"], "date"),
    (["2025/10/13", "2025/11/02"], "date"),
    (["7:42 am", "11:15 PM"], "time"),
]


@pytest.mark.parametrize("block", BLOCKS)
@pytest.mark.parametrize(("texts", "kind"), FOUND, ids=[" ".join(texts) for texts, _ in FOUND])
@pytest.mark.parametrize("turned", [False, True])
def test_types_are_decided_by_the_whole_file(monkeypatch, texts, kind, turned, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    texts = texts[::-1] if turned else texts
    assert column(texts).variable.type == kind


ANY_CELL = st.sampled_from(
    [
        "1",
        "-7",
        "2.50",
        "1e2",
        "12345678901234567890",
        "007",
        "NA",
        ".",
        "",
        " ",
        "n.d.",
        "2025-10-13",
        "2025-10-13T07:42",
        "07:42",
        "x",
        "-9",
        "9999-12-31",
        *("01/02/2025", "13/02/2025", "02/13/2025", "yes", "no", "ja", "1,204"),
    ]
)


@given(
    st.lists(ANY_CELL, min_size=1, max_size=12), st.sampled_from(BLOCKS), st.sampled_from([1, 2, 3])
)
def test_neither_blocks_nor_workers_change_what_comes_out(monkeypatch, texts, block, workers):
    whole = column(texts, missing=[-9, "n.d."])
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    pieces = column(texts, missing=[-9, "n.d."], workers=workers)
    monkeypatch.undo()
    assert pieces.variable == whole.variable
    assert pieces.equals(whole)


def test_text_is_kept_to_the_letter_when_a_column_widens_late(monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "64")
    texts = ["1.50", " 2", "NA", "+3"] * 50 + ["lost"]
    assert column(texts).values.to_pylist() == texts
