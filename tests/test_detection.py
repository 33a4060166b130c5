"""The file explains itself, and what it leaves open is said to be uncertain."""

from __future__ import annotations

import pytest
from conftest import topic
from file_cases import cases, judged

import olive_crate as oc


@pytest.mark.parametrize("case", cases(), ids=lambda case: case.name)
def test_every_decision_is_right_or_uncertain_with_the_right_one_named(case):
    wrong = [(subject, said) for subject, right, said in judged(case) if not right]
    assert wrong == []


@pytest.mark.parametrize("case", cases(), ids=lambda case: case.name)
def test_the_draft_of_every_file_loads_and_packs_like_the_file(case, tmp_path):
    dataset = oc.load(case.data)
    assert dataset.receipt.balanced
    plan = oc.draft(case.data)
    plan.write(tmp_path / "plan.toml")
    assert oc.load(case.data, plan=oc.Plan.read(tmp_path / "plan.toml")).equals(dataset)
    receipt = oc.pack(case.data, tmp_path / "packed.parquet")
    assert receipt.decided == dataset.receipt.decided
    assert oc.unpack(tmp_path / "packed.parquet").equals(dataset)
    look = oc.look(case.data)
    assert max(map(len, str(look).splitlines())) <= 100
    assert [each.name for each in look.variables] == dataset.names
    assert look.lines == dataset.receipt.lines or not look.lines


def about(holder: oc.Plan | oc.Receipt | oc.Look, subject: str) -> list[oc.Evidence]:
    evidence = holder.decided if isinstance(holder, oc.Receipt) else holder.evidence
    return [each for each in evidence if topic(each) == subject]


def test_a_column_that_is_text_names_what_is_in_the_way():
    cells = ["n.d." if n in (3, 9, 17, 30) else "<0,5" if n == 20 else f"{n},5" for n in range(40)]
    data = "id;peroxide\n" + "".join(f"{n};{cell}\n" for n, cell in enumerate(cells))
    (why,) = about(oc.load(data.encode()).receipt, "variable.peroxide")
    assert str(why) == (
        'peroxide: text; because of 5 of 40 cells: "n.d." ×4 (rows 5, 11, 19 …), "<0,5" ×1 (row 22)'
    )
    mended = oc.draft(data.encode()).declare(why.mend.variable, **why.mend.parts)
    assert mended == eval(f"oc.draft(data.encode()).{why.mend}", {"oc": oc, "data": data})
    again = oc.load(data.encode(), plan=mended)
    assert again["peroxide"].reason_counts() == {"n.d.": 4, "<0,5": 1}
    assert again["peroxide"].variable.type == "number"


def test_days_and_months_are_told_apart_by_the_whole_column(monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "128")
    early = "".join(f"{n};0{1 + n % 9}/0{1 + n % 8}/2025\n" for n in range(60))
    plan = oc.draft(f"id;day\n{early}".encode())
    (doubt,) = about(plan, "variable.day")
    assert not doubt.certain and doubt.alternatives == ("date %m/%d/%Y",)
    settled = oc.load(f"id;day\n{early}61;01/31/2025\n".encode())
    assert settled["day"].variable.format == "%m/%d/%Y"
    assert settled["day"].values[1].as_py().month == 2


def test_suspected_codes_are_pointed_at_and_never_applied():
    data = "id,panel\n" + "".join(f"{n},{-9 if n % 8 == 3 else n % 6}\n" for n in range(80))
    dataset = oc.load(data.encode())
    (suspect,) = [e for e in about(dataset.receipt, "variable.panel") if not e.certain]
    assert (suspect.value, suspect.supporting, suspect.certain) == ("-9", 10, False)
    assert suspect.mend.parts == {"missing": [-9]} and dataset["panel"].values.null_count == 0


def test_a_repeated_heading_is_reported_and_left_out_on_request():
    data = b"a;b\n1;x\na;b\n2;y\na;b\n"
    (told,) = about(oc.load(data).receipt, "rows.repeated")
    assert told.supporting == 2 and "rows 3, 5" in str(told)
    dataset = oc.load(data, rows={"repeated": "skip"})
    assert dataset["a"].values.to_pylist() == [1, 2]
    assert dataset.receipt.parts["heading"] == 3 and dataset.receipt.balanced


def test_a_plan_met_by_a_changed_file_gets_one_report():
    plan = oc.draft(b"id;oil kg;tank;acid\n1;2;A;0.3\n")
    with pytest.raises(oc.PlanError) as caught:
        oc.load(b"id;oil_kg;Tank;press\n1;2;A;P\n", plan=plan)
    report = str(caught.value)
    assert "3 declared variables without a column" in report
    assert '"oil kg"; did you mean "oil_kg"' in report and '"tank"; did you mean "Tank"' in report
    assert 'does not mention: "oil_kg", "Tank", "press"' in report
    notes = oc.load(b"acid;oil kg;tank;id;new\n1;2;A;7;x\n", plan=plan).receipt.notes
    assert any('not mention: "new"' in str(note) for note in notes)
    assert any("another order" in str(note) for note in notes)


def test_a_type_that_no_longer_fits_is_pointed_out():
    plan = oc.draft(b"id;acid\n" + b"1;0.3\n" * 30)
    receipt = oc.load(b"id;acid\n" + b"1;0,3\n" * 30, plan=plan).receipt
    (doubt,) = about(receipt, "variable.acid")
    assert "30 of 30 cells do not parse as number" in str(doubt) and not doubt.certain


