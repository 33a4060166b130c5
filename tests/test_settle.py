"""Open points are asked once, answered by number or by a declaration of one's own, and kept."""

from __future__ import annotations

import pytest
import xlsxwriter

import olive_crate as oc

DATA = "id;acid;oil;score\n" + "".join(
    f"{n};{'n.d.' if n % 20 == 7 else '777' if n % 15 == 4 else f'0,{31 + n % 40}'};"
    f"{'888' if n % 13 == 5 else 15 + n % 9};{n % 5}\n"
    for n in range(120)
)


@pytest.fixture
def path(tmp_path):
    made = tmp_path / "lab.csv"
    made.write_text(DATA)
    return made


def asked(plan: oc.Plan) -> list[tuple[str, str]]:
    return [(each.about, each.variable) for each in plan.open_points()]


def test_points_come_from_the_source_and_each_has_proposals(path, tmp_path):
    plan = oc.draft(path)
    points = plan.open_points()
    assert {("variable.type", "acid"), ("variable.suspects", "oil")} <= set(asked(plan))
    for each in points:
        assert each.proposals[0].kind == "keep" and len(each.proposals) >= 2
        assert str(each).splitlines()[-1].strip().startswith(str(len(each.proposals)))
    plan.write(tmp_path / "p.toml")
    text = "\n".join(
        line for line in (tmp_path / "p.toml").read_text().splitlines() if line[:1] != "#"
    )
    (tmp_path / "p.toml").write_text(text)  # its comments are not what is asked from
    assert asked(oc.Plan.read(tmp_path / "p.toml")) == asked(plan)


@pytest.mark.parametrize("number", [1, 2])
def test_an_answer_settles_its_point_and_is_kept(path, tmp_path, number):
    plan = oc.draft(path)
    point = next(each for each in plan.open_points() if each.about == "variable.type")
    settled = plan.settle(point, number)
    before, after = asked(plan), asked(settled)
    assert (point.about, point.variable) in before
    assert (point.about, point.variable) not in after
    settled.write(tmp_path / "p.toml")
    again = oc.Plan.read(tmp_path / "p.toml")
    assert again.settled == settled.settled and asked(again) == after
    kind = again.variable("acid").type
    assert kind == ("text" if number == 1 else "number")
    decided = [each for each in oc.load(again).receipt.decided if each.variable == "acid"]
    assert not [e for e in decided if e.about == "variable.type" and not (e.certain or e.answered)]


def test_codes_of_two_points_of_one_variable_add_up(path):
    plan = oc.draft(path)
    while points := [each for each in plan.open_points() if each.variable]:
        plan = plan.settle(points[0], 2)
    assert {each.value for each in plan.variable("acid").missing} == {"n.d.", 777}
    dataset = oc.load(plan)
    assert dataset["acid"].variable.type == "number" and not dataset.check()
    assert dataset["oil"].reason_counts() == {"888": 9}


def test_an_answer_of_ones_own_and_wrong_ones(path):
    plan = oc.draft(path)
    point = next(each for each in plan.open_points() if each.variable == "oil")
    own = plan.settle(point, {"missing": {888: "jar broken"}, "label": "Oil yield"})
    assert own.variable("oil").missing[0].why == "jar broken"
    assert own.variable("oil").label == "Oil yield" and ("variable.suspects", "oil") not in asked(
        own
    )
    kept = plan.settle(point, "keep")
    assert kept.settled[0].answer == point.evidence.value
    for wrong in (0, 9, "maybe", {"colour": "green"}):
        with pytest.raises(oc.PlanError):
            plan.settle(point, wrong)


def test_a_kept_decision_is_open_again_where_a_file_decides_otherwise(path, tmp_path):
    plan = oc.draft(path)
    point = next(each for each in plan.open_points() if each.about == "variable.suspects")
    kept = plan.settle(point, "keep")
    other = tmp_path / "next.csv"
    other.write_text(DATA.replace(";888;", ";999;"))
    named = {each.name: each for each in kept.variables}
    assert named["oil"].missing in ((), None)
    moved = oc.draft(other, plan=oc.Plan(settled=kept.settled))
    assert any(each.variable == point.variable for each in moved.open_points())


