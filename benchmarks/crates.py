"""What looking after a crate costs: the state of 100 tables, a refresh of one, keys of large ones.

    python benchmarks/crates.py [ROWS]

The limits, measured in the same run: asking the file system for 100 files, loading the one table
that has changed, and sorting the values of all columns once.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import olive_crate as oc


def seconds(work: object, times: int = 3) -> float:
    """The shortest of several runs."""
    return min(_once(work) for _ in range(times))


def _once(work: object) -> float:
    began = time.perf_counter()
    work()  # type: ignore[operator]
    return time.perf_counter() - began


def main(rows: int) -> None:
    """Make both crates, and print."""
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        paths = []
        crate = oc.Crate.new(folder / "hundred")
        for number in range(100):
            path = folder / f"t{number}.csv"
            path.write_text("id;net\n" + "".join(f"{n};{n * 7 % 100}\n" for n in range(200)))
            paths.append(path)
            crate.add(path)
        status = seconds(crate.status)
        limit = seconds(lambda: [each.stat() for each in paths])
        print(
            f"status of 100 tables: {status * 1000:.0f} ms "
            f"(asking for 100 files: {limit * 1000:.1f} ms)"
        )
        paths[7].write_text("id;net\n1;2\n")
        one = _once(crate.refresh)
        load = seconds(lambda: oc.load(paths[7]))
        print(f"refresh of one of 100: {one * 1000:.0f} ms (loading it: {load * 1000:.0f} ms)")
        _keys(folder, rows)


def _keys(folder: Path, rows: int) -> None:
    crate = oc.Crate.new(folder / "large")
    chosen = np.random.default_rng(1)
    for name, shift in (("one", 0), ("other", rows // 10)):
        ids = chosen.permutation(rows) + shift
        columns = [ids, [f"G{each:07}" for each in ids], chosen.integers(0, rows, rows)]
        columns += [chosen.integers(0, 50, rows) for _ in range(4)]
        columns += [chosen.integers(0, rows, rows) / 100 for _ in range(3)]
        heading = ";".join(["id", "code", "visit", *"abcd", *"xyz"])
        with (folder / f"{name}.csv").open("w") as stream:
            stream.write(heading + "\n")
            stream.writelines(";".join(map(str, row)) + "\n" for row in zip(*columns, strict=True))
        crate.add(folder / f"{name}.csv")
    took = seconds(crate.keys, 2)
    values = [np.asarray(crate[name]["id"].values) for name in crate for _ in range(7)]
    limit = seconds(lambda: [np.sort(each) for each in values], 1)
    print(f"keys of two tables of {rows:,} x 10: {took:.2f} s (sorting 14 columns: {limit:.2f} s)")
    for each in crate.keys().shared:
        print(f"    {each.relation.name}: {each.kind}, {each.matched:,} of {each.cases:,}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000)
