"""Datasets that belong together: added, refreshed, held against one another, handed on."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

GROWERS = "id;village;trees\n" + "".join(f"{n:03};V{n % 3};{n * 10}\n" for n in range(1, 21))
ANSWERS = "case;grower;acid\n" + "".join(f"{n};{n % 20 + 1:03};0,{n}\n" for n in range(1, 41))


def same(one: oc.Dataset, other: oc.Dataset) -> bool:
    return oc.compare(one, other).equal


@pytest.fixture
def season(tmp_path):
    """A crate of two tables that refer to one another, beside their sources."""
    (tmp_path / "raw").mkdir()
    (tmp_path / "raw" / "growers.csv").write_text(GROWERS, "utf-8")
    (tmp_path / "raw" / "answers.csv").write_text(ANSWERS, "utf-8")
    crate = oc.Crate.new(tmp_path / "season", title="Season")
    types = {"id": "text"}
    crate.add(tmp_path / "raw" / "growers.csv", types=types, promised={"key": "id"})
    crate.add(tmp_path / "raw" / "answers.csv", types={"grower": "text"})
    return crate


def states(crate):
    return {each.name: (each.source_state, each.packed) for each in crate.status().tables}


def test_a_crate_is_its_tables(season, tmp_path):
    assert season.names == list(season) == ["growers", "answers"]
    assert len(season) == 2 and "growers" in season and "press" not in season
    assert same(
        season["answers"], oc.load(tmp_path / "raw" / "answers.csv", types={"grower": "text"})
    )
    assert season.plan("growers").promised.key == ("id",)
    again = oc.Crate.open(tmp_path / "season")
    assert again.title == "Season"
    assert states(again) == dict.fromkeys(season, ("unchanged", "packed"))
    assert again.status().is_current
    with pytest.raises(oc.PlanError, match='no table "grower"; did you mean "growers"'):
        season["grower"]
    with pytest.raises(oc.PlanError, match="already"):
        oc.Crate.new(tmp_path / "season")
    with pytest.raises(oc.SourceError, match="no crate"):
        oc.Crate.open(tmp_path / "raw")


def test_only_what_has_changed_is_read_again(season, tmp_path):
    before = season["answers"]
    raw = tmp_path / "raw" / "answers.csv"
    os.utime(raw, (1, 1))
    assert season.status().is_current, "another time, the same bytes"
    raw.write_text(ANSWERS.replace("40;001;0,40\n", "40;001;9,5\n41;002;0,41\n"), "utf-8")
    assert states(season)["answers"] == ("changed", "stale")
    done = season.refresh()
    assert [each.done for each in done.tables] == ["unchanged", "read"]
    assert ("rows", 40, 41) in [(d.what, d.before, d.after) for d in done.tables[1].differences]
    assert ("range", "acid") in [(d.what, d.variable) for d in done.tables[1].differences]
    assert len(season["answers"]) == 41
    assert same(season.dataset("answers", back=1), before)
    found = season.compare("answers", key="case")
    assert (found.rows, found.other_rows) == (40, 41)
    assert [each.name for each in found.differing] == ["acid"]
    assert season.refresh().tables[1].done == "unchanged"
    with pytest.raises(oc.PlanError, match="1 earlier"):
        season.dataset("answers", back=2)


def test_what_is_new_is_told(season, tmp_path):
    raw = tmp_path / "raw" / "growers.csv"
    lines = ["id;village;trees;variety"]
    lines += [
        f"{n:03};{'V9' if n == 20 else 'V' + str(n % 3)};{'' if n < 10 else n * 99};Picual"
        for n in range(1, 21)
    ]
    raw.write_text("\n".join(lines) + "\n", "utf-8")
    told = season.refresh("growers").tables[0]
    found = {(each.what, each.variable): each for each in told.differences}
    assert found["new", "variety"].after == "text"
    assert (found["values", "village"].values, found["values", "village"].count) == (("V9",), 1)
    missing = found["missing", "trees"]
    assert (missing.before, missing.after, missing.reason) == (0.0, 45.0, "blank")
    assert found["mean", "trees"].before == 105
    assert any("variety" in str(each) for each in told.drift)
    raw.write_text("id;village\n" + "".join(f"{n:03};V1\n" for n in range(1, 21)), "utf-8")
    told = season.refresh("growers").tables[0]
    assert told.done == "failed" and "trees" in told.error, "the plan declares what is gone"
    state = season.status().tables[0]
    assert state.error == told.error and len(season["growers"]) == 20
    raw.write_text(GROWERS, "utf-8")
    assert season.refresh().is_well
    assert season.status().is_current


def test_earlier_datasets_are_kept_as_told(tmp_path):
    raw = tmp_path / "a.csv"
    raw.write_text("id\n0\n", "utf-8")
    crate = oc.Crate.new(tmp_path / "crate", keep=2)
    crate.add(raw)
    for number in range(1, 6):
        raw.write_text("id\n" + "1\n" * (number + 1), "utf-8")
        crate.refresh()
    assert [len(crate.dataset("a", back=back)) for back in range(3)] == [6, 5, 4]
    packed = sorted(each.name for each in (tmp_path / "crate" / "packed").iterdir())
    assert packed == [f"a-{n}.{kind}" for n in (4, 5, 6) for kind in ("json", "parquet")]


def test_a_moved_source_is_found_by_its_bytes(season, tmp_path, command):
    inside = tmp_path / "season" / "moved" / "answers of the survey.csv"
    inside.parent.mkdir()
    shutil.move(tmp_path / "raw" / "answers.csv", inside)
    state = season.status().tables[1]
    assert (state.source_state, state.moved_to) == ("moved", "moved/answers of the survey.csv")
    assert season.refresh("answers").tables[0].done == "failed"
    told = command("crate", "status", "season")
    assert told.returncode == 3
    assert "--take-moved" in told.stdout
    assert season.refresh("answers", take_moved=True).is_well
    assert states(season)["answers"] == ("unchanged", "packed")
    inside.unlink()
    assert states(season)["answers"] == ("gone", "packed")


def test_a_changed_plan_makes_a_dataset_stale(season, tmp_path):
    path = tmp_path / "season" / "plans" / "answers.plan.toml"
    path.write_text(path.read_text("utf-8").replace('name = "acid"', 'name = "acid"\nlabel = "x"'))
    state = season.status().tables[1]
    assert (state.packed, state.plan_changed) == ("stale", True)
    assert season.refresh().tables[1].done == "read"
    assert season["answers"]["acid"].variable.label == "x"


def test_codes_are_shared_by_all_tables(season, tmp_path):
    file = tmp_path / "season" / "crate.toml"
    shared = '[missing]\ncodes = [{ value = 10, reason = "not counted" }]\n'
    sets = '[meaning_sets]\nvillages = { V0 = "Alcaria", V1 = "Olmeda", V2 = "Robledo" }\n'
    file.write_text("# ours\n" + file.read_text("utf-8") + shared + sets, "utf-8")
    assert {each[1] for each in states(season).values()} == {"stale"}
    assert season.refresh().is_well
    assert season["growers"]["trees"].why(0) == "not counted"
    plan = tmp_path / "season" / "plans" / "growers.plan.toml"
    text = plan.read_text("utf-8").replace(
        'name = "village"', 'name = "village"\nmeanings = "villages"'
    )
    plan.write_text(text, "utf-8")
    assert season.refresh("growers").is_well
    assert season["growers"]["village"].variable.meanings[0].label == "Alcaria"
    assert file.read_text("utf-8").startswith("# ours\n"), "comments stay"


def test_relations_are_promised(season, tmp_path):
    season.relate("answers", "grower", "growers", "id")
    assert season.refresh().relations[0].kept
    raw = tmp_path / "raw" / "answers.csv"
    raw.write_text(ANSWERS + "41;777;0,4\n42;778;0,4\n43;777;0,4\n", "utf-8")
    done = season.refresh()
    assert not done.is_well
    state = done.relations[0]
    assert (state.cases, state.unmatched, state.examples) == (43, 3, ("777", "778"))
    assert season.status().relations == (state,)
    (tmp_path / "raw" / "growers.csv").write_text(GROWERS + "001;V1;5\n", "utf-8")
    state = season.refresh().relations[0]
    assert (state.kept, state.doubled) == (False, 1)
    with pytest.raises(oc.PlanError, match='no variable "grove"'):
        season.relate("answers", "grove", "growers", "id")
    with pytest.raises(oc.PlanError, match="unequal"):
        season.relate("answers", ["grower", "case"], "growers", "id")
    with pytest.raises(oc.PlanError, match="relation"):
        season.remove("growers")
    season.rename("growers", "members")
    assert season.relations[0].to_table == "members"
    season.unrelate("answers", "members")
    season.remove("members")
    assert oc.Crate.open(tmp_path / "season").names == ["answers"]


@given(
    here=st.lists(st.integers(0, 30), min_size=1, max_size=40),
    there=st.lists(st.integers(0, 30), min_size=1, max_size=40),
    kinds=st.sampled_from([("integer", "integer"), ("text", "text"), ("integer", "text")]),
)
@settings(max_examples=tries(25))
def test_a_relation_is_what_sets_say(tmp_path_factory, here, there, kinds):
    folder = tmp_path_factory.mktemp("crate")
    for name, values in (("a", here), ("b", there)):
        (folder / f"{name}.csv").write_text("id\n" + "".join(f"{v}\n" for v in values), "utf-8")
    crate = oc.Crate.new(folder / "crate")
    for name, kind in zip("ab", kinds, strict=True):
        crate.add(folder / f"{name}.csv", types={"id": kind}, rows={"names": 1, "data": "2.."})
    crate.relate("a", "id", "b", "id")
    state = crate.refresh(again=True).relations[0]
    lacking = [each for each in here if each not in there]
    assert (state.cases, state.unmatched) == (len(here), len(lacking))
    assert state.examples == tuple(map(str, dict.fromkeys(lacking)))[:5]
    assert state.doubled == sum(there.count(each) > 1 for each in set(there))
    assert state.kept == (not lacking and len(set(there)) == len(there))


def test_keys_say_who_meets_whom(season, tmp_path):
    (tmp_path / "raw" / "yields.csv").write_text(
        "number;yield\n" + "".join(f"{n};{n / 7:.3f}\n" for n in range(1, 16)), "utf-8"
    )
    season.add(tmp_path / "raw" / "yields.csv")
    keys = season.keys()
    assert ("growers", ("id",)) in [(each.table, each.variables) for each in keys.candidates]
    found = {each.relation.name: each for each in keys.shared}
    met = found["growers.id -> answers.grower"]
    assert (met.kind, met.cases, met.matched, met.to_cases, met.to_matched) == (
        "one to many",
        20,
        20,
        40,
        40,
    )
    assert "yield" not in str(keys).split("values in common")[1], "measurements are no keys"
    (tmp_path / "raw" / "press.csv").write_text(
        "id;press\n" + "".join(f" {n} ;P{n % 2}\n" for n in range(1, 21)), "utf-8"
    )
    season.add(tmp_path / "raw" / "press.csv", types={"id": "text"}, trim=False)
    padded = next(
        each
        for each in season.keys("growers", "press").shared
        if each.relation.variables == ("id",)
    )
    assert padded.matched == 0 and {"blanks", "leading zeros"} <= set(padded.notes)
    both = season.keys("answers", "growers", together=[("answers", ["grower", "case"])])
    assert ("grower", "case") in [each.variables for each in both.candidates]


def test_a_sealed_crate_is_the_crate(season, tmp_path, monkeypatch):
    season.relate("answers", "grower", "growers", "id")
    season.refresh()
    listed = season.seal(only_list=True, sources=True)
    assert not listed.written and not (tmp_path / "season.zip").exists()
    made = season.seal(tmp_path / "season.zip", sources=True)
    assert {each.name for each in listed.files} < {each.name for each in made.files}
    shutil.rmtree(tmp_path / "raw")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "somebody else"))
    there = oc.Crate.open(tmp_path / "season.zip")
    assert there.names == season.names and there.title == "Season"
    for name in season:
        assert same(season[name], there[name])
        assert season[name].variables == there[name].variables
    assert there.relations == season.relations
    assert there.verify().is_whole and oc.verify(tmp_path / "season.zip").is_whole
    for call in (lambda: there.refresh(), lambda: there.remove("growers")):
        with pytest.raises(oc.PlanError, match="sealed"):
            call()
    with zipfile.ZipFile(tmp_path / "season.zip") as archive:
        for name in archive.namelist():
            assert str(tmp_path).encode() not in archive.read(name), name
        kinds = {each.filename: each.compress_type for each in archive.infolist()}
        archive.extractall(tmp_path / "taken out")
    assert all(kinds[name] == zipfile.ZIP_STORED for name in kinds if name.endswith(".parquet"))
    out = oc.Crate.open(tmp_path / "taken out")
    assert states(out) == dict.fromkeys(out, ("unchanged", "packed"))
    assert out.refresh(again=True).is_well, "it reads its own sources"
    with pytest.raises(oc.PlanError, match="already exists"):
        season.seal(tmp_path / "season.zip")


def test_a_sealed_crate_is_a_bag(season, tmp_path):
    season.seal(tmp_path / "season.zip")
    with zipfile.ZipFile(tmp_path / "season.zip") as archive:
        held = {each: archive.read(each) for each in archive.namelist()}
    assert held["bagit.txt"] == b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
    payload = {each for each in held if each.startswith("data/")}
    listed = dict(
        line.split("  ")[::-1] for line in held["manifest-sha256.txt"].decode().splitlines()
    )
    assert set(listed) == payload
    size = sum(len(held[each]) for each in payload)
    assert f"Payload-Oxum: {size}.{len(payload)}".encode() in held["bag-info.txt"]
    group = json.loads(held["data/csvw-metadata.json"])
    assert [each["url"] for each in group["tables"]] == ["text/growers.csv", "text/answers.csv"]
    assert b"default-src 'none'" in held["data/README.html"]

    def changed(name, data):
        with zipfile.ZipFile(tmp_path / "other.zip", "w") as archive:
            for each, own in held.items():
                if each != name or data is not None:
                    archive.writestr(each, data if each == name else own)
            if name not in held:
                archive.writestr(name, data)
        return oc.verify(tmp_path / "other.zip")

    assert changed("none", b"").problems == (), "what is beside the payload is nobody's"
    assert changed("data/extra", b"").problems == ("data/extra is in no manifest",)
    assert changed("data/README.html", b"x").problems == ("data/README.html has changed",)
    assert changed("data/README.html", None).problems == ("data/README.html is gone",)
    packed = next(each for each in held if each.endswith(".parquet"))
    damaged = bytearray(held[packed])
    damaged[len(damaged) // 2] ^= 1
    assert not changed(packed, bytes(damaged)).is_whole


@pytest.mark.parametrize("name", ["../out.txt", "/out.txt", "data/../../out.txt", "C:\\out.txt"])
def test_members_that_lead_outside_are_refused(season, tmp_path, name):
    season.seal(tmp_path / "season.zip")
    with zipfile.ZipFile(tmp_path / "season.zip", "a") as archive:
        archive.writestr(zipfile.ZipInfo(name), b"x")
    with pytest.raises(oc.SourceError, match="leads outside"):
        oc.Crate.open(tmp_path / "season.zip")


def test_a_table_group_from_elsewhere_is_a_crate(season, tmp_path):
    season.relate("answers", "grower", "growers", "id")
    season.seal(tmp_path / "season.zip")
    with zipfile.ZipFile(tmp_path / "season.zip") as archive:
        archive.extractall(tmp_path / "out")
    made = oc.Crate.new(tmp_path / "made", group=tmp_path / "out" / "data" / "csvw-metadata.json")
    assert made.names == season.names and made.relations == season.relations
    for name in season:
        for variable in season[name].names:
            assert (
                made[name][variable].values.to_pylist() == season[name][variable].values.to_pylist()
            )
    assert made.refresh(again=True).is_well


BAD = {
    "[tables.a]\nplan = '../a.plan.toml'": "leads out",
    "[tables.a]\nplan = '/a.plan.toml'": "leads out",
    "[tables.a]\nplan = 'a.plan.toml'\npacked = 'x/../../a'": "leads out",
    "[tables.a]\nplan = 5": "expected",
    "[tables.a]\nplan = 'a'\nparked = 'b'": "parked",
    "[tables.'a/b']\nplan = 'a'": "cannot be a table's name",
    "tabels = 5": 'did you mean "tables"',
    "relations = 5": "relations",
    "[[relations]]\nfrom = 'a.b'": "expected from",
    "[[relations]]\nfrom = {table='a', variables=['b']}\nto = {table='c'}": "expected to",
    "missing = 5": "sections",
    "title = ": "TOML",
}


@pytest.mark.parametrize("text", BAD)
def test_a_wrong_crate_file_is_told(tmp_path, text):
    (tmp_path / "crate.toml").write_text(text, "utf-8")
    with pytest.raises(oc.PlanError, match=BAD[text]) as caught:
        oc.Crate.open(tmp_path)
    assert "crate.toml" in str(caught.value)


def test_nothing_is_added_that_cannot_be_read(season, tmp_path):
    before = sorted(map(str, (tmp_path / "season").rglob("*")))
    bad = tmp_path / "bad.csv"
    bad.write_bytes(b'a,b\n1,"x\n')
    for call, error in (
        (lambda: season.add(tmp_path / "none.csv"), oc.SourceError),
        (lambda: season.add(bad, quote='"', copy=True), oc.OliveCrateError),
        (lambda: season.add(b"id\n1\n", name="bytes"), oc.PlanError),
        (lambda: season.add(tmp_path / "raw" / "answers.csv"), oc.PlanError),
        (lambda: season.add(tmp_path / "raw" / "answers.csv", name="a/b"), oc.PlanError),
    ):
        with pytest.raises(error):
            call()
    left = [each for each in map(str, (tmp_path / "season").rglob("*")) if each not in before]
    assert left in ([], [str(tmp_path / "season" / "sources")])
    assert season.names == ["growers", "answers"]


def test_a_crate_can_be_moved(season, tmp_path):
    season.add(tmp_path / "raw" / "answers.csv", name="copied", copy=True)
    shutil.move(tmp_path / "season", tmp_path / "elsewhere")
    there = oc.Crate.open(tmp_path / "elsewhere")
    assert len(there["copied"]) == 40
    assert states(there)["copied"] == ("unchanged", "packed")


KILLED = """
import sys
import olive_crate as oc
oc.Crate.open(sys.argv[1]).refresh(again=True)
"""


@pytest.mark.parametrize("wait", [0.25, 0.4, 0.5, 0.6, 0.7, 0.9])
def test_a_killed_refresh_leaves_a_whole_crate(season, tmp_path, wait):
    running = subprocess.Popen([sys.executable, "-c", KILLED, str(tmp_path / "season")])
    time.sleep(wait)
    running.send_signal(signal.SIGKILL)
    running.wait()
    crate = oc.Crate.open(tmp_path / "season")
    assert len(crate["growers"]) == 20 and len(crate["answers"]) == 40
    assert crate.verify().is_whole
    assert crate.refresh(again=True).is_well
    left = [each.name for each in (tmp_path / "season").rglob("*") if each.name.startswith(".")]
    assert left == []


def test_two_runs_do_not_meet(season, tmp_path):
    (tmp_path / "season" / ".crate.lock").write_text(
        json.dumps({"process": os.getppid(), "host": __import__("socket").gethostname()}), "utf-8"
    )
    with pytest.raises(oc.TargetError, match="another run"):
        season.refresh()


def test_the_commands_do_what_the_library_does(tmp_path, here, demo):
    shutil.copytree(demo, tmp_path / "data")
    assert here("crate", "new", "season", "--title", "The season").returncode == 0
    for name in ("deliveries.plan.toml", "survey.plan.toml", "panel_2025.xlsx"):
        done = here("crate", "add", f"data/{name}", "--crate", "season")
        assert done.returncode == 0, done.stderr
    told = here("crate", "status", "season")
    assert told.returncode == 0 and "nothing to refresh" in told.stdout
    plain = json.loads(here("crate", "status", "season", "--json").stdout)
    assert plain["current"] and [each["rows"] for each in plain["tables"]] == [1298, 320, 90]
    assert "candidate keys" in here("crate", "keys", "-c", "season").stdout
    done = here("crate", "relate", "survey.q_id", "panel_2025.Sample", "-c", "season")
    assert "survey.q_id -> panel_2025.Sample" in done.stdout
    done = here("crate", "refresh", "-c", "season")
    assert done.returncode == 3 and "not kept" in done.stdout
    assert (
        here("crate", "relate", "survey", "panel_2025", "-c", "season", "--remove").returncode == 0
    )
    assert here("crate", "refresh", "survey", "--again", "-c", "season").returncode == 0
    assert here("crate", "compare", "survey", "-c", "season").returncode == 0
    assert "data/crate.toml" in here("crate", "seal", "season", "--list").stdout
    assert here("crate", "seal", "season", "-o", "season.zip").returncode == 0
    assert "whole" in here("verify", "season.zip").stdout
    assert here("crate", "rename", "survey", "growers", "-c", "season").returncode == 0
    assert here("crate", "remove", "growers", "-c", "season").returncode == 0
    assert oc.Crate.open(Path(tmp_path, "season")).names == ["deliveries", "panel_2025"]
    refused = here("crate", "status", "data")
    assert refused.returncode == 1 and "no crate" in refused.stderr


def test_addresses_are_asked_only_when_told(tmp_path, monkeypatch):
    """A table of the web: read at each refresh, asked for at a status only if that is wanted."""
    from olive_crate.demo.server import serving

    monkeypatch.setattr(time, "sleep", lambda _seconds: None)  # as between attempts
    crate = oc.Crate.new(tmp_path / "crate")
    with serving(0) as server:
        crate.add(f"{server.address}/harvest.html", table="tanks", name="tanks")
        crate.add(f"{server.address}/news.atom", name="news")
        assert states(crate) == dict.fromkeys(crate, ("not asked", "packed"))
        asked = crate.status(online=True).tables
        assert [each.source_state for each in asked] == ["reachable", "reachable"]
        done = crate.refresh()
        assert [each.done for each in done.tables] == ["read", "read"]
        assert len(crate["news"]) > len(crate.dataset("news", back=1)), "the feed has gone on"
    assert states(crate) == dict.fromkeys(crate, ("not asked", "packed"))
    assert {each.source_state for each in crate.status(online=True).tables} == {"unreachable"}
    done = crate.refresh("tanks")
    assert done.tables[0].done == "failed" and len(crate["tanks"]) == 5


def test_what_a_run_has_left_unnamed_is_swept_away(season, tmp_path):
    packed = tmp_path / "season" / "packed"
    for name in ("answers-7.parquet", "answers-7.json", "gone-1.parquet"):
        (packed / name).write_bytes(b"half")
    (packed / "notes.txt").write_text("ours", "utf-8")
    season.refresh("answers", again=True)
    left = {each.name for each in packed.iterdir()}
    named = {f"{name}-1.{kind}" for name in season for kind in ("json", "parquet")}
    assert left == named | {"answers-2.json", "answers-2.parquet", "notes.txt"}
    assert len(season["answers"]) == 40 and len(season.dataset("answers", back=1)) == 40


def test_shared_meanings_are_named_not_repeated(season, tmp_path):
    file = tmp_path / "season" / "crate.toml"
    sets = '[meaning_sets]\nvillages = { V0 = "Alcaria", V1 = "Olmeda", V2 = "Robledo" }\n'
    file.write_text(file.read_text("utf-8") + sets, "utf-8")
    plan = tmp_path / "season" / "plans" / "growers.plan.toml"
    named = plan.read_text("utf-8").replace(
        'name = "village"', 'name = "village"\nmeanings = "villages"'
    )
    plan.write_text(named, "utf-8")
    assert season.refresh("growers").is_well
    shutil.move(tmp_path / "raw" / "growers.csv", tmp_path / "season" / "moved.csv")
    assert season.refresh("growers", take_moved=True).is_well
    season.seal(tmp_path / "season.zip", sources=True)
    with zipfile.ZipFile(tmp_path / "season.zip") as archive:
        sealed = archive.read("data/plans/growers.plan.toml").decode()
        archive.extractall(tmp_path / "out")
    for text in (plan.read_text("utf-8"), sealed):
        assert 'meanings = "villages"' in text and "Alcaria" not in text
    out = oc.Crate.open(tmp_path / "out")
    assert states(out)["growers"] == ("unchanged", "packed")
    assert out["growers"]["village"].variable.meanings[2].label == "Robledo"


def test_a_set_with_an_archive_is_known_by_all_of_its_files(tmp_path):
    for name in ("a", "b"):
        (tmp_path / f"{name}.csv").write_text("id\n1\n", "utf-8")
    with zipfile.ZipFile(tmp_path / "c.zip", "w") as archive:
        archive.write(tmp_path / "a.csv", "one.csv")
        archive.write(tmp_path / "b.csv", "two.csv")
    crate = oc.Crate.new(tmp_path / "crate")
    crate.add([tmp_path / "a.csv", tmp_path / "c.zip"], name="both")
    assert len(crate["both"]) == 3 and crate.status().is_current
    with zipfile.ZipFile(tmp_path / "c.zip", "w") as archive:
        archive.writestr("one.csv", "id\n1\n2\n")
        archive.writestr("two.csv", "id\n1\n")
    assert states(crate)["both"] == ("changed", "stale")
    assert crate.refresh().tables[0].rows == 4


def test_a_crate_from_elsewhere_says_what_it_may_not_open(season, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "somebody else"))
    foreign = oc.Crate.open(tmp_path / "season")
    assert len(foreign["answers"]) == 40
    state = foreign.status().tables[1]
    assert state.source_state == "unreachable" and 'trust="files"' in state.error
    assert foreign.refresh("answers", again=True).tables[0].done == "failed"
    trusted = oc.Crate.open(tmp_path / "season", trust="files")
    assert trusted.refresh("answers", again=True).is_well
    assert states(trusted)["answers"] == ("unchanged", "packed")


def test_what_a_refresh_found_is_values(season, tmp_path):
    """Promises and drift are what they are elsewhere, and have their words in JSON."""
    raw = tmp_path / "raw" / "growers.csv"
    raw.write_text(
        "place;" + GROWERS.replace("002;", "001;").replace("\n", "\nx;").removesuffix("x;"), "utf-8"
    )
    done = season.refresh("growers")
    told = done.tables[0]
    assert [type(each).__name__ for each in told.broken] == ["UniqueKey"]
    assert [each.names for each in told.drift] == [("place",)]
    plain = json.loads(json.dumps(done.to_dict()))["tables"][0]
    assert plain["drift"][0]["text"] == str(told.drift[0]) and plain["broken"][0]["kept"] is False
    assert season.status().tables[0].drift == 1
    assert season.refresh("growers", again=True).tables[0].drift == (), "it has been told"


@pytest.mark.parametrize(
    ("here", "there", "notes"),
    [
        (["001", "002", "003"], ["1", "2", "3"], ("leading zeros",)),
        ([" a1", "b2 ", "c3"], ["a1", "b2", "c3"], ("blanks",)),
        (["A1", "B2", "C3"], ["a1", "b2", "c3"], ("case of letters",)),
        ([" 01", " 02", " 03"], ["1", "2", "3"], ("leading zeros", "blanks")),
        (["a1", "b2", "c3"], ["a1", "b2", "x9"], ()),
        (["a1", "b2", "c3"], ["x7", "x8", "x9"], None),
    ],
)
def test_why_keys_do_not_meet_is_tried_not_guessed(tmp_path, here, there, notes):
    crate = oc.Crate.new(tmp_path / "crate")
    for name, values in (("here", here), ("there", there)):
        (tmp_path / f"{name}.csv").write_text("code;n\n" + "".join(f"{v};1\n" for v in values))
        crate.add(tmp_path / f"{name}.csv", types={"code": "text"}, trim=False)
    shared = [each for each in crate.keys().shared if each.relation.variables == ("code",)]
    if notes is None:
        assert shared == []
    else:
        assert [each.notes for each in shared] == [notes]


NAMES = st.text(st.characters(exclude_categories=["Cs"]), min_size=1, max_size=12)


@given(st.dictionaries(NAMES, st.binary(max_size=20), min_size=1, max_size=6))
@settings(max_examples=tries(60))
def test_a_manifest_reads_back_as_it_was_written(files):
    """Names with line ends and percent signs, too (RFC 8493, 2.1.3)."""
    import hashlib

    from olive_crate.crate.bags import listed_in, manifest

    sums = {name: hashlib.sha256(data).hexdigest() for name, data in files.items()}
    usual = {name: known for name, known in sums.items() if name[0] not in " *." and name.split()}
    assert listed_in(manifest(usual).encode("utf-8")) == (usual, [])
