"""Did what was meant come in? Counts, figures, patterns, comparisons, promises, findings."""

from __future__ import annotations

import datetime as dt
import json
import math
import re
import statistics
from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st
from made import datasets
from typer.testing import CliRunner

import olive_crate as oc
from olive_crate.cli import app

SURVEY = (
    "id;day;score;area;village\n1;2025-10-01;3;1.5;A\n2;2025-10-02;98;-7;B\n3;2025-10-03;0;2.5;A\n"
    "4;;10;;B\n5;2025-10-05;3;40;A\n6;2025-10-06;99;0;\n"
)
PARTS = {
    "score": {"missing": {98: "don't know", 99: "not asked"}, "meanings": {0: "no", (1, 5): "low"}},
    "area": {"type": "number", "missing": {-7: "refused"}},
}


@pytest.fixture
def survey() -> oc.Dataset:
    return oc.load(SURVEY.encode(), variables=PARTS)


def test_counts_have_labels_shares_and_reasons(survey):
    made = survey.counts("score")
    assert [(each.value, each.label, each.cases) for each in made.rows] == [
        (0, "no", 1),
        (3, "low", 2),
        (10, "", 1),
    ]
    assert made.missing == {"don't know": 1, "not asked": 1} and made.answered == 4
    assert [each.share_answered for each in made.rows] == [0.25, 0.5, 0.25]
    assert made.rows[-1].running == 1 and made.rows[0].share == pytest.approx(1 / 6)
    assert "[not asked]" in str(made) and made.to_pandas()["cases"].tolist() == [1, 2, 1]
    binned = survey.counts("area", bins=[0, 2, 40])
    assert [(each.value, each.cases) for each in binned.rows] == [("0 up to 2", 2), ("2 to 40", 2)]
    with pytest.raises(oc.PlanError, match="1 value outside of the bins, the first is 40"):
        survey.counts("area", bins=[0, 10])
    crossed = survey.counts("score", by="village")
    assert crossed.counts == ((1, 0), (2, 0), (0, 1)) and crossed.either_missing == 2
    assert "lack a value:" in str(crossed)
    many = oc.load(("x\n" + "\n".join(f"v{n % 90}" for n in range(500))).encode())
    assert "51 other values" in str(many.counts("x"))
    assert len(survey.counts(["score", "village"])) == 2


@settings(max_examples=tries(30))
@given(datasets(), st.integers(1, 9))
def test_every_cell_is_counted_once(tmp_path_factory, dataset, bins):
    path = tmp_path_factory.mktemp("counts") / "x.parquet"
    dataset.pack(path)
    for held in (dataset, oc.unpack(path)):
        for name in dataset.names:
            made = held.counts(name, bins=bins)
            assert made.cases == dataset.rows
            assert sum(each.cases for each in made.rows) == made.answered
            assert made.missing == dataset[name].reason_counts()
        figures = held.summary()
        assert [each.n + each.missing for each in figures] == [dataset.rows] * len(dataset.names)
        patterns = held.missing_patterns()
        assert sum(each.count for each in patterns.patterns) == dataset.rows
        share = held.overlap()
        assert all(n <= dataset.rows for n in np.ravel(share.n))
        for place, each in enumerate(figures):
            assert share.n[place, place] == each.n


def exact(values: list[float]) -> tuple[float, float]:
    """Mean and standard deviation by fractions, rounded once."""
    whole = [Fraction(value) for value in values]
    mean = sum(whole) / len(whole)
    variance = sum((each - mean) ** 2 for each in whole) / (len(whole) - 1)
    return float(mean), math.sqrt(variance)


def column(values: list[float]) -> oc.Dataset:
    return oc.load(("x\n" + "\n".join(map(repr, values)) + "\n").encode(), types="number")


