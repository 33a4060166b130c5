"""How long `summary` and `counts` take over a packed file, against reading its columns alone.

    python benchmarks/checks.py [ROWS]

A file of 10 million rows is made first (seeded). Each run is a process of its own, so that its
peak memory is its own; processor and clock times are medians of interleaved rounds.
"""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

import olive_crate as oc

ROUNDS = 5
WAYS = ("read columns", "summary", "counts")


def make(path: Path, rows: int) -> None:
    """A packed season of so many deliveries."""
    rng = np.random.default_rng(7)
    lost = (oc.MissingCode(value=777, reason="sample lost"),)
    words = pa.array(["Picual", "Arbequina", "Hojiblanca", "Cornicabra"])
    arrays = {
        "ticket": ("integer", np.arange(rows), 0.0),
        "acid": ("number", np.round(rng.gamma(3, 0.2, rows), 2), 0.05),
        "net": ("integer", rng.integers(100, 20_000, rows), 0.0),
        "oil": ("number", np.round(rng.normal(20, 3, rows), 1), 0.02),
        "score": ("integer", rng.integers(0, 11, rows), 0.1),
        "variety": ("text", words.take(pa.array(rng.integers(0, 4, rows))), 0.0),
        "day": ("date", (rng.integers(0, 90, rows) + 20_362).astype("datetime64[D]"), 0.0),
        "washed": ("boolean", rng.random(rows) < 0.3, 0.0),
    }
    columns = {}
    for name, (kind, values, share) in arrays.items():
        missing = rng.random(rows) < share
        held = pa.array(values, mask=missing) if share else pa.array(values)
        variable = oc.Variable(name, type=kind, missing=lost if share else ())
        columns[name] = oc.Column(variable, held, missing.astype(np.uint8) * 10)
    empty = oc.load(b"a\n1\n")
    variables = tuple(each.variable for each in columns.values())
    oc.Dataset(variables, columns, rows, empty.receipt, oc.Plan()).pack(path)


def work(way: str, path: str) -> None:
    """One run in this process: prints seconds and peak memory."""
    began = time.perf_counter()
    if way == "read columns":
        file = pq.ParquetFile(path, memory_map=True)
        for name in file.schema_arrow.names:
            file.read(columns=[name], use_threads=False)
    else:
        dataset = oc.unpack(path)
        if way == "summary":
            dataset.summary()
        else:
            dataset.counts(["acid", "net", "oil", "score", "variety", "day", "washed"])
    seconds = time.perf_counter() - began
    print(seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)


def main() -> None:
    """Make the file, run all ways in turn, print a table."""
    if len(sys.argv) == 4:  # in a process of its own: a child's peak is never below its parent's
        make(Path(sys.argv[2]), int(sys.argv[3]))
        return
    if len(sys.argv) == 3:
        work(sys.argv[1], sys.argv[2])
        return
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "season.parquet"
        subprocess.run([sys.executable, __file__, "make", str(path), str(rows)], check=True)
        times: dict[str, list[float]] = {way: [] for way in WAYS}
        peaks: dict[str, float] = {}
        for _ in range(ROUNDS):
            for way in WAYS:
                run = [sys.executable, __file__, way, str(path)]
                done = subprocess.run(run, capture_output=True, text=True, check=True)
                seconds, peak = map(float, done.stdout.split())
                times[way].append(seconds)
                peaks[way] = max(peaks.get(way, 0.0), peak)
        size = path.stat().st_size / 1e6
    print(f"{rows:,} rows, 8 variables, {size:.0f} MB packed; medians of {ROUNDS} rounds")
    print(f"{'':14}{'seconds':>8}{'rows/s':>14}{'to reading':>12}{'peak MB':>9}")
    for way in WAYS:
        middle = statistics.median(times[way])
        ratio = statistics.median(
            own / read for own, read in zip(times[way], times["read columns"], strict=True)
        )
        print(f"{way:14}{middle:8.2f}{rows / middle:14,.0f}{ratio:11.2f}x{peaks[way]:9.0f}")


if __name__ == "__main__":
    main()
