"""How fast fixed-width numbers are read, beside a row loop with slicing and the bare bytes.

    python benchmarks/fixed.py [MEGABYTES] [ROUNDS]

20 numeric fields of 5 to 8 characters, packed. The rounds of all contestants are interleaved;
ratios within one run, by processor time, are what counts.
"""

from __future__ import annotations

import random
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from delimited import by_bytes, peak_of

WIDTHS = [5 + place % 4 for place in range(20)]
FIELDS = [(f"v{place}", width) for place, width in enumerate(WIDTHS)]
SPANS = [(sum(WIDTHS[:place]), sum(WIDTHS[: place + 1])) for place in range(20)]


def made(path: Path, megabytes: float) -> int:
    """Write the file; returns its rows."""
    rng = random.Random(7)
    lines = [
        "".join(f"{rng.uniform(0, 10 ** (width - 3)):{width}.2f}"[:width] for width in WIDTHS)
        + "\n"
        for _ in range(20_000)
    ]
    piece = "".join(lines)
    count = max(1, round(megabytes * 1e6 / len(piece)))
    with path.open("w", encoding="ascii", newline="") as stream:
        for _ in range(count):
            stream.write(piece)
    return count * len(lines)


def by_olive_crate(path: Path) -> None:
    """The declared fields as numbers."""
    import olive_crate as oc

    dataset = oc.load(path, fields=FIELDS, types="number")
    assert len(dataset.names) == 20


def by_olive_crate_finding(path: Path) -> None:
    """The declared fields, their types found."""
    import olive_crate as oc

    oc.load(path, fields=FIELDS)


def by_row_loop(path: Path) -> None:
    """Each line sliced, each slice made a float."""
    columns: list[list[float]] = [[] for _ in WIDTHS]
    with path.open(encoding="ascii") as stream:
        for line in stream:
            for column, (start, end) in zip(columns, SPANS, strict=True):
                column.append(float(line[start:end]))


CONTESTANTS: dict[str, Callable[[Path], None]] = {
    "olive crate": by_olive_crate,
    "types found": by_olive_crate_finding,
    "row loop": by_row_loop,
    "bare bytes": by_bytes,
}


def main(megabytes: float = 60, rounds: int = 5) -> None:
    """Run all contestants in turn and print the table."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "fixed.txt"
        rows = made(path, megabytes)
        size = path.stat().st_size / 1e6
        clock: dict[str, list[float]] = {name: [] for name in CONTESTANTS}
        work: dict[str, list[float]] = {name: [] for name in CONTESTANTS}
        for each_round in range(rounds + 1):
            for name, contestant in CONTESTANTS.items():
                began, spent = time.perf_counter(), time.process_time()
                contestant(path)
                if each_round:
                    clock[name].append(time.perf_counter() - began)
                    work[name].append(time.process_time() - spent)
        print(f"{size:.1f} MB, {rows:,} rows, 20 fields; medians of {rounds} interleaved rounds")
        print(f"{'':12} {'seconds':>8} {'MB/s':>8} {'rows/s':>12} {'to loop':>8} {'peak MB':>8}")
        loop = statistics.median(work["row loop"])
        for name in CONTESTANTS:
            seconds, spent = statistics.median(clock[name]), statistics.median(work[name])
            print(
                f"{name:12} {seconds:8.3f} {size / seconds:8.1f} {rows / seconds:12,.0f}"
                f" {loop / spent:7.1f}x {peak_of('fixed', name, path):8.0f}"
            )


if __name__ == "__main__":
    main(*(kind(text) for kind, text in zip((float, int), sys.argv[1:], strict=False)))