@given(st.lists(st.floats(-1e9, 1e9, width=32), min_size=2, max_size=60))
def test_figures_are_those_of_exact_arithmetic(values):
    figures = column(values).summary()["x"]
    mean, sd = exact(values)
    size = max(map(abs, values))
    assert figures.mean == pytest.approx(mean, rel=1e-12, abs=1e-14 * size)
    assert figures.sd == pytest.approx(sd, rel=1e-12, abs=1e-14 * size)
    assert [figures.min, figures.max] == [min(values), max(values)]
    for part, figure in zip((0.25, 0.5, 0.75), ("q1", "median", "q3"), strict=True):
        wanted = np.quantile(np.array(values), part)
        assert getattr(figures, figure) == pytest.approx(wanted, rel=1e-12, abs=1e-12 * size)
    assert figures.distinct == len(set(values))
    assert figures.negatives == sum(value < 0 for value in values)


HARD = {
    "large mean, tiny spread": [1e7 + 0.2 + 0.1 * (-1) ** n for n in range(1001)],
    "larger mean": [1e9 + (n % 3) * 0.1 for n in range(1000)],
    "integers beyond": [10**15 + n % 2 for n in range(999)],
    "one far": [1e-3] * 1000 + [1e6],
}


@pytest.mark.parametrize("case", HARD)
def test_figures_hold_in_hard_cases(case):
    values = [float(each) for each in HARD[case]]
    figures = column(values).summary()["x"]
    assert (figures.mean, figures.sd) == pytest.approx(exact(values), rel=1e-10)


def test_summaries_go_by_type_and_by_complete_cases(survey):
    made = survey.summary()
    assert made["day"].min == "2025-10-01" and made["day"].mean is None
    assert made["village"].longest == 1 and made["village"].missing == 1
    assert made["area"].zeros == 1
    complete = survey.summary(["score", "area"], complete=True)
    assert complete.rows == 3 and complete["area"].mean == pytest.approx(44 / 3)
    assert "complete cases only" in str(complete)
    truth = oc.load(b"a\ntrue\nfalse\ntrue\n\n", types="boolean").summary()["a"]
    assert (truth.n, truth.mean, truth.zeros) == (3, pytest.approx(2 / 3), 1)


def test_pairs_agree_with_numpy():
    rng = np.random.default_rng(5)
    table = rng.normal(1e6, 1, (200, 4)) @ rng.normal(0, 1, (4, 4))
    lines = [",".join("" if rng.random() < 0.1 else repr(float(x)) for x in row) for row in table]
    dataset = oc.load(("a,b,c,d\n" + "\n".join(lines)).encode(), types="number")
    plain = dataset.to_numpy()
    whole = plain[~np.isnan(plain).any(axis=1)]
    covariances = dataset.covariances(use="complete")
    assert covariances.values == pytest.approx(np.cov(whole.T), rel=1e-12)
    assert int(covariances.n[0, 1]) == len(whole)
    assert dataset.correlations(use="complete").values == pytest.approx(
        np.corrcoef(whole.T), rel=1e-12
    )
    frame = dataset.to_pandas().astype(float)
    assert dataset.covariances().values == pytest.approx(frame.cov().values, rel=1e-9)
    pair = ~np.isnan(plain[:, [0, 2]]).any(axis=1)
    wanted = np.corrcoef(plain[pair, 0], plain[pair, 2])[0, 1]
    assert dataset.correlations()["a", "c"] == pytest.approx(wanted, rel=1e-12)
    assert dataset.overlap()["a", "c"] == pair.mean()
    with pytest.raises(oc.PlanError, match="numbers are required"):
        oc.load(SURVEY.encode()).correlations(["id", "village"])


def test_patterns_are_ranked(survey):
    made = survey.missing_patterns("day..village")
    assert [(each.count, each.missing) for each in made.patterns] == [
        (3, ()),
        (1, ("day", "area")),
        (1, ("score", "area")),
        (1, ("score", "village")),
    ]
    assert made.complete == 3 and made.empty == 0 and "3 complete" in str(made)


@given(datasets(), st.randoms(use_true_random=False))
def test_a_dataset_equals_itself_and_differs_where_it_was_changed(dataset, rng):
    same = oc.compare(dataset, dataset)
    assert same.equal and set(same.agreeing) == set(dataset.names)
    if dataset.rows < 2:
        return
    rows = np.arange(dataset.rows)
    rng.shuffle(rows)
    other = dataset.filter(np.ones(dataset.rows, bool))
    cut = oc.compare(dataset, other.head(dataset.rows - 1))
    assert not cut.equal and cut.matched == dataset.rows - 1
    less = oc.compare(dataset, dataset.keep(dataset.names[:1]))
    assert less.only_here == tuple(dataset.names[1:])


