"""Numbers as people write them: both kernels read the same, and nothing else as a number."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from conftest import tries
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import kernels

compiled = pytest.importorskip(
    "olive_crate.kernels.compiled", reason="the compiled kernels were not built"
)
pytestmark = pytest.mark.skipif(
    not kernels.are_compiled(), reason="two kinds of kernels are compared"
)
ROWS = 300
"""More than the kernels take in one go, so that what they learn on the way is used."""


def with_reference(work: Callable[[], oc.Dataset]) -> oc.Dataset:
    kernels.use("reference")
    try:
        return work()
    finally:
        kernels.use("compiled")


PART = st.text("0123456789", max_size=6)
GROUPED = st.lists(st.text("0123456789", min_size=1, max_size=4), min_size=1, max_size=4)
SIGNS = st.sampled_from(["", "", "", "-", "+", "(", "€", "-€", "$ ", "€-"])
ENDS = st.sampled_from(["", "", "", "%", " %", ")", "€", " ", "e5", "E-12", "e+400", "e"])
MARKS = st.sampled_from(["NA", "n/a", ".", "-", "--", "*", "#DIV/0!", "", " ", "sample lost", "-9"])


@st.composite
def cells(draw: st.DrawFn, mark: str, group: str) -> str:
    """A cell that may be a number: with groups, signs, an exponent, or as it should not be."""
    kind = draw(st.integers(0, 5))
    if kind == 0:
        return draw(MARKS)
    if kind == 1:
        return draw(st.text(f"0123456789{mark}{group}+-eE%€() ", max_size=22))
    whole = (group or " ").join(draw(GROUPED)) if kind in (2, 3) else draw(PART) + draw(PART)
    behind = draw(st.sampled_from(["", mark + draw(PART), mark + draw(PART) + draw(PART) * 3]))
    return draw(SIGNS) + whole + behind + draw(ENDS)


WAYS = [(".", ","), (",", "."), (".", " "), (".", ""), (",", "'")]


@st.composite
def columns(draw: st.DrawFn) -> tuple[str, str, list[str]]:
    """Marks for numbers, and a column of cells, some of which repeat often."""
    mark, group = draw(st.sampled_from(WAYS))
    few = draw(st.lists(cells(mark, group), min_size=1, max_size=12))
    places = draw(st.lists(st.integers(0, len(few) - 1), min_size=1, max_size=40))
    return mark, group, [few[place] for place in places]


def loaded(column: tuple[str, str, list[str]], **options: object) -> oc.Dataset:
    mark, group, texts = column
    lines = [f"{row};{text}" for row, text in enumerate(texts)]
    body = "\n".join(["case;amount", *lines]) + "\n"
    layout = {"delimiter": ";", "decimal": mark, "grouping": group or "none", "quote": "none"}
    rows = {"names": 1, "data": f"2..{len(texts) + 1}"}
    return oc.load(body.encode(), encoding="utf-8", rows=rows, **layout, **options)


def same(one: oc.Dataset, two: oc.Dataset) -> None:
    for name in one.names:
        left, right = one[name], two[name]
        assert left.variable == right.variable
        assert np.array_equal(left.reasons, right.reasons)
        assert left.values.equals(right.values)
        assert left.equals(right)
    assert one.receipt.problems == two.receipt.problems


@settings(
    max_examples=tries(100),
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(columns(), st.sampled_from([None, "number", "integer"]), st.booleans())
@example((".", ",", ["1", ",123", "1234,567", "1,234.567,890", "12,34"]), "number", False)
@example((".", ",", ["5%"] * 30 + ["5"] * 400), None, False)
def test_both_kernels_take_a_written_number_alike(level, column, kind, coded):
    """Values to the last bit, reasons, what is left of it, and what is said of it."""
    options: dict[str, object] = {"types": {"amount": kind}} if kind else {}
    if coded:
        options["missing"] = {-9: "refused", "sample lost": "lost", (100, 200): "odd"}
    same(loaded(column, **options), with_reference(lambda: loaded(column, **options)))


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("1,234", 1234),
        ("12,345,678.5", 12345678.5),
        ("-1,234", -1234),
        ("(1,234)", -1234),
        ("€ 1,234", 1234),
        ("-€5.50", -5.5),
        ("12.5%", 12.5),
        ("12.5 %", 12.5),
        ("1.5e3", 1500),
        ("123456789012345678.5", 123456789012345678.5),
        ("0.1234567890123456789012", 0.1234567890123456789012),
        ("179769313486231570000000000000000000000", 1.7976931348623157e38),
        ("9007199254740993.5", 9007199254740993.5),
        ("1e308", 1e308),
        ("5e-324", 5e-324),
        (",123", None),
        ("1234,567", None),
        ("1,23", None),
        ("1,2345", None),
        ("1.234,567", None),
        ("1,234.567,890", None),
        ("1e999", None),
        ("--5", None),
        ("5-", None),
        ("1 2", None),
    ],
)
def test_each_way_of_writing_is_a_number_or_none(level, text, number):
    """Once alone, and once many times, when the kernels have got used to it."""
    for count in (1, ROWS):
        column = (".", ",", ["1,000", *[text] * count])
        found = loaded(column, types={"amount": "number"})["amount"]
        assert found.values[-1].as_py() == number
        assert found.reason_counts() == ({} if number is not None else {"unreadable": count})


def test_a_column_of_percents_does_not_take_what_carries_no_sign():
    """Not even where a whole block holds none: the sign may be what makes the number."""
    rows = 150_000
    texts = [f"{row % 90}.5%" for row in range(rows)] + [f"{row % 90}.5" for row in range(rows)]
    found = loaded((".", "", texts))["amount"]
    assert found.variable.type == "text" and not found.reason_counts()
    assert found.values[rows].as_py() == "0.5"


@pytest.mark.parametrize(("sign", "form"), [("%", "{}%"), ("€", "€{}")])
def test_a_sign_without_a_number_is_not_a_blank_cell(level, sign, form):
    texts = [sign if row % 8 == 5 else form.format(row % 90) for row in range(ROWS)]
    found = loaded((".", "", texts), types={"amount": "number"})["amount"]
    assert found.reason_counts() == {"unreadable": ROWS // 8}


@pytest.mark.parametrize("mark", ["NA", "n/a", ".", "-", "*", "#DIV/0!", "…"])
@pytest.mark.parametrize("cell", ["{}", "{}.25", "{}.123456", "{}345678.5", "{}%", "€{}", "1,00{}"])
def test_a_mark_is_missing_in_numbers_of_every_form(mark, cell):
    """Each cell of the column is a number or has the mark for its reason."""
    texts = [mark if row % 3 == 0 else cell.format(row % 9 + 1) for row in range(ROWS)]
    column = (".", "," if "," in cell else "", texts)
    found = loaded(column)["amount"]
    assert found.variable.type in ("number", "integer")
    assert found.reason_counts() == {mark: ROWS // 3}
    same(loaded(column), with_reference(lambda: loaded(column)))


@pytest.mark.parametrize("marks", [(".", ","), (",", "."), (",", " ")])
@pytest.mark.parametrize(
    "form", ["{} €", "€ {}", "{}\u00a0€", "-{} €", "({} €)", "$ {}", "{}  %", "€{}"]
)
def test_amounts_are_read_whatever_stands_between_sign_and_number(level, marks, form):
    """From two digits to seven, with groups and two decimals, to the cent."""
    mark, group = marks
    cents = [37 * 7 ** (row % 7) + row for row in range(ROWS)]
    plain = [f"{each / 100:,.2f}".replace(",", "g").replace(".", mark) for each in cents]
    texts = [form.format(each.replace("g", group)) for each in plain]
    sign = -1 if form[0] in "-(" else 1
    column = (mark, group, texts)
    found = loaded(column)["amount"]
    assert found.variable.type == "number" and found.variable.unit in ("€", "$", "%")
    assert found.values.to_pylist() == [sign * each / 100 for each in cents]
    same(loaded(column), with_reference(lambda: loaded(column)))


USUAL = ("2,345.5", "12,345.5", "-1,234.0", "345.5")
OTHER = ("-0.0", "0.0", "12,345,678.5", "1234.5", "1,23.5", "7e3", "1,234.50", "+5.5", "NA", "")
OTHER += (" 1,234.5", "1,234.5 ", "123,456,789,012.5", "0,234.5", "x", "-", ",5", "1,234.x")


@given(st.lists(st.sampled_from(USUAL + OTHER), min_size=1, max_size=9), st.integers(1, 3))
def test_numbers_in_groups_are_read_alike_beside_all_others(cells, every):
    """The usual ones are read two at a time; what stands between them is read as ever."""
    usual = [USUAL[row % len(USUAL)] for row in range(300)]
    mixed = [USUAL[row % 3] if row % every else cells[row % len(cells)] for row in range(301)]
    column = (".", ",", usual + mixed)
    found = loaded(column, types={"amount": "number"})
    same(found, with_reference(lambda: loaded(column, types={"amount": "number"})))
    told = found["amount"].values.to_pylist()
    assert told[:4] == [2345.5, 12345.5, -1234.0, 345.5]
    for text, value in zip(usual + mixed, told, strict=True):
        if text in USUAL:
            assert value == float(text.replace(",", ""))
