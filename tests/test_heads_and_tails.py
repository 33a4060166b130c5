"""What stands above and below the data, in files of any width: names, titles, totals, notes."""

from __future__ import annotations

import itertools
import random

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

GROVES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra")


def text_of(rows: list[list[object]], delimiter: str = ",") -> bytes:
    return ("\n".join(delimiter.join(map(str, row)) for row in rows) + "\n").encode()


def deliveries(count: int, seed: int = 1) -> list[list[object]]:
    """A number for each delivery, its grove, kilograms and acidity."""
    draw = random.Random(seed)
    return [
        [number, draw.choice(GROVES), draw.randrange(100, 4000), f"{draw.random():.2f}"]
        for number in range(1, count + 1)
    ]


NAMES = ["delivery", "grove", "net", "acidity"]


def closing(dataset: oc.Dataset):
    """The evidence about rows that close the data, and how many rows were read."""
    found = (each for each in dataset.receipt.decided if each.about == "rows.closing")
    return next(found, None), len(dataset)


@pytest.mark.parametrize("count", [5, 60, 199, 200, 201, 450, 3000])
@pytest.mark.parametrize("word", ["Total", "Summe", "total:", "Grand total"])
def test_a_named_total_is_left_out_of_files_of_any_length(count, word):
    rows = deliveries(count)
    net = sum(int(row[2]) for row in rows)
    found, read = closing(oc.load(text_of([NAMES, *rows, [word, "", net, ""]])))
    assert read == count and found.value == "skip" and found.total


@pytest.mark.parametrize("count", [5, 61, 201, 3000])
def test_a_row_without_a_name_is_a_total_if_its_numbers_are_the_sums(count):
    rows = deliveries(count)
    sums = ["", "", sum(int(row[2]) for row in rows), f"{sum(float(row[3]) for row in rows):.2f}"]
    _, read = closing(oc.load(text_of([NAMES, *rows, sums])))
    assert read == count
    off = [*sums[:2], int(sums[2]) + 1, sums[3]]
    assert closing(oc.load(text_of([NAMES, *rows, off])))[1] == count + 1


@pytest.mark.parametrize("count", [6, 100, 300, 3000])
def test_a_last_number_that_is_the_sum_of_a_column_is_named_and_kept(count):
    rows = [[number, number % 7 + 1] for number in range(1, count + 1)]
    rows.append([count + 1, sum(int(row[1]) for row in rows)])
    found, read = closing(oc.load(text_of([["delivery", "crates"], *rows])))
    assert read == count + 1 and found is not None and found.value == "keep"
    rows[-1][1] = int(rows[-1][1]) + 1
    assert closing(oc.load(text_of([["delivery", "crates"], *rows])))[0] is None


@pytest.mark.parametrize("step", [1, 3, 1000])
@pytest.mark.parametrize("count", [4, 70, 1500])
def test_rising_columns_have_no_total_although_each_last_number_is_the_largest(step, count):
    rows = [[number, number * step, number * step + 7] for number in range(1, count + 1)]
    found, read = closing(oc.load(text_of([["a", "b", "c"], *rows])))
    assert found is None and read == count


@pytest.mark.parametrize("decimal", [",", "."])
def test_sums_of_numbers_with_marks_and_groups_are_sums(decimal):
    draw = random.Random(3)
    numbers = [round(draw.uniform(1000, 9000), 2) for _ in range(80)]

    def shown(number: float) -> str:
        return f"{number:.2f}".replace(".", decimal)

    rows = [[index, shown(number)] for index, number in enumerate(numbers, 1)]
    last = ["", shown(sum(numbers))]
    assert len(oc.load(text_of([["nr", "net"], *rows, last], ";"))) == 80


def test_sums_below_zero_and_over_blanks_are_sums():
    rows = [[index, -index if index % 3 else ""] for index in range(1, 40)]
    total = -sum(index for index in range(1, 40) if index % 3)
    assert len(oc.load(text_of([["nr", "change"], *rows, ["Total", total]]))) == 39


@pytest.mark.parametrize(
    "note",
    [
        "Source: the mill, 2025",
        "* estimated by the growers",
        "Note: deliveries of the second press",
        "(1) without leaves",
        "----------",
    ],
)
@pytest.mark.parametrize("count", [10, 250])
def test_notes_below_the_data_are_left_out(note, count):
    assert len(oc.load(text_of([NAMES, *deliveries(count)]) + f"{note}\n".encode())) == count


@pytest.mark.parametrize("titles", [0, 1, 2, 4])
@pytest.mark.parametrize("units", [False, True])
@pytest.mark.parametrize("count", [3, 30, 300])
def test_names_are_found_below_titles_and_above_units(titles, units, count):
    above = [[f"Deliveries of the mill, part {number}"] for number in range(titles)]
    below = [["", "", "kg", "%"]] if units else []
    dataset = oc.load(text_of([*above, NAMES, *below, *deliveries(count)]))
    assert dataset.names == NAMES and len(dataset) == count
    if units:
        assert [each.unit for each in dataset.variables] == [None, None, "kg", "%"]


@pytest.mark.parametrize("prefix", ["#", "//", "%"])
@pytest.mark.parametrize("count", [4, 40, 400])
def test_comments_anywhere_are_no_cases(prefix, count):
    rows = deliveries(count)
    half = count // 2
    said = [f"{prefix} checked by the laboratory"]
    dataset = oc.load(text_of([said, said, NAMES, *rows[:half], said, *rows[half:], said]))
    assert dataset.names == NAMES and len(dataset) == count
    assert dataset.receipt.parts["comment"] == 4 and dataset.receipt.balanced