def test_comparisons_name_rows_keys_and_declarations(survey, tmp_path):
    (tmp_path / "s.csv").write_text(SURVEY)
    whole = oc.load(tmp_path / "s.csv", variables=PARTS)
    assert oc.compare(whole).equal
    (tmp_path / "s.csv").write_text(SURVEY.replace("2.5", "2.6").replace("\n5;", "\n7;"))
    later = oc.compare(whole, key="id")
    assert (later.rows, later.other_rows, later.matched) == (6, 6, 5)
    assert later.unmatched_here == ("id 5",) and later.unmatched_there == ("id 7",)
    (area,) = later.differing
    assert area.name == "area" and area.largest == pytest.approx(0.1)
    assert area.examples[0] == oc.compare(whole).differing[1].examples[0]
    assert area.examples[0].row == 4 and area.examples[0].other == "2.6"
    assert oc.compare(whole, key="id", tolerance=0.2).differing == ()
    assert "area: 1 cell differs, by at most 0.1" in str(later)
    told = oc.compare(whole, whole.declare("score", missing={98: "refused"}, label="x"))
    assert {each.part for each in told.declarations} == {"missing", "label"}
    assert told.differing[0].count == 2 and not told.equal
    doubled = oc.compare(whole, whole, key="village")
    assert doubled.doubled_here[0] == "village A" and not doubled.equal
    aside = sum(doubled.doubled_rows) + sum(doubled.blank_keys)
    assert aside + 2 * doubled.matched == 2 * len(whole), "no row is forgotten"


def test_whole_numbers_are_compared_exactly():
    here = oc.load(b"k,v\n9007199254740993,1\n9007199254740992,2\n")
    there = oc.load(b"k,v\n9007199254740992,2\n9007199254740993,1\n")
    assert not oc.compare(here, there).equal and oc.compare(here, there, key="k").equal
    assert oc.compare(here, there, tolerance=1).equal is True


def test_a_part_of_a_dataset_agrees_with_its_source_by_source_rows(tmp_path):
    (tmp_path / "s.csv").write_text("k,v,w\n" + "".join(f"{i},{i % 3},x\n" for i in range(20)))
    whole = oc.load(tmp_path / "s.csv")
    part = whole.filter(whole["v"] == 1).keep(["k", "v"])
    assert oc.compare(part).equal and oc.compare(part, whole).matched == len(part) == 7


def test_a_plain_export_is_equal_without_what_it_cannot_hold(tmp_path):
    parts = {"missing": {9: "refused"}, "label": "A", "meanings": {1: "one"}}
    survey = oc.load(b"a,b\n1,x\n9,y\nNA,z\n", variables={"a": parts})
    survey.export(tmp_path / "g.csv", missing="null")
    plain = oc.load(tmp_path / "g.csv")
    assert not oc.compare(survey, plain).equal
    assert oc.compare(survey, plain, without=["reasons", "labels"]).equal
    assert oc.compare(survey, plain, without=["reasons", "declarations"]).equal


ROUNDED = [("0.12", True), ("0.13", True), ("0.14", False), ("0", True), ("1", False)]


@pytest.mark.parametrize(("shown", "agrees"), ROUNDED)
def test_a_figure_agrees_however_a_half_is_rounded(shown, agrees):
    dataset = oc.load(b"v\n0.12\n0.13\n")
    told = oc.compare(dataset, figures=[{"name": "v", "mean": shown, "colour": "red"}])
    assert told.equal is agrees and told.unknown_headings == ("colour",)
    assert oc.compare(oc.load(b"v\n1234\n1\n"), figures={"v": {"max": "1,234"}}).equal


def test_covariances_stay_exact_beside_an_outlier_without_a_partner():
    x = [0.1, -0.4, 0.9, 0.2, -0.7, 0.33]
    y = [1.0, 0.2, 1.7, 1.3, 0.1, 1.2]
    text = "x,y\n" + "".join(f"{a},{b}\n" for a, b in zip(x, y, strict=True)) + "1e12,\n"
    wanted = np.cov(x, y)[0, 1]
    assert oc.load(text.encode()).covariances()["x", "y"] == pytest.approx(wanted, rel=1e-12)


