"""What an interrupt or a kill leaves behind: nothing, at the latest after the next run."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

import olive_crate as oc

pytestmark = pytest.mark.skipif(os.name != "posix", reason="needs signals")
COMMAND = (sys.executable, "-c", "import olive_crate_command as entry; entry.main()")


@pytest.fixture(scope="module")
def source(tmp_path_factory) -> Path:
    """A file that takes a while to be packed."""
    path = tmp_path_factory.mktemp("long") / "lots.csv"
    rows = (f"{n},{n * 7919 % 70001},lot {n},{n % 977 / 7:.5f}\n" for n in range(400_000))
    path.write_text("id,lot,name,score\n" + "".join(rows))
    return path


def started(*arguments: object) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [*COMMAND, *map(str, arguments)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )


def when_writing(folder: Path, process: subprocess.Popen[str]) -> bool:
    """Wait until something is being written; false where it has ended before."""
    while process.poll() is None:
        if any(folder.iterdir()):
            return True
        time.sleep(0.002)
    return False


TARGETS = {"a file": "a.parquet", "a folder": "set"}


@pytest.mark.parametrize("target", TARGETS)
@pytest.mark.parametrize("seconds", [0.0, 0.003, 0.01, 0.03, 0.1])
def test_an_interrupt_is_one_line_and_leaves_nothing(source, tmp_path, target, seconds):
    sources = [source] if target == "a file" else [source, source]
    process = started("pack", *sources, "-o", tmp_path / TARGETS[target])
    assert when_writing(tmp_path, process)
    time.sleep(seconds)
    process.send_signal(signal.SIGINT)
    printed, said = process.communicate(timeout=20)
    if process.returncode == 0:
        pytest.skip("it was done before the interrupt")
    assert (process.returncode, printed, said) == (130, "", "olive-crate: interrupted\n")
    left = [each.name for each in tmp_path.iterdir()]
    if left == ["a.parquet"] and seconds:  # it was complete, and the command about to say so
        assert oc.verify(tmp_path / "a.parquet").is_whole
    else:
        assert left == []


@pytest.mark.parametrize("seconds", [0.0, 0.02, 0.05, 0.1, 0.2, 0.4])
def test_an_interrupt_at_any_time_is_no_traceback(source, seconds):
    process = started("look", source)
    time.sleep(seconds)
    process.send_signal(signal.SIGINT)
    _, said = process.communicate(timeout=20)
    if process.returncode in (0, -signal.SIGINT):  # done, or Python itself had not begun yet
        return
    assert (process.returncode, said) in [(130, "olive-crate: interrupted\n"), (1, said)]
    assert process.returncode == 130 or "olive_crate_command" not in said


@pytest.mark.parametrize("target", TARGETS)
def test_what_a_kill_leaves_is_removed_by_the_next_run(source, tmp_path, target):
    sources = [source] if target == "a file" else [source, source]
    process = started("pack", *sources, "-o", tmp_path / TARGETS[target])
    assert when_writing(tmp_path, process)
    process.kill()
    process.communicate()
    oc.pack(sources if len(sources) > 1 else source, tmp_path / TARGETS[target], replace=True)
    assert [each.name for each in tmp_path.iterdir()] == [TARGETS[target]]
    assert oc.verify(tmp_path / TARGETS[target]).is_whole
    if target == "a folder":
        left = [each.name for each in (tmp_path / "set").iterdir() if each.suffix != ".parquet"]
        assert left == ["_olive_crate.json"]


def test_what_a_living_run_writes_is_left_to_it(source, tmp_path):
    process = started("pack", source, "-o", tmp_path / "a.parquet")
    assert when_writing(tmp_path, process)
    process.send_signal(signal.SIGSTOP)
    try:
        held = list(tmp_path.iterdir())
        oc.load(b"a,b\n1,x\n2,y\n").pack(tmp_path / "a.parquet", replace=True)
        assert set(held) < set(tmp_path.iterdir())
    finally:
        process.send_signal(signal.SIGCONT)
    _, said = process.communicate(timeout=20)
    assert process.returncode == 1 and "already exists" in said
    assert [each.name for each in tmp_path.iterdir()] == ["a.parquet"]


def test_a_file_of_another_target_is_not_taken_for_left_over(tmp_path):
    for name in (".a.parquet.notes", ".a.parquet.12-ab.txt", ".b.parquet.99999999-abcdefgh"):
        (tmp_path / name).write_text("mine")
    (tmp_path / ".a.parquet.99999999-abcdefgh").write_text("of a process that is gone")
    oc.load(b"a,b\n1,x\n2,y\n").pack(tmp_path / "a.parquet")
    left = sorted(each.name for each in tmp_path.iterdir())
    assert left == [
        ".a.parquet.12-ab.txt",
        ".a.parquet.notes",
        ".b.parquet.99999999-abcdefgh",
        "a.parquet",
    ]
