"""Variables that a packed set does not read from cells: parts of names, and those it divides by."""

from __future__ import annotations

import pytest

import olive_crate as oc

DECLARED = [
    {},
    {"missing": {"02": "first press"}},
    {"type": "integer"},
    {"type": "integer", "missing": {2: "first press"}},
    {"type": "number"},
    {"type": "category"},
    {"type": "date"},
]
OF_EACH_TYPE = {
    "integer": ["1", "-2", ""],
    "number": ["1.5", "1e300", "-0.1"],
    "date": ["2025-10-01", "2025-11-01", ""],
    "time": ["10:30:00", "11:00:00.25", ""],
    "datetime": ["2025-10-01T10:00:00", "2025-10-02T10:00:00.5", ""],
    "zoned": ["2025-10-01T10:00:00+02:00", "2025-11-02T10:00:00+01:00", ""],
    "duration": ["PT1H30M", "-P1DT2S", "PT0.5S"],
    "boolean": ["true", "false", ""],
    "category": ["a/b", "", "ü = 1"],
    "text": ["mill", "press", "tank"],
}


def same_cases(one: oc.Dataset, other: oc.Dataset) -> None:
    """The same variables and cases, in whatever order."""
    assert one.variables == other.variables
    assert one.to_arrow().schema == other.to_arrow().schema
    for name in one.names:
        assert one[name].reason_counts() == other[name].reason_counts(), name
    cases = [
        sorted(
            map(repr, zip(*(each.to_arrow()[name].to_pylist() for name in each.names), strict=True))
        )
        for each in (one, other)
    ]
    assert cases[0] == cases[1]


def deliveries(folder, months=("01", "02")):
    """A file for each month, and one whose name says no month."""
    for count, month in enumerate(months, 3):
        lines = "".join(f"{number},{number * 2}\n" for number in range(count))
        (folder / f"month_{month}.csv").write_text(f"grove,kg\n{lines}")
    (folder / "late.csv").write_text("grove,kg\n8,9\n9,10\n")
    return oc.files([f"{folder}/month_{{month}}.csv", f"{folder}/late.csv"])


@pytest.mark.parametrize("by", [None, 3, "month", "kg"], ids=str)
@pytest.mark.parametrize("declared", DECLARED, ids=str)
def test_a_part_of_a_name_is_packed_as_it_is_loaded(declared, by, tmp_path):
    files = deliveries(tmp_path)
    options = {"variables": {"month": declared}} if declared else {}
    loaded = oc.load(files, **options)
    receipt = oc.pack(files, tmp_path / "packed", by=by, **options)
    assert loaded["month"].reason_counts()["not in file"] == 2
    assert receipt.cells == loaded.receipt.cells
    assert not receipt.imbalances()
    same_cases(loaded, oc.unpack(tmp_path / "packed"))
    oc.pack(files, tmp_path / "one.parquet", **options)
    same_cases(loaded, oc.unpack(tmp_path / "one.parquet"))


@pytest.mark.parametrize("declared", [{}, {"type": "integer"}], ids=str)
def test_a_part_of_a_name_stays_when_an_update_has_none(declared, tmp_path):
    """New files need not have it in their names; one that has may widen its type."""
    late = deliveries(tmp_path, ("1", "2"))
    options = {"variables": {"month": declared}} if declared else {}
    oc.pack(f"{tmp_path}/month_{{month}}.csv", tmp_path / "packed", **options)
    oc.pack(late, tmp_path / "packed", update=True)
    same_cases(oc.load(late, **options), oc.unpack(tmp_path / "packed"))
    every = deliveries(tmp_path, ("1", "2", "x"))
    oc.pack(every, tmp_path / "packed", update=True)
    packed = oc.unpack(tmp_path / "packed")
    same_cases(oc.load(every, **options), packed)
    assert packed["month"].reason_counts()["not in file"] == 2
    (tmp_path / "more.csv").write_text("grove,month\n1,2\n")
    with pytest.raises(oc.PlanError, match='a variable is named "month" already'):
        oc.pack([*every, *oc.files(tmp_path / "more.csv")], tmp_path / "packed", update=True)
    same_cases(packed, oc.unpack(tmp_path / "packed"))


@pytest.mark.parametrize("by", [None, *OF_EACH_TYPE], ids=str)
def test_a_set_can_be_divided_by_a_variable_of_any_type(by, tmp_path):
    """Values come back from the names of folders; the second file lacks most variables."""
    for place, names in enumerate([list(OF_EACH_TYPE), ["text", "duration"]]):
        lines = [names, *([OF_EACH_TYPE[name][case] for name in names] for case in range(3))]
        text = "".join(",".join(line) + "\n" for line in lines)
        (tmp_path / f"mill_{place}.csv").write_text(text, encoding="utf-8")
    types = {name: {"type": "datetime" if name == "zoned" else name} for name in OF_EACH_TYPE}
    files = oc.files(f"{tmp_path}/mill_*.csv")
    oc.pack(files, tmp_path / "packed", by=by, variables=types)
    same_cases(oc.load(files, variables=types), oc.unpack(tmp_path / "packed"))