def test_the_command_asks_goes_back_and_writes(here, path, tmp_path):
    answers = tmp_path / "answers"
    answers.write_text("2\nnot determined\nb\n1\n\n\n\n\n")
    done = here("settle", "lab.csv", "-o", "p.toml", "--answers", "answers")
    assert done.returncode == 0, done.stderr
    assert "1 of " in done.stdout and "what does n.d. mean?" in done.stdout
    assert "wrote p.toml: 1 answered" in done.stdout
    assert oc.Plan.read(tmp_path / "p.toml").variable("acid").type == "text"
    answers.write_text("type=number missing=n.d.=below,777=lost label=Acidity\nq\n")
    again = here("settle", "lab.csv", "-o", "p.toml", "--replace", "--answers", "answers")
    assert again.returncode == 0, again.stderr
    acid = oc.Plan.read(tmp_path / "p.toml").variable("acid")
    assert acid.label == "Acidity" and [each.why for each in acid.missing] == ["below", "lost"]
    answers.write_text("9\nno such\ncolour=green\n\n" + "1\n" * 9)
    rest = here("settle", "p.toml", "--answers", "answers")
    assert "there is no answer" in rest.stdout or "there is no part" in rest.stdout
    closed = here("settle", "p.toml", "--answers", "answers")
    assert rest.returncode == closed.returncode == 0
    refused = here("settle", "lab.csv", "-o", "p.toml", "--answers", "answers")
    assert refused.returncode == 1 and "already exists; use --replace" in refused.stderr


def test_an_interrupt_writes_what_was_answered(path, tmp_path):
    import signal
    import subprocess
    import sys
    import time

    process = subprocess.Popen(
        [sys.executable, "-m", "olive_crate", "settle", "lab.csv", "-o", "p.toml"],
        cwd=tmp_path,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    process.stdin.write("1\n")
    process.stdin.flush()
    assert any("2 of" in line for line in process.stdout), process.wait(timeout=20)
    time.sleep(0.3)
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=20)
    assert len(oc.Plan.read(tmp_path / "p.toml").settled) == 1


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('[[settled]]\nvariable = "x"\n', "settled: about is missing in"),
        ('[[settled]]\nabout = "variable.type"\nwhy = "x"\n', 'unknown key "why"'),
        ('settled = "x"\n', "expected a list"),
    ],
)
def test_wrong_answers_in_a_plan_are_refused(tmp_path, text, words):
    (tmp_path / "p.toml").write_text(text)
    with pytest.raises(oc.PlanError, match=words):
        oc.Plan.read(tmp_path / "p.toml")


def test_a_question_shows_its_cells_with_those_beside_them(tmp_path):
    rows = "".join(f"{n},{'n.d.' if n == 7 else n / 10},{n * 2}\n" for n in range(1, 40))
    (tmp_path / "lab.csv").write_text(f"id,acid,net\n{rows}")
    points = {each.variable: each for each in oc.draft(tmp_path / "lab.csv").open_points()}
    assert points["acid"].cases[0].row == 8 and points["acid"].cases[0].text == "n.d."
    assert points["acid"].cases[0].beside == {"id": "7", "net": "14"}
    assert "row 8: n.d.   (id 7, net 14)" in str(points["acid"])


def test_an_encoding_shows_a_word_as_each_answer_reads_it(tmp_path):
    names = "".join(f"{n};Kőszeg Győr\n" for n in range(40))
    (tmp_path / "names.csv").write_bytes(f"id;grower\n{names}".encode("cp1250"))
    point = next(
        each
        for each in oc.draft(tmp_path / "names.csv").open_points()
        if each.about == "source.encoding"
    )
    assert point.readings[0] in ("Kõszeg", "Gyõr")
    assert {*point.readings[1:]} & {"Kőszeg", "Győr"}


def test_questions_are_about_the_cells_that_the_plan_takes(tmp_path):
    """The largest block of the sheet ends in a total; the one that the plan names does not."""
    large = [["id", "net"], *([n, n * 2] for n in range(1, 30)), ["Total", 870]]
    small = [["sample", "acid"], *([n, n / 10] for n in range(1, 9))]
    with xlsxwriter.Workbook(tmp_path / "book.xlsx") as book:
        sheet = book.add_worksheet()
        for column, block in ((0, large), (4, small)):
            for row, cells in enumerate(block):
                sheet.write_row(row, column, cells)
    whole = oc.draft(tmp_path / "book.xlsx")
    part = oc.draft(tmp_path / "book.xlsx", range="E1:F9")
    assert any(each.about == "rows.closing" for each in whole.open_points())
    assert not any(each.about == "rows.closing" for each in part.open_points())
