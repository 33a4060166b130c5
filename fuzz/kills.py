"""Runs ended in the midst: killed, or interrupted. What is there must be whole after the next run.

    python fuzz/kills.py [--times 200] [--seed 1]

Each time a packed file, a packed set, an export or a crate is written anew over a whole one, and
the run is ended at a moment drawn at random. Then what is there has to be whole: the old or the
new. After the next run, no temporary file may be left.
"""

from __future__ import annotations

import argparse
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import olive_crate as oc

ROWS = 150_000
COMMAND = str(Path(sys.executable).with_name("olive-crate"))
BEFORE = -signal.SIGINT
"""The status of a run that was interrupted before Python itself could take it."""


def commands(folder: Path) -> dict[str, list[str]]:
    """What is run, by what it writes."""
    source = str(folder / "months")
    return {
        "file": ["pack", f"{source}/0.csv", "-o", "a.parquet", "--replace"],
        "set": ["pack", source, "-o", "set", "--replace"],
        "update": ["pack", source, "-o", "set", "--update"],
        "one file of a set": ["pack", source, "-o", "b.parquet", "--replace"],
        "export": ["export", "a.parquet", "a.csv", "--replace"],
        "crate": ["crate", "refresh", "--again", "--crate", "crate"],
    }


def prepared(folder: Path) -> None:
    """Sources, and a whole one of everything."""
    (folder / "months").mkdir()
    for number in range(4):
        rows = "".join(f"{n};{n * 7 % 1000 / 100};text {n % 50}\n" for n in range(ROWS))
        (folder / "months" / f"{number}.csv").write_text("id;acid;remark\n" + rows)
    crate = oc.Crate.new(folder / "crate")
    crate.add(folder / "months" / "0.csv", name="first")
    for arguments in commands(folder).values():
        run(folder, arguments)


def run(folder: Path, arguments: list[str]) -> None:
    """Run a command to its end; it must succeed."""
    done = subprocess.run(
        [sys.executable, "-m", "olive_crate", *arguments],
        cwd=folder,
        capture_output=True,
        text=True,
    )
    if done.returncode:
        sys.exit(f"{arguments}: {done.stderr}")


def problem(folder: Path, what: str) -> str:
    """What is not whole; empty for nothing."""
    if what == "export":
        text = (folder / "a.csv").read_text()
        return "" if text.count("\n") == ROWS + 1 else "the export is cut"
    names = {"file": "a.parquet", "set": "set", "update": "set", "crate": "crate"}
    name = names.get(what, "b.parquet")
    try:
        return "" if oc.verify(folder / name).is_whole else f"{name} is not whole"
    except oc.OliveCrateError as error:
        return str(error)


def left_over(folder: Path) -> list[str]:
    """Temporary files and locks."""
    found = [each for each in folder.rglob("*") if each.name.startswith((".", "_staging"))]
    return sorted(str(each.relative_to(folder)) for each in found)


def main() -> None:
    """End runs, and count what is wrong."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--times", type=int, default=200, help="of kills, and as many interrupts")
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    draw, counts = random.Random(given.seed), Counter[str]()
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        prepared(folder)
        every = list(commands(folder).items())
        for number in range(2 * given.times):
            what, arguments = every[number // 2 % len(every)]
            if what == "update":
                (folder / "months" / "3.csv").touch()
            how = (signal.SIGKILL, signal.SIGINT)[number % 2]
            running = subprocess.Popen(
                [COMMAND, *arguments],
                cwd=folder,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.PIPE,
                text=True,
            )
            time.sleep(draw.uniform(0.15, 1.0))
            running.send_signal(how)
            began = time.perf_counter()
            _, said = running.communicate()
            took = time.perf_counter() - began
            counts[f"{how.name}, ended in time" if running.returncode else "had ended"] += 1
            wrong = problem(folder, what)
            if how is signal.SIGINT and running.returncode not in (0, 130, BEFORE):
                wrong = wrong or f"status {running.returncode}: {said[-200:]}"
            if how is signal.SIGINT and took > 2:
                wrong = wrong or f"ended after {took:.1f} s"
            if how is signal.SIGINT and (left := left_over(folder)):
                wrong = wrong or f"left behind: {left[:3]}"
            run(folder, arguments)
            if left := left_over(folder):
                wrong = wrong or f"left after the next run: {left[:3]}"
            if wrong:
                counts["wrong"] += 1
                print(f"{what}, {how.name}: {wrong}", flush=True)
    for text, count in sorted(counts.items()):
        print(f"{count:5,} {text}")
    sys.exit(1 if counts["wrong"] else 0)


if __name__ == "__main__":
    main()
