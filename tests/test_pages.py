"""Tables of web pages: the cells that a reader sees are those that come in."""

from __future__ import annotations

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st
from pages import made_page

import olive_crate as oc

PAGES = range(60)


def read(html: str | bytes, **options) -> oc.Dataset:
    return oc.load(html.encode("utf-8") if isinstance(html, str) else html, **options)


def held(dataset: oc.Dataset) -> list[list[object]]:
    columns = [dataset[name].values.to_pylist() for name in dataset.names]
    return [list(row) for row in zip(*columns, strict=True)]


@pytest.mark.parametrize("seed", PAGES)
def test_every_cell_of_a_made_page_is_right(seed):
    page = made_page(seed)
    found = read(page.html, rows={"closing": "skip"})
    assert found.plan.table.table in (page.table, f"t{seed}", f"Harvest {seed}")
    assert found.names == page.names
    assert held(found) == page.rows
    assert found.receipt.imbalances() == []
    assert found.receipt.rows == len(page.rows)


def table(inner: str, more: str = "") -> str:
    return f"<html><body><table>{inner}</table>{more}"


HEAD = "<tr><th>village<th>tonnes<th>note"
CASES = {
    "a cell that spans rows counts in each": (
        f"{HEAD}<tr><td rowspan=2>A<td>1<td>x<tr><td>2<td>y<tr><td>B<td>3<td>z",
        [["A", 1, "x"], ["A", 2, "y"], ["B", 3, "z"]],
    ),
    "rowspan 0 reaches to the end of its section": (
        f"{HEAD}<tbody><tr><td rowspan=0>A<td>1<td>x<tr><td>2<td>y<tbody><tr><td>B<td>3<td>z",
        [["A", 1, "x"], ["A", 2, "y"], ["B", 3, "z"]],
    ),
    "a span ends with its section": (
        f"{HEAD}<tbody><tr><td rowspan=9>A<td>1<td>x<tbody><tr><td>B<td>3<td>z",
        [["A", 1, "x"], ["B", 3, "z"]],
    ),
    "cells of both spans": (
        f"{HEAD}<tr><td>A<td colspan=2 rowspan=2>1<tr><td>B<tr><td>C<td>3<td>4",
        [["A", 1, 1], ["B", 1, 1], ["C", 3, 4]],
    ),
    "a foot before the body stands last": (
        f"<thead>{HEAD}<tfoot><tr><td>all<td>3<td><tbody><tr><td>A<td>1<td>x<tr><td>B<td>2<td>y",
        [["A", 1, "x"], ["B", 2, "y"]],
    ),
    "script, style, comments and hidden words are no text": (
        f"{HEAD}<tr><td>A<!-- B --><script>x</script><span hidden>no</span><td>1<style>i</style>"
        "<td>x"
        '<tr><td>B<td>2<span style="display:none">9</span><td>y',
        [["A", 1, "x"], ["B", 2, "y"]],
    ),
    "instructions to programs are no text": (
        f"{HEAD}<tr><td>A<?mill x?><td>1<td><?td ?>x<tr><td>B<td><? >2<td>y",
        [["A", 1, "x"], ["B", 2, "y"]],
    ),
    "line breaks and blocks set words apart": (
        f"{HEAD}<tr><td>A<br>B<td>1<td><p>x<p>y<tr><td>B<td>2<td><div>v</div><div>w</div>",
        [["A B", 1, "x y"], ["B", 2, "v w"]],
    ),
    "inner marks set no words apart": (
        f"{HEAD}<tr><td><b>A</b>b<td>1<td>x<tr><td>B<td>2<td>H<sub>2</sub>O",
        [["Ab", 1, "x"], ["B", 2, "H2O"]],
    ),
    "powers of units stay": (
        f"{HEAD}<tr><td>A<td>1<td>5 m<sup>2</sup><tr><td>B<td>2<td>10<sup>3</sup>",
        [["A", 1, "5 m²"], ["B", 2, "10³"]],
    ),
    "marks of footnotes go": (
        f"{HEAD}<tr><td>A<sup>(1)</sup><td>1,000<sup>a</sup><td>x<tr><td>B<td>2,500<sup>*</sup><td>y",
        [["A", 1000, "x"], ["B", 2500, "y"]],
    ),
    "blank columns go": (
        "<tr><th>a<th><th>b<tr><td>1<td>&nbsp;<td>2<tr><td>3<td><td>4",
        [[1, 2], [3, 4]],
    ),
    "a picture's words stand for it": (
        f'{HEAD}<tr><td>A<td>1<td><img src=x alt="yes"><tr><td>B<td>2<td><img alt="no">',
        [["A", 1, True], ["B", 2, False]],
    ),
    "decimal commas and points that group": (
        f"{HEAD}<tr><td>A<td>1.204,5<td>x<tr><td>B<td>2.310,25<td>y",
        [["A", 1204.5, "x"], ["B", 2310.25, "y"]],
    ),
    "row headings": (
        f"{HEAD}<tr><th scope=row>A<td>1<td>x<tr><th>B<td>2<td>y",
        [["A", 1, "x"], ["B", 2, "y"]],
    ),
    "a title over all columns": (
        f"<tr><th colspan=3>Harvest{HEAD}<tr><td>A<td>1<td>x<tr><td>B<td>2<td>y",
        [["A", 1, "x"], ["B", 2, "y"]],
    ),
}


