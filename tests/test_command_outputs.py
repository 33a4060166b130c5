"""What each command prints: the library's values, within the width, and one line where it fails."""

from __future__ import annotations

import itertools
import json
import re
import unicodedata

import pytest

import olive_crate as oc
from olive_crate.cli import COMMANDS

SURVEY = "grower,village,trees,acid,day,fruity,bitter,pungent\n" + "".join(
    f"G{n:03},{('Olmeda', 'Alcaria', 'a village with a rather long name, by the river')[n % 3]},"
    f"{n * 37 % 400},{'n.d.' if n % 11 == 0 else f'{n % 90 / 100:.2f}'},2025-10-{n % 28 + 1:02d},"
    f"{n % 5},{'' if n % 7 == 0 else n % 4},{97 if n % 13 == 0 else n % 6}\n"
    for n in range(1, 201)
)
PLAIN = {
    "look": ("look", "survey.csv"),
    "look of a set": ("look", "survey.csv", "second.csv"),
    "draft": ("draft", "survey.csv", "-o", "made.plan.toml"),
    "pack": ("pack", "survey.csv", "-o", "made.parquet"),
    "pack of a set": ("pack", "survey.csv", "second.csv", "-o", "made"),
    "codebook": ("codebook", "survey.parquet"),
    "one variable": ("codebook", "survey.parquet", "--variable", "acid"),
    "counts": ("counts", "survey.parquet", "fruity", "village"),
    "crossed": ("counts", "survey.parquet", "fruity", "--by", "village"),
    "bins": ("counts", "survey.parquet", "trees", "--bins", "5"),
    "summary": ("summary", "survey.parquet"),
    "patterns": ("patterns", "survey.parquet"),
    "correlations": ("correlations", "survey.parquet"),
    "check": ("check", "survey.parquet"),
    "compare": ("compare", "survey.parquet", "survey.csv"),
    "trace": ("trace", "survey.csv", "acid", "12"),
    "verify": ("verify", "survey.parquet"),
    "export": ("export", "survey.parquet", "made.csv"),
}


@pytest.fixture
def survey(tmp_path):
    """The survey as text and packed, and a second file of it, where the command runs."""
    (tmp_path / "survey.csv").write_text(SURVEY)
    (tmp_path / "second.csv").write_text(SURVEY.replace("G0", "H0"))
    oc.pack(tmp_path / "survey.csv", tmp_path / "survey.parquet")
    return tmp_path


def columns(line: str) -> int:
    """Columns that a line takes in a terminal."""
    wide = sum(unicodedata.east_asian_width(char) in "WF" for char in line)
    return len(line) + wide - sum(bool(unicodedata.combining(char)) for char in line)


@pytest.mark.parametrize("case", PLAIN)
def test_what_is_printed_fits_and_says_something(case, survey, here):
    done = here(*PLAIN[case])
    assert done.returncode in ((0, 3) if case == "compare" else (0,)), done.stderr
    assert done.stderr == ""
    lines = done.stdout.splitlines()
    assert lines and max(map(columns, lines)) <= 100
    assert not [line for line in lines if re.search(r"None|nan\b|<[\w.]+ object|Error\(", line)]
    assert not any(one == two == "" for one, two in itertools.pairwise(lines))


JSON = {
    "codebook": lambda ds: ds.codebook().to_dict(),
    "summary": lambda ds: ds.summary().to_dict(),
    "patterns": lambda ds: ds.missing_patterns().to_dict(),
    "check": lambda ds: ds.check().to_dict(),
    "correlations": lambda ds: ds.correlations().to_dict(),
}


@pytest.mark.parametrize("name", JSON)
def test_json_is_what_the_library_says(name, survey, here):
    done = here(name, "survey.parquet", "--json")
    assert done.returncode == 0
    wanted = JSON[name](oc.unpack(survey / "survey.parquet"))
    assert json.loads(done.stdout) == json.loads(json.dumps(wanted, default=str))


FAILING = {
    "a file that is not there": (("look", "survy.csv"), 1, 'did you mean "survey.csv"'),
    "a packed file that is not there": (("codebook", "survy.parquet"), 1, "survey.parquet"),
    "a variable that is not there": (("counts", "survey.parquet", "fruty"), 1, '"fruity"'),
    "no such command": (("lok", "survey.csv"), 2, "lok"),
    "no such option": (("look", "survey.csv", "--delimeter", ";"), 2, "--delimiter"),
    "an argument too few": (("counts", "--by", "village"), 2, "SOURCE"),
    "a value that cannot be": (("look", "survey.csv", "--encoding", "utf-9"), 1, "utf-9"),
    "two ways to write": (("export", "survey.parquet", "made.docx"), 1, ".docx"),
    "what is there already": (("pack", "survey.csv", "-o", "survey.parquet"), 1, "--replace"),
    "a folder for a file": (("pack", "survey.csv", "-o", "."), 1, "folder"),
    "bins of crossed variables": (
        ("counts", "survey.parquet", "trees", "--by", "village", "--bins", "3"),
        1,
        "bins",
    ),
    "a row that is not there": (("trace", "survey.csv", "acid", "999"), 1, "999"),
    "a plan that is none": (("look", "survey.csv", "--plan", "survey.csv"), 1, "survey.csv"),
}


@pytest.mark.parametrize("case", FAILING)
def test_what_fails_is_one_message_with_its_status(case, survey, here):
    arguments, status, words = FAILING[case]
    done = here(*arguments)
    assert done.returncode == status and done.stdout == ""
    assert words in done.stderr and "Traceback" not in done.stderr
    if status == 1:
        assert done.stderr.startswith("olive-crate: ") and done.stderr.count("\n") == 1
        assert "internal error" not in done.stderr and "=True" not in done.stderr


@pytest.mark.parametrize("name", COMMANDS)
def test_each_help_page_names_its_options_and_fits(name, here):
    done = here(name, "--help")
    assert done.returncode == 0 and done.stderr == ""
    lines = done.stdout.splitlines()
    assert f" {name} [OPTIONS]" in done.stdout and max(map(columns, lines)) <= 100
    assert "--json" in done.stdout or name in ("crate", "draft", "demo", "report", "settle")
    assert not [line for line in lines if line.rstrip().endswith(("None", "TEXT"))]
