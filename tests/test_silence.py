"""Nothing becomes text, a number or missing without a word; nothing is read as what it is not."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import Plan
from olive_crate.columns.month_names import LANGUAGES, NOMINATIVES


def only(cells: list[str], **options: object) -> oc.Column:
    text = "id;v\n" + "".join(f"{i};{cell}\n" for i, cell in enumerate(cells, 1))
    return oc.load(text.encode(), delimiter=";", **options)["v"]


def said(cells: list[str], kind: str) -> list[oc.Evidence]:
    text = "id;v\n" + "".join(f"{i};{cell}\n" for i, cell in enumerate(cells, 1))
    decided = oc.load(text.encode(), delimiter=";").receipt.decided
    return [each for each in decided if type(each).__name__ == kind and each.variable == "v"]


FORMS = ["{d} {b} {y}", "{d}. {b} {y}", "{b} {d}, {y}", "{b} {d} {y}", "{y}-{b}-{d}", "{d}-{b}-{y}"]
MONTHS = [*LANGUAGES.values(), NOMINATIVES]


@pytest.mark.parametrize("names", MONTHS, ids=[*LANGUAGES, "pl, nominative"])
@pytest.mark.parametrize("form", [*FORMS, "{d} de {b} de {y}"])
@pytest.mark.parametrize("short", [False, True])
def test_months_are_read_in_ten_languages_on_any_machine(names, form, short):
    words = names.split()
    words = [word[:3] if short and names.startswith("january") else word for word in words]
    cells = [form.format(d=at, b=word, y=2000 + at) for at, word in enumerate(words, 1)]
    wanted = [dt.date(2000 + at, at, at) for at in range(1, 13)]
    assert only(cells).values.to_pylist() == wanted


def test_one_month_has_one_number_in_all_languages():
    seen: dict[str, int] = {}
    for names in MONTHS:
        for number, name in enumerate(names.split(), 1):
            assert seen.setdefault(name, number) == number


@given(st.integers(13, 60), st.booleans(), st.sampled_from("/.-"))
def test_where_one_part_is_always_one_the_other_is_the_month(count, day_first, mark):
    pairs = [(i % 12 + 1, 1985 + i // 12) for i in range(count)]
    cells = [f"1{mark}{m}{mark}{y}" if day_first else f"{m}{mark}1{mark}{y}" for m, y in pairs]
    column = only(cells)
    assert column.values.to_pylist() == [dt.date(y, m, 1) for m, y in pairs]
    fits = said(cells, "TypeFits")[0]
    assert fits.certain and not fits.alternatives


SIGNS = [("${}", "$"), ("{}%", "%"), ("€ {}", "€"), ("{} €", "€"), ("-${}", "$"), ("(£{})", "£")]


@given(st.sampled_from(SIGNS), st.lists(st.decimals(0, 999, places=2), min_size=2, max_size=20))
def test_numbers_that_all_carry_one_sign_are_numbers_with_that_unit(sign, numbers):
    form, unit = sign
    column = only([form.format(number) for number in numbers], decimal=".")
    minus = -1 if form[0] in "-(" else 1
    assert column.values.to_pylist() == [float(minus * number) for number in numbers]
    assert (column.variable.type, column.variable.unit) == ("number", unit)


@pytest.mark.parametrize("cells", [["$5", "€6"], ["$5", "6", "$7"], ["5%", "6 kg"], ["$", "$5"]])
def test_numbers_of_several_units_or_none_stay_text(cells):
    assert only(cells).variable.type == "text"


def test_marks_that_stay_text_are_told_once():
    assert said(["NA"] * 5, "OnlyMarks")[0].supporting == 5
    kept = said(["x", "NA", "y", "n/a", "NA"], "MarksKept")
    assert [(each.text, each.count) for each in kept[0].marks] == [("NA", 2), ("n/a", 1)]
    assert not said(["x", "y"], "MarksKept") and not said(["1", "NA"], "MarksKept")


@given(
    st.lists(
        st.tuples(st.integers(0, 99), st.sampled_from(["", "*", " e", "**", "†"])),
        min_size=1,
        max_size=30,
    )
)
def test_flags_are_kept_beside_the_numbers(cells):
    texts = [f"{number}.5{flag}" for number, flag in cells]
    parts = {"type": "number", "flags": ["*", "**", "e", "†"]}
    text = "id;v\n" + "".join(f"{i};{cell}\n" for i, cell in enumerate(texts, 1))
    dataset = oc.load(text.encode(), delimiter=";", variables={"v": parts})
    assert dataset["v"].values.to_pylist() == [number + 0.5 for number, _ in cells]
    flags = [flag.strip() or None for _, flag in cells]
    assert dataset["v_flag"].values.to_pylist() == flags and dataset.receipt.balanced
    after = oc.load(text.encode(), delimiter=";", types={"v": "text"}).declare("v", **parts)
    assert after["v"].equals(dataset["v"]) and after["v_flag"].equals(dataset["v_flag"])


def test_a_flagged_measurement_is_not_proposed_as_a_missing_code():
    cells = [f"{i}.5{'*' if i % 4 == 0 else ''}" for i in range(30)] + ["n.d."]
    mend = said(cells, "TextBecause")[0].mend
    assert mend.parts == {"type": "number", "flags": ["*"], "missing": ["n.d."]}
    assert only(cells, variables={"v": mend.parts}).reason_counts() == {"n.d.": 1}


NOTATIONS = [
    ("4=dk, 5=refused", {4: "dk", 5: "refused"}),
    ("1=bad; 2=ok", {1: "bad", 2: "ok"}),
    ("1=bad|2=ok", {1: "bad", 2: "ok"}),
    ('1="yes, of course", 2=no', {1: "yes, of course", 2: "no"}),
    ("1=yes, of course; 2=no", {1: "yes, of course", 2: "no"}),
    ("-9, -8", {-9: "", -8: ""}),
    ("1=yes, of course, 2=no", "put words that hold a comma in double quotes"),
    ("1=a, 5=b; 2=c", "may be one code or several"),
]


@pytest.mark.parametrize(("cell", "wanted"), NOTATIONS, ids=[cell for cell, _ in NOTATIONS])
def test_lists_of_codes_in_a_table_of_fields(tmp_path, cell, wanted):
    quoted = cell.replace('"', '""')
    (tmp_path / "f.csv").write_text(f'name,start,end,missing\nv,1,3,"{quoted}"\n')
    if isinstance(wanted, str):
        with pytest.raises(oc.PlanError, match=wanted):
            oc.load(b"  1\n  2\n", fields=tmp_path / "f.csv")
        return
    codes = oc.load(b" 77\n 78\n", fields=tmp_path / "f.csv")["v"].variable.missing
    assert {code.value: code.reason for code in codes} == wanted


def test_a_code_written_in_cells_with_implied_decimals_is_an_open_point():
    fields = [{"name": "v", "start": 1, "end": 5, "decimals": 2}]
    dataset = oc.load(b"12345\n99999\n00100\n", fields=fields, missing=[99999])
    point = next(e for e in dataset.receipt.decided if type(e).__name__ == "CodesAsWritten")
    assert dataset["v"].values.to_pylist() == [123.45, 999.99, 1.0]
    assert not point.certain and [each.row for each in point.examples] == [2]
    assert dataset.declare("v", **point.mend.parts)["v"].values.to_pylist() == [123.45, None, 1.0]


FOREIGN = [
    (b"<!DOCTYPE html>\n<html><body>1</body></html>\n", "web page holds no table"),
    (b"<?xml version='1.0'?>\n<a><b>1</b></a>\n", "XML"),
    (b"<rows><row a='1'/></rows>\n", "XML"),
    (b'{"a": 1, "b": [1, 2]}\n', "JSON"),
    (b'{"a": 1}\n{"a": 2}\n', "JSON"),
    (b'layout = "delimited"\n[source]\npath = "x.csv"\n', "a plan file"),
    (b"PAR1\x00\x00\x00\x00", "open it with unpack"),
]


@pytest.mark.parametrize(("data", "words"), FOREIGN, ids=[words for _, words in FOREIGN])
def test_what_is_no_table_is_said(data, words):
    with pytest.raises(oc.OliveCrateError, match=words):
        oc.load(data)


@pytest.mark.parametrize(
    "text", ["[unit],[kg]\n1,2\n3,4\n", "<5,3\n7,2\n<5,1\n", "layout,b\n1,2\n"]
)
def test_tables_that_begin_alike_are_read(text):
    assert len(oc.load(text.encode()).names) == 2


def test_a_file_that_changes_while_it_is_read_is_refused(tmp_path):
    path = tmp_path / "growing.csv"

    def read(**options: object) -> oc.Dataset:
        path.write_text("a,b\n" + "1,2\n" * 200_000)
        begun: list[int] = []

        def grow(*_: object) -> None:
            if not begun:
                begun.append(1)
                with path.open("a") as stream:
                    stream.write("3,4\n")

        return oc.load(path, progress=grow, **options)

    with pytest.raises(oc.SourceError, match="changed while it was read"):
        read()
    notes = read(changing="take").receipt.notes
    assert "was changed while it was read" in " ".join(map(str, notes))


def test_a_plan_is_written_over_nothing_but_what_it_was_read_from(tmp_path):
    path = tmp_path / "mill.plan.toml"
    Plan().declare("acid", type="number").write(path)
    with pytest.raises(oc.PlanError, match="use replace=True"):
        Plan().write(path)
    plan = Plan.read(path).declare("acid", label="Acidity")
    plan.write(path)
    plan.declare("acid", unit="%").write(path)
    path.write_text(path.read_text() + "# mine\n")
    with pytest.raises(oc.PlanError, match="already exists"):
        plan.write(path)
    plan.write(path, replace=True)
    assert Plan.read(path).variable("acid").label == "Acidity"


def test_a_plan_file_is_read_by_its_path_and_control_characters_do_no_harm(tmp_path: Path):
    rows = "".join(f"grove {i},{i}\n" for i in range(20))
    (tmp_path / "g.csv").write_bytes(f"name,v\n{rows}n\x1bot\x01,a number at all\n".encode())
    oc.draft(tmp_path / "g.csv").write(tmp_path / "g.plan.toml")
    assert len(oc.load(tmp_path / "g.plan.toml")) == 21
