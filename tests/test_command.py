"""The command prints what the library returns, and its exit status tells how it went."""

from __future__ import annotations

import json
import runpy
from pathlib import Path

import pytest

import olive_crate as oc
from olive_crate.demo.walk import STEPS

FILE = (
    "Grove survey\n\nplot|trees|yield|note\n|n|kg/ha|\n"
    + "".join(
        f"P{n:03d}|{40 + n % 9}|{800 + n}.5|{'late' if n % 7 else 'n.d.'}\n" for n in range(60)
    )
    + "Sum|2600||\n"
)


@pytest.fixture
def survey(tmp_path: Path) -> Path:
    path = tmp_path / "survey.txt"
    path.write_text(FILE, "utf-16")
    return path


def test_the_path_from_look_to_codebook(command, survey):
    look = command("look", survey)
    assert look.returncode == 0 and max(map(len, look.stdout.splitlines())) <= 100
    assert " 3  names   plot|trees|yield|note" in look.stdout
    assert "65  skip    Sum|2600||" in look.stdout

    draft = command("draft", survey, "-o", "survey.plan.toml")
    assert draft.returncode == 0 and "wrote survey.plan.toml: 4 variables" in draft.stdout

    packed = command("pack", "survey.plan.toml")
    assert packed.returncode == 0
    assert "60 rows of data, 4 variables" in packed.stdout
    assert "balanced: 65 lines and 240 cells accounted for" in packed.stdout

    again = command("pack", "survey.plan.toml")
    assert again.returncode == 1 and "already exists; use --replace" in again.stderr
    assert command("pack", "survey.plan.toml", "--replace").returncode == 0

    book = command("codebook", "survey.parquet")
    assert "kg/ha" in book.stdout and "800.5 … 859.5" in book.stdout
    detail = command("codebook", "survey.parquet", "--variable", "yield")
    assert "unit      kg/ha" in detail.stdout


def test_json_says_the_same(here, survey):
    look = json.loads(here("look", survey, "--json").stdout)
    assert look["delimiter"] == "|" and look["rows"][2] == {
        "row": 3,
        "part": "names",
        "text": "plot|trees|yield|note",
    }
    receipt = json.loads(here("pack", survey, "--json").stdout)
    assert receipt["balanced"] and receipt["rows"] == 60
    book = json.loads(here("codebook", "survey.parquet", "--json").stdout)
    assert [each["variable"]["name"] for each in book["entries"]] == [
        "plot",
        "trees",
        "yield",
        "note",
    ]
    assert "variable" in json.loads(here("draft", survey, "--json").stdout)


def test_options_of_the_command_are_those_of_the_library(here, tmp_path):
    (tmp_path / "x.txt").write_text("a~~b\n# no\n1~~5,0\n-9~~6,5\n7~~x\n")
    done = here(
        *("pack", "x.txt", "--delimiter", "~~", "--decimal", ",", "--comment", "#"),
        *("--type", "b=number", "--missing", "-9=refused", "--names-row", "1", "--data", "2.."),
    )
    assert done.returncode == 0, done.stderr
    dataset = oc.unpack(tmp_path / "x.parquet")
    assert dataset["a"].reason_counts() == {"refused": 1}
    assert dataset["b"].values.to_pylist() == [5.0, 6.5, None]
    assert "row 5 b: “x” is not a number" in done.stdout


def test_standard_input_and_limits(command, survey):
    done = command("look", "-")
    assert done.returncode == 0 and "empty" in done.stdout
    code = command("draft", survey, "--code", "--limit", "3")
    assert "import olive_crate as oc" in code.stdout and "limit=3" in code.stdout


WRONG_USAGE = [
    ("look",),
    ("look", "a", "--nonsense"),
    ("peel", "x"),
    ("look", "a", "--names-row", "x"),
]


@pytest.mark.parametrize("arguments", WRONG_USAGE)
def test_wrong_usage_ends_with_2(command, arguments):
    done = command(*arguments)
    assert done.returncode == 2 and done.stdout == "" and "Usage:" in done.stderr


@pytest.mark.parametrize("name", ["look", "draft", "pack", "codebook", "check"])
def test_a_misspelt_flag_is_told_with_those_it_may_be(here, survey, name):
    """Also beside flags that are known, of which alone the parameters are made."""
    told = here(name, survey, "--decimal", ",", "--delimter", ";")
    assert told.returncode == 2
    assert "No such option: --delimter" in told.stderr and "--delimiter" in told.stderr


def test_a_wrong_plan_ends_with_1(command, tmp_path):
    (tmp_path / "p.toml").write_text("[rows]\nname = 1\n")
    done = command("pack", "p.toml")
    assert done.returncode == 1 and done.stderr.startswith("olive-crate: p.toml: rows: unknown key")


def test_the_demo_walks_through_the_whole_path(command, tmp_path):
    done = command("demo", "walk")
    assert done.returncode == 0, done.stderr
    assert "balanced: 1,331 lines and 24,662 cells accounted for" in done.stdout
    assert done.stdout.count("\n$ olive-crate ") == len(STEPS)
    (tmp_path / "walk" / "mine.txt").write_text("keep me")
    assert command("demo", "walk").returncode == 1
    assert (tmp_path / "walk" / "mine.txt").exists()


BARE = """
import sys
from importlib.machinery import PathFinder

EXTRA = {"sqlalchemy", "selectolax", "xlsxwriter", "matplotlib", "jinja2", "dask", "psycopg"}


class Without(PathFinder):
    @classmethod
    def find_spec(cls, name, path=None, target=None):
        return None if name in EXTRA else super().find_spec(name, path, target)


sys.meta_path[:] = [Without if each is PathFinder else each for each in sys.meta_path]
"""
"""What makes Python start as if the extras were not installed."""


def test_the_demo_leaves_out_what_needs_an_extra_and_ends_well(command, tmp_path, monkeypatch):
    (tmp_path / "start").mkdir()
    (tmp_path / "start" / "sitecustomize.py").write_text(BARE)
    monkeypatch.setenv("PYTHONPATH", str(tmp_path / "start"))
    done = command("demo", "walk")
    assert done.returncode == 0, done.stderr
    out = done.stdout
    assert out.count("\n$ olive-crate ") == len(STEPS)
    left_out = out.count('left out: it needs pip install "olive-crate[')
    assert left_out == sum(bool(step.extra) for step in STEPS) > 0
    assert "mill.zip" in out


@pytest.mark.parametrize(
    "path", sorted((Path(__file__).parent.parent / "examples").glob("*.py")), ids=lambda p: p.stem
)
def test_examples_run(path, tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    runpy.run_path(str(path), run_name="__main__")
    assert capsys.readouterr().out
