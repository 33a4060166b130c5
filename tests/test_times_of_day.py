"""Times of day as people write them, and what only looks like them."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc


def loaded(cells: list[str]) -> oc.Column:
    lines = "".join(f"{row};{cell}\n" for row, cell in enumerate(cells))
    return oc.load(f"id;start\n{lines}".encode(), delimiter=";")["start"]


@pytest.mark.parametrize(
    ("cells", "first"),
    [
        (["9:30", "10:15", "7:05"], dt.time(9, 30)),
        (["0:00", "23:59"], dt.time(0)),
        (["09:30", "10:15"], dt.time(9, 30)),
        (["9:30:05", "10:15:00"], dt.time(9, 30, 5)),
        (["9:30 AM", "1:15 PM"], dt.time(9, 30)),
        (["09:30 pm", "10:15 am"], dt.time(21, 30)),
        (["9:30", "", "NA", "10:15"], dt.time(9, 30)),
        (["10:15", "9:30", "."], dt.time(10, 15)),
    ],
)
def test_times(cells: list[str], first: dt.time) -> None:
    found = loaded(cells * 5)
    assert found.variable.type == "time"
    assert found.values[0].as_py() == first
    assert found.values.null_count == 5 * sum(cell in ("", "NA", ".") for cell in cells)


@pytest.mark.parametrize(
    "cells",
    [
        ["1:10", "1:20", "1:50"],  # how far samples were diluted
        ["1:1", "2:1", "3:1"],
        ["1:100", "2:100", "1:1000"],
        ["9:30", "10:15", "25:05"],  # lengths of time
        ["9:30", "10:65", "11:00"],
        ["9:30", "10:15:00"],
        ["9:30", "later"],
        ["9.30", "10.15x"],
        ["John 3:16", "John 4:20"],
    ],
)
def test_what_only_looks_like_times_stays_text(cells: list[str]) -> None:
    found = loaded(cells * 5)
    assert found.variable.type == "text"
    assert found.values.to_pylist() == cells * 5


@given(st.lists(st.times(), min_size=2, max_size=30), st.booleans(), st.booleans())
def test_every_time_is_read_as_it_is_written(
    times: list[dt.time], padded: bool, seconds: bool
) -> None:
    wanted = [each.replace(microsecond=0, second=each.second if seconds else 0) for each in times]
    form = "{:02}:{:02}" if padded else "{}:{:02}"
    cells = [
        form.format(each.hour, each.minute) + (f":{each.second:02}" if seconds else "")
        for each in wanted
    ]
    found = loaded(cells)
    if found.variable.type == "time":
        assert found.values.to_pylist() == wanted
    else:  # all hours that were looked at are one and the same, and have one digit
        assert not padded
        assert len({cell.split(":")[0] for cell in cells[:9]}) == 1
        assert found.values.to_pylist() == cells


def test_a_late_cell_that_is_no_time_makes_text_and_is_named() -> None:
    found = oc.load(("id;start\n" + "1;9:30\n2;10:15\n" * 800 + "3;1:100\n").encode())
    assert found["start"].variable.type == "text"
    told = [str(each) for each in found.receipt.decided if each.variable == "start"]
    assert any('"1:100" ×1 (row 1602)' in each for each in told)