def test_levels_are_suggested_in_a_draft(demo):
    text = oc.draft(demo / "deliveries_2025.csv").text()
    assert 'name = "Delivery" # nominal? all 1,298 values differ' in text
    assert 'name = "Variety" # nominal? 4 distinct texts' in text


def test_everything_shows_itself_in_a_notebook(demo):
    path = demo / "deliveries_2025.csv"
    dataset = oc.load(path)
    for value in (oc.look(path), oc.draft(path), dataset, dataset.codebook(), dataset.receipt):
        html = value._repr_html_()
        assert html.count("<table") == html.count("</table>") > 0
        assert "Free acidity" in html and "<script" not in html
    hostile = oc.load(b"<b>x</b>;y\n<script>;1\n", rows={"names": 1})._repr_html_()
    assert "<script" not in hostile and "&lt;b&gt;x" in hostile


LATE_MARKS = {
    "decimals come late": (["5"] * 300 + ["1,5", "2,25"] * 9, "number", ",", None),
    "decimals come late and are most": (["5"] * 300 + ["1,5"] * 900, "number", ",", None),
    "the head is blank": ([""] * 300 + ["1,5"] * 300, "number", ",", None),
    "groups come late": (["1.5"] * 300 + ["1,234.5"], "number", ".", ","),
    "a second group tells the first": (["1,234"] * 300 + ["1,234,567"], "integer", ".", ","),
    "a short decimal tells the rest": (["1,234"] * 300 + ["12,5"], "number", ",", None),
    "blanks group late": (["1,5"] * 300 + ["12 345,5"], "number", ",", " "),
    "the head is certain": (["1.5"] * 300 + ["1,5"], "text", ".", None),
    "two marks late": (["5"] * 300 + ["1.5", "1,5"], "text", None, None),
    "a word among them": (["5"] * 300 + ["1,5", "lost"], "text", None, None),
}


@pytest.mark.parametrize("name", LATE_MARKS)
@pytest.mark.parametrize("block", [64, 1 << 20])
def test_marks_of_numbers_are_settled_by_the_whole_file(name, block, monkeypatch, tmp_path):
    cells, kind, decimal, grouping = LATE_MARKS[name]
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    data = ("id;x\n" + "".join(f"{n};{cell}\n" for n, cell in enumerate(cells))).encode()
    dataset = oc.load(data)
    assert dataset["x"].variable.type == kind
    marks = {each.about: each for each in dataset.receipt.decided if "delim" in each.about}
    found = marks.get("delimited.decimal")
    assert decimal is None or (found and found.value == decimal and found.certain)
    assert (marks["delimited.grouping"].value if grouping else None) == grouping
    assert oc.load(data, plan=oc.draft(data)).equals(dataset)
    oc.pack(data, tmp_path / "packed.parquet")
    assert oc.unpack(tmp_path / "packed.parquet").equals(dataset)


@pytest.mark.parametrize(
    ("cells", "grouping", "kind", "decimal"),
    [
        (["1,5", "2,25"], ",", "text", "."),
        (["1,555", "2,225.5"], ",", "number", "."),
        (["1.204", "2.225"], ".", "integer", ","),
        (["5"] * 300 + ["1,5"] * 9, ",", "text", "."),
        (["1 204,5"], " ", "number", ","),
    ],
)
def test_a_mark_declared_to_group_digits_is_not_the_decimal_mark(cells, grouping, kind, decimal):
    data = "\n".join(["x;n", *(f"{cell};1" for cell in cells)]).encode()
    dataset = oc.load(data, grouping=grouping)
    assert dataset["x"].variable.type == kind
    assert dataset.plan.delimited.decimal == decimal


def test_quotes_and_comments_that_come_late_are_found():
    plain = "".join(f"{n};gate {n % 7};{n / 8}\n" for n in range(9000))
    quoted = "".join(f"{n};'gate; {n % 7}';{n / 8}\n" for n in range(9000))
    remarks = "# a new day\n".join(plain.splitlines(keepends=True)[:200])
    data = f"id;gate;load\n{plain}{quoted}{plain}{remarks}{plain}"
    for text in (data.encode(), data.encode("utf-16")):
        plan = oc.draft(text)
        assert plan.delimited.quote == "'"
    noted = f"id;gate;load\n{plain}{plain}{remarks}{plain}{plain}"
    assert oc.load(noted.encode()).receipt.parts["comment"] == 199


@pytest.mark.parametrize("block", [64, 1 << 20])
def test_levels_are_judged_by_all_rows(block, monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    rows = [f"{n};{999 - n};w{n};{n % 3};{'ab'[n % 2]};{n}" for n in range(500)]
    data = "up;down;word;few;two;twice\n" + "\n".join([*rows, "500;600;w500;13;c;499\n"])
    said = {e.variable: str(e) for e in oc.draft(data.encode()).evidence if "level" in e.about}
    assert said == {
        "up": "up: nominal? all 501 values differ, like an identifier",
        "down": "down: ratio? numbers from zero up",
        "word": "word: nominal? all 501 values differ, like an identifier",
        "few": "few: ratio? numbers from zero up",
        "two": "two: nominal? 3 distinct texts",
        "twice": "twice: ratio? numbers from zero up",
    }
