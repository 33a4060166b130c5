"""A register of seven million deliveries: what each step costs against its limit.

    python benchmarks/register.py [ROWS]

29 columns (running number, date, codes, weights, laboratory values, scores, words), ten of them
with `NA`. Each step is a process of its own; its peak memory is that of the process. Limits of the
same run: Arrow's own write of the finished table on one thread, and reading all columns of the
packed file and doing nothing with them.
"""

from __future__ import annotations

import datetime as dt
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

ROWS, PIECE = 7_000_000, 70_000
START = dt.date(2015, 10, 1)
VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra", "Empeltre", "Frantoio")
STEPS = ("load", "pack", "write", "read", "codebook", "summary", "correlations", "counts", "check")


def rows(rng: random.Random) -> list[str]:
    """Rows without their running number."""

    def marked(cell: str) -> str:
        return "NA" if rng.random() < 0.03 else cell

    made = []
    for _ in range(PIECE):
        day = START + dt.timedelta(days=rng.randrange(3000))
        cells = [day.isoformat(), rng.choice(VARIETIES), str(rng.randrange(1, 60))]
        cells += [str(rng.randrange(1500, 12_000)), f"{rng.lognormvariate(-1, 0.5):.2f}"]
        for _ in range(5):
            cells += [marked(f"{rng.gauss(9, 3):.1f}"), marked(str(rng.randrange(100)))]
        cells += [str(rng.randrange(1, 6)) for _ in range(8)]
        cells += [rng.choice(("dry", "wet", "frost")) for _ in range(3)]
        made.append(",".join([*cells, f"{rng.gauss(20, 5):.3f}", f"gate {rng.randrange(9)}"]))
    return made


def generate(path: Path, count: int) -> None:
    """Write the file."""
    piece = rows(random.Random(3))
    width = piece[0].count(",") + 2
    with path.open("w", encoding="utf-8", newline="") as stream:
        stream.write(",".join(f"v{place}" for place in range(1, width + 1)) + "\n")
        for first in range(0, count, PIECE):
            some = piece[: count - first]
            stream.writelines(f"{1_000_000 + first + at},{row}\n" for at, row in enumerate(some))


def step(name: str, source: Path) -> Callable[[], object]:
    """What is timed of a step; what it needs is made ready before."""
    import pyarrow.parquet as pq

    import olive_crate as oc

    packed, plain = source.with_suffix(".parquet"), source.with_name("plain.parquet")
    if name == "load":
        return lambda: oc.load(source)
    if name == "pack":
        return lambda: oc.pack(source, packed, replace=True)
    if name == "write":
        table = oc.unpack(packed).to_arrow()
        return lambda: pq.write_table(table, plain, compression="zstd")
    if name == "read":
        file = pq.ParquetFile(packed)
        return lambda: [file.read_row_group(group) for group in range(file.num_row_groups)]
    dataset = oc.unpack(packed)
    numbers = [each.name for each in dataset.variables if each.type in ("integer", "number")]
    if name == "correlations":
        return lambda: dataset.correlations(numbers[:20])
    if name == "counts":
        return lambda: dataset.counts(dataset.names[1:])
    return getattr(dataset, name)  # type: ignore[no-any-return]


def measure(name: str, source: Path) -> None:
    """One step, and what it took."""
    work = step(name, source)
    began = time.perf_counter()
    work()
    took = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    print(f"{name:12} {took:6.1f} s {peak:7,.0f} MB", flush=True)


def main() -> None:
    if sys.argv[1:2] == ["--step"]:
        measure(sys.argv[2], Path(sys.argv[3]))
        return
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "register.csv"
        generate(source, int(sys.argv[1]) if sys.argv[1:] else ROWS)
        print(f"{source.stat().st_size / 1e6:,.0f} MB", flush=True)
        for name in STEPS:
            subprocess.run([sys.executable, __file__, "--step", name, str(source)], check=True)


if __name__ == "__main__":
    main()