def test_figures_from_elsewhere_agree_to_the_digits_given(survey, tmp_path):
    (tmp_path / "f.csv").write_text(
        "Item,Valid N,Mean,Spread\nscore,4,4.0,4.24\narea,4,11.01,19.4\n"
    )
    made = oc.compare(survey, figures=tmp_path / "f.csv", headings={"sd": "Spread"})
    wrong = [(each.name, each.figure) for each in made.figures if not each.agrees]
    assert wrong == [("area", "mean")] and len(made.figures) == 6 and not made.equal
    assert oc.compare(survey, figures={"area": {"mean": 11, "max": 40}}).equal
    with pytest.raises(oc.PlanError, match='no variable "aera"; did you mean "area"'):
        oc.compare(survey, figures={"aera": {"n": 4}})


PROMISED = {"rows": "5..10", "key": ["id"], "relations": ["score <= 10"], "totals": {"id": 21}}
BROKEN = [
    ({"rows": 7}, {}, "7 rows – broken: 6 rows were read"),
    ({"key": "village"}, {}, "village unique – broken: 3 cases"),
    ({"relations": "area > score"}, {}, "area > score – broken: 1 case"),
    ({"totals": {"id": 22}}, {}, "id: total 22 – broken: the values add up to 21"),
    ({}, {"day": {"required": True}}, "day: required – broken: 1 case"),
    ({}, {"score": {"promised": {"from": 1}}}, "score: within 1.. – broken: 1 case: 0"),
    ({}, {"day": {"promised": {"to": "2025-10-05"}}}, "day: within ..2025-10-05 – broken: 1 case"),
    ({}, {"village": {"promised": {"allowed": ["A"]}}}, "one of A – broken: 2 cases: B"),
    ({}, {"village": {"promised": {"pattern": "[A-M]"}}}, ""),
]


@pytest.mark.parametrize(("promised", "variables", "words"), BROKEN)
def test_promises_are_held_against_every_load(tmp_path, monkeypatch, promised, variables, words):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "40")
    parts = {name: PARTS.get(name, {}) | variables.get(name, {}) for name in {*PARTS, *variables}}
    options = {"variables": parts, "promised": promised}
    dataset = oc.load(SURVEY.encode(), **options)
    receipt = oc.pack(SURVEY.encode(), tmp_path / "x.parquet", **options)
    assert receipt.promises == dataset.receipt.promises
    assert oc.unpack(tmp_path / "x.parquet").receipt.promises == receipt.promises
    failed = [str(each) for each in receipt.promises if not each.kept]
    assert words in "; ".join(failed) and receipt.promises_kept == (not words)
    assert ("BROKEN" in str(receipt)) == bool(words)


def test_promises_travel_in_plans_and_metadata(tmp_path, command):
    (tmp_path / "s.csv").write_text(SURVEY + "Sum;;;37;\n")
    plan = oc.draft(tmp_path / "s.csv", promised=PROMISED | {"totals": {"area": "row 8"}})
    plan = plan.declare("area", type="number", missing={-7: "refused"})
    plan = plan.declare("score", required=True, promised={"from": 0, "to": 99})
    plan.write(tmp_path / "s.plan.toml")
    again = oc.Plan.read(tmp_path / "s.plan.toml")
    assert again.promised == plan.promised and again.variables == plan.variables
    packed = command("pack", "s.plan.toml")
    assert packed.returncode == 3 and "score <= 10 – broken: 2 cases" in packed.stdout
    assert "area: total 37 (row 8) – broken: the values add up to 44" in packed.stdout
    told = command("codebook", "s.plan.toml")
    assert told.returncode == 3 and "score <= 10 – broken" in told.stderr
    assert "score <= 10: 2 cases" in str(oc.load(again).check())
    oc.load(again).export(tmp_path / "x.csv")
    told = oc.dictionary(tmp_path / "x.csv-metadata.json").variable("score")
    assert told.required and told.promised == again.variable("score").promised
    for wrong, words in (
        ({"rows": "5.."}, None),
        ({"rows": "many"}, 'expected a number or "first..last"'),
        ({"relations": "net over gross"}, 'expected such as "net <= gross"'),
        ({"key": ["idd"]}, 'no variable "idd"; did you mean "id"'),
        ({"relations": "scroe > 1"}, 'did you mean "score"'),
        ({"totals": {"area": "row x"}}, 'expected a number, "row 12" or "closing"'),
    ):
        if words is None:
            assert oc.load(SURVEY.encode(), promised=wrong).receipt.promises_kept
            continue
        with pytest.raises(oc.PlanError, match=words):
            oc.load(SURVEY.encode(), promised=wrong)


