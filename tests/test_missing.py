"""Kinds of missing stay kinds of missing."""

from __future__ import annotations

import pytest

import olive_crate as oc

DATA = (
    b"id;acid;grade;day\n1;0,3;A;2025-10-13\n2;777;NA;9999-12-31\n3;884,5;;\n"
    b"4;n.d.;*;2025-10-14\n5;oops;B;x\n"
)
CODES = {777: "sample lost", (880, 889): "not tested", "n.d.": "below detection"}


@pytest.fixture
def dataset() -> oc.Dataset:
    return oc.load(
        DATA,
        variables={
            "acid": {"type": "number", "missing": CODES},
            "day": {"type": "date", "missing": {"9999-12-31": "never"}},
        },
    )


def whys(dataset: oc.Dataset, name: str) -> list[str | None]:
    return [dataset[name].why(row) for row in range(len(dataset))]


@pytest.mark.parametrize("code", [88.5, {"from": 80, "to": 90}])
def test_codes_that_are_no_integers_do_not_make_numbers_of_integers(code):
    found = oc.load(b"n,kilos\n1,88.5\n2,3\n3,88.5\n", missing=[code])["kilos"]
    assert (found.variable.type, found.values.to_pylist()) == ("integer", [None, 3, None])


def test_reasons_say_why_each_cell_is_missing(dataset):
    assert dataset["acid"].values.to_pylist() == [0.3, None, None, None, None]
    assert whys(dataset, "acid") == [
        None,
        "sample lost",
        "not tested",
        "below detection",
        "unreadable",
    ]
    assert dataset["acid"].reasons.tolist() == [0, 10, 11, 12, 2]
    assert whys(dataset, "day") == [None, "never", "blank", None, "unreadable"]
    assert dataset["grade"].values.to_pylist() == ["A", "NA", None, "*", "B"]
    texts = [(each.row, each.variable, each.text) for each in dataset.receipt.problems]
    assert texts == [(6, "acid", "oops"), (6, "day", "x")]


def test_unreadable_cells_can_stop_the_read():
    with pytest.raises(oc.UnreadableError, match=r"row 4, id: 'x' is not an integer"):
        oc.load(b"id;b\n1;2\n2;2\nx;3\n", types={"id": "integer"}, unreadable="stop")


def test_codes_for_all_variables_apply_as_values_to_numbers_and_as_text_to_texts():
    dataset = oc.load(b"a,b,c\n-9,-9,1\n-9.0,x,2\n7,n/k,3\n", missing=[-9, "n/k"])
    assert whys(dataset, "a") == ["-9", "-9", None]
    assert whys(dataset, "b") == ["-9", None, "n/k"]
    assert dataset["c"].variable.type == "integer"


def test_well_known_marks_are_missing_only_among_values_of_one_type():
    dataset = oc.load(b"a,b\n1,NA\nNA,x\n*,y\n3,NA\n")
    assert (dataset["a"].variable.type, whys(dataset, "a")) == ("integer", [None, "NA", "*", None])
    assert dataset["b"].values.to_pylist() == ["NA", "x", "y", "NA"]
    told = [str(each) for each in dataset.receipt.decided if each.variable == "a"]
    assert any('"*" ×1' in each and '"NA" ×1' in each for each in told)


def test_a_number_that_looks_like_a_code_is_never_dropped_on_a_guess():
    dataset = oc.load(b"a,b\n1,2\n-9,3\n999,4\n")
    assert dataset["a"].values.to_pylist() == [1, -9, 999]


def test_missing_goes_along_with_every_operation(dataset):
    few = dataset.filter(dataset["id"].values.to_numpy() > 1).keep(["acid"]).tail(3)
    assert whys(few, "acid") == ["not tested", "below detection", "unreadable"]
    assert few["acid"].reason_counts() == {"unreadable": 1, "not tested": 1, "below detection": 1}
    assert few.variables[0].missing == dataset["acid"].variable.missing
    kept = dataset.filter(oc_field("id") <= 2)
    assert whys(kept, "acid") == [None, "sample lost"]


def oc_field(name: str) -> object:
    import pyarrow.compute as pc

    return pc.field(name)


def test_data_frames_show_missing_as_asked(dataset):
    plain = dataset.to_pandas()
    assert plain["acid"].isna().tolist() == [False, True, True, True, True]
    reasons = dataset.to_pandas(missing="reasons")
    assert reasons["acid_reason"].tolist()[1:3] == ["sample lost", "not tested"]
    codes = dataset.to_pandas(missing="codes")["acid"]
    assert codes[1] == 777 and codes[3] == "n.d."


def test_value_labels_are_shown_and_ordered():
    dataset = oc.load(
        b"panel\n0\n3\n7\n12\n",
        variables={
            "panel": {
                "level": "ordinal",
                "meanings": {0: "absent", (1, 3): "delicate", (4, 10): "robust"},
            }
        },
    )
    shown = dataset.to_pandas(labels=True)["panel"]
    assert shown.tolist() == ["absent", "delicate", "robust", "12"]
    assert shown.cat.ordered and list(shown.cat.categories)[:3] == ["absent", "delicate", "robust"]
    entry = dataset.codebook().entries[0]
    assert entry.labelled == (("0 absent", 1), ("1..3 delicate", 1), ("4..10 robust", 1))
