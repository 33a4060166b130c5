"""What keeps a column from being numbers or dates is named, wherever it stands in the column."""

from __future__ import annotations

import random

import pytest
from conftest import topic, tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

KINDS = {
    "integers": lambda row: str(row % 900 + 3),
    "numbers": lambda row: f"{row % 700 / 7:.2f}",
    "days": lambda row: f"2025-0{row % 9 + 1}-1{row % 10}",
    "days by month": lambda row: f"{row % 9 + 1}/2{row % 9}/2025",
    "percent": lambda row: f"{row % 90}%",
}
ODD = ("n.d.", "12*", "see note", "<0,5", "2025-13-45x")


def told_of(cells: list[str]) -> str:
    """What the receipt says of why a column is text; nothing where it needs no reason.

    What it offers to mend that is done: then it is no text any more, and every cell is read.
    """
    lines = "".join(f"{row};{cell}\n" for row, cell in enumerate(cells))
    data = f"id;acid\n{lines}".encode()
    found = oc.load(data, delimiter=";", workers=1)
    assert found["acid"].variable.type == "text"
    assert found["acid"].values.null_count == sum(not cell for cell in cells)
    told = [each for each in found.receipt.decided if topic(each) == "variable.acid"]
    for each in told:
        if each.mend is not None and each.against:
            plan = oc.draft(data, delimiter=";").declare("acid", **each.mend.parts)
            mended = oc.load(data, plan=plan, workers=1)["acid"]
            assert mended.variable.type == each.alternatives[0]
            assert len(mended) - mended.values.null_count >= each.supporting
            assert not len(mended.withheld.cells)
    return "\n".join(map(str, told))


@pytest.mark.parametrize("odd", ["06.08.2013", "0:53", "0e", "0 kg", "0x1f"])
@pytest.mark.parametrize("rows", [30, 257, 3000])
def test_only_digits_behind_a_zero_are_called_digits_with_leading_zeros(odd, rows):
    """A cell that begins with a zero and is no numeral is what it is: in the way of a number."""
    cells = [str(row % 9) for row in range(rows)]
    cells[rows // 2] = odd
    assert f'"{odd}" ×1' in told_of(cells)
    assert "leading zeros" in told_of([f"{row:05}" for row in range(rows)])


@settings(max_examples=tries(40))
@given(
    st.sampled_from(sorted(KINDS)),
    st.sampled_from(ODD),
    st.sampled_from([40, 300, 2000]),
    st.sampled_from([0.0, 0.5, 0.9]),
    st.data(),
)
def test_every_odd_cell_is_counted(kind, odd, rows, blank, data):
    """Whether it comes first or last, and however few cells are filled."""
    rng = random.Random(rows)
    cells = ["" if rng.random() < blank else KINDS[kind](row) for row in range(rows)]
    places = data.draw(st.sets(st.integers(0, rows - 1), min_size=1, max_size=3))
    for place in places:
        cells[place] = odd
    filled = sum(map(bool, cells))
    if 3 * len(places) > filled:
        return  # it is text then, and nothing stands in the way
    told = told_of(cells)
    assert f"because of {len(places)} of {filled:,} cells" in told
    assert f'"{odd}" ×{len(places)}' in told


@pytest.mark.parametrize("many", [30, 400, 3000])
@pytest.mark.parametrize(
    "cell",
    [
        lambda row: ("Picual", "Arbequina", "Leccino")[row % 3],
        lambda row: f"lot {row}",
        lambda row: "Picual" if row % 3 else str(row),
        lambda row: f"{row % 30}-{row % 12}",
        lambda row: ("yes", "no", "perhaps")[row % 3],
    ],
)
def test_nothing_is_in_the_way_of_what_is_text(many, cell):
    assert "because of" not in told_of([cell(row) for row in range(many)])


@pytest.mark.parametrize("rows", [50, 5000])
def test_texts_without_a_digit_at_first_may_be_numbers_further_down(rows):
    """The first cells are words, and most of what follows is numbers."""
    cells = ["unknown"] * 20 + [str(row) for row in range(rows)]
    told = told_of(cells)
    assert f'because of 20 of {rows + 20:,} cells: "unknown" ×20' in told
