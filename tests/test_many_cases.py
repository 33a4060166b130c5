"""Figures and checks of many cases: the same whether data are held, packed, or put together."""

from __future__ import annotations

import datetime as dt
import random

import numpy as np
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate.checks import distribution
from olive_crate.describe import pairs
from olive_crate.formats import writing_behind
from olive_crate.formats.table_shape import TableShape

VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra")


def deliveries(count: int, seed: int = 1) -> list[list[str]]:
    """Clean rows: ticket, day, variety, gross, acidity."""
    rng = random.Random(seed)
    day = dt.date(2024, 10, 1)
    return [
        [
            str(1000 + number),
            (day + dt.timedelta(days=number % 120)).isoformat(),
            rng.choice(VARIETIES),
            str(rng.randrange(900, 9000)),
            "NA" if rng.random() < 0.05 else f"{rng.lognormvariate(-1, 0.4):.2f}",
        ]
        for number in range(count)
    ]


HEAD = "ticket,day,variety,gross,acidity"


def text_of(rows: list[list[str]]) -> bytes:
    return "\n".join([HEAD, *map(",".join, rows)]).encode() + b"\n"


def duplicated(rows: list[list[str]]) -> None:
    rows[700] = list(rows[20])


def key_again(rows: list[list[str]]) -> None:
    rows[400][0] = rows[12][0]


def gap_in_key(rows: list[list[str]]) -> None:
    del rows[333:345]


def far_away(rows: list[list[str]]) -> None:
    rows[99][3] = "9000000"


def shifted(rows: list[list[str]]) -> None:
    for at in (50, 51):
        rows[at][1:4] = [rows[at][2], rows[at][3], rows[at][1]]


def total(rows: list[list[str]]) -> None:
    rows.append(["Total", "", "", str(sum(int(row[3]) for row in rows)), ""])


def code(rows: list[list[str]]) -> None:
    for at in range(0, len(rows), 40):
        rows[at][3] = "-99"


