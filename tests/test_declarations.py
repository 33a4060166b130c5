"""Declared before the read or after it: the same names, the same result."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import Plan

CELL = st.sampled_from(
    [
        *("1", "2", "-9", "777", "884.5", "3.25", "1e3", "007", "", " ", "NA", "*", "n.d.", "oops"),
        *("2025-10-13", "13.10.2025", "07:42", "yes", "no", "true", "1.234,5", "x;y", "-9.0"),
    ]
)
CODES = [
    {777: "lost", (880, 889): "not tested", "n.d.": "below detection"},
    {-9: "refused"},
    ["oops", "NA"],
    [],
    None,
]
PARTS = st.fixed_dictionaries(
    {},
    optional={
        "type": st.sampled_from(["integer", "number", "text", "category", "boolean", "date"]),
        "missing": st.sampled_from(CODES),
        "label": st.just("Free acidity"),
        "meanings": st.just({1: "one", (2, 5): "few"}),
        "decimals": st.just(1),
    },
)


@given(
    st.lists(CELL, min_size=1, max_size=12),
    PARTS,
    st.sampled_from([None, [-9], ["*", 777]]),
    st.sampled_from([".", ","]),
    st.sampled_from(["text", "integer", "number", None]),
)
def test_declaring_before_and_after_the_read_is_the_same(cells, parts, shared, decimal, first):
    data = "id|x\n" + "".join(f"{row}|{cell}\n" for row, cell in enumerate(cells))
    options = {"delimiter": "|", "rows": {"names": 1}, "missing": shared, "decimal": decimal}
    start = oc.load(data.encode(), types={"x": first}, **options)
    numbers = start["x"].variable.type in ("integer", "number")
    if numbers and parts.get("type", "number") not in ("integer", "number"):
        parts = parts | {"type": "number"}  # as text 1e3 would be 1000: how it was written is gone
    if first == "integer" and parts.get("type") == "number":
        parts = parts | {"decimals": 1}  # nor is known how many decimals were written
    if first is None and start["x"].variable.type != "text":
        first = start["x"].variable.type  # what was found stays
        if not numbers:
            parts = parts | {"type": first}  # nor whether a time was written with seconds
        if first == "boolean":
            found = start["x"].variable
            parts = parts | {"true": found.true, "false": found.false}
        start = start.declare("x", type=first)
    before = oc.load(data.encode(), variables={"x": {"type": first} | parts}, **options)
    after = start.declare("x", **parts)
    assert after["x"].variable == before["x"].variable
    assert after["x"].equals(before["x"])
    assert oc.load(data.encode(), plan=after.plan).equals(after)
    problems = [(each.row, each.text) for each in before.receipt.problems]
    if first == "text" and "type" in parts:
        told = after.receipt.changes[0].problems if after.receipt.changes else []
        assert [(each.row, each.text) for each in told] == problems
    back = after.declare("x", type=first, missing=None)
    assert back["x"].values.equals(start["x"].values) or not numbers


SURVEY = (
    b"Q-Id;Taste: fruity;Taste: bitter;Taste: pungent;Grown (ha);Note\n"
    b"1;3;7;98;1,5;a\n2;0;11;97;-7;b\n3;98;5;2;-8,5;c\n4;9;5;2;3;\n"
)


@pytest.fixture
def survey() -> oc.Dataset:
    return oc.load(SURVEY, decimal=",", types={"Note": "text"}).make_names_plain()


def test_variables_are_chosen_by_name_neighbours_pattern_and_declaration(survey):
    kept = {
        "taste_*": ["taste_fruity", "taste_bitter", "taste_pungent"],
        "taste_bitter..grown_ha": ["taste_bitter", "taste_pungent", "grown_ha"],
        "taste_[bp]*": ["taste_bitter", "taste_pungent"],
        "*": survey.names,
    }
    for names, found in kept.items():
        assert survey.keep(names).names == found
    marked = survey.declare({"type": "integer"}, level="ordinal")
    assert [each.level for each in marked.variables] == ["ordinal"] * 4 + [None] * 2
    for names, words in (
        ("tast_*", "no variable matches the pattern"),
        ({"type": "date"}, "no variable is declared with type date"),
        ({"tpye": "date"}, 'no part "tpye" to choose by; did you mean "type"'),
        ("taste_friuty", 'did you mean "taste_fruity"'),
    ):
        with pytest.raises(oc.PlanError, match=words.replace("*", r"\*")):
            survey.declare(names, level="ordinal")


def test_headings_may_hold_the_marks_of_patterns():
    data = b"acid [%];Ok?;n*\n1;2;3\n"
    labels = {"acid [%]": {"type": "number"}, "Ok?": {"label": "x"}, "n*": {"unit": "n"}}
    made = oc.load(data, delimiter=";", variables=labels, order=["Ok?"])
    assert made.names == ["Ok?", "acid [%]", "n*"] and made["n*"].variable.unit == "n"
    assert made.declare("acid [%]", unit="%").declare("n*", label="y")["Ok?"].variable.label == "x"
    assert Plan().rename("Ok?", "ok").reorder("acid [%]").order == ("acid [%]",)


def test_headings_become_plain_names_and_stay_as_labels(survey):
    assert survey.names[0] == "q_id"
    assert survey["taste_fruity"].variable.label == "Taste: fruity"
    assert survey["taste_fruity"].variable.from_ == "Taste: fruity"
    cut = oc.load(SURVEY, decimal=",").make_names_plain(7)
    assert cut.names == ["q_id", "taste_f", "taste_b", "taste_p", "grown_h", "note"]
    short = oc.load(SURVEY, decimal=",", plain_names=5)
    assert short.names == ["q_id", "taste", "tas_2", "tas_3", "grown", "note"]
    assert any('"tas_2" instead' in str(note) for note in short.receipt.notes)
    assert (
        oc.draft(SURVEY, decimal=",", plain_names=5).make_names_plain(4).variables[1].name == "tast"
    )
    greek = oc.load("Οξύτητα Ελαίου;Señal 1º;1st;ß\n1;2;3;4\n".encode(), plain_names=True)
    assert greek.names == ["οξυτητα_ελαιου", "senal_1o", "v1st", "ss"]
    with pytest.raises(oc.PlanError, match="too short to be unique"):
        oc.load(SURVEY, decimal=",", plain_names=1)


def test_names_and_order_change_alike_before_and_after(survey):
    after = survey.rename("note", "remark").rename({"grown_ha": "area"}).rename(str.upper)
    after = after.reorder("AREA").reorder(["REMARK"], after="Q_ID")
    names = ["AREA", "Q_ID", "REMARK", "TASTE_FRUITY", "TASTE_BITTER", "TASTE_PUNGENT"]
    assert after.names == names
    assert oc.load(SURVEY, plan=after.plan).equals(after)
    before = oc.draft(SURVEY, decimal=",", types={"Note": "text"}).make_names_plain()
    before = before.rename({"note": "remark", "grown_ha": "area"}).rename(str.upper)
    before = before.reorder("AREA").reorder("REMARK", after="Q_ID")
    assert oc.load(SURVEY, plan=before).names == names
    loose = Plan().rename("Grown (ha)", "area").reorder(["Note", "area"])
    assert oc.load(SURVEY, plan=loose).names[:2] == ["Note", "area"]
    for change, words in (
        (lambda: survey.rename("note", "q_id"), 'would both be named "q_id"'),
        (lambda: survey.rename("note"), "no new name"),
        (lambda: survey.rename({"nodes": "x"}), 'did you mean "note"'),
        (lambda: survey.reorder("note", after="note"), "is among those to be moved"),
        (lambda: Plan().rename(str.lower), "does not list the variables"),
        (lambda: survey.declare("taste_*", name="x"), "would both be named"),
    ):
        with pytest.raises(oc.PlanError, match=words):
            change()


def test_declarations_are_copied_shared_and_taken_back(survey):
    intensity = {0: "absent", (1, 3): "delicate", (4, 6): "medium", (7, 10): "robust"}
    shared = survey.declare_set("intensity", intensity).declare(
        "taste_fruity", meanings="intensity", level="ordinal", missing={98: "refused"}, decimals=0
    )
    copied = shared.declare_like("taste_bitter..taste_pungent", like="taste_fruity")
    assert copied["taste_pungent"].why(0) == "refused"
    assert copied["taste_pungent"].variable.label == "Taste: pungent"
    assert copied["taste_bitter"].variable.meaning_set == "intensity"
    partly = shared.declare_like("taste_bitter", like="taste_fruity", parts=["level"])
    assert not partly["taste_bitter"].variable.meanings
    again = copied.declare_set("intensity", intensity | {(11, 20): "beyond"})
    assert len(again["taste_bitter"].variable.meanings) == 5
    assert 'meanings = "intensity"' in again.plan.text()
    assert oc.load(SURVEY, plan=again.plan).equals(again)
    made: dict[str, oc.Dataset] = {}
    exec(again.plan.code().replace("oc.load(\n    source", f"oc.load({SURVEY!r}"), made)
    assert made["ds"].variables == again.variables
    bare = copied.undeclare("taste_*", ["missing", "meanings"]).undeclare("taste_fruity")
    assert bare["taste_fruity"].values.to_pylist() == [3, 0, 98, 9]
    assert bare["taste_pungent"].variable.level == "ordinal"
    with pytest.raises(
        oc.PlanError, match='unknown set of meanings "intenstiy"; did you mean "intensity"'
    ):
        shared.declare("q_id", meanings="intenstiy")


def test_codes_for_all_can_be_declined(survey):
    shared = oc.load(SURVEY, decimal=",", missing={98: "refused"})
    own = shared.declare("Taste: fruity", missing=[])
    assert own["Taste: fruity"].values.to_pylist() == [3, 0, 98, 9]
    assert oc.load(SURVEY, plan=own.plan).equals(own)
    assert own.declare("Taste: fruity", missing=None)["Taste: fruity"].why(2) == "refused"
    text = own.plan.text()
    assert "missing = []" in text


def test_values_show_by_their_labels_and_check_finds_those_without(survey):
    labels = {0: "absent", (1, 3): "delicate", (4, 6): "medium", (12, 20): "odd"}
    shown = survey.declare("taste_bitter", meanings=labels, level="ordinal", missing=None)
    column = shown["taste_bitter"].labelled()
    assert column.to_pylist() == ["7", "11", "medium", "medium"]
    assert column.type.ordered
    assert column.dictionary.to_pylist() == ["absent", "delicate", "medium", "7", "11", "odd"]
    frame = shown.to_pandas(labels=True)
    assert frame["taste_bitter"].cat.ordered and frame["taste_bitter"].max() == "11"
    assert frame.attrs["olive_crate"]["taste_bitter"]["level"] == "ordinal"
    found = [
        (each.kind, each.variables, str(each).partition(": ")[2].partition(": ")[2])
        for each in shown.check()
    ]
    assert found == [
        ("unexplained values", ("taste_bitter",), "7 ×1, 11 ×1"),
        ("unused meanings", ("taste_bitter",), "0 absent, 1..3 delicate, 12..20 odd"),
    ]
    assert "unexplained values" in str(shown.codebook()) and not survey.check()
    words = oc.load(b"g\nA\nB\n\n", types="text").declare("g", meanings={"A": "extra", "Z": "last"})
    assert words["g"].labelled().to_pylist() == ["extra", "B"]


def test_showing_rounds_and_says_so(survey):
    shown = survey.declare("grown_ha", decimals=0)
    book = str(shown.codebook())
    assert "grown_ha: shown to 0 decimals; 2 values have more" in book
    assert shown["grown_ha"].values.to_pylist() == [1.5, -7, -8.5, 3]
    assert "2 values have more" in shown._repr_html_()


def test_missing_cells_are_handed_on_as_asked(survey):
    coded = survey.declare("grown_ha", missing={-7: "don't know", (-9, -8): "refused"})
    frames = {way: coded.to_pandas(missing=way)["grown_ha"] for way in ("null", "codes", "reasons")}
    assert frames["codes"].tolist() == [1.5, -7, -8.5, 3]
    assert frames["null"].isna().tolist() == [False, True, True, False]
    reasons = coded.to_pandas(missing="reasons")["grown_ha_reason"]
    assert reasons.tolist()[1:3] == ["don't know", "refused"]
    assert np.isnan(coded["grown_ha"].to_numpy()[1]) and coded.keep("q_id").to_numpy().shape == (
        4,
        1,
    )
    doubled = survey.declare("q_id", missing={1: "lost", 2: "lost"})
    assert doubled["q_id"].reason_counts() == {"lost": 2}
    assert doubled["q_id"].reason_texts().to_pylist()[:2] == ["lost", "lost (2)"]


def test_rows_are_chosen_by_comparing(survey):
    def ids(mask: object) -> list[int]:
        return survey.filter(mask)["q_id"].values.to_pylist()

    assert ids(survey["grown_ha"] > 0) == [1, 4]
    assert ids((survey["taste_bitter"] == 5) & ~(survey["note"] == "c")) == [4]
    assert ids(survey["note"] != "a") == [2, 3]  # a comparison with a missing value is not true
    assert ids(survey["note"].is_missing()) == [4]
    assert ids(survey["note"].is_missing("blank") | survey["q_id"].is_in([1, 2])) == [1, 2, 4]
    assert ids(survey["taste_fruity"] >= survey["taste_pungent"]) == [3, 4]
    days = oc.load(b"d;t\n2025-10-13;07:00\n2025-10-14;08:00\n")
    assert days.filter(days["d"] > "2025-10-13")["t"].values[0].as_py().hour == 8
    assert survey.tail(2).source_rows.at(np.arange(2)).tolist() == [4, 5]
    with pytest.raises(oc.PlanError, match="of the type integer; it cannot be compared with 'x'"):
        survey["q_id"] == "x"  # noqa: B015
    with pytest.raises(oc.PlanError, match='unknown reason "blnak"; did you mean "blank"'):
        survey["note"].is_missing("blnak")


def test_what_changed_is_told_with_rows_and_texts_and_packed(tmp_path):
    dataset = oc.load(b"id;x\n1;1.5\n2;*2\n3;7\n", types={"x": "text"})
    changed = dataset.declare("x", type="number").declare("x", type="integer")
    first, second = changed.receipt.changes
    assert str(first) == (
        "x, text to number: 2 converted, now missing: unreadable 1\n  row 3: '*2' is not a number"
    )
    assert [(each.row, each.text) for each in second.problems] == [(2, "1.5"), (3, "*2")]
    assert changed["x"].withheld.text(1) == "*2"
    changed.pack(tmp_path / "x.parquet")
    again = oc.unpack(tmp_path / "x.parquet")
    assert again.equals(changed) and again.receipt.changes == changed.receipt.changes
    assert again.declare("x", type="text")["x"].values.to_pylist() == ["1.5", "*2", "7"]
    assert again.filter(again["id"] > 1)["x"].withheld.texts.to_pylist() == ["*2"]
    assert "declared after the read" in str(again.receipt)


def test_labels_of_many_variables_in_one_call(survey, tmp_path):
    labels = {"taste_bitter": "Bitter", "Taste: fruity": "Fruity"}
    made = survey.declare_labels(labels)
    told = {each.heading: each.label for each in made.variables if each.label in labels.values()}
    assert sorted(told.values()) == ["Bitter", "Fruity"] and told["Taste: fruity"] == "Fruity"
    (tmp_path / "labels.csv").write_text("name;label\ntaste_bitter;Bitter\nTaste: fruity;Fruity\n")
    assert survey.declare_labels(tmp_path / "labels.csv").variables == made.variables
    assert survey.plan.declare_labels(labels).variables == made.plan.variables
    with pytest.raises(
        oc.PlanError, match='no variable "taste_biter"; did you mean "taste_bitter"'
    ):
        survey.declare_labels({"taste_biter": "x"})
    (tmp_path / "wide.csv").write_text("a;b;c\n1;2;3\n")
    with pytest.raises(oc.PlanError, match="expected two columns"):
        survey.declare_labels(tmp_path / "wide.csv")


def test_dates_arrive_in_data_frames_as_dates_and_rows_can_be_indexed():
    data = b"id;d;t\n1;2024-01-31;2024-01-01 08:00\n\n2;;2024-01-02 09:00\n3;0001-01-01;\n"
    dataset = oc.load(data, delimiter=";")
    frame = dataset.to_pandas()
    assert frame["d"].dtype.kind == "M" and frame["d"].isna().tolist() == [False, True, False]
    assert frame["d"].dt.year.tolist()[0] == 2024 and frame["d"].iloc[2].year == 1
    rows = dataset.source_rows
    assert list(rows) == [2, 4, 5] and rows[0] == 2 and rows[-1] == 5 and len(rows) == 3
    with pytest.raises(IndexError):
        rows[3]
