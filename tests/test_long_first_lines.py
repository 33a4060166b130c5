"""First lines that are longer than what is looked at first: titles, headings, records."""

from __future__ import annotations

import bz2
import gzip
import random
from pathlib import Path

import pytest

import olive_crate as oc

COLUMNS = 2600
NAMES = [
    f"Frage {place:05}: wie groß war die Ernte, und wessen war sie?" for place in range(COLUMNS)
]
"""About 150 kB."""


def table(titles: int, rows: int, end: str, delimiter: str) -> tuple[str, list[list[int]]]:
    rng = random.Random(titles + rows)
    cells = [[rng.randrange(1, 99) for _ in range(COLUMNS)] for _ in range(rows)]
    lines = [f"Harvest of {2020 + place}" for place in range(titles)]
    lines += [delimiter.join(NAMES), *(delimiter.join(map(str, row)) for row in cells)]
    return "".join(line + end for line in lines), cells


@pytest.mark.parametrize("titles", [0, 1, 2, 3, 5])
@pytest.mark.parametrize(
    ("encoding", "end", "delimiter"),
    [
        ("utf-8", "\n", ";"),
        ("utf-8", "\r\n", "\t"),
        ("utf-8", "\r", ";"),
        ("utf-8-sig", "\n", ";"),
        ("cp1252", "\r\n", ";"),
        ("utf-16", "\n", "\t"),
        ("utf-32", "\r\n", ";"),
    ],
)
def test_a_long_heading_is_found_below_titles(titles, encoding, end, delimiter):
    text, cells = table(titles, 6, end, delimiter)
    dataset = oc.load(text.encode(encoding))
    assert dataset.names == NAMES
    assert [dataset[name].values.to_pylist() for name in NAMES[:3]] == [
        [row[place] for row in cells] for place in range(3)
    ]
    assert dataset[NAMES[-1]].values.to_pylist() == [row[-1] for row in cells]
    parts = dataset.receipt.parts
    assert dataset.receipt.balanced and (parts["data"], parts["heading"]) == (6, 1)
    assert sum(parts.values()) == 7 + titles


@pytest.mark.parametrize("packing", [gzip.compress, bz2.compress])
def test_so_it_is_in_what_is_compressed(tmp_path: Path, packing):
    text, cells = table(2, 40, "\n", ";")
    path = tmp_path / "harvest.csv.packed"
    path.write_bytes(packing(text.encode()))
    for dataset in (oc.load(path), oc.load(path, plan=oc.draft(path))):
        assert dataset.names == NAMES and len(dataset) == 40
        assert dataset[NAMES[7]].values.to_pylist() == [row[7] for row in cells]


def test_a_look_tells_the_same_as_a_load(tmp_path: Path):
    text, _ = table(1, 9, "\n", ";")
    path = tmp_path / "harvest.csv"
    path.write_text(text, "utf-8")
    look = oc.look(path)
    said = {each.about: str(each) for each in look.evidence}
    assert "row 2" in said["rows.names"] and "semicolon" in said["delimited.delimiter"]


@pytest.mark.parametrize("length", [70_000, 300_000])
@pytest.mark.parametrize("records", [1, 3, 5, 12])
def test_long_records_of_fixed_columns_are_read_whole(length, records):
    """Of each record the first and the last columns are read, however far apart they are."""
    lines = [f"{n:06}" + " " * (length - 12) + f"{n * 7:06}" for n in range(1, records + 1)]
    fields = [("id", 1, 6), ("end", length - 5, length)]
    layout = [{"name": name, "start": start, "end": stop} for name, start, stop in fields]
    numbers = {"id": {"type": "integer"}, "end": {"type": "integer"}}
    dataset = oc.load("\n".join([*lines, ""]).encode(), fields=layout, variables=numbers)
    assert dataset["id"].values.to_pylist() == [*range(1, records + 1)]
    assert dataset["end"].values.to_pylist() == [n * 7 for n in range(1, records + 1)]
    assert dataset.receipt.balanced and dataset.receipt.parts["data"] == records


def test_one_long_line_is_still_one_record():
    """Twenty thousand numbers in one line, and no other: a record without names."""
    count = 20_000
    line = ";".join(str(place % 90 + 10) for place in range(count))
    dataset = oc.load(line.encode(), rows={"names": None})
    assert len(dataset) == 1 and len(dataset.names) == count
    assert dataset[dataset.names[-1]].values.to_pylist() == [(count - 1) % 90 + 10]
