"""Cells and headings of very many characters: read as they are, in a time that grows as they do.

A pattern that goes back at every character would take minutes for one of these, and the time limit
that every test has would stop it.
"""

from __future__ import annotations

import pytest

import olive_crate as oc

MANY = 100_000
CELLS = {
    "digits": "1" * MANY + "x",
    "zeros": "0" * MANY + "x",
    "decimals": "0." + "10" * MANY + "x",
    "points": "0." * MANY + "x",
    "groups": "1,234" * MANY + "x",
    "blanks": "1 " * MANY + "x",
    "exponents": "1e" * MANY,
    "amount": "€" + "1 " * MANY + "x",
    "times": "1:" * MANY,
    "dates": "1-1-" * MANY,
    "dashes": "-" * MANY,
    "letters": "a" * MANY,
    "accents": "é" * MANY,
    "slashes": "a/" * MANY,
    "quotes": '"' + '""' * MANY + '"',
    "brackets": "(" * MANY + "1",
}


@pytest.mark.parametrize("shape", CELLS)
@pytest.mark.parametrize("among", ["words", "numbers", "the last row"])
def test_a_cell_of_any_length_is_text(shape, among):
    cell = CELLS[shape]
    others = {"words": "late frost", "numbers": "12.5", "the last row": "17"}[among]
    cells = [others] * 40
    places = [40] if among == "the last row" else [3, 17, 29]
    for place in places:
        cells[place:place] = [cell]
    text = "id;note\n" + "".join(f"{at};{each}\n" for at, each in enumerate(cells))
    told = cell[1:-1].replace('""', '"') if shape == "quotes" else cell
    ds = oc.load(text.encode(), rows={"closing": "keep"})
    assert ds["note"].values.to_pylist() == [told if each is cell else each for each in cells]
    assert [each.name for each in oc.look(text.encode()).variables] == ["id", "note"]
    assert oc.load(text.encode()).receipt.balanced
    assert len(str(ds.check())) < 20_000
    assert cell[:20] in str(ds.counts(["note"])) or shape == "quotes"


@pytest.mark.parametrize("mark", ["0", "9", "a9", "Å", "_", "é1"])
def test_headings_of_any_length_are_names(mark):
    """Also for what is said of several variables in one line, by the numbers in their names."""
    names = [f"q{mark * 6_000}{place}" for place in range(1, 6)]
    text = ",".join(names) + "\n" + "1,2,-9,NA,5\n2,3,-9,NA,4\n" * 40
    looked = oc.look(text.encode())
    assert [each.name for each in looked.variables] == names
    assert names[0][:40] in str(looked)
    assert oc.load(text.encode()).names == names
