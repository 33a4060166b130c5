"""Chains of operations on a dataset, held against the same on plain lists; in memory and packed."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

NAMES = ("grove", "variety", "weight", "day", "wet")
VARIETIES = ("Picual", "Arbequina", "Leccino", "Frantoio Ω")
Row = dict[str, Any]


class Model(NamedTuple):
    """What a dataset has to hold: rows of values, and why each missing one is missing."""

    names: list[str]
    rows: list[Row]
    whys: list[dict[str, str | None]]


CASE = st.fixed_dictionaries(
    {
        "grove": st.integers(1, 500),
        "variety": st.none() | st.sampled_from(VARIETIES),
        "weight": st.sampled_from([None, "lost"]) | st.integers(0, 4000).map(lambda n: n / 4),
        "day": st.none() | st.dates().map(str).filter(lambda text: text > "1900"),
        "wet": st.none() | st.booleans(),
    }
)
CASES = st.lists(CASE, min_size=1, max_size=30)


def built(cases: list[Row]) -> tuple[oc.Dataset, Model]:
    """A dataset of these cases, read from text, and its model."""
    words = {True: "yes", False: "no", None: "", "lost": "777"}
    lines = [",".join(NAMES)]
    for case in cases:
        values = [case[name] for name in NAMES]
        cells = [words[each] if _is_word(each) else each for each in values]
        lines.append(",".join(map(str, cells)))
    dataset = oc.load(
        ("\n".join(lines) + "\n").encode(),
        delimiter=",",
        rows={"names": 1, "data": "2.."},
        types={
            "grove": "integer",
            "variety": "text",
            "weight": "number",
            "day": "date",
            "wet": "boolean",
        },
        variables={"weight": {"missing": {777: "sample lost"}}},
    )
    rows, whys = [], []
    for case in cases:
        rows.append({name: None if case[name] == "lost" else case[name] for name in NAMES})
        whys.append({name: _why(case[name]) for name in NAMES})
    return dataset, Model(list(NAMES), rows, whys)


def _is_word(value: object) -> bool:
    return value is None or isinstance(value, bool) or value == "lost"


def _why(value: object) -> str | None:
    return "blank" if value is None else "sample lost" if value == "lost" else None


def held(dataset: oc.Dataset) -> Model:
    """What a dataset holds, as its model would."""
    columns = {name: dataset[name].values.to_pylist() for name in dataset.names}
    rows, whys = [], []
    for at in range(dataset.rows):
        row = {name: values[at] for name, values in columns.items()}
        rows.append({name: str(v) if hasattr(v, "year") else v for name, v in row.items()})
        whys.append({name: dataset[name].why(at) for name in dataset.names})
    return Model(list(dataset.names), rows, whys)


def chosen(model: Model, rows: list[int]) -> Model:
    return Model(model.names, [model.rows[at] for at in rows], [model.whys[at] for at in rows])


def only(model: Model, names: list[str]) -> Model:
    return Model(
        names,
        [{name: row[name] for name in names} for row in model.rows],
        [{name: why[name] for name in names} for why in model.whys],
    )


def renamed(model: Model, old: str, new: str) -> Model:
    def other(row: dict[str, Any]) -> dict[str, Any]:
        return {new if name == old else name: value for name, value in row.items()}

    names = [new if name == old else name for name in model.names]
    return Model(names, list(map(other, model.rows)), list(map(other, model.whys)))


@st.composite
def operation(draw: st.DrawFn, model: Model, number: int) -> tuple[str, tuple[Any, ...]]:
    """An operation that makes sense for what is there, with its arguments."""
    name = st.sampled_from(model.names)
    kind = draw(st.sampled_from(["keep", "head", "tail", "mask", "first", "after", "rename"]))
    if kind == "keep":
        some = draw(st.lists(name, min_size=1, max_size=4, unique=True))
        return kind, (some,)
    if kind in ("head", "tail"):
        return kind, (draw(st.integers(0, 40)),)
    if kind == "mask":
        size = len(model.rows)
        return kind, (draw(st.lists(st.booleans(), min_size=size, max_size=size)),)
    if kind == "first":
        return kind, (draw(name),)
    if kind == "after":
        return kind, (draw(name), draw(name))
    return kind, (draw(name), f"renamed {number}")


def applied(dataset: oc.Dataset, model: Model, step: tuple[str, tuple[Any, ...]]):
    """The dataset and its model after an operation."""
    kind, given_ = step
    if kind == "keep":
        return dataset.keep(given_[0]), only(model, given_[0])
    if kind == "head":
        return dataset.head(*given_), chosen(model, list(range(len(model.rows)))[: given_[0]])
    if kind == "tail":
        rows = list(range(len(model.rows)))
        return dataset.tail(*given_), chosen(model, rows[len(rows) - min(given_[0], len(rows)) :])
    if kind == "mask":
        rows = [at for at, wanted in enumerate(given_[0]) if wanted]
        return dataset.filter(given_[0]), chosen(model, rows)
    if kind == "first":
        names = [given_[0], *(each for each in model.names if each != given_[0])]
        return dataset.reorder(given_[0]), only(model, names)
    if kind == "after":
        moved, after = given_
        if moved == after:
            return dataset, model
        names = [each for each in model.names if each != moved]
        names.insert(names.index(after) + 1, moved)
        return dataset.reorder(moved, after=after), only(model, names)
    return dataset.rename(*given_), renamed(model, *given_)


@settings(max_examples=tries(40))
@given(CASES, st.booleans(), st.data())
def test_operations_are_those_on_plain_rows(cases, packed, data):
    """What each operation leaves, with the reasons; a packed dataset answers alike."""
    dataset, model = built(cases)
    assert held(dataset) == model
    with tempfile.TemporaryDirectory() as folder:
        if packed:
            dataset.pack(Path(folder) / "a.parquet")
            dataset = oc.unpack(Path(folder) / "a.parquet")
        for number in range(data.draw(st.integers(1, 6))):
            step = data.draw(operation(model, number))
            dataset, model = applied(dataset, model, step)
            assert held(dataset) == model, step
        assert dataset.rows == len(dataset) == len(model.rows)
        dataset.pack(Path(folder) / "b.parquet", replace=True)
        again = oc.unpack(Path(folder) / "b.parquet")
        assert held(again) == model and again.equals(dataset)
        assert oc.verify(Path(folder) / "b.parquet").is_whole


@settings(max_examples=tries(40))
@given(CASES, st.integers(1, 12))
def test_pieces_put_together_are_the_whole(cases, size):
    dataset, model = built(cases)
    made = [held(each) for each in dataset.pieces(size)]
    assert [row for each in made for row in each.rows] == model.rows
    assert [why for each in made for why in each.whys] == model.whys
    assert all(0 < len(each.rows) <= size for each in made)


@settings(max_examples=tries(40))
@given(CASES)
def test_frames_and_arrays_hold_the_same_values(cases):
    dataset, model = built(cases)
    table = dataset.to_arrow()
    frame = dataset.to_pandas()
    for name in NAMES:
        wanted = [row[name] for row in model.rows]
        values = table[name].to_pylist()
        assert [str(v) if hasattr(v, "year") else v for v in values] == wanted
        assert frame[name].isna().tolist() == [value is None for value in wanted]
    numbers = dataset["weight"].to_numpy()
    assert [None if value != value else value for value in numbers.tolist()] == [
        row["weight"] for row in model.rows
    ]


@settings(max_examples=tries(40))
@given(CASES, st.sampled_from(["delimited", "fixed", "workbook", "database"]))
def test_an_export_is_read_back_as_it_was(cases, kind):
    dataset, model = built(cases)
    name = {"delimited": "a.csv", "fixed": "a.txt", "workbook": "a.xlsx", "database": "a.db"}[kind]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        if kind == "database":
            dataset.export(path, table="cases", missing="null")
            again = oc.load(path, table="cases")
            assert [row["grove"] for row in held(again).rows] == [r["grove"] for r in model.rows]
            assert again["weight"].values.to_pylist() == [r["weight"] for r in model.rows]
            return
        dataset.export(path)
        if kind == "workbook":
            options = {
                "types": {each.name: each.type for each in dataset.variables},
                "variables": {"weight": {"missing": {777: "sample lost"}}},
                "sheet": "data",
                "range": f"A1:E{len(cases) + 1}",
                "rows": {"names": 1},
            }
            again = oc.load(path, **options)
        else:
            again = oc.load(oc.Plan.read(Path(folder) / f"{name}.plan.toml"))
        assert held(again) == model


REFUSED = {
    "a name that is not there": lambda ds: ds.keep("acid"),
    "a near name is offered": lambda ds: ds.keep("wieght"),
    "two names alike": lambda ds: ds.rename("grove", "day"),
    "a mask of another length": lambda ds: ds.filter([True]),
    "behind a variable that is not there": lambda ds: ds.reorder("day", after="acid"),
    "no rows a piece": lambda ds: list(ds.pieces(0)),
    "a type that there is not": lambda ds: ds.declare("weight", type="weights"),
    "a part that there is not": lambda ds: ds.declare("weight", typ="number"),
    "a code without a reason": lambda ds: ds.declare("weight", missing={5: []}),
    "like a variable that is not there": lambda ds: ds.declare_like("weight", like="acid"),
    "meanings that overlap": lambda ds: ds.declare("grove", meanings={(1, 5): "a", (3, 9): "b"}),
}


@pytest.mark.parametrize("case", REFUSED)
def test_what_makes_no_sense_is_refused_and_changes_nothing(case):
    case_ = {"grove": 1, "variety": "Picual", "weight": 2.5, "day": "2025-10-01", "wet": True}
    dataset, model = built([case_] * 3)
    with pytest.raises(oc.PlanError) as caught:
        REFUSED[case](dataset)
    assert len(str(caught.value)) > 15 and not re.search(r"Error|Traceback|<.*>", str(caught.value))
    if case == "a near name is offered":
        assert 'did you mean "weight"' in str(caught.value)
    assert held(dataset) == model
