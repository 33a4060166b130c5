"""A row is left out for what it is, never for what it lacks; whatever is left out is said."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import pytest
from conftest import tries
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import olive_crate as oc

sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
from mixtures import mixed
from structure import SHAPES, generated, verdict

NAMES = ["delivery", "acid", "kg", "grove"]
MARKS = st.sampled_from([",", ";", "\t", "|"])
GROVES = st.sampled_from(["north", "south hill", "Valle", "", "near the mill"])
CELLS = st.tuples(
    st.one_of(st.just(""), st.decimals(0, 9, places=2).map(str)),
    st.one_of(st.just(""), st.integers(0, 9000).map(str)),
    GROVES,
)
TABLES = st.lists(CELLS, min_size=3, max_size=40)


def lines(rows: list[list[str]], mark: str) -> str:
    return "".join(mark.join(row) + "\n" for row in rows)


def numbered(table: list[tuple[str, ...]]) -> list[list[str]]:
    return [[f"D{i:04d}", *cells] for i, cells in enumerate(table, 1)]


def texts(dataset: oc.Dataset) -> list[list[str]]:
    held = [dataset[name].values.to_pylist() for name in dataset.names]
    return [["" if cell is None else cell for cell in row] for row in zip(*held, strict=True)]


@given(TABLES, MARKS, st.booleans())
def test_no_row_whose_cells_fit_is_left_out(table, mark, headed):
    rows = numbered(table)
    text = lines([NAMES, *rows] if headed else rows, mark)
    dataset = oc.load(text.encode(), types="text", delimiter=mark)
    assert texts(dataset) == rows
    assert dataset.receipt.parts["skipped"] == 0 and dataset.receipt.balanced


@settings(max_examples=tries(60), deadline=None)
@given(TABLES, TABLES, MARKS, st.integers(0, 3), st.integers(0, 3), st.booleans(), st.booleans())
def test_the_draft_of_one_month_loses_nothing_of_the_next(
    tmp_path_factory, one, other, mark, titles, others, closed, closes
):
    def month(table: list[tuple[str, ...]], above: int, total: bool) -> tuple[str, list[list[str]]]:
        rows = numbered(table)
        title = [["Deliveries to the mill"], ["printed by the weighbridge"], ["final figures"]]
        kilos = sum(int(row[2] or 0) for row in rows)
        below = [["Total", "", str(kilos), ""]] if total else []
        return lines([*title[:above], NAMES, *rows, *below], mark), rows

    first, _ = month(one, titles, closed)
    text, rows = month(other, others, closes)
    plan = oc.draft(first.encode(), types="text", delimiter=mark)
    assume(plan.names is None and [each.name for each in plan.variables] == NAMES)
    path = tmp_path_factory.mktemp("months") / "mill.plan.toml"
    plan.write(path)
    again = oc.load(text.encode(), plan=oc.Plan.read(path))
    assert texts(again)[: len(rows)] == rows
    extra = len(again) - len(rows)
    assert extra in ((0,) if closed or not closes else (0, 1)) and again.receipt.balanced
    if extra:
        kept = [each for each in again.receipt.decided if each.about == "rows.closing"]
        assert kept and not kept[0].certain and kept[0].value == "keep"


@given(TABLES, MARKS, st.booleans())
def test_a_heading_one_name_short_names_the_columns_from_the_second_on(table, mark, coded):
    rows = [[f"plot {i}" if coded else str(i), *cells] for i, cells in enumerate(table, 1)]
    assume(any(row[-1] for row in rows) and any(row[1] for row in rows))
    dataset = oc.load(lines([NAMES[1:], *rows], mark).encode(), types="text", delimiter=mark)
    assert dataset.names == ["column_1", *NAMES[1:]] and texts(dataset) == rows


BODY = "".join(f"D{i:03d},{i % 7},{i * 3.5},north\n" for i in range(1, 30))
NUMBERS = "".join(f"{i},{i % 7},{i * 3}\n" for i in range(1, 30))
SUMS = f"{sum(i % 7 for i in range(1, 30))},{sum(i * 3 for i in range(1, 30))}"
MEANS = f"{sum(i % 7 for i in range(1, 30)) / 29:.2f},45"
ENDS = [
    ("a case of which only the number is known", BODY, "D030,,,\n", 30, None),
    ("a case cut short", BODY, "D030\n", 30, None),
    ("a row of empty cells", BODY, ",,,\n", 30, None),
    ("a total by its word", NUMBERS, f"Total,{SUMS}\n", 29, "skip"),
    ("a total by a word of another language", NUMBERS, f"Gesamt:,{SUMS}\n", 29, "skip"),
    ("a total by its sums", NUMBERS, f",{SUMS}\n", 29, "skip"),
    ("means by their word", NUMBERS, f"Mittelwert,{MEANS}\n", 29, "skip"),
    ("a word for it in a column of codes", BODY, "Total,93,1522.5,\n", 29, "skip"),
    ("a note", NUMBERS, "Source: the mill,,\n", 29, "skip"),
    ("a note that holds the delimiter", NUMBERS, "Note: as of May, by the mill\n", 29, "skip"),
    ("a footnote", BODY, "* provisional figures\n", 29, "skip"),
    ("two notes below a total", NUMBERS, f"Total,{SUMS}\n\nSource: the mill\n* late\n", 29, "skip"),
    ("numbers that are no sums", NUMBERS, "30,5,90\n", 30, None),
]


@pytest.mark.parametrize(("name", "body", "end", "rows", "closing"), ENDS, ids=[e[0] for e in ENDS])
def test_what_closes_a_table_is_known_by_what_it_is(name, body, end, rows, closing):
    heading = "id,a,b,c\n" if body is BODY else "id,a,b\n"
    dataset = oc.load((heading + body + end).encode())
    points = [each for each in dataset.receipt.decided if each.about == "rows.closing"]
    assert len(dataset) == rows and dataset.receipt.balanced
    assert [each.value for each in points] == ([closing] if closing else [])
    if closing:
        first = end.split("\n")[0].split(",")[0]
        assert not points[0].certain and first in points[0].examples[0].text
        assert "rows left out" in {each.kind for each in dataset.check()}
        kept = oc.load((heading + body + end).encode(), **points[0].settled_as("keep"))
        assert len(kept) > rows and kept.receipt.parts["skipped"] == 0


def test_a_word_alone_in_a_column_of_words_is_an_open_point():
    places = "".join(f"grove {'abcdefgh'[i % 8]},{i},{i * 2}\n" for i in range(20))
    dataset = oc.load(f"place,a,b\n{places}Total,7,9\n".encode())
    point = next(each for each in dataset.receipt.decided if each.about == "rows.closing")
    assert len(dataset) == 21 and point.value == "keep" and not point.certain
    without = oc.load(f"place,a,b\n{places}Total,7,9\n".encode(), **point.settled_as("..-2"))
    assert len(without) == 20


def test_positions_are_obeyed_and_what_they_lose_is_said():
    text = ("id,a\n" + "".join(f"{i},{i}\n" for i in range(1, 11))).encode()
    dataset = oc.load(text, rows={"names": 1, "data": "4..-2"})
    assert dataset["id"].values.to_pylist() == list(range(3, 10))
    lost = [each for each in dataset.receipt.decided if each.about == "rows.data"]
    assert [each.examples[0].text for each in lost] == ["1 | 1", "10 | 10"]
    assert not any(each.certain for each in lost)


def test_a_control_total_may_stand_in_the_closing_row():
    body = "id,kg\n" + "".join(f"{i},{2**53 + i}\n" for i in range(1, 9))
    right = sum(2**53 + i for i in range(1, 9))
    for total, kept in ((right, True), (right + 1, False)):
        text = f"{body}Total,{total}\n".encode()
        dataset = oc.load(text, promised={"totals": "closing"})
        assert [each.kept for each in dataset.receipt.promises] == [kept]
        assert ("broken promise" in {each.kind for each in dataset.check()}) is not kept
    with pytest.raises(oc.PlanError, match="no total that closes the data"):
        oc.load(body.encode(), promised={"totals": {"kg": "closing"}})


STARTS = [
    ("sparse first records", "1,a1,,\n2,a2,,\n" + "".join(f"{i},a{i},5,6\n" for i in range(3, 20)),
     None, 19),
    ("an empty first cell", '"","x"\n' + "".join(f'"{i}",{i * 2}\n' for i in range(1, 9)),
     ["column_1", "x"], 8),
    ("empty last cells", "a,b,,\n" + "".join(f"{i},{i * 2},{i},5\n" for i in range(1, 20)),
     ["a", "b", "column_3", "column_4"], 19),
    ("years as names", "2001,2002,2005\n" + "".join(f"0.{i},0.{i},0.{i}\n" for i in range(1, 20)),
     ["2001", "2002", "2005"], 19),
    ("names in a comment", "#id\tplace\n" + "".join(f"{i}\tv{i % 3}\n" for i in range(1, 20)),
     ["id", "place"], 19),
    ("a table under comments", "# a, b; c\n" * 20 + "AA; 1; x\nBB; 2; y\nCC; 3; z\n", None, 3),
    ("comments within", "a,b\n1,2\n# x\n3,4\n5,6\n# hey, you\n7,8\n", ["a", "b"], 4),
    ("colons", "".join(f"{i}:{i * 2}:x{i}\n" for i in range(1, 20)), None, 19),
    ("times are no columns", "at\n" + "".join(f"10:{i:02d}\n" for i in range(20)), ["at"], 20),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "names", "rows"), STARTS, ids=[s[0] for s in STARTS])
def test_where_names_and_data_begin(name, text, names, rows):
    dataset = oc.load(text.encode())
    unnamed = [f"column_{at}" for at in range(1, len(dataset.names) + 1)]
    assert (dataset.names, len(dataset)) == (names or unnamed, rows)
    assert dataset.receipt.balanced


def test_a_table_of_words_like_one_another_is_an_open_point():
    words = b"red,big\nblue,small\nred,small\nblue,big\nblue,small\n"
    point = next(e for e in oc.load(words).receipt.decided if e.about == "rows.names")
    assert not point.certain and oc.load(words, **point.settled_as("1")).names == ["red", "big"]


PROSE = "The figures were taken at the mill, by its laboratory, in the winter\nof 2025.\n\n"
HEADS = "place     crates    acid\n"
TABLE = "".join(f"{'Alta' if i % 2 else 'El Pozo':<10}{i:5d} {i / 7:8.2f}\n" for i in range(1, 25))


@pytest.mark.parametrize("above", ["", PROSE, "-" * 30 + "\n"])
@pytest.mark.parametrize(
    "named", ["", "place     crates    acid\n", "place     crates    acid\n-----\n"]
)
@pytest.mark.parametrize("below", ["", "\nSource: laboratory of the mill, as of winter\n"])
def test_prose_around_aligned_columns_stays_in_one_piece(above, named, below):
    dataset = oc.load((above + named + TABLE + below).encode())
    wanted = ["place", "crates", "acid"] if named else ["column_1", "column_2", "column_3"]
    assert dataset.names == wanted and len(dataset) == 24
    assert [each.type for each in dataset.variables] == ["text", "integer", "number"]
    assert dataset.receipt.balanced


@pytest.mark.parametrize("below", ["", "\nSource: laboratory of the mill, as of winter\n"])
@pytest.mark.parametrize("delimited", [False, True])
def test_a_large_table_ends_where_it_ends(below, delimited):
    cells = [("Alta" if i % 2 else "El Pozo", i, f"{i / 7:.2f}") for i in range(1, 12_001)]
    form = "{};{};{}\n" if delimited else "{:<10}{:7d} {:>10}\n"
    dataset = oc.load(("".join(form.format(*each) for each in cells) + below).encode())
    assert len(dataset) == 12_000 and dataset.receipt.balanced
    closing = [each for each in dataset.receipt.decided if each.about == "rows.closing"]
    assert [each.rows for each in closing] == ([1] if below else [])


def test_aligned_columns_that_do_not_hold_are_read_as_delimited():
    deep = TABLE * 400 + "Alta\t 5 7\n" + TABLE
    dataset = oc.load(deep.encode())
    assert dataset.plan.layout == "delimited" and dataset.receipt.balanced
    assert "aligned columns do not hold" in " ".join(map(str, dataset.receipt.notes))


@pytest.mark.parametrize("place", range(len(SHAPES)))
def test_files_of_every_shape_are_right_or_open_with_the_right_one_named(place):
    made = [each for at, each in enumerate(generated(12 * 6, 7)) if at % 12 == place]
    assert [(each.shape, verdict(each)) for each in made if "wrong" in verdict(each)] == []


@pytest.mark.parametrize("seed", range(8))
def test_no_mixture_is_read_wrongly_and_for_certain(seed):
    made = [mixed(random.Random(f"test/{seed}/{number}")) for number in range(12)]
    assert [each.shape for each in made if verdict(each) == "certain and wrong"] == []


@pytest.mark.parametrize("seed", range(6))
def test_every_alternative_of_an_open_point_can_be_applied(seed):
    for number in range(10):
        source = mixed(random.Random(f"ways/{seed}/{number}")).text.encode()
        for point in oc.load(source).receipt.decided:
            for way in () if point.certain else point.alternatives:
                assert oc.load(source, **point.settled_as(way)).receipt.balanced