def test_what_cannot_be_told_of_a_part_is_not_checked_and_noted():
    promised = PROMISED | {"rows": 6, "relations": "score <= 100"}
    part = oc.load(SURVEY.encode(), promised=promised, keep=["id", "day"]).receipt
    assert part.promises_kept and part.promises[0].promised == 6
    assert [str(each) for each in part.notes] == [
        "not checked: the promise score <= 100, because score is not kept"
    ]
    first = oc.load(SURVEY.encode(), promised=promised, limit=1).receipt
    assert first.promises_kept and any("only the first rows" in str(note) for note in first.notes)


def test_check_says_how_to_mend_and_fails_on_request(here, tmp_path):
    lines = "".join(f"{n};{n % 7 + 0.5};{'ABC'[n % 3]}\n" for n in range(60))
    (tmp_path / "x.csv").write_text("id;acid;kind\n" + lines.replace(";2.5;", ";999;"))
    done = here("check", "x.csv", "--fail-on", "serious")
    assert done.returncode == 3 and 'fix: declare("acid", missing=[999])' in done.stdout
    assert here("check", "x.csv").returncode == 0
    found = json.loads(here("check", "x.csv", "--json").stdout)["findings"]
    assert found[0]["kind"] == "suspected codes" and found[0]["rows"][:2] == [4, 11]
    assert here("check", "x.csv", "--fail-on", "bad").returncode == 1
    mended = oc.load(tmp_path / "x.csv").declare("acid", missing=[999])
    assert [each.kind for each in mended.check()] == []


