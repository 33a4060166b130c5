"""Workbooks of the older binary form: what they hold, and what they say beside their cells."""

from __future__ import annotations

import struct
from datetime import date

import biff
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sheets import values_of

import olive_crate as oc

HEAD = ["Sample", "Panel", "Acidity", "Day"]
ROWS = [
    [f"S{n}", ("fruity", "bitter", "pungent")[n % 3], 0.25 * n, date(2025, 10, 1 + n)]
    for n in range(12)
]
TABLE = [["Tasting of 2025"], [], HEAD, *ROWS]
WORDS = ("fruity", "bitter", "pungent")

TEXTS = st.none() | st.text(st.sampled_from("abcé Ω"), min_size=1, max_size=12).filter(str.strip)
NUMBERS = st.one_of(st.none(), st.integers(-(2**40), 2**40), st.floats(-1e9, 1e9, allow_nan=False))


@given(st.lists(st.tuples(TEXTS, NUMBERS), min_size=1, max_size=40), st.booleans())
def test_every_value_comes_back(cells, shared):
    """Texts, whole numbers and doubles to the last bit, whatever record holds them."""
    table = [["key", "one", "two"], *([f"k{n}", *row] for n, row in enumerate(cells))]
    strings: dict[str, int] = {}
    body = biff.sheet(table, shared=strings if shared else None)
    book = biff.workbook([("S", body)], shared=list(strings))
    types = {"one": "text", "two": "number"}
    found = oc.load(book, range=f"A1:C{len(table)}", rows={"names": 1}, types=types, missing={})
    assert found.receipt.imbalances() == []
    assert found["one"].values.to_pylist() == [each[0] for each in cells]
    assert found["two"].values.to_pylist() == [each[1] for each in cells]


def with_list(formula: bytes) -> bytes:
    return biff.word_list(formula, 3, 14, 1)


INLINE = struct.pack("<BBB", 0x17, len("\0".join(WORDS)), 0) + "\0".join(WORDS).encode()
PLACES = {
    "in the rule": INLINE,
    "on this sheet": struct.pack("<BHHHH", 0x25, 2, 4, 6, 6),
    "on another sheet": biff.area3(1, 0, 2, 0, 0),
    "by a name": struct.pack("<BHH", 0x23, 1, 0),
}


@pytest.mark.parametrize("place", PLACES)
def test_a_list_makes_categories_and_promised_values(place):
    table = [*TABLE[:2], [*HEAD, None, None, WORDS[0]], *ROWS]
    table[3], table[4] = [*ROWS[0], None, None, WORDS[1]], [*ROWS[1], None, None, WORDS[2]]
    book = biff.workbook(
        [
            ("Panel", biff.sheet(table, with_list(PLACES[place]))),
            ("Words", biff.sheet([[each] for each in WORDS])),
        ],
        names=[("tastes", 0, biff.area3(1, 0, 2, 0, 0))],
    )
    found = oc.load(book, sheet="Panel", range="A3:D15")
    variable = found["Panel"].variable
    assert variable.type == "category" and variable.promised.allowed == WORDS
    assert values_of(found)[0][:3] == ["S0", "fruity", 0]


def test_comments_of_the_heading_are_labels_and_no_author_is_told():
    more = biff.comment(7, 2, 2, "Free acidity,\n% oleic") + biff.comment(8, 2, 1, "Ann:Lead taste")
    found = oc.load(biff.workbook([("S", biff.sheet(TABLE, more))]))
    assert found["Acidity"].variable.label == "Free acidity, % oleic"
    assert found["Panel"].variable.label == "Lead taste"
    assert found["Sample"].variable.label is None


DOUBTFUL = [["2023", "2024"], ["2021", "2022"], *([str(2000 + n), str(1990 + n)] for n in range(9))]
MARKS = {
    "frozen panes": (biff.frozen(2), []),
    "filter": (b"", [(biff.NAMES["filter"], 1, biff.area3(0, 1, 10, 0, 1))]),
    "print titles": (b"", [(biff.NAMES["print titles"], 1, biff.area3(0, 1, 1, 0, 255))]),
}


@pytest.mark.parametrize("mark", MARKS)
def test_a_sheets_own_marks_show_its_heading(mark):
    more, names = MARKS[mark]
    book = biff.workbook([("S", biff.sheet(DOUBTFUL, more))], names)
    assert oc.draft(book).rows.names in (2, (2,), (1, 2))
    assert len(oc.load(book)) == 9


@pytest.mark.parametrize("style", [0, 3, 4])
def test_bold_and_coloured_cells_are_the_heading(style):
    words = [["hill", "ridge"], *([f"{'hill' if n % 3 else 'ridge'}", "hill"] for n in range(9))]
    found = oc.load(biff.workbook([("S", biff.sheet(words, styles={0: style}))]))
    assert found.rows == (9 if style else 10)


@pytest.mark.parametrize("cut", [700, 1500, 2600, 4000])
def test_a_cut_workbook_is_refused_in_words(cut):
    book = biff.workbook([("S", biff.sheet(TABLE, with_list(INLINE) + biff.comment(1, 2, 2, "x")))])
    with pytest.raises(oc.SourceError, match=r"damaged|truncated|no workbook"):
        oc.load(book[:cut])


@given(st.integers(0, 4000), st.integers(0, 255))
def test_a_changed_byte_gives_a_balanced_dataset_or_an_error_of_ours(at, value):
    lists = with_list(PLACES["on another sheet"]) + biff.comment(1, 2, 2, "x") + biff.frozen(2)
    names = [("tastes", 0, biff.area3(0, 0, 2, 0, 0)), MARKS["filter"][1][0]]
    book = bytearray(biff.workbook([("S", biff.sheet(TABLE, lists))], names))
    book[512 + at] = value
    try:
        found = oc.load(bytes(book))
    except oc.OliveCrateError:
        return
    assert found.receipt.imbalances() == []
