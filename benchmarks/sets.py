"""Sets of files: packing many against one of as many bytes, threads against a cluster's workers.

Inputs are generated into a temporary folder. Each contestant is a process of its own; figures are
medians of interleaved rounds. `--files`, `--megabytes` and `--rounds` set the size.

The limit beside MB/s is reading the bytes and doing nothing with them.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

GROVES = np.array(["Pago", "Sierra", "Campo", "Ribera"])
CHILD = """
import resource, sys, time
import olive_crate as oc
if __name__ == "__main__":
    {setup}
    began = time.perf_counter()
    {work}
    seconds = time.perf_counter() - began
    status = open("/proc/self/status").read()
    own = int(status.split("VmHWM:")[1].split()[0])  # ru_maxrss would count the parent's
    child = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    print("FIGURES", seconds, max(own, child) / 1024)
"""


def lines(rows: int, seed: int) -> bytes:
    """Deliveries as text: keys, dates, names, weights, numbers with missing marks."""
    draw = np.random.default_rng(seed)
    days = draw.integers(1, 29, rows)
    months = draw.integers(1, 13, rows)
    kg = draw.integers(100, 9000, rows)
    acid = draw.integers(10, 200, rows)
    missing = draw.random(rows) < 0.02
    groves = GROVES[draw.integers(0, len(GROVES), rows)]
    peroxide = draw.integers(10, 2000, rows)
    made = [
        f"{seed * 10**7 + n},2025-{m:02}-{d:02},{g},{k},{'NA' if lost else f'{a / 100:.2f}'},"
        f"{p / 10:.1f},{n % 7},{n % 97}"
        for n, (m, d, g, k, lost, a, p) in enumerate(
            zip(months, days, groves, kg, missing, acid, peroxide, strict=True)
        )
    ]
    return ("\n".join(made) + "\n").encode("ascii")


HEAD = b"delivery,date,grove,kg,acid,peroxide,panel,lot\n"


def generate(folder: Path, files: int, megabytes: float, whole: bool = True) -> int:
    """Files alike, and one file with the same rows; how many rows there are in all."""
    block = lines(20_000, 1)
    copies = max(1, round(megabytes * 1e6 / len(block)))
    (folder / "set").mkdir()
    with (folder / "one.csv").open("wb") as one:
        one.write(HEAD)
        for number in range(files):
            body = lines(20_000, number + 1) * copies
            (folder / "set" / f"deliveries_{number:04}.csv").write_bytes(HEAD + body)
            if whole:
                one.write(body)
    return files * copies * 20_000


RUNNING = """import distributed
    cluster = distributed.LocalCluster(
        n_workers=2, threads_per_worker=1, host="127.0.0.1", dashboard_address=None, memory_limit=0
    )
    client = distributed.Client(cluster)
    client.run(__import__, "olive_crate.formats.cluster")"""


def run(work: str, setup: str = "pass") -> tuple[float, float]:
    """Seconds of work, and the largest resident memory of a process in MB."""
    with tempfile.NamedTemporaryFile("w", suffix=".py", delete=False) as script:
        script.write(CHILD.format(work=work, setup=setup))
    try:
        done = subprocess.run(
            [sys.executable, script.name], stdout=subprocess.PIPE, text=True, check=True
        )
    finally:
        os.unlink(script.name)
    figures = next(line for line in done.stdout.splitlines() if line.startswith("FIGURES"))
    _, seconds, memory = figures.split()
    return float(seconds), float(memory)


def reading(paths: list[Path]) -> float:
    """Seconds to read all bytes."""
    began = time.perf_counter()
    for path in paths:
        with path.open("rb", buffering=0) as stream:
            while stream.read(1 << 22):
                pass
    return time.perf_counter() - began


def main() -> None:
    """Generate, measure, print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=40)
    parser.add_argument("--megabytes", type=float, default=25)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--no-cluster", action="store_true")
    given = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="olive-sets-"))
    try:
        rows = generate(folder, given.files, given.megabytes)
        size = (folder / "one.csv").stat().st_size / 1e6
        out = folder / "out"
        pack = f"oc.pack({str(folder / 'set')!r}, {str(out)!r}"
        contestants = {
            "one file, one packed file": f"oc.pack({str(folder / 'one.csv')!r}, "
            f"{str(folder / 'one.parquet')!r}, replace=True)",
            "set, threads": f"{pack}, replace=True)",
        }
        if not given.no_cluster:
            one = f"oc.pack({str(folder / 'one.csv')!r}, {str(out)!r}"
            contestants["set, cluster local"] = f"{pack}, replace=True, cluster='local')"
            contestants["set, running cluster"] = f"{pack}, replace=True, cluster=client)"
            contestants["one file, running cluster"] = f"{one}, replace=True, cluster=client)"
        figures: dict[str, list[tuple[float, float]]] = {name: [] for name in contestants}
        for turn in range(given.rounds):
            order = list(contestants)
            for name in order if turn % 2 == 0 else reversed(order):
                shutil.rmtree(out, ignore_errors=True)
                setup = RUNNING if "running" in name else "pass"
                figures[name].append(run(contestants[name], setup))
        limit = reading(sorted((folder / "set").iterdir()))
        print(f"{given.files} files, {size:,.0f} MB, {rows:,} rows; medians of {given.rounds}\n")
        print(f"{'':28} seconds    MB/s   Mrows/s  x one file  x reading  peak MB")
        base = statistics.median(each[0] for each in figures["one file, one packed file"])
        for name, held in figures.items():
            seconds = statistics.median(each[0] for each in held)
            memory = max(each[1] for each in held)
            print(
                f"{name:28} {seconds:7.2f} {size / seconds:7.0f} {rows / seconds / 1e6:9.2f}"
                f" {seconds / base:11.2f} {seconds / limit:10.1f} {memory:8.0f}"
            )
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