@pytest.mark.parametrize("case", CASES)
def test_cells_as_a_reader_sees_them(case):
    inner, expected = CASES[case]
    found = read(table(inner))
    assert held(found) == expected
    assert found.receipt.imbalances() == []


def test_a_page_lists_its_tables_and_the_files_it_links_to():
    html = table("<caption>One<tr><td>1<td>2<tr><td>3<td>4<tr><td>5<td>6") + (
        '<table id=two><tr><th>a<th>b<tr><td>1<td>2</table><a href="d/x.csv?y=1">x</a><a href=p>p'
    )
    look = oc.look(html.encode())
    assert [(t.number, t.comment, t.name, t.rows, t.columns) for t in look.tables] == [
        (1, "One", "", 3, 2),
        (2, "", "two", 2, 2),
    ]
    assert look.links == ("d/x.csv?y=1",)
    chosen = next(each for each in look.evidence if each.about == "table.table")
    assert (chosen.value, chosen.alternatives, chosen.certain) == ("1", ("2",), False)
    assert oc.load(html.encode(), **chosen.settled_as("2")).names == ["a", "b"]
    for name in (2, "two", "2"):
        assert read(html, table=name).names == ["a", "b"]
    assert read(html, table="one").receipt.rows == 3


def test_a_row_of_one_cell_is_a_case_unless_it_names_a_group():
    rows = [f"<tr><td>G{n}<td>{n}<td>x" for n in range(6)]
    alone = "<tr><td>Late<td><td>"
    for place in range(1, 6):
        page = table(HEAD + "".join([*rows[:place], alone, *rows[place:]]))
        held = read(page)
        assert held[held.names[0]].values.to_pylist()[place] == "Late"
        assert len(held) == 7
        told = read(
            table(HEAD + "".join([*rows[:place], alone, *rows[place:]])), rows={"groups": "part"}
        )
        assert told["part"].values.to_pylist() == [None] * place + ["Late"] * (6 - place)
    across = "<tr><td colspan=3>Late"
    held = read(table(HEAD + "".join([*rows[:3], across, *rows[3:]])), rows={"groups": "part"})
    assert held["part"].values.to_pylist() == [None] * 3 + ["Late"] * 3
    several = "".join(f"<tr><td>{name}<td><td>{''.join(rows[:3])}" for name in ("Hill", "Valley"))
    assert len(read(table(HEAD + several))) == 6


WRONG = {
    "no such number": ({"table": 9}, "no table 9 of 1"),
    "no such caption": ({"table": "oil"}, 'no table "oil"'),
    "a sheet": ({"sheet": "A"}, "name a table instead"),
    "a range": ({"range": "A1:B2"}, "has no ranges; name a table instead"),
    "a block": ({"block": 1}, "has no blocks; name a table instead"),
    "a delimiter": ({"delimiter": ";"}, "has no delimiter"),
    "a query": ({"query": "SELECT 1"}, "not a database"),
}


@pytest.mark.parametrize("case", WRONG)
def test_what_a_page_does_not_have_is_said(case):
    options, words = WRONG[case]
    with pytest.raises(oc.OliveCrateError, match=words):
        read(table(f"{HEAD}<tr><td>A<td>1<td>x"), **options)


def test_a_page_without_tables_names_the_files_it_links_to():
    with pytest.raises(oc.LayoutError, match=r"holds no table as it was sent; it links to.*a\.csv"):
        read("<!doctype html><p>see <a href=a.csv>the data</a>")


ENCODINGS = {
    "utf-8 by a meta": ("<meta charset=utf-8>", "utf-8", "utf-8"),
    "latin by a meta": ("<meta charset='iso-8859-1'>", "cp1252", "cp1252"),
    "the old meta": (
        '<meta http-equiv="Content-Type" content="text/html; charset=windows-1250">',
        "cp1250",
        "cp1250",
    ),
    "a mark": ("", "utf-8-sig", "utf-8"),
    "utf-16 by its mark": ("", "utf-16", "utf-16"),
    "nothing said": ("", "cp1252", "cp1252"),
    "a meta that lies": ("<meta charset=utf-8>", "cp1252", "cp1252"),
}


@pytest.mark.parametrize("case", ENCODINGS)
def test_the_encoding_of_a_page(case):
    meta, codec, expected = ENCODINGS[case]
    html = f"<html>{meta}" + table("<tr><th>a<th>b<tr><td>Vé á<td>1<tr><td>Rúo ó í<td>2")
    found = read(html.encode(codec))
    assert found["a"].values.to_pylist() == ["Vé á", "Rúo ó í"]
    assert found.receipt.encoding == expected


def test_hidden_rows_and_spans_can_be_kept_as_they_stand():
    inner = f"{HEAD}<tr><td rowspan=2>A<td>1<td>x<tr hidden><td>2<td>y<tr><td>B<td>3<td>z"
    assert held(read(table(inner))) == [["A", 1, "x"], ["B", 3, "z"]]
    kept = read(table(inner), hidden="keep", merged="keep")
    assert held(kept) == [["A", 1, "x"], [None, 2, "y"], ["B", 3, "z"]]


@settings(max_examples=tries(60))
@given(st.text(st.sampled_from('<>/"= tabledrh0123abc&;!-'), max_size=120))
def test_any_markup_is_read_or_refused(text):
    page = f"<html><table><tr><th>a<th>b<tr><td>1<td>2{text}"
    try:
        found = read(page)
    except oc.OliveCrateError:
        return
    assert found.receipt.imbalances() == []
