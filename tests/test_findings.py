"""Findings: planted faults are found, clean data are silent, fixes fix, ignored ones stay away."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
import findings as bench
from made import datasets
from planted import faults, kinds


def table(**columns: object) -> bytes:
    """Columns as delimited text; shorter ones are repeated."""
    many = max(len(each) for each in columns.values())
    rows = [[str(each[row % len(each)]) for each in columns.values()] for row in range(many)]
    return ("\n".join(map(";".join, [list(columns), *rows])) + "\n").encode()


def found(data: bytes, **options: object) -> dict[str, oc.Finding]:
    """The findings of a file by their kinds."""
    return {each.kind: each for each in oc.load(data, delimiter=";", **options).check()}


@pytest.mark.parametrize("half", ["written", "held"])
def test_planted_faults_are_found_and_little_else_is(half):
    """The shares that `benchmarks/findings.py` prints, with room."""
    score = bench.score(half, 3, 1)
    assert score.datasets == 45 and score.planted.total() > 150
    assert score.precision("serious") >= 0.9, score.lines
    assert score.precision() >= 0.85, score.lines
    assert score.recall() >= 0.85, score.lines
    assert score.clean.total() <= 0.1 * score.datasets, score.lines


@pytest.mark.parametrize("kind", kinds.ALL, ids=lambda kind: kind.__name__)
def test_what_is_mended_is_not_found_again(kind):
    """The fix that a finding offers ends it, and does not hide a value behind a missing code."""
    for seed in range(2):
        made = kinds.made(kind, 500 + seed)
        bench.plant(made)
        dataset = oc.load(made.file(), workers=1)
        for finding in dataset.check():
            if finding.mend is None:
                continue
            again = mended(made.file(), dataset, finding.mend).check()
            assert not [
                each
                for each in again
                if each.kind == finding.kind and set(each.variables) & set(finding.variables)
            ], (finding, again)


def mended(data: bytes, dataset: oc.Dataset, mend: object) -> oc.Dataset:
    """The dataset once the fix is applied."""
    names = mend.variables or ((mend.variable,) if mend.variable else ())
    if not names:
        return oc.load(data, workers=1, **mend.parts)
    for name in names:
        dataset = dataset.declare(name, **mend.parts)
    return dataset


rng = np.random.default_rng(5)
PLAIN = [f"{each:.1f}" for each in rng.normal(20, 2, 300)]
COUNTS = [str(each) for each in rng.poisson(9, 300)]
DAYS = [str(np.datetime64("2025-01-01") + each) for each in rng.integers(0, 300, 300)]
GROUPS = [str(1 + each // 60) for each in range(300)]
SILENT = {
    "a scale around zero": {"vote": list("0101-") and ["-1", "0", "1", "0", "1", "-1"] * 50},
    "years in two digits": {"year": ["95", "96", "97"] * 100, "x": PLAIN},
    "words with meant signs": {"drug": ["drug", "drug+", "placebo"] * 100, "x": PLAIN},
    "more and less than": {"rate": ["ESR < 20", "ESR > 20", "ESR < 20"] * 100, "x": PLAIN},
    "answers from 1 to 9": {"agree": [str(each) for each in rng.integers(1, 10, 300)]},
    "zeros among amounts": {
        "rain": [f"{max(0, each):.1f}" for each in rng.normal(-2, 8, 300)],
        "x": PLAIN,
    },
    "minutes in fives": {"minutes": [str(5 * each) for each in rng.integers(1, 40, 300)]},
    "groups of rows with levels of their own": {
        "firm": GROUPS,
        "sales": [f"{10 ** (1 + r // 120) * rng.lognormal(0, 0.2):.1f}" for r in range(300)],
    },
    "one instrument throughout": {"instrument": ["UV-2"], "x": PLAIN},
    "a year throughout": {"year": ["2025"], "x": PLAIN},
    "account numbers": {"account": [str(e) for e in rng.integers(10**5, 10**6, 300)], "x": PLAIN},
    "cancelled tickets": {
        "ticket": [str(e) for e in np.cumsum(1 + (rng.random(300) < 0.05)).tolist()],
        "x": PLAIN,
    },
    "sales that are equal by nature": {
        "article": ["oil", "soap", "oil", "olives"] * 75,
        "price": ["9.90", "3.20", "9.90", "4.10"] * 75,
        "pieces": [str(each) for each in rng.integers(1, 4, 300)],
    },
    "singular and plural": {"crop": ["olive"] * 200 + ["olives"] * 3 + ["almond"] * 97, "x": PLAIN},
    "numbered rooms": {"tank": [f"tank {1 + e % 9}" for e in range(300)], "x": PLAIN},
    "a word in one cell of words": {"note": ["late", "wet", "", "leaves"] * 75, "x": PLAIN},
    "meter readings": {
        "meter": [f"{80_000 + e:.1f}" for e in np.cumsum(rng.gamma(3, 90, 300))],
        "x": PLAIN,
    },
}


@pytest.mark.parametrize("name", list(SILENT))
def test_what_only_looks_odd_is_no_finding(name):
    columns = {key: list(each) * (300 // len(each)) for key, each in SILENT[name].items()}
    got = found(table(**columns))
    assert [each for each in got.values() if each.severity != "doubtful"] == []


def with_cells(cells: list[str], changes: dict[int, str]) -> list[str]:
    """The cells with some of them changed."""
    made = list(cells)
    for place, text in changes.items():
        made[place] = text
    return made


LONG = [str(each) for each in rng.integers(10**11, 10**12, 300)]
POSTCODES = [f"{each:05d}" for each in 1_000 + 211 * rng.integers(0, 80, 300)]
VILLAGES = [["San Roque", "Las Eras", "Santa Ana", "Peña Blanca"][e % 4] for e in range(300)]
SORTED = sorted(DAYS)
WHOLE = rng.integers(500, 900, 300)
PART = rng.integers(20, 90, 300)
REST = WHOLE - PART
CASES = {
    "suspected codes": (
        ({"age": with_cells(COUNTS, dict.fromkeys((3, 40, 90), "999"))}, [5, 42, 92]),
        ({"acid": with_cells(PLAIN, dict.fromkeys((8, 9), "-9"))}, [10, 11]),
        ({"x": PLAIN, "like": with_cells([str(1 + e % 5) for e in range(300)],
                                         dict.fromkeys((7, 70, 170), "9"))}, [9, 72, 172]),
    ),
    "slipped decimals": (({"oil": with_cells(PLAIN, {17: "204.1"})}, [19]),
                         ({"oil": with_cells(PLAIN, {17: "2041.0", 18: "1987.0"})}, [19, 20])),
    "change of scale": (
        ({"oil": PLAIN[:200] + [f"{float(e) * 1000:.0f}" for e in PLAIN[200:]]},
         list(range(202, 212))),
        ({"oil": PLAIN[:100] + [f"{float(e) / 10:.2f}" for e in PLAIN[100:160]] + PLAIN[160:]},
         list(range(102, 112))),
    ),
    "garbled letters": (({"village": with_cells(VILLAGES, {3: "PeÃ±a Blanca"}), "x": PLAIN}, [5]),),
    "rare spellings": (({"village": with_cells(VILLAGES, {8: "San Rouqe"}), "x": PLAIN}, [10]),
                       ({"village": with_cells(VILLAGES, {9: "Las Ears"}), "x": PLAIN}, [11])),
    "mixed forms": (({"village": with_cells(VILLAGES, {8: "SAN ROQUE"}), "x": PLAIN}, [10]),
                    ({"village": with_cells(VILLAGES, {8: "San-Roque"}), "x": PLAIN}, [10])),
    "lost zeros": (
        ({"postcode": with_cells(POSTCODES, {e: POSTCODES[e].lstrip("0") for e in range(40)}),
          "x": PLAIN},
         [e + 2 for e in range(40) if POSTCODES[e][0] == "0"][:10]),
    ),
    "lost digits": (({"id": with_cells(LONG, {4: "5.12345E+11", 9: "6.00001E+11"})}, [6, 11]),),
    "mixed date orders": (
        ({"day": [f"{1 + e % 28:02d}/{1 + e % 12:02d}/2025" for e in range(295)]
          + [f"{1 + e % 12:02d}/{20 + e:02d}/2025" for e in range(5)]}, list(range(297, 302))),
    ),
    "out of order": (({"day": with_cells(SORTED, {50: SORTED[250]}), "x": PLAIN}, [52]),),
    "dates far off": (({"day": with_cells(DAYS, {5: "1025-03-01"}), "x": PLAIN}, [7]),),
    "dates in the future": (({"day": with_cells(DAYS, {5: "2095-03-01"}), "x": PLAIN}, [7]),),
    "impossible together": (
        ({"gross": WHOLE, "tare": PART, "net": [*REST[:20], REST[20] + 7, *REST[21:]]}, [22]),
        ({"opened": DAYS, "closed": [str(np.datetime64(each) + 5 + (n % 7) - 60 * (n == 31))
                                     for n, each in enumerate(DAYS)]}, [33]),
    ),
    "misaligned block": (
        ({"gross": WHOLE, "tare": PART, "net": [*REST[:50], *REST[49:99], *REST[100:]]},
         list(range(52, 62))),
    ),
    "heading among the data": (({"day": with_cells(DAYS, {120: "day"}),
                                 "oil": with_cells(PLAIN, {120: "oil"})}, [122]),),
    "total among the data": (
        ({"day": with_cells(DAYS, {150: "Total"}),
          "kg": [*WHOLE[:150], WHOLE[:150].sum(), *WHOLE[150:299]]}, [152]),
        ({"day": with_cells(DAYS, {150: ""}),
          "kg": [*WHOLE[:150], WHOLE[:150].sum(), *WHOLE[150:299]]}, [152]),
    ),
    "shifted rows": (({"n": COUNTS, "day": with_cells(DAYS, {9: COUNTS[9]}),
                       "oil": with_cells(PLAIN, {9: DAYS[9]}), "v": VILLAGES}, None),),
    "change of words": (
        ({"sex": [["m", "f"][int(e)] for e in rng.integers(0, 2, 200)]
          + [str(1 + e) for e in rng.integers(0, 2, 100)], "x": PLAIN}, list(range(202, 212))),
    ),
    "duplicate rows": (
        ({"n": [*map(str, range(299)), "299"], "oil": with_cells(PLAIN, {299: PLAIN[4]}),
          "day": with_cells(DAYS, {299: DAYS[4]}), "kg": with_cells(list(WHOLE), {299: WHOLE[4]})},
         [301]),
    ),
    "keys with gaps": (({"n": [*range(100), *range(130, 330)], "x": PLAIN}, []),),
    "empty variable": (({"nothing": [""] * 300, "x": PLAIN}, []),),
    "constant variable": (({"oil": ["21.4"] * 300, "x": COUNTS}, []),),
}  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "number"),
    [(kind, number) for kind, each in CASES.items() for number in range(len(each))],
)
def test_each_kind_names_its_variable_and_rows(kind, number):
    columns, rows = CASES[kind][number]
    got = found(table(**columns))
    assert kind in got, got
    if rows is not None:
        assert list(got[kind].rows) == rows
    others = [each for each in got.values() if each.kind != kind and each.severity == "serious"]
    assert rows is None or not others, others
    assert 0 < got[kind].sure <= 1 and got[kind].cost in ("cases", "values", "groups", "reading")
    assert str(got[kind]).partition(f"{kind}: ")[2]


def test_a_total_in_the_middle_is_left_out_and_never_made_missing():
    columns, rows = CASES["total among the data"][0]
    data = table(**columns)
    finding = found(data)["total among the data"]
    assert finding.mend.parts == {"rows": {"left_out": rows}}
    dataset = oc.load(data, **finding.mend.parts)
    assert dataset.rows == 299 and dataset.receipt.balanced
    assert dataset["day"].variable.type == "date" and not dataset.check()
    assert f"row {rows[0]}" in str(dataset.receipt)


@settings(max_examples=tries(40), deadline=None)
@given(st.sets(st.integers(2, 61), max_size=12), st.sampled_from(["delimited", "fixed", "sheet"]))
def test_rows_left_out_are_accounted_for(rows, layout):
    """Whatever is left out, the receipt balances and the others are as they were."""
    numbers = [100 + each for each in range(60)]
    options: dict = {"rows": {"left_out": sorted(rows)}}
    if layout == "delimited":
        data = table(n=numbers, oil=PLAIN[:60])
        options["delimiter"] = ";"
    elif layout == "fixed":
        lines = [f"{n:4d} {x:>5}" for n, x in zip(numbers, PLAIN, strict=False)]
        data = ("\n".join([" n    oil ", *lines]) + "\n").encode()
        options |= {"fields": [("n", 1, 4), ("oil", 6, 10)]}
        options["rows"]["data"] = "2.."
    else:
        data = workbook(numbers)
    dataset = oc.load(data, **options)
    assert dataset.receipt.balanced
    kept = [n for row, n in enumerate(numbers, 2) if row not in rows]
    assert dataset["n"].values.to_pylist() == kept
    plan = dataset.plan
    assert plan.rows.left_out == tuple(sorted(rows))
    assert oc.load(data, plan=plan).equals(dataset)


def workbook(numbers: list[int]) -> bytes:
    """A small workbook of another writer."""
    import io

    import xlsxwriter

    held = io.BytesIO()
    with xlsxwriter.Workbook(held) as book:
        sheet = book.add_worksheet("data")
        sheet.write_row(0, 0, ["n", "oil"])
        for row, number in enumerate(numbers, 1):
            sheet.write_row(row, 0, [number, float(PLAIN[row - 1])])
    return held.getvalue()


FAULTY = table(
    n=[*range(300)],
    age=with_cells(COUNTS, dict.fromkeys((3, 40, 90), "999")),
    oil=with_cells(PLAIN, {17: "52.0"}),
)


def test_what_was_looked_at_is_not_shown_again(tmp_path):
    dataset = oc.load(FAULTY)
    assert {each.kind for each in dataset.check()} == {"suspected codes", "far from the rest"}
    for ignored in (
        ["suspected codes"],
        ["suspected codes: age"],
        [{"kind": "suspected codes", "variable": "age", "reason": "asked the mill"}],
    ):
        left = dataset.check(ignored)
        assert [each.kind for each in left] == ["far from the rest"] and left.ignored == 1
        assert "1 more ignored, as asked" in str(left)
        plan = oc.load(FAULTY, ignore=ignored).plan
        plan.write(tmp_path / "p.toml", replace=True)
        again = oc.Plan.read(tmp_path / "p.toml")
        assert again.ignored == plan.ignored
        assert oc.load(FAULTY, plan=again).check().ignored == 1
    assert dataset.check(["suspected codes: oil"]).ignored == 0
    with pytest.raises(oc.PlanError, match='no finding "suspected code"; did you mean "suspected'):
        dataset.check(["suspected code"])
    with pytest.raises(oc.PlanError, match="ignore: kind is missing in"):
        dataset.check([{"variable": "age"}])
    (tmp_path / "wrong.toml").write_text('[check]\nignored = ["x"]\n')
    with pytest.raises(oc.PlanError, match='check: unknown key "ignored"; did you mean "ignore"'):
        oc.Plan.read(tmp_path / "wrong.toml")


def test_the_command_folds_what_is_doubtful_and_ignores_what_is_named(here, tmp_path):
    (tmp_path / "x.csv").write_bytes(FAULTY)
    done = here("check", "x.csv")
    assert "? perhaps: far from the rest (oil)" in done.stdout and "52, while" not in done.stdout
    assert done.stdout.endswith("2 findings: 1 serious, 1 doubtful\n")
    whole = here("check", "x.csv", "--doubtful")
    assert "? oil: far from the rest: 52, while the others are within" in whole.stdout
    left = here("check", "x.csv", "--ignore", "suspected codes: age", "--fail-on", "serious")
    assert left.returncode == 0 and "1 more ignored" in left.stdout
    here("pack", "x.csv", "-o", "x.parquet")
    again = here("check", "x.parquet", "--ignore", "suspected codes", "--json")
    told = json.loads(again.stdout)
    assert told["ignored"] == 1 and [each["kind"] for each in told["findings"]] == [
        "far from the rest"
    ]
    assert told["findings"][0]["cost"] == "values" and told["findings"][0]["sure"] == 0.7
    assert here("check", "x.csv", "--fail-on", "doubtful").returncode == 3


def test_alike_findings_are_one_with_one_fix():
    items = {f"q{n}": with_cells(COUNTS, {n * 7: "999", n * 9 + 50: "999"}) for n in range(1, 6)}
    got = oc.load(table(**items)).check()
    assert [each.variables for each in got] == [tuple(items)]
    assert got[0].count == 10 and "declare([" in str(got)
    dataset = oc.load(table(**items))
    for name in got[0].mend.variables:
        dataset = dataset.declare(name, **got[0].mend.parts)
    assert not dataset.check()


def test_marks_and_codes_of_one_variable_are_declared_at_once():
    cells = with_cells(PLAIN, {3: "n.d.", 9: "n.d.", 20: "777", 30: "777", 40: "<0.1"})
    kept = found(table(oil=cells, n=COUNTS))["kept as text"]
    assert kept.mend.parts == {"type": "number", "missing": ["n.d.", 777]}
    dataset = oc.load(table(oil=cells, n=COUNTS)).declare("oil", **kept.mend.parts)
    assert dataset["oil"].reason_counts() == {"n.d.": 2, "777": 2, "unreadable": 1}


@settings(max_examples=tries(60), deadline=None)
@given(datasets())
def test_whatever_the_data_checks_and_reports_come_to_an_end(dataset):
    """No error, a text for each finding, rows within the data, and a page that shows all of it."""
    from olive_crate.show.report.writing import report_html

    got = dataset.check()
    assert len(got.to_dict()["findings"]) == len(got) and str(got)
    for finding in got:
        assert set(finding.variables) <= set(dataset.names)
        if finding.kind == "unused meanings":
            told = finding.meanings
            assert finding.count == len(told.meanings) + told.others
        else:
            assert finding.count <= max(1, dataset.rows) * max(1, len(dataset.names))
        assert 0 < finding.sure <= 1 and len(finding.rows) <= 10
    page = report_html([("made", dataset)], "made")
    assert page.count("<article") == len(dataset.names) and page.endswith("</html>")


def test_the_faults_of_the_benchmark_are_many_and_its_halves_apart():
    assert len(faults.ALL) >= 60 and len(kinds.ALL) == 30
    assert not set(kinds.HELD) & set(kinds.WRITTEN)
    for kind in kinds.ALL:
        one, other = kinds.made(kind, 3), kinds.made(kind, 3)
        assert one.file() == other.file() != kinds.made(kind, 4).file()


PICTURED = {
    "codes": CASES["suspected codes"][0][0],
    "another unit": CASES["change of scale"][0][0],
    "order": CASES["out of order"][0][0],
    "a sum": CASES["impossible together"][0][0],
    "dates": CASES["dates far off"][0][0],
    "nothing": CASES["empty variable"][0][0],
}


@pytest.mark.parametrize("name", list(PICTURED))
def test_findings_are_drawn_where_looking_is_quicker(here, tmp_path, name):
    (tmp_path / "x.csv").write_bytes(table(**PICTURED[name]))
    for ending, first in (("png", b"\x89PNG"), ("svg", b"<?xml")):
        done = here("check", "x.csv", "--picture", f"x.{ending}")
        assert done.stdout == f"wrote x.{ending} with 1 finding\n", done.stderr
        assert (tmp_path / f"x.{ending}").read_bytes().startswith(first)


def test_a_picture_of_nothing_is_refused(here, tmp_path):
    (tmp_path / "x.csv").write_bytes(table(x=PLAIN, n=COUNTS))
    done = here("check", "x.csv", "--picture", "x.png")
    assert done.returncode == 1 and "no finding that a picture would show" in done.stderr
    assert not (tmp_path / "x.png").exists()


def test_words_that_change_in_a_set_are_named_with_their_file(tmp_path):
    """One office codes by letters, and from some month on by numbers."""
    draw = np.random.default_rng(4)
    for month in range(1, 7):
        words = ["m", "f"] if month < 5 else ["1", "2"]
        sexes = [words[each] for each in draw.integers(0, 2, 40)]
        oil = [f"{each:.1f}" for each in draw.normal(20, 2, 40)]
        (tmp_path / f"2025-{month:02d}.csv").write_bytes(table(sex=sexes, oil=oil))
    got = {each.kind: each for each in oc.load(tmp_path, types={"sex": "text"}).check()}
    changed = got["change of words"]
    assert changed.variables == ("sex",) and set(changed.before) == {"m", "f"}
    assert changed.files[0].endswith("2025-05.csv") and changed.rows[0] == 2
    assert changed.count == 80


def test_a_heading_within_the_data_silences_what_it_explains():
    """All variables turn to text by it; one finding says so, and its fix mends all of them."""
    columns = {"day": DAYS, "oil": PLAIN, "n": COUNTS, "village": VILLAGES}
    columns = {name: with_cells(list(cells), {200: name}) for name, cells in columns.items()}
    columns["oil"][17] = "204.1"
    dataset = oc.load(table(**columns))
    assert [each.kind for each in dataset.check()] == ["heading among the data", "slipped decimals"]
    again = oc.load(table(**columns), rows={"repeated": "skip"})
    assert [each.type for each in again.variables] == ["date", "number", "integer", "text"]
    assert [each.kind for each in again.check()] == ["slipped decimals"]


@pytest.mark.parametrize("to", ["left", "right"])
def test_rows_of_numbers_that_moved_are_one_finding(to):
    """No cell is of another kind; they show as far from the rest in several variables."""
    draw = np.random.default_rng(9)
    columns = [draw.normal(middle, middle / 20, 300).round(1) for middle in (5, 40, 300, 2000, 9e4)]
    rows = [[str(each) for each in row] for row in np.stack(columns, axis=1).tolist()]
    for at in (50, 51):
        rows[at] = [*rows[at][1:], ""] if to == "left" else ["", *rows[at][:-1]]
    data = "\n".join(["a;b;c;d;e", *map(";".join, rows)]) + "\n"
    (finding,) = oc.load(data.encode()).check()
    assert (finding.kind, finding.rows) == ("shifted rows", (52, 53))


@pytest.mark.parametrize("days", ["1970-01-01 1970-01-01 1970-01-01", "2999-12-31 1900-01-01", ""])
@pytest.mark.filterwarnings("error")
def test_dates_of_which_none_is_usual_are_checked_quietly(days):
    data = "\n".join(["lot,day", *(f"{at},{day}" for at, day in enumerate(days.split(), 1))]) + "\n"
    ds = oc.load(data.encode(), types={"day": "date"})
    kinds = {each.kind for each in ds.check()}
    assert ("dates at an epoch" in kinds) == ("1970" in days or "2999" in days)