def test_quotes_over_several_lines_do_not_move_what_stands_below():
    rows = deliveries(260)
    for row in rows[::9]:
        row[1] = '"Picual,\nold trees"'
    dataset = oc.load(text_of([NAMES, *rows, ["Total", "", sum(int(row[2]) for row in rows), ""]]))
    assert len(dataset) == 260 and dataset.receipt.balanced


@settings(max_examples=tries(60))
@given(
    st.lists(st.integers(-999, 999), min_size=4, max_size=400),
    st.integers(-3, 3),
    st.sampled_from(["", "Total"]),
)
def test_a_total_is_left_out_exactly_if_it_is_one(numbers, off, word):
    """A word alone says so; numbers say so if they are the sum, and not all the same."""
    rows = [[f"lot {index}", number] for index, number in enumerate(numbers, 1)]
    total = sum(numbers) + off
    dataset = oc.load(text_of([["lot", "change"], *rows, [word, total]]))
    assert len(dataset) in (len(rows), len(rows) + 1)
    if word:
        assert len(dataset) == len(rows)
    nonzero = sum(map(bool, numbers))
    plain = nonzero >= 3 and len(set(numbers)) > 1 and total
    runs = {*itertools.accumulate(reversed(numbers))} | {sum(numbers) / len(numbers)}
    if not word and plain and total not in runs and off:
        mean = sum(numbers) / len(numbers)
        assert len(dataset) == len(rows) + 1 or abs(mean - total) <= 0.5
    if not word and plain and not off:
        assert len(dataset) == len(rows)
    assert dataset.receipt.balanced


@settings(max_examples=tries(60))
@given(
    st.integers(1, 40),
    st.integers(1, 260),
    st.sampled_from([",", ";", "\t", "|"]),
    st.booleans(),
)
def test_every_row_and_column_of_clean_files_is_read(columns, rows, delimiter, ends):
    """Of any size about the number of rows that are looked at, with and without a last line end."""
    names = [f"v{index}" for index in range(columns)]
    cells = [[(row * 7 + column) % 100 for column in range(columns)] for row in range(rows)]
    text = text_of([names, *cells], delimiter)
    dataset = oc.load(text if ends else text.rstrip(b"\n"), delimiter=delimiter)
    assert dataset.names == names and dataset.receipt.balanced
    assert len(dataset) == rows
    assert [dataset[name].values.to_pylist() for name in names] == [
        [row[column] for row in cells] for column in range(columns)
    ]


@pytest.mark.parametrize(
    ("line", "cases"),
    [
        ("Source: the mill, 2025", 9),
        ("Note: weighed at the mill, 3 times, without leaves", 9),
        ("Source, the mill", 9),
        ("10,Note: pressed late,300,0.5", 10),
        ("10,Picual,300,0.5", 10),
    ],
)
def test_a_note_with_the_delimiter_in_it_is_a_note_and_a_record_is_none(line, cases):
    dataset = oc.load(text_of([NAMES, *deliveries(9)]) + f"{line}\n".encode())
    assert len(dataset) == cases and dataset.receipt.balanced


@pytest.mark.parametrize("cells", [("5.", "6"), ("5.", "7.5"), ("12.", "3."), ("-5.", ".5")])
@pytest.mark.parametrize("more", ["", ",1"])
def test_a_number_with_a_mark_behind_it_is_no_heading(cells, more):
    rows = [f"{cell}{more}" for cell in cells * 5]
    names = ["net", "day"][: 1 + bool(more)]
    found = oc.load("\n".join([",".join(names), *rows, ""]).encode())
    assert list(found.names) == names
    assert found["net"].values.to_pylist() == [float(cell) for cell in cells * 5]
    without = oc.load("\n".join([*rows, ""]).encode())
    assert len(without) == 10


UNITS = ("m3", "m²", "mg/kg", "meq O2/kg", "%", "kg", "(kg)", "[°C]", "0-10", "1 – 5", "ha", "kW")
NO_UNITS = ("frost", "Lot 7", "olive oil", "m5", "kg net", "harvested")


@pytest.mark.parametrize("unit", UNITS)
def test_a_row_of_units_over_numbers_is_taken_as_such(unit):
    text = f"delivery;net\n;{unit}\n" + "".join(f"{row};{row * 3 % 17}\n" for row in range(1, 40))
    ds = oc.load(text.encode())
    assert (ds.rows, ds.variables[1].unit) == (39, unit.strip("()[]"))


@pytest.mark.parametrize("word", NO_UNITS)
def test_a_row_of_words_over_numbers_is_data(word):
    text = f"delivery;net\n;{word}\n" + "".join(f"{row};{row * 3 % 17}\n" for row in range(1, 40))
    ds = oc.load(text.encode())
    assert (ds.rows, ds.variables[1].unit) == (40, None)
    assert ds["net"].why(1) == "unreadable" or ds["net"].values[0].as_py() == word


@pytest.mark.parametrize("length", [20, 34, 80])
@pytest.mark.parametrize("count", [8, 40, 400])
def test_records_of_one_length_hold_no_names(length, count):
    """A file of fixed-width records that nothing describes."""
    draw = random.Random(length)
    rows = [
        f"{number:06}" + "".join(draw.choices("0123456789KJ{}", k=length - 6))
        for number in range(1, count + 2)
    ]
    ds = oc.load(text_of([[row] for row in rows]), delimiter="")
    assert ds["column_1"].values.to_pylist() == rows
    named = oc.load(text_of([["record"], *([row] for row in rows)]), delimiter="")
    assert named["record"].values.to_pylist() == rows
