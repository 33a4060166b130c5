"""Columns of a few different words, which kernels count as they lie in the text."""

from __future__ import annotations

import csv
import io
import random
from collections import Counter

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

WORDS = ["Picual", "Arbequina", "Empeltre", "Cornicabra de Toledo", "Núñez", "a", "b c", "ñ"]
HARD = [
    "",
    "  ",
    "of two, or three",
    'the "old" one',
    '"',
    "two\nlines",
    "tab\there",
    "sixteen letters!",
]


def written(rows: list[list[str]], quoting: int, end: str) -> bytes:
    text = io.StringIO(newline="")
    csv.writer(text, quoting=quoting, lineterminator=end).writerows([["grove", "mill", "n"], *rows])
    return text.getvalue().encode()


@settings(max_examples=tries(60))
@given(
    st.lists(st.sampled_from([*WORDS, *HARD]), min_size=1, max_size=9, unique=True),
    st.sampled_from([csv.QUOTE_ALL, csv.QUOTE_MINIMAL]),
    st.sampled_from(["\n", "\r\n"]),
    st.sampled_from([700, 4096, 1 << 20]),
    st.integers(0, 99),
)
def test_every_word_is_itself_however_it_is_quoted(
    monkeypatch_module, words, quoting, end, block, seed
):
    """In the second block and later ones they are told apart while the block is split."""
    rng = random.Random(seed)
    words = [*words, "Picual"]
    rows = [[rng.choice(words), rng.choice(words), str(row)] for row in range(500)]
    monkeypatch_module.setenv("OLIVE_CRATE_BLOCK", str(block))
    data = written(rows, quoting, end)
    found = oc.load(data, delimiter=",", quote='"', rows={"names": 1}, types={"n": "integer"})
    for place, name in enumerate(("grove", "mill")):
        expected = [row[place] for row in rows]
        missing = [not each.strip() for each in expected]
        assert found[name].values.to_pylist() == [
            None if out else each for each, out in zip(expected, missing, strict=True)
        ]
        assert found[name].reason_counts() == ({"blank": sum(missing)} if any(missing) else {})
    assert found["n"].values.to_pylist() == list(range(500))
    assert found.receipt.balanced


NAMES = ["Picual", "gate 3", "A12", "Lot 2021", "mill of 5 March 2021", "Núñez 7", "e5", "May"]
TRUTHS, DAYS = ["yes", "no", "Yes"], ["Jan 5, 2021", "Mar 7, 2020"]
BESIDE = ["", " ", "NA", "-", "n/a"]


@settings(max_examples=tries(150))
@given(
    st.one_of(
        st.lists(st.sampled_from([*NAMES, *TRUTHS]), min_size=1, max_size=9, unique=True),
        st.just(TRUTHS),
        st.lists(st.sampled_from([*DAYS, *NAMES]), min_size=1, max_size=3, unique=True),
    ),
    st.lists(st.sampled_from(BESIDE), max_size=3, unique=True),
    st.sampled_from([3, 40, 300, 1024, 1025, 5000]),
    st.integers(0, 99),
)
def test_what_words_are_is_told_however_often_they_occur(words, beside, rows, seed):
    """Text, unless they are both words of a pair, or all days: blanks are missing, and marks where
    the column is no text."""
    rng = random.Random(seed)
    cells = [*words, *beside, *rng.choices([*words, *beside], k=rows)]
    rng.shuffle(cells)
    data = "grove,number\n" + "".join(f'"{cell}",{row}\n' for row, cell in enumerate(cells))
    found = oc.load(data.encode(), rows={"names": 1}, delimiter=",", quote='"')["grove"]
    folded = {word.casefold() for word in words}
    kind = "boolean" if folded == {"yes", "no"} else "date" if folded <= _folded(DAYS) else "text"
    assert found.variable.type == kind
    gone = {"", " "} if kind == "text" else set(BESIDE)
    kept = [cell for cell in cells if cell not in gone]
    values = [value for value in found.values.to_pylist() if value is not None]
    if kind == "text":
        assert values == kept
    elif kind == "boolean":
        assert values == [cell.casefold() == "yes" for cell in kept]
    else:
        assert [f"{each:%b} {each.day}, {each.year}" for each in values] == kept
    wanted = Counter("blank" if not cell.strip() else cell for cell in cells if cell in gone)
    assert Counter(found.reason_counts()) == wanted


def _folded(words: list[str]) -> set[str]:
    return {word.casefold() for word in words}


@pytest.fixture(scope="module")
def monkeypatch_module():
    with pytest.MonkeyPatch.context() as patch:
        yield patch


@pytest.mark.parametrize("many", [1, 127, 128, 129, 255, 1024, 1025, 3000])
def test_more_and_more_words_are_still_all_there(many):
    """Beyond some number they are no longer told apart, and are put side by side."""
    cells = [f"lot {row % many} of the mill" for row in range(4 * many + 300)]
    found = oc.load(("lot\n" + "\n".join(cells) + "\n").encode(), delimiter=",")
    assert found["lot"].values.to_pylist() == cells
    assert sum(each.cases for each in found.counts("lot").rows) <= len(cells)


@pytest.mark.parametrize("odd", ['"open', 'shut"', '"a"b', '""', '"""', '" "', 'in "the" middle'])
def test_a_quote_that_does_not_fit_among_words_loses_nothing(odd):
    """A cell that begins with a quote and does not end with it: its column goes the long way."""
    good = ["Picual", '"Arbequina"', "Empeltre"]
    lines = [f"{row},{good[row % 3]}" for row in range(400)]
    lines[300] = f"300,{odd}"
    found = oc.load(("id,grove\n" + "\n".join(lines) + "\n").encode(), delimiter=",", quote='"')
    values = found["grove"].values.to_pylist()
    names = [each.strip('"') for each in good]
    assert values[:300] == [names[row % 3] for row in range(300)]
    if odd not in ('"open', '"""'):  # which take in the lines behind them
        assert found.rows == 400
        assert values[301:] == [names[row % 3] for row in range(301, 400)]
    assert found.receipt.balanced