def test_commands_print_what_the_library_returns(demo, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    survey = oc.load(oc.Plan.read(demo / "survey.plan.toml"))
    survey.pack("s.parquet")

    def here(*arguments):
        return CliRunner().invoke(app(list(arguments)), arguments)

    runs = {
        ("counts", "replant"): str(survey.counts("replant")),
        ("counts", "village", "--by", "irrigated"): str(survey.counts("village", by="irrigated")),
        ("summary", "hectares", "share"): str(survey.summary(["hectares", "share"])),
        ("patterns", "item_*"): str(survey.missing_patterns("item_*")),
        ("patterns", "item_*", "--overlap"): str(survey.overlap("item_*")),
        ("correlations", "item_*"): str(survey.correlations("item_*")),
        ("check",): str(survey.check()),
        ("compare",): str(oc.compare(survey)),
    }
    for (name, *rest), text in runs.items():
        done = here(name, "s.parquet", *rest)
        assert done.exit_code == 0, done.output
        assert done.stdout == text + "\n" and max(map(len, text.splitlines())) <= 100
        assert json.loads(here(name, "s.parquet", *rest, "--json").stdout)
    for arguments in (("counts", "s.parquet", "replant", "hectares"), ("patterns", "s.parquet")):
        assert here(*arguments, "--picture", "p.svg").exit_code == 0
        assert (tmp_path / "p.svg").read_text().count("<path") > 20
    with pytest.raises(oc.PlanError, match="a picture cannot be written"):
        oc.draw_patterns(survey.missing_patterns(), "p.x")


def test_figures_beyond_binary64_are_said_and_the_others_stand():
    huge = oc.load(b"a,b\n1.7e308,1\n-1.7e308,2\n1.7e308,3\n-1.7e308,4\n").summary()
    assert huge["a"].mean == 0 and huge["a"].sd is None and huge["a"].overflow
    assert huge["b"].mean == 2.5 and not huge["b"].overflow
    assert "so not shown: figures of a" in str(huge)


def test_crossed_tables_say_why_values_are_missing():
    data = b"g;h\nA;x\nB;\n-9;x\n-9;\nA;y\n"
    made = oc.load(data, delimiter=";", missing={"-9": "refused"}).counts("g", by="h")
    assert made.either_missing == 3 and made.down_missing == {"refused": 2}
    assert made.across_missing == {"blank": 2} and made.both_missing == 1
    assert str(made).splitlines()[-4:] == [
        "3 rows of 5 lack a value:",
        "  g: refused 2",
        "  h: blank 2",
        "  both: 1",
    ]


def test_values_of_one_label_are_counted_as_one(here, tmp_path):
    data = "\n".join(["answer", *"1212345599"]) + "\n"
    meanings = {1: "no", 2: "no", (3, 5): "yes"}
    dataset = oc.load(data.encode(), variables={"answer": {"meanings": meanings}})
    made = dataset.counts("answer", by_label=True)
    assert [(each.value, each.cases) for each in made.rows] == [("no", 4), ("yes", 4), (9, 2)]
    assert made.rows[1].running == pytest.approx(0.8)
    with pytest.raises(oc.PlanError, match="by_label"):
        dataset.counts("answer", by="answer", by_label=True)


@settings(max_examples=tries(150), deadline=None)
@given(
    st.lists(st.integers(-5000, 5000), min_size=1, max_size=40),
    st.sampled_from([1, 10, 100, 1000]),
    st.integers(1, 12),
)
def test_bins_are_exact_in_decimals(numbers, scale, bins):
    """Edges are decimals as written; every value is counted, in the bin that holds it."""
    texts = [str(Decimal(each) / scale) for each in numbers]
    made = oc.load(("x\n" + "\n".join(texts) + "\n").encode(), types="number").counts(
        "x", bins=bins
    )
    assert sum(each.cases for each in made.rows) == len(texts)
    assert len(made.rows) <= bins + 2
    low = high = None
    for place, row in enumerate(made.rows):
        low, high = map(Decimal, re.split(" up to | to ", row.value))
        last = place == len(made.rows) - 1
        inside = [t for t in map(Decimal, texts) if low <= t < high or (last and t == high)]
        assert row.cases == len(inside)
    assert made.rows[0].cases


@settings(max_examples=tries(100), deadline=None)
@given(st.timedeltas(dt.timedelta(days=-4000), dt.timedelta(days=4000)))
def test_durations_are_written_as_the_standard_has_them_and_read_back(length):
    from olive_crate.declaration.values import value_text

    text = value_text(length)
    assert re.fullmatch(r"-?P(\d+D)?(T(\d+H)?(\d+M)?(\d+(\.\d+)?S)?)?", text)
    read = oc.load(f"x\n{text}\n".encode(), types="duration")
    assert read["x"].values.to_pylist() == [length]


@pytest.mark.parametrize("exponent", [-300, -170, -100, 0, 100, 160, 290])
def test_standard_deviations_hold_at_every_size(tmp_path, exponent):
    numbers = [f"{1 + each / 8}e{exponent}" for each in range(9)]
    dataset = oc.load(("x\n" + "\n".join(numbers) + "\n").encode(), types="number")
    wanted = statistics.stdev(1 + each / 8 for each in range(9))
    dataset.pack(tmp_path / "x.parquet")
    for each in (dataset, oc.unpack(tmp_path / "x.parquet")):
        assert each.summary()["x"].sd / 10.0**exponent == pytest.approx(wanted, rel=1e-12)


def test_order_statistics_of_dates_and_times_are_in_the_standards_form():
    data = b"d;t;l\n2025-01-01;2025-01-01 08:00:00;-PT2H\n2025-01-02;2025-01-01 09:30:00;PT90M\n"
    made = oc.load(data, delimiter=";", types={"l": "duration"}).summary()
    assert made["d"].min == "2025-01-01" and made["d"].median == "2025-01-01"
    assert made["t"].min == "2025-01-01T08:00:00" and made["t"].median == "2025-01-01T08:45:00"
    assert made["l"].min == "-PT2H" and made["l"].max == "PT1H30M"
