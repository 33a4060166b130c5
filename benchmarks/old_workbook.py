"""A workbook of the older binary form (.xls): 60,000 rows of ten columns, on one worker.

The limit is a walk over the records of the stream in Python, without looking into any.

    python benchmarks/old_workbook.py
"""

from __future__ import annotations

import datetime as dt
import random
import resource
import struct
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import olive_crate as oc

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
import biff

ROWS = 60_000


def made() -> bytes:
    rng = random.Random(7)
    table: list[list[object]] = [[f"column {n}" for n in range(10)]]
    first = dt.date(2025, 10, 1)
    for row in range(ROWS):
        grade = rng.choice(("extra virgin", "virgin", "lampante"))
        table.append(
            [
                *(row, rng.randrange(90_000), round(rng.lognormvariate(-1, 0.5), 2)),
                *(rng.random(), first + dt.timedelta(rng.randrange(900)), rng.randrange(2)),
                *(grade, f"{grade} extra", f"lot {row} of the mill", rng.uniform(0, 90)),
            ]
        )
    strings: dict[str, int] = {}
    body = biff.sheet(table, shared=strings)
    return biff.workbook([("Season", body)], shared=list(strings))


def walk(data: bytes) -> int:
    at, count, unpack = 512, 0, struct.Struct("<HH").unpack_from
    while at + 4 <= len(data):
        kind, size = unpack(data, at)
        if not kind:
            break
        at, count = at + 4 + size, count + 1
    return count


def best(work: Callable[[], object]) -> float:
    def once() -> float:
        began = time.perf_counter()
        work()
        return time.perf_counter() - began

    return min(once() for _ in range(5))


def main() -> None:
    data = made()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "season.xls"
        path.write_bytes(data)
        seconds, limit = best(lambda: oc.load(path, workers=1)), best(lambda: walk(data))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    size = len(data) / 1e6
    print(f"{size:.1f} MB  {size / seconds:.0f} MB/s  {ROWS / seconds:,.0f} rows/s")
    print(f"peak {peak:.0f} MB  {seconds / limit:.2f} of a walk over the records ({limit:.2f} s)")


if __name__ == "__main__":
    main()
