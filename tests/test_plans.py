"""A decision is written down once, and errors say what to mend."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import Plan

RAW = b"Mill 3;;\nid;acid;grade\n;%;\n1;0,30;A\n2;NA;B\n3;777;A\nTotal;;\n"


def test_loading_a_draft_gives_what_loading_the_file_gives(demo, tmp_path):
    source = demo / "deliveries_2025.csv"
    dataset, plan = oc.load(source), oc.draft(source)
    plan.write(tmp_path / "a.plan.toml")
    for same in (plan, Plan.read(tmp_path / "a.plan.toml")):
        assert oc.load(same).equals(dataset)
    made: dict[str, oc.Dataset] = {}
    exec(plan.code(), made)
    assert made["ds"].equals(dataset)


CELL = st.sampled_from(
    ["1", "-9", "2.5", "NA", "", "x", "007", "2025-10-13", "2025-10-13T07:42:00Z", '"q;z"']
)


@given(st.lists(st.tuples(CELL, CELL, CELL), max_size=8), st.sampled_from([(), (-9,), ("x", 2.5)]))
def test_drafts_of_any_file_load_alike(tmp_path_factory, rows, missing):
    folder = tmp_path_factory.mktemp("draft")
    lines = ["a;b;a"] + [";".join(row) for row in rows]
    (folder / "f.csv").write_text("\n".join(lines) + "\n", "utf-8")
    options = {"missing": list(missing), "delimiter": ";", "rows": {"names": 1}}
    whole = oc.load(folder / "f.csv", **options)
    plan = oc.draft(folder / "f.csv", **options)
    plan.write(folder / "p.toml")
    again = oc.load(Plan.read(folder / "p.toml"))
    assert again.variables == whole.variables
    assert again.equals(whole)
    assert whole.receipt.balanced and whole.names == ["a", "b", "a_2"]
    made: dict[str, oc.Dataset] = {}
    exec(plan.code(), made)
    assert made["ds"].equals(whole)


def test_a_plan_moves_with_its_folder(tmp_path):
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "d.csv").write_bytes(RAW)
    oc.draft(tmp_path / "in" / "d.csv").write(tmp_path / "in" / "d.plan.toml")
    assert 'path = "d.csv"' in (tmp_path / "in" / "d.plan.toml").read_text()
    (tmp_path / "in").rename(tmp_path / "moved")
    assert len(oc.load(Plan.read(tmp_path / "moved" / "d.plan.toml"))) == 3


def test_comments_of_a_plan_file_are_kept(tmp_path):
    path = tmp_path / "p.toml"
    path.write_text(
        '# ours\n[rows]\nnames = 2  # below the title\n\n[[variable]]\nname = "id" # key\n'
    )
    Plan.read(path).declare("id", type="integer", label="Ticket").write(path)
    text = path.read_text()
    assert "# ours" in text and "# below the title" in text and "# key" in text
    assert Plan.read(path).variable("id").label == "Ticket"


def test_declarations_are_laid_over_one_another():
    plan = Plan().declare(["a", "panel_1", "panel_2", "panel_3"], type="integer")
    plan = plan.declare("panel_1..panel_3", level="ordinal", missing={-9: "refused"})
    plan = plan.declare("*", decimals=1).declare("a", decimals=None, type="number")
    assert [(v.name, v.type, v.level, v.decimals) for v in plan.variables] == [
        ("a", "number", None, None),
        ("panel_1", "integer", "ordinal", 1),
        ("panel_2", "integer", "ordinal", 1),
        ("panel_3", "integer", "ordinal", 1),
    ]
    renamed = plan.declare("a", name="acid")
    assert (renamed.variables[0].name, renamed.variables[0].from_) == ("acid", "a")


WRONG = [
    ("colour = 1", 'unknown key "colour"'),
    ("delimiter = ';'", r"it belongs under \[delimited\]"),
    ("[delimited]\ndelimeter = ';'", 'did you mean "delimiter"'),
    ("[delimited]\nquote = 'ab'", "delimited.quote: expected one character"),
    ("[delimited]\ntrim = 'both'", "delimited.trim: expected true, false"),
    ("[rows]\nnames = 0", "rows.names: rows are whole numbers counted from 1, got 0"),
    ("[rows]\nnames = 'first'", "rows.names: expected a row number"),
    ("[rows]\ndata = '9..4'", 'rows.data: expected "first..last"'),
    ("[source]\nencoding = 'utf8x'", 'did you mean "utf-8"'),
    ("[[variable]]\nlabel = 'x'", "every variable needs a name"),
    (
        "[[variable]]\nname = 'a'\ntpye = 'number'",
        r'\[\[variable\]\] 1 "a": unknown key "tpye"; did you mean "type"',
    ),
    (
        "[[variable]]\nname = 'a'\ntype = 'nubmer'",
        'there is no type "nubmer"; did you mean "number"',
    ),
    ("[[variable]]\nname = 'a'\n[[variable]]\nname = 'a'", '"a" appears twice'),
    (
        "[[variable]]\nname = 'a'\nmissing = [{ from = 9, to = 1 }]",
        "the range ends before it starts",
    ),
    (
        "[[variable]]\nname = 'a'\nmissing = [{ value = 9, reason = 'blank' }]",
        "is reserved",
    ),
    ("[[variable]]\nname = 'a'\nmissing = [{ valeu = 9 }]", 'did you mean "value"'),
    (
        "[[variable]]\nname = 'a'\nmeanings = [{from = 1, to = 3, label = 'x'}, "
        "{value = 2, label = 'y'}]",
        "overlap",
    ),
    (
        "[[variable]]\nname = 'a'\ntype = 'number'\nformat = '%Y'",
        "a format applies only to dates and times",
    ),
    ("limit = -1", "limit: expected a whole number from 0 up"),
    ("unreadable = 'ignore'", 'expected "report" or "stop"'),
    ("[rows\n", "not valid TOML"),
]


@pytest.mark.parametrize(("text", "message"), WRONG)
def test_a_wrong_plan_names_the_key(tmp_path, text, message):
    path = tmp_path / "p.toml"
    path.write_text(text)
    with pytest.raises(oc.PlanError, match=message) as caught:
        Plan.read(path)
    assert str(path) in str(caught.value)


ASKED = [
    ({"delimeter": ";"}, 'unknown option "delimeter"; did you mean "delimiter"'),
    ({"delimiter": "semicolons"}, 'did you mean "semicolon"'),
    ({"types": {"acdi": "number"}}, 'no column is named "acdi"; did you mean "acid"'),
    ({"keep": ["id", "grad"]}, 'there is no variable "grad"; did you mean "grade"'),
    ({"keep": "grade..id"}, '"grade" comes after "id"'),
    ({"names": ["a", "b"]}, "2 names for the 3 columns"),
    ({"names": ["a", "a", "b"]}, '"a" appears twice'),
    ({"quote": ";", "delimiter": ";"}, "cannot both hold ';'"),
    ({"decimal": ",", "grouping": ","}, 'cannot both be ","'),
    ({"variables": {"id": {"format": "%Q"}}}, "%Q is not a directive"),
    ({"variables": {"id": {"format": "%H:%M", "type": "date"}}}, "does not describe a date"),
]


@pytest.mark.parametrize(("options", "message"), ASKED)
def test_a_wrong_option_is_told(options, message):
    with pytest.raises(oc.PlanError, match=message):
        oc.load(RAW, **options)


def test_unknown_names_in_a_drafted_plan_offer_the_nearest():
    plan = oc.draft(RAW)
    with pytest.raises(oc.PlanError, match='there is no variable "acdi"; did you mean "acid"'):
        plan.declare("acdi", type="number")
    with pytest.raises(oc.PlanError, match="the plan has no source"):
        oc.load(plan)


ROWS = [
    ({}, ["id", "acid", "grade"], [1, 2, 3]),
    ({"rows": {"names": 2, "units": 3, "data": "5..6"}}, ["id", "acid", "grade"], [2, 3]),
    ({"rows": {"names": 2, "units": 3, "data": "4..-3"}}, ["id", "acid", "grade"], [1, 2]),
    ({"rows": {"names": [], "data": "4..-2"}}, ["column_1", "column_2", "column_3"], [1, 2, 3]),
    (
        {"rows": {"names": [1, 2], "data": "4..6"}},
        ["Mill 3 id", "Mill 3 acid", "Mill 3 grade"],
        [1, 2, 3],
    ),
    ({"names": ["x", "y", "z"]}, ["x", "y", "z"], [1, 2, 3]),
    ({"limit": 2}, ["id", "acid", "grade"], [1, 2]),
    ({"limit": 0}, ["id", "acid", "grade"], []),
    ({"rows": {"data": "6..5"}}, ["id", "acid", "grade"], []),
]


@pytest.mark.parametrize("block", [1, 16, 1 << 20])
@pytest.mark.parametrize(("options", "names", "first"), ROWS)
def test_rows_play_the_parts_they_are_given(monkeypatch, options, names, first, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    dataset = oc.load(RAW, **options)
    assert dataset.names == names
    assert dataset[names[0]].values.to_pylist() == first
    assert dataset.receipt.balanced


def test_units_labels_and_what_is_kept():
    dataset = oc.load(
        RAW, keep=["acid"], rows={"names": 2, "labels": 1, "units": 3, "data": "4..-2"}
    )
    assert (dataset["acid"].variable.unit, dataset["acid"].variable.label) == ("%", None)
    assert dataset.receipt.not_kept == ("id", "grade")
    assert dataset.names == ["acid"]


def test_a_heading_row_that_is_not_there_is_told():
    with pytest.raises(oc.LayoutError, match=r"rows.names = 40, but the file has only 7 rows"):
        oc.load(RAW, rows={"names": 40})


def test_duplicate_and_empty_names_are_made_unique_and_noted():
    dataset = oc.load(b"a,a,,a_2\nx,2,3,4\n", rows={"names": 1})
    assert dataset.names == ["a", "a_3", "column_3", "a_2"]
    assert len(dataset.receipt.notes) == 2
