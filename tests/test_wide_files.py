"""Files of many columns: as right as narrow ones, however they are cut into pieces."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

DAY = dt.date(2025, 10, 1)
WRITTEN: dict[str, Callable[[random.Random], tuple[str, Any]]] = {
    "integer": lambda rng: _twice(rng.randrange(10_000)),
    "number": lambda rng: _twice(rng.randrange(10_000) / 8),
    "text": lambda rng: _twice(rng.choice(("Pago", "Peñón, alto", 'the "old" one', "Campo"))),
    "date": lambda rng: _twice(DAY + dt.timedelta(days=rng.randrange(300))),
    "boolean": lambda rng: rng.choice((("yes", True), ("no", False))),
}

FIRST: dict[str, list[tuple[str, Any]]] = {
    "boolean": [("yes", True), ("no", False)],
    "number": [("0.5", 0.5)],
}
"""Cells without which a column could be of another type."""


def _twice(value: Any) -> tuple[str, Any]:
    """What is written, and what it means."""
    return str(value), value


def quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"' if set(text) & set(',"\n') else text


class Wide:
    """A made file, and for each column its type and what its cells mean."""

    def __init__(
        self, rng: random.Random, columns: int, rows: int, missing: float, name: str = "v{}"
    ) -> None:
        self.kinds = [rng.choice([*WRITTEN]) for _ in range(columns)]
        self.names = [name.format(place) for place in range(columns)]
        self.meant: list[list[Any]] = []
        texts = []
        holds_missing = [rng.random() < 0.5 for _ in self.kinds]
        for kind, holds in zip(self.kinds, holds_missing, strict=True):
            cells = [WRITTEN[kind](rng) for _ in range(rows)]
            first = FIRST.get(kind, [])
            cells[: len(first)] = first
            for row in range(3, rows if holds else 0):
                if rng.random() < missing:
                    cells[row] = rng.choice((("", None), ("NA", None)))
                    if kind == "text":
                        cells[row] = ("", None)
            self.meant.append([value for _, value in cells])
            texts.append([quoted(text) for text, _ in cells])
        self.lines = [",".join(cells) for cells in zip(*texts, strict=True)]
        self.heading = ",".join(self.names)

    @property
    def data(self) -> bytes:
        return "\n".join([self.heading, *self.lines, ""]).encode()

    def check(self, dataset: oc.Dataset) -> None:
        assert dataset.receipt.balanced and [*dataset.names] == self.names
        cells = {each.name: each for each in dataset.receipt.cells}
        for name, kind, meant in zip(self.names, self.kinds, self.meant, strict=True):
            column = dataset[name]
            assert column.variable.type == kind, name
            assert column.values.to_pylist() == meant, name
            gone = meant.count(None)
            assert cells[name].valid == len(meant) - gone, name
            assert sum(cells[name].missing.values()) == gone, name
            assert [value is None for value in meant] == (column.reasons != 0).tolist(), name
            assert sum(column.reason_counts().values()) == gone, name


@settings(max_examples=tries(40), deadline=None)
@given(
    st.integers(0, 10**9),
    st.sampled_from([2, 51, 120]),
    st.sampled_from([5, 30, 60]),
    st.sampled_from([0, 0.05, 0.5]),
    st.sampled_from([2_000, 9_000, 1 << 20]),
    st.integers(1, 2),
)
def test_every_column_of_a_wide_file_is_what_was_written(
    seed, columns, rows, missing, block, workers
):
    made = Wide(random.Random(seed), columns, rows, missing)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("OLIVE_CRATE_BLOCK", str(block))
        made.check(oc.load(made.data, workers=workers, delimiter=",", quote='"'))


@pytest.mark.parametrize("above", [0, 1, 3])
@pytest.mark.parametrize("columns", [1900, 2800])
def test_a_heading_may_be_longer_than_what_is_looked_at_first(above, columns):
    """Names alone take 100 or 150 kB, so that a first look holds one row of data or none."""
    name = "answer to question {:06} of the survey of growers"
    made = Wide(random.Random(4), columns, 9, 0.1, name)
    titles = "".join(f"Harvest {2024 + place}\n" for place in range(above))
    dataset = oc.load(titles.encode() + made.data)
    made.check(dataset)
    assert dataset.receipt.parts["heading"] == 1
    assert sum(dataset.receipt.parts.values()) == 10 + above


@pytest.mark.parametrize("rest", [1, 40, 300])
def test_what_a_last_piece_would_hold_alone_is_there(tmp_path: Path, monkeypatch, rest):
    """The rows that go beyond the first piece by less than a quarter, and by more."""
    made = Wide(random.Random(rest), 60, 1000 + rest, 0.05)
    path = tmp_path / "wide.csv"
    path.write_bytes(made.data)
    size = len("\n".join([made.heading, *made.lines[:1000], ""]).encode())
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(size))
    for workers in (1, 2):
        made.check(oc.load(path, workers=workers, delimiter=",", quote='"'))
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(size // 3))
    made.check(oc.load(path, workers=2, delimiter=",", quote='"'))


def test_units_and_labels_of_many_columns_stay_with_their_own():
    """Names, labels and units in three rows over 300 columns."""
    names = [f"m{place}" for place in range(300)]
    labels = [f"Measure {place}" for place in range(300)]
    units = [("kg", "%", "l", "°C")[place % 4] for place in range(300)]
    rows = [[f"{(row * place) % 90}.5" for place in range(300)] for row in range(20)]
    lines = [";".join(each) for each in (names, labels, units, *rows)]
    dataset = oc.load(
        "\n".join([*lines, ""]).encode(), rows={"names": 1, "labels": 2, "units": 3, "data": 4}
    )
    told = [(each.name, each.label, each.unit) for each in dataset.variables]
    assert told == list(zip(names, labels, units, strict=True))
    assert dataset["m7"].values.to_pylist() == [(row * 7) % 90 + 0.5 for row in range(20)]


def test_what_is_read_stays_when_more_is_read():
    """Reasons lie beside each other while most columns have some: each set stays its own."""
    made = [Wide(random.Random(seed), 80, 200, 0.3) for seed in range(4)]
    read = [oc.load(each.data, delimiter=",", quote='"') for each in made]
    for wide, dataset in zip(made, read, strict=True):
        wide.check(dataset)
    one = read[0]
    name = next(each for each in one.names if one[each].variable.type == "integer")
    changed = one.declare(name, missing=[{"from": 0, "to": 5000, "reason": "small"}])
    gone = sum(
        value is not None and value <= 5000 for value in made[0].meant[made[0].names.index(name)]
    )
    assert changed[name].reason_counts().get("small", 0) == gone > 0
    made[0].check(read[0])


def test_what_is_done_to_a_wide_dataset_is_done_to_each_column(tmp_path):
    """Labels, names, packing, comparing, a set: each column keeps what is its own."""
    count = 600
    made = Wide(random.Random(8), count, 30, 0.1)
    path, packed = tmp_path / "wide.csv", tmp_path / "wide.parquet"
    path.write_bytes(made.data)
    dataset = oc.load(path, delimiter=",", quote='"')
    labels = {name: f"Question {place}" for place, name in enumerate(made.names)}
    labelled = dataset.declare_labels(labels)
    assert {each.name: each.label for each in labelled.variables} == labels
    assert labelled.plan.variable("v7").label == "Question 7"
    assert dataset.declare_labels({}).variables == dataset.variables
    one_by_one = dataset.declare("v7", label="Question 7").variables[7]
    assert one_by_one == labelled.variables[7]
    labelled.pack(packed)
    opened = oc.unpack(packed)
    made.check(opened)
    assert oc.compare(labelled, opened).equal
    again = oc.load(path, plan=labelled.plan)
    assert again.variables == labelled.variables
    other = tmp_path / "other.csv"
    other.write_bytes(made.data.replace(b"v599", b"v600"))
    both = oc.load([path, other], delimiter=",", quote='"')
    assert len(both) == 60 and both.names == [*made.names, "v600"]
    for name in ("v0", "v70", "v598"):
        meant = made.meant[made.names.index(name)]
        assert both[name].values.to_pylist() == meant + meant
    gone = both["v599"]
    assert gone.values.to_pylist() == made.meant[-1] + [None] * 30


def test_columns_of_a_packed_file_are_read_by_any_thread(tmp_path):
    """Open files are handed from column to column, and none serves two at once."""
    made = Wide(random.Random(3), 200, 400, 0.1)
    oc.load(made.data, delimiter=",", quote='"').pack(tmp_path / "wide.parquet")
    opened = oc.unpack(tmp_path / "wide.parquet")
    names = opened.names * 2
    random.Random(1).shuffle(names)
    with ThreadPoolExecutor(4) as pool:
        read = list(pool.map(lambda name: opened.column_once(name).values.to_pylist(), names))
        begun = [opened.column_pieces(name) for name in names]
        firsts = [next(each) for each in begun]  # in this thread, the rest in others
        rests = pool.map(list, begun)
        pieces = [[first, *rest] for first, rest in zip(firsts, rests, strict=True)]
    for name, values, own in zip(names, read, pieces, strict=True):
        assert values == made.meant[made.names.index(name)]
        assert [value for piece in own for value in piece.values.to_pylist()] == values
