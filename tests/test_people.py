"""What people meet at a terminal and in a notebook: help, colour, widths, completion, progress."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys

import pytest
from conftest import browser

import olive_crate as oc
from olive_crate.cli import SENTENCES
from olive_crate.cli.help import STEPS
from olive_crate.show.progress import amount_words

LAB = "id,acid,grade\n" + "".join(
    f"{n},{'n.d.' if n % 9 == 0 else n / 100},{'A' if n % 3 else 'B'}\n" for n in range(1, 60)
)
ESCAPE = "\x1b["


@pytest.fixture
def lab(tmp_path):
    (tmp_path / "lab.csv").write_text(LAB)
    return tmp_path


def test_help_lists_every_command_once_by_step_and_cuts_none(here):
    text = here("--help").stdout
    lines = text.splitlines()
    for step, names in STEPS.items():
        at = lines.index(f"{step}:")
        for line, name in zip(lines[at + 1 :], names, strict=False):
            assert line.split()[0] == name and len(line) <= 80
    assert "..." not in text.replace("[ARGS]...", "")


@pytest.mark.parametrize("name", SENTENCES)
def test_the_list_says_what_the_page_of_a_command_says(name, here):
    page = " ".join(here(name, "--help").stdout.split())
    assert SENTENCES[name] in page


@pytest.mark.parametrize("name", SENTENCES)
def test_a_short_page_is_short_and_the_long_one_has_all(name, here):
    short, long = here(name, "--help"), here(name, "--help-all")
    assert short.returncode == 0 and len(short.stdout.splitlines()) <= 60
    if "--help-all" in short.stdout:
        assert long.returncode == 0 and "--lines-per-record" in long.stdout
        left = int(re.search(r"(\d+) more options of reading", short.stdout)[1])
        flags = [set(re.findall(r"^  (--[\w-]+)", page.stdout, re.M)) for page in (short, long)]
        assert len(flags[1] - flags[0]) == left
    assert "<str>" not in short.stdout and "{" not in short.stdout


@pytest.mark.parametrize("width", [80, 100, 160])
@pytest.mark.parametrize("name", ["look", "codebook", "check", "summary", "counts"])
def test_columns_are_obeyed_when_piped(width, name, lab, here, monkeypatch):
    monkeypatch.setenv("COLUMNS", str(width))
    done = here(name, "lab.csv", *(["grade"] if name == "counts" else []))
    assert done.returncode == 0, done.stderr
    longest = max(map(len, done.stdout.splitlines()))
    assert longest <= width and (name != "check" or longest > width // 2)


@pytest.mark.parametrize(
    ("arguments", "variables", "coloured"),
    [
        (("check", "lab.csv"), {}, False),
        (("--color", "always", "check", "lab.csv"), {}, True),
        (("check", "lab.csv", "--color=always"), {}, True),
        (("check", "lab.csv", "--color", "always"), {"NO_COLOR": "1"}, True),
        (("check", "lab.csv", "--color", "never"), {"FORCE_COLOR": "1"}, False),
        (("look", "lab.csv", "--color", "always"), {}, True),
        (("codebook", "lab.csv", "--json", "--color", "always"), {}, False),
    ],
)
def test_colour_comes_where_it_is_asked_for(arguments, variables, coloured, lab, here, monkeypatch):
    for name, value in variables.items():
        monkeypatch.setenv(name, value)
    done = here(*arguments)
    assert done.returncode == 0, done.stderr
    assert (ESCAPE in done.stdout) is coloured
    plain = here(
        *(
            each
            for each in arguments
            if not each.startswith("--color") and each != "always" and each != "never"
        )
    )
    assert re.sub(r"\x1b\[[\d;]*m", "", done.stdout) == plain.stdout


def test_an_unknown_colour_is_refused(lab, here):
    done = here("look", "lab.csv", "--color", "allways")
    assert done.returncode == 1 and 'did you mean "always"' in done.stderr


@pytest.mark.skipif(not shutil.which("bash"), reason="there is no bash")
@pytest.mark.parametrize(
    ("words", "offered"),
    [
        (["c"], {"codebook", "counts", "correlations", "check", "compare", "crate"}),
        (["look", "--de"], {"--delimiter", "--decimal"}),
        (["crate", "re"], {"remove", "rename", "refresh", "relate"}),
        (["--color", "x", "pack", "--rep"], {"--repeated", "--replace"}),
        (["look", "some"], set()),
    ],
)
def test_bash_offers_commands_and_options(words, offered, here, tmp_path):
    (tmp_path / "completion").write_text(here("--completion", "bash").stdout)
    script = (
        '. ./completion; COMP_WORDS=(olive-crate "$@"); COMP_CWORD=$#; _olive_crate; '
        'printf "%s\\n" "${COMPREPLY[@]}"'
    )
    done = subprocess.run(
        ["bash", "-c", script, "bash", *words], cwd=tmp_path, capture_output=True, text=True
    )
    assert done.stderr == "" and set(done.stdout.split()) == offered


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_scripts_of_completion_hold_all_and_parse(shell, here, tmp_path):
    text = here("--completion", shell).stdout
    assert all(name in text for names in STEPS.values() for name in names)
    assert "lines-per-record" in text
    if shutil.which(shell):
        (tmp_path / "script").write_text(text)
        done = subprocess.run([shell, "-n", tmp_path / "script"], capture_output=True, text=True)
        assert (done.returncode, done.stderr) == (0, "")
    assert here("--completion", "tcsh").returncode == 1


def test_names_come_from_a_file(lab, here, tmp_path):
    (tmp_path / "names.txt").write_text("number\nfree acidity, %\n\nquality\n")
    done = here("codebook", "lab.csv", "--names", "@names.txt", "--names-row", "1")
    assert done.returncode == 0 and "free acidity, %" in done.stdout
    missing = here("codebook", "lab.csv", "--names", "@nowhere.txt")
    assert missing.returncode == 2 and "nowhere.txt" in missing.stderr


def test_levels_and_promises_are_options_of_the_command(lab, here):
    kept = here(
        "pack",
        "lab.csv",
        "--level",
        "grade=ordinal",
        "--promised-rows",
        "59",
        "--promised-key",
        "id",
        "-o",
        "a.parquet",
    )
    assert kept.returncode == 0, kept.stderr
    assert oc.unpack(lab / "a.parquet")["grade"].variable.level == "ordinal"
    broken = here("pack", "lab.csv", "--promised-rows", "60", "-o", "b.parquet")
    assert broken.returncode == 3 and "60 rows" in broken.stdout


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ((30_000_000, 90_000_000, "reading", 2.0), "30.0 MB of 90.0 MB, 15.0 MB/s, 4 s left"),
        ((30, None, "reading", 1.0), "30 bytes, 30 bytes/s"),
        ((3, 40, "looking at files", 6.0), "3 of 40, 0.5 files/s, 1 min 14 s left"),
        ((40, 40, "checking variables", 2.0), "40 of 40, 20 variables/s"),
        ((0, 40, "checking variables", 12.0), "12 s"),
        ((1, 10_000, "checking variables", 1.0), "1 of 10,000, 1.0 variables/s, 2 h 46 min left"),
    ],
)
def test_progress_says_how_much_how_fast_and_how_long(told, words):
    assert amount_words(*told) == words


def test_progress_is_silent_where_nobody_looks(lab, capfd, tmp_path):
    bar = oc.ProgressBar()
    ds = oc.load(lab / "lab.csv", progress=bar)
    with oc.ProgressBar("checking") as bar:
        ds.check(progress=bar)
    assert capfd.readouterr() == ("", "")


def test_progress_is_told_of_every_variable(lab):
    told = []
    ds = oc.load(lab / "lab.csv")
    ds.check(progress=lambda *each: told.append(each))
    ds.codebook(progress=lambda *each: told.append(each))
    ds.summary(progress=lambda *each: told.append(each))
    checks, others = told[:6], told[6:]
    assert [each[:2] for each in checks] == [(n, 6) for n in range(1, 7)]
    assert [each[:2] for each in others] == [(n, 3) for n in range(1, 4)] * 2


BOOK = (
    "import olive_crate as oc\nds = oc.load('lab.csv', progress=oc.ProgressBar())\nds",
    "ds.codebook()",
    "oc.load(b'a,b\\n1,2\\n').check()",
    "ds.missing_patterns()",
    "ds.correlations()",
    "ds.receipt",
    "oc.look('lab.csv')",
    "ds.counts('grade', by='id')",
)


def test_a_notebook_shows_every_result_as_html(lab):
    nbformat = pytest.importorskip("nbformat")
    execute = pytest.importorskip("nbconvert.preprocessors").ExecutePreprocessor
    book = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(each) for each in BOOK])
    execute(timeout=120).preprocess(book, {"metadata": {"path": str(lab)}})
    shown = [
        "".join(each.data.get("text/html", "") for each in cell.outputs if "data" in each)
        for cell in book.cells
    ]
    assert all(shown) and not any("object at 0x" in each for each in shown)
    assert "nothing found" in shown[2] and 'class="sort"' in shown[1]
    assert "<details open>" in shown[6] and "Free" not in shown[0]


@pytest.mark.skipif(not shutil.which("chromium"), reason="Chromium is not installed")
def test_a_click_on_a_heading_sorts_the_table(lab, tmp_path):
    page = oc.load(lab / "lab.csv").summary()._repr_html_()
    click = "<script>document.querySelectorAll('th')[3].click()</script>"
    (tmp_path / "page.html").write_text(page + click * 2, "utf-8")
    done = browser(tmp_path / "page.html", tmp_path / "profile")
    assert 'aria-sort="descending"' in done.stdout


TERMINAL = """
import os, pty, sys
pid, fd = pty.fork()
if pid == 0:
    os.execv(sys.executable, [sys.executable, "-c", '''
import time
import olive_crate as oc
with oc.ProgressBar("reading") as bar:
    for step in range(1, 8):
        time.sleep(0.25)
        bar(step * 1_000_000, 8_000_000, "reading")
'''])
held = b""
while True:
    try:
        piece = os.read(fd, 4096)
    except OSError:
        break
    if not piece:
        break
    held += piece
sys.stdout.buffer.write(held)
"""


@pytest.mark.skipif(os.name != "posix", reason="a terminal is made by pty")
def test_a_bar_is_drawn_after_a_second():
    done = subprocess.run(
        [sys.executable, "-c", TERMINAL], capture_output=True, text=True, check=False
    )
    shown = re.sub(r"\x1b\[[\d;?]*[A-Za-z]", "", done.stdout)
    steps = re.findall(r"([\d.]+) MB of 8.0 MB, [\d.]+ MB/s, \d s left", shown)
    assert steps and "1.0" not in steps, shown
