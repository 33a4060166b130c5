"""Tables in memory are sources like files: looked at, declared, accounted for, packed."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

DAY, MOMENT = dt.date(2025, 10, 13), dt.datetime(2025, 10, 13, 7, 52)
COLUMNS = {
    "id": (pa.array([1, 2, None], pa.int32()), "integer", [1, 2, None]),
    "large": (pa.array([2**63, 1, None], pa.uint64()), None, None),
    "acid": (pa.array([0.5, None, 777.0], pa.float32()), "number", [0.5, None, 777.0]),
    "price": (pa.array([Decimal("1.10"), None, Decimal("2.05")]), "number", [1.1, None, 2.05]),
    "grove": (pa.array(["a", None, "b"]).dictionary_encode(), "category", ["a", None, "b"]),
    "note": (pa.array(["1,5", "x", ""], pa.large_string()), "text", ["1,5", "x", None]),
    "day": (pa.array([DAY, None, DAY], pa.date64()), "date", [DAY, None, DAY]),
    "at": (pa.array([MOMENT, None, MOMENT], pa.timestamp("ms")), "datetime", None),
    "zoned": (pa.array([MOMENT] * 3, pa.timestamp("us", "Europe/Madrid")), "datetime", None),
    "time": (pa.array([dt.time(7, 52)] * 3, pa.time32("s")), "time", [dt.time(7, 52)] * 3),
    "took": (pa.array([dt.timedelta(hours=2)] * 3), "duration", [dt.timedelta(hours=2)] * 3),
    "organic": (pa.array([True, None, False]), "boolean", [True, None, False]),
    "bytes": (pa.array([b"\x01\xff", None, b""], pa.binary()), "text", ["01ff", None, None]),
    "none": (pa.nulls(3), None, None),
}


@pytest.mark.parametrize("name", COLUMNS)
def test_a_column_of_any_type_is_read(name):
    array, kind, values = COLUMNS[name]
    table = pa.table({"n": [1, 2, 3], name: array})
    found = oc.load(table)
    assert found.receipt.balanced and found.receipt.rows == 3
    assert kind is None or found[name].variable.type == kind
    assert values is None or found[name].values.to_pylist() == values
    assert oc.look(table).variables[1].type == found[name].variable.type


def test_declarations_reach_a_table_as_they_reach_a_file():
    table = pa.table({"acid": [0.3, 777.0, None], "grade": ["A", "B", "A"]})
    plan = oc.draft(table).declare("acid", missing={777: "sample lost"}, label="Free acidity")
    found = oc.load(table, plan=plan.declare("grade", meanings={"A": "first", "B": "second"}))
    assert [found["acid"].why(n) for n in range(3)] == [None, "sample lost", "blank"]
    later = pa.table({"acid": [777.0], "grade": ["B"]})
    assert oc.load(later, plan=found.plan)["acid"].why(0) == "sample lost"
    assert found.trace("acid", 2, table).raw.startswith("777")


def test_a_dataset_is_a_source_and_keeps_what_is_declared():
    first = oc.load(
        b"id,panel\n1,0\n2,5\n",
        variables={"panel": {"label": "Panel", "level": "ordinal", "meanings": {0: "absent"}}},
    )
    again = oc.load(first)
    assert again["panel"].variable.label == "Panel" and again["panel"].variable.meanings
    assert again["panel"].variable.level == "ordinal" and again.keep("id").rows == 2


def test_data_frames_are_sources():
    frame = pd.DataFrame(
        {"x": [1.5, np.nan, 3], "c": pd.Categorical(["lo", "hi", "lo"], ["lo", "hi"], ordered=True)}
    )[1:]
    found = oc.load(frame)
    assert found.names == ["x", "c"] and found["x"].values.to_pylist() == [None, 3.0]
    assert found["c"].variable.level == "ordinal"
    named = frame.set_axis(pd.Index(["a", "b"], name="row"))
    assert oc.load(named)["row"].values.to_pylist() == ["a", "b"]
    assert oc.load(frame.rename_axis("row")).names == ["x", "c"]
    again = oc.load(frame.rename_axis("row").reset_index(), keep=["row"])
    assert again["row"].values.to_pylist() == [1, 2]


@pytest.mark.parametrize("label", ["2025", "true", "[%]", '{"a": 1}', "null", "1e5"])
def test_a_label_that_looks_like_json_stays_a_label(label):
    ds = oc.load(b"id\n1\n", variables={"id": {"label": label, "missing": {9: label}}})
    again = oc.load(ds)["id"].variable
    assert again.label == label and again.missing == ds["id"].variable.missing


@pytest.mark.parametrize("library", ["pandas", "polars", "pyarrow"])
def test_frame_libraries_take_a_dataset_without_going_through_ours(library):
    """By the C stream of Arrow's PyCapsule interface."""
    made = pytest.importorskip(library)
    ds = oc.load(b"id,day,grove\n1,2025-10-13,a\n2,,b\n")
    if library == "pandas":
        if not hasattr(made.DataFrame, "from_arrow"):
            pytest.skip("this pandas takes no stream")
        assert made.DataFrame.from_arrow(ds)["grove"].tolist() == ["a", "b"]
    elif library == "polars":
        frame = made.DataFrame(ds)
        assert frame["day"].to_list() == [DAY, None] and oc.load(frame).equals(ds)
    else:
        assert made.table(ds)["id"].to_pylist() == [1, 2]


@pytest.mark.parametrize(
    ("given", "options", "message"),
    [
        (
            pa.table({"l": [[1], [2]]}),
            {},
            r"holds list<.*> which is no|holds list.*no single value",
        ),
        (pa.table({"a": [1]}), {"sheet": 1}, "is a table, so it has no sheets"),
        (pa.table({"a": [1]}), {"delimiter": ";"}, "has no delimiter"),
        (pa.table({"a": [1]}), {"layout": "fixed"}, 'its layout is "frame"'),
        (pa.table({"a": [1]}), {"names": ["a", "b"]}, "2 names are given for 1 columns"),
        (b"a\n1\n", {"layout": "frame"}, "not a table in memory"),
        (pa.array([1, 2]), {}, "no table of columns"),
        (object(), {}, "an open file or a table"),
    ],
)
def test_what_is_no_table_is_one_message(given, options, message):
    with pytest.raises(oc.OliveCrateError, match=message):
        oc.load(given, **options)


@given(
    st.lists(
        st.tuples(
            st.none() | st.integers(-(2**63), 2**63 - 1),
            st.none() | st.floats(allow_nan=False, allow_infinity=False),
            st.none() | st.dates(dt.date(1800, 1, 1)),
        ),
        min_size=1,
        max_size=30,
    ),
    st.integers(1, 40),
)
def test_numbers_and_days_come_through_unchanged(rows, limit):
    schema = pa.schema([("i", pa.int64()), ("f", pa.float64()), ("d", pa.date32())])
    columns = list(zip(*rows, strict=True))
    table = pa.table([pa.array(c, f.type) for c, f in zip(columns, schema, strict=True)], schema)
    found = oc.load(table, limit=limit)
    assert found.receipt.balanced and found.rows == min(limit, len(rows))
    for name in ("i", "f", "d"):
        if any(each is not None for each in table[name].to_pylist()):
            assert found[name].values.to_pylist() == table[name].to_pylist()[:limit]
