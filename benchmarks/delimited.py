"""How fast a delimited file of mixed columns is read, beside a row loop and the bare bytes.

    python benchmarks/delimited.py [MEGABYTES] [ROUNDS]

The rounds of all contestants are interleaved, since machines are noisy, and processor time is taken
beside the time on the clock, since others may be using the machine; ratios within one run are what
counts. Peak memory is that of a process of its own.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra")
WEATHER = ("dry", "wet", "frost")
HEADING = "ticket,gross,tare,acidity,peroxide,variety,day,remark\n"
PLANS: dict[Path, object] = {}
KINDS = (int, int, int, float, float, str, dt.date.fromisoformat, str)


def made(path: Path, megabytes: float) -> int:
    """Write a file of integers, decimals, short text, dates and quoted text; returns its rows."""
    rng = random.Random(7)
    start = dt.date(2019, 10, 1)
    days = [(start + dt.timedelta(days=n)).isoformat() for n in range(2000)]
    lines = [
        f"{250_000 + number},{rng.randrange(1500, 12_000)},{rng.randrange(1200, 2600)},"
        f"{rng.lognormvariate(-1, 0.5):.2f},{rng.gauss(9, 3):.2f},{rng.choice(VARIETIES)},"
        f'{rng.choice(days)},"gate {rng.randrange(9)}, {rng.choice(WEATHER)}"\n'
        for number in range(40_000)
    ]
    piece = "".join(lines)
    count = max(1, round(megabytes * 1e6 / len(piece)))
    with path.open("w", encoding="utf-8", newline="") as stream:
        stream.write(HEADING)
        for _ in range(count):
            stream.write(piece)
    return count * len(lines)


def by_olive_crate(path: Path) -> None:
    """The whole file to Arrow columns, types decided by the whole file."""
    import olive_crate as oc

    dataset = oc.load(path)
    assert [each.type for each in dataset.variables][:4] == ["integer"] * 3 + ["number"]


def by_full_plan(path: Path) -> None:
    """The same with nothing left to find."""
    import olive_crate as oc

    if path not in PLANS:
        PLANS[path] = oc.draft(path)
    oc.load(PLANS[path])


def by_row_loop(path: Path) -> None:
    """The standard library's row loop, with each cell converted to a type given beforehand."""
    columns: list[list[object]] = [[] for _ in KINDS]
    with path.open(newline="", encoding="utf-8") as stream:
        reader = csv.reader(stream)
        next(reader)
        for row in reader:
            for column, cell, kind in zip(columns, row, KINDS, strict=True):
                column.append(kind(cell))


def by_bytes(path: Path) -> None:
    """Reading the bytes and counting the line ends: the limit for anything on one core."""
    lines = 0
    with path.open("rb") as stream:
        while piece := stream.read(1 << 20):
            lines += piece.count(b"\n")
    assert lines


CONTESTANTS: dict[str, Callable[[Path], None]] = {
    "olive crate": by_olive_crate,
    "full plan": by_full_plan,
    "row loop": by_row_loop,
    "bare bytes": by_bytes,
}


def peak_of(module: str, name: str, path: Path) -> float:
    """Peak memory in MB of one run of a module's contestant in a fresh process."""
    code = (
        "import sys; sys.path.insert(0, sys.argv[1]); import importlib, pathlib;"
        "importlib.import_module(sys.argv[2]).CONTESTANTS[sys.argv[3]](pathlib.Path(sys.argv[4]));"
        "lines = open('/proc/self/status').read().splitlines();"
        "print(next(line.split()[1] for line in lines if line.startswith('VmHWM')))"
    )
    folder = str(Path(__file__).parent)
    arguments = [sys.executable, "-c", code, folder, module, name, str(path)]
    done = subprocess.run(arguments, capture_output=True, text=True, check=True)
    return int(done.stdout) / 1000


def main(megabytes: float = 60, rounds: int = 5) -> None:
    """Run all contestants in turn and print the table."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mixed.csv"
        rows = made(path, megabytes)
        size = path.stat().st_size / 1e6
        clock: dict[str, list[float]] = {name: [] for name in CONTESTANTS}
        work: dict[str, list[float]] = {name: [] for name in CONTESTANTS}
        for each_round in range(rounds + 1):
            for name, contestant in CONTESTANTS.items():
                began, spent = time.perf_counter(), time.process_time()
                contestant(path)
                if each_round:  # the first one warms up
                    clock[name].append(time.perf_counter() - began)
                    work[name].append(time.process_time() - spent)
        print(f"{size:.1f} MB, {rows:,} rows, 8 columns; medians of {rounds} interleaved rounds")
        print(
            f"{'':12} {'seconds':>8} {'MB/s':>8} {'rows/s':>12} {'cpu s':>7}"
            f" {'to loop':>8} {'peak MB':>8}"
        )
        loop = statistics.median(work["row loop"])
        for name in CONTESTANTS:
            seconds, spent = statistics.median(clock[name]), statistics.median(work[name])
            print(
                f"{name:12} {seconds:8.3f} {size / seconds:8.1f} {rows / seconds:12,.0f}"
                f" {spent:7.3f} {loop / spent:7.1f}x {peak_of('delimited', name, path):8.0f}"
            )
        pairs = zip(work["row loop"], work["olive crate"], strict=True)
        ratios = sorted(theirs / ours for theirs, ours in pairs)
        print("row loop / olive crate, by processor time:", *(f"{each:.1f}" for each in ratios))


if __name__ == "__main__":
    main(*(kind(text) for kind, text in zip((float, int), sys.argv[1:], strict=False)))
