"""Why a cell has no value, held to the rules as a few lines of Python say them.

A cell is blank, or the text of a code, or a number that is a code or lies in a range of codes, or
one of the well-known marks among values of a type, or it has a value. The first that applies
counts, and of several codes the first that is declared.
"""

from __future__ import annotations

import io
from decimal import Decimal
from typing import Any

import pytest
import xlsxwriter
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import kernels

Code = dict[str, Any]
MARKS = ("-",)
"""Of the well-known marks, those that occur here."""
WORDS = ("n.d.", "lost", "x", "-", "777", "*")
NUMBERS = st.one_of(
    st.integers(-20, 1000).map(str),
    st.sampled_from(["777", "777.0", "0777", "888", "-9", "-9.0", "99.5", "100", "0", "-0"]),
    st.decimals(-20, 1000, places=1).map(str),
)
CELLS = st.one_of(NUMBERS, NUMBERS, st.sampled_from(["", " ", "n.d.", "lost", "x", "-"]))


@st.composite
def codes(draw: st.DrawFn) -> list[Code]:
    """Declared codes: texts, numbers and ranges, each with a reason of its own."""
    chosen: list[Code] = []
    for place in range(draw(st.integers(1, 4))):
        why = f"reason {place}"
        kind = draw(st.sampled_from(["text", "number", "range"]))
        if kind == "text":
            chosen.append({"value": draw(st.sampled_from(WORDS)), "reason": why})
        elif kind == "number":
            value = draw(st.sampled_from([777, 888, -9, 99.5, 0]))
            chosen.append({"value": value, "reason": why})
        else:
            low = draw(st.integers(-20, 900))
            high = low + draw(st.integers(0, 200))
            chosen.append({"from": low, "to": high, "reason": why})
    told = [(str(code.get("value")), code.get("from"), code.get("to")) for code in chosen]
    return [code for place, code in enumerate(chosen) if told[place] not in told[:place]]


def meant(cell: str, declared: list[Code]) -> tuple[float | None, str | None]:
    """The value of a cell, or why it has none."""
    text = cell.strip()
    if not text:
        return None, "blank"
    for code in declared:
        if code.get("value") == text:
            return None, code["reason"]
    try:
        number = Decimal(text)
    except ArithmeticError:
        return None, text if text in MARKS else "unreadable"
    for code in declared:
        value = code.get("value")
        if isinstance(value, str):
            try:
                hit = Decimal(value) == number
            except ArithmeticError:
                hit = False
        elif value is not None:
            hit = Decimal(str(value)) == number
        else:
            hit = code["from"] <= number <= code["to"]
        if hit:
            return None, code["reason"]
    return float(number), None


def read(column: oc.Column) -> list[tuple[float | None, str | None]]:
    whys = [column.why(row) for row in range(len(column.values))]
    return list(zip(column.values.to_pylist(), whys, strict=True))


def delimited(cells: list[str]) -> bytes:
    return ("id,acid\n" + "".join(f"{row},{cell}\n" for row, cell in enumerate(cells))).encode()


@settings(max_examples=tries(150))
@given(st.lists(CELLS, min_size=1, max_size=40), codes(), st.sampled_from(kernels.NAMES))
def test_declared_numbers(cells: list[str], declared: list[Code], name: str) -> None:
    usual = "compiled" if kernels.are_compiled() else "reference"
    wanted = [meant(cell, declared) for cell in cells]
    variables = {"acid": {"type": "number", "missing": declared}}
    try:
        kernels.use(name)
        found = oc.load(delimited(cells), variables=variables, delimiter=",", rows={"names": 1})
    finally:
        kernels.use(usual)
    assert read(found["acid"]) == wanted
    counts = found["acid"].reason_counts()
    whys = [why for _, why in wanted if why is not None]
    assert counts == {why: whys.count(why) for why in counts}
    assert sum(counts.values()) == len(whys)


@settings(max_examples=tries(60))
@given(st.lists(CELLS, min_size=1, max_size=30), codes())
def test_in_fields_of_one_width(cells: list[str], declared: list[Code]) -> None:
    lines = "".join(f"{row:04}{cell:>8}\n" for row, cell in enumerate(cells))
    found = oc.load(
        lines.encode(),
        fields=[{"name": "id", "start": 1, "end": 4}, {"name": "acid", "start": 5, "end": 12}],
        variables={"acid": {"type": "number", "missing": declared}},
    )
    assert read(found["acid"]) == [meant(cell, declared) for cell in cells]


@settings(max_examples=tries(40), deadline=None)
@given(st.lists(CELLS, min_size=1, max_size=20), codes())
def test_in_texts_of_a_workbook(cells: list[str], declared: list[Code]) -> None:
    file = io.BytesIO()
    with xlsxwriter.Workbook(file) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, ["id", "acid"])
        for row, cell in enumerate(cells):
            sheet.write_number(row + 1, 0, row)
            sheet.write_string(row + 1, 1, cell)
    found = oc.load(
        file.getvalue(),
        layout="sheet",
        range=f"A1:B{len(cells) + 1}",
        rows={"names": 1},
        variables={"acid": {"type": "number", "missing": declared}},
    )
    assert read(found["acid"]) == [meant(cell, declared) for cell in cells]


@settings(max_examples=tries(80))
@given(st.lists(CELLS, min_size=1, max_size=30), codes())
def test_codes_declared_after_the_read(cells: list[str], declared: list[Code]) -> None:
    """The same as if they had been declared before, but for what could not be read then."""
    if any(meant(cell, [])[1] == "unreadable" for cell in cells):
        cells = [cell for cell in cells if meant(cell, [])[1] != "unreadable"] or ["1"]
    numeric = [code for code in declared if not isinstance(code.get("value"), str)]
    plain = oc.load(delimited(cells), types={"acid": "number"}, delimiter=",", rows={"names": 1})
    later = plain.declare("acid", missing=numeric)
    assert read(later["acid"]) == [meant(cell, numeric) for cell in cells]
    assert read(later.declare("acid", missing=None)["acid"]) == read(plain["acid"])


@pytest.mark.parametrize("mark", ["NA", "N/A", "n/a", ".", "-", "?", "*", "NULL", "nan", "#N/A"])
@pytest.mark.parametrize(
    ("kind", "cells"),
    [
        ("integer", ["1", "2", "30"]),
        ("number", ["1.5", "2.25", "3"]),
        ("date", ["2025-10-13", "2025-10-14"]),
        ("datetime", ["2025-10-13 07:52:00", "2025-10-14 08:00:01"]),
        ("time", ["07:52", "08:10"]),
    ],
)
def test_well_known_marks_among_values_of_every_type(
    mark: str, kind: str, cells: list[str]
) -> None:
    filled = [*cells * 4, mark, *cells, "", mark]
    found = oc.load(delimited(filled))["acid"]
    assert found.variable.type == kind
    whys = [found.why(row) for row in range(len(filled))]
    assert [why is None for why in whys] == [cell not in (mark, "") for cell in filled]
    assert whys[len(cells) * 4] == whys[-1] == mark
    assert whys[-2] == "blank"