def rounded(rows: list[list[str]]) -> None:
    for row in rows[: len(rows) * 3 // 4]:
        row[3] = str(round(int(row[3]), -1))


def constant(rows: list[list[str]]) -> None:
    for row in rows:
        row[3] = "4711"


def forms(rows: list[list[str]]) -> None:
    for at in range(0, 90, 9):
        rows[at][2] = "picual "


FAULTS = [
    *(duplicated, key_again, gap_in_key, far_away, shifted, total, code, rounded, constant, forms)
]


def told(found: oc.Findings) -> list[tuple]:
    return [(each.kind, each.variables, each.count, each.rows) for each in found]


@pytest.mark.parametrize("drawn", [20_000, 100])
@pytest.mark.parametrize("fault", [None, *FAULTS])
def test_checks_find_the_same_in_packed_data(tmp_path, monkeypatch, fault, drawn):
    """Also where a few values decide what all of them are asked for."""
    rows = deliveries(1200)
    if fault is not None:
        fault(rows)
    plan = {"rows": {"names": 1, "data": f"2..{len(rows) + 1}"}}
    held = oc.load(text_of(rows), **plan)
    expected = told(held.check())
    monkeypatch.setattr(distribution, "DRAWN", drawn)
    held.pack(tmp_path / "data.parquet")
    assert told(held.check()) == expected
    assert told(oc.unpack(tmp_path / "data.parquet").check()) == expected
    assert bool(expected) == (fault is not None)


@pytest.mark.parametrize("apart", [4, 6, 7])
def test_tickets_that_repeat_at_equal_distances_are_found(apart):
    """4,500 of 120,000 tickets are the same: of those at such distances, more than a fifth."""
    again = 4500
    tickets = [1 if at % apart == 0 and at < apart * again else 5 + at for at in range(120_000)]
    found = oc.load("\n".join(["ticket", *map(str, tickets)]).encode() + b"\n").check()
    assert [(each.kind, each.count) for each in found if each.kind.startswith("dup")] == [
        ("duplicate keys", again - 1)
    ]


CELLS = st.one_of(
    st.sampled_from(["", "NA", "0", "-0", "1", "1.0", "2", "x", "X", "2024-10-01", "true"]),
    st.integers(-3, 3).map(str),
)


@settings(max_examples=tries(50), deadline=None)
@given(
    st.lists(st.tuples(CELLS, CELLS, CELLS), min_size=40, max_size=60),
    st.lists(st.tuples(st.integers(0, 19), st.sampled_from([0, 0, 1, 2, 3]), CELLS), max_size=4),
    st.booleans(),
)
def test_rows_are_equal_where_all_their_cells_are(rows, copies, keyed):
    """Counted as a set of rows counts them; missing cells are equal by their reason.

    Some rows come again, whole or with one cell that may be another.
    """
    whole = [(f"k{place}", *row) for place, row in enumerate(rows)]
    for place, changed, cell in copies:
        again = list(whole[place])
        if changed:
            again[changed] = cell
        whole.append(tuple(again))
    data = "\n".join(["key,a,b,c", *map(",".join, whole)]).encode() + b"\n"
    options = {"delimiter": ",", "rows": {"names": 1, "data": f"2..{len(whole) + 1}"}}
    promised = {"promised": {"key": ["key"]}} if keyed else {}
    dataset = oc.load(data, **options, **promised)
    columns = [dataset[name] for name in dataset.names]
    parts = [zip(c.values.to_pylist(), c.reasons.tolist(), strict=True) for c in columns]
    read = list(zip(*parts, strict=True))
    found = {type(each).__name__: each for each in dataset.check()}
    repeated = len(read) - len(set(read))
    if not any(changed for _, changed, _ in copies):  # else rows are alike, perhaps by nature
        assert (found["DuplicateRows"].count if repeated else 0) == repeated
    assert "DuplicateRows" not in found or found["DuplicateRows"].count == repeated
    if keyed:
        assert (found["DuplicateKeys"].count if copies else 0) == len(copies)


@settings(max_examples=tries(30), deadline=None)
@given(
    st.integers(0, 2**32 - 1),
    st.sampled_from([0.0, 0.2, 0.9]),
    st.sampled_from([0.0, 1e6]),
    st.sampled_from(["pairs", "complete"]),
)
def test_correlations_in_blocks_are_those_of_each_pair(seed, lacking, offset, use):
    """Of correlated numbers with gaps, far from zero too, and of one that never varies."""
    draw = np.random.default_rng(seed)
    base = draw.normal(size=400)
    columns = [
        base + offset,
        base * 3 + draw.normal(size=400),
        np.round(draw.normal(size=400) * 10),
        np.full(400, 7.0),
    ]
    there = [draw.random(400) >= lacking for _ in columns]
    rows = [
        ",".join(repr(float(c[at])) if t[at] else "" for c, t in zip(columns, there, strict=True))
        for at in range(400)
    ]
    data = ("a,b,c,d\n" + "\n".join(rows) + "\n").encode()
    dataset = oc.load(data, types="number", rows={"names": 1, "data": "2..401"}, delimiter=",")
    results = []
    kept = pairs.FEW_CASES, pairs.MANY_CASES
    for few, many in ((10**9, 10**9), (1, 10**9), (1, 1)):
        pairs.FEW_CASES, pairs.MANY_CASES = few, many
        try:
            results.append((dataset.correlations(use=use), dataset.covariances(use=use)))
        finally:
            pairs.FEW_CASES, pairs.MANY_CASES = kept
    alone = results[0]
    for each in results[1:]:
        for one, two in zip(alone, each, strict=True):
            assert (one.n == two.n).all()
            assert np.allclose(one.values, two.values, rtol=1e-6, atol=1e-6, equal_nan=True)
    for one in range(3):
        for other in range(3):
            both = there[one] & there[other] if use == "pairs" else np.logical_and.reduce(there)
            if both.sum() > 2:
                wanted = np.corrcoef(columns[one][both], columns[other][both])[0, 1]
                if np.isfinite(wanted):
                    assert alone[0].values[one, other] == pytest.approx(wanted, abs=1e-6)


def test_a_disk_that_is_full_leaves_no_packed_file(tmp_path, monkeypatch):
    """What goes wrong on the thread that writes is raised, and nothing stays behind."""

    class Full:
        def __init__(self, _where: object, shape: TableShape, _first: object) -> None:
            self.closed, self.schema = False, shape.schema

        def write_table(self, table: object) -> None:
            raise OSError(28, "No space left on device")

        def add_key_value_metadata(self, metadata: object) -> None:
            raise AssertionError("the file is not complete")

        def close(self) -> None:
            self.closed = True

    monkeypatch.setattr(writing_behind, "new_writer", Full)
    with pytest.raises(oc.TargetError, match="no space left"):
        oc.pack(text_of(deliveries(50)), tmp_path / "data.parquet")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("columns", [60, 400, 2500])
def test_files_of_many_columns_hold_in_each_what_they_say(columns):
    """Kinds by turns, a mark here and there; the heading is a piece of its own."""
    kinds = {
        "integer": lambda at: str(at * 7 % 1000),
        "number": lambda at: f"{at / 4:.2f}",
        "text": lambda at: f"lot {at}",
        "date": lambda at: (dt.date(2024, 10, 1) + dt.timedelta(days=at)).isoformat(),
    }
    names = list(kinds)
    rows = [
        [
            "NA" if (at + place) % 31 == 0 and place % 4 != 2 else kinds[names[place % 4]](at)
            for place in range(columns)
        ]
        for at in range(40)
    ]
    heading = ",".join(f"q{place}" for place in range(columns))
    dataset = oc.load("\n".join([heading, *map(",".join, rows)]).encode() + b"\n")
    assert (dataset.rows, len(dataset.names)) == (40, columns)
    for place in random.Random(columns).sample(range(columns), 50):
        column = dataset[f"q{place}"]
        assert column.variable.type == names[place % 4]
        lacks = sum(row[place] == "NA" for row in rows)
        assert column.reason_counts() == ({"NA": lacks} if lacks else {})
        first = next(at for at in range(40) if rows[at][place] != "NA")
        assert str(column.values[first].as_py()).rstrip("0").rstrip(".") == rows[first][
            place
        ].rstrip("0").rstrip(".")
