"""How fast each kind of source is read: one table, in which ratios within a row count.

    python benchmarks/speed.py [--write] [CASE …]

What the columns mean stands in `MEANING`. With `--write` the table goes to RESULTS.md beside this
file.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import delimited
import fixed
import workbook
from turns import Contestant, Times, machine, scaling, take_turns

MEANING = """\
Each contestant has a process of its own, warmed up once; seconds are medians of interleaved rounds
on the clock, each round in another order, and peak memory is what the process took beyond its
start. The machine is noisy: what counts are ratios within a row. A turn of which more than 5 % of
the processors' time was stolen (taken away by the host, as /proc/stat tells it) is taken again,
four times at most, and the one that lost least counts; `stolen` is the median of what those lost.

`ref` is how many times as long the reference kernels take on one worker, `loop` the standard
library's row loop with conversion (of a workbook: a bare pass of XML parsing over its sheet). Both
take part in the first two rounds, and of both the processor's seconds count: in them nothing is
stolen. `limit` is how many times as long it takes as reading the bytes and scanning them for
separators (of a workbook: as inflating its sheet). Megabytes of what was unpacked are those in
memory. The last rows show 1, 4 and 16 times the rows, and the columns, with what a cell takes.

What two threads of plain hashing do in the time of one is measured before and after: where that is
not near 2, two workers cannot gain much either."""
ROUNDS = 7
FEW_ROUNDS = 2
"""Of the reference kernels and the row loops, which take up to forty times as long."""
WORKERS = ("1", "2")
HEAD = (
    "case",
    "workers",
    "MB",
    "rows",
    "seconds",
    "MB/s",
    "rows/s",
    "stolen",
    "peak MB",
    "ref",
    "loop",
    "limit",
)


@dataclass
class Case:
    """One kind of source."""

    name: str
    suffix: str
    make: Callable[[Path], int]
    ours: str
    loop: tuple[str, ...]
    limit: str = "delimited:by_scanning"
    megabytes: float | None = None
    """Of what is read, where that is not the file."""


def text(kind: str, megabytes: float) -> Case:
    """A kind of delimited file."""
    return Case(
        kind,
        ".csv",
        lambda path: delimited.made(path, kind, megabytes),
        "delimited:by_olive_crate",
        ("delimited:by_row_loop", kind),
    )


CASES = [
    text("mixed", 58),
    text("numeric", 40),
    text("texts", 40),
    text("wide", 40),
    text("single", 25),
    Case(
        "fixed",
        ".txt",
        lambda path: fixed.made(path, 60),
        "fixed:by_olive_crate",
        ("fixed:by_row_loop",),
    ),
    Case(
        "workbook",
        ".xlsx",
        lambda path: workbook.made(path, 100_000),
        "workbook:by_olive_crate",
        ("workbook:by_bare_parser",),
        "workbook:by_inflating",
    ),
]


def measured(case: Case, folder: Path) -> Iterator[tuple[str, ...]]:
    """The rows of the table for one case."""
    path = folder / f"{case.name}{case.suffix}"
    told = case.make(path)
    size = path.stat().st_size / 1e6
    rows = told
    if case.suffix == ".xlsx":
        size, rows = told / 1e6, 100_000
    loop, *given = case.loop
    contestants = [
        *(Contestant(count, case.ours, path, count) for count in WORKERS),
        Contestant(
            "reference", case.ours, path, "1", rounds=FEW_ROUNDS, OLIVE_CRATE_KERNELS="reference"
        ),
        Contestant("loop", loop, path, *given, rounds=FEW_ROUNDS),
        Contestant("limit", case.limit, path),
    ]
    times = take_turns(contestants, ROUNDS)
    for count in WORKERS:
        own = times[count]
        yield (
            *(case.name, count, f"{size:.1f}", f"{rows:,}", *speeds(own, size, rows)),
            f"{times['reference'].spent / own.seconds:.1f}x",
            f"{times['loop'].spent / own.seconds:.1f}x",
            f"{own.seconds / times['limit'].seconds:.1f}x",
        )


def speeds(own: Times, size: float, rows: int) -> tuple[str, ...]:
    """Seconds, what that makes, what was stolen of them, and peak memory."""
    seconds = own.seconds
    lost = statistics.median(own.stolen)
    return (
        *(f"{seconds:.3f}", f"{size / seconds:.0f}", f"{rows / seconds:,.0f}"),
        *(f"{lost:.0%}", f"{own.peak:.0f}"),
    )


def packed(folder: Path) -> Iterator[tuple[str, ...]]:
    """Packing a file, and reading the packed one."""
    path = folder / "packed.csv"
    rows = delimited.made(path, "mixed", 58)
    size = path.stat().st_size / 1e6
    delimited.by_packing(path)
    target = path.with_suffix(".parquet")
    contestants = [
        Contestant("pack", "delimited:by_packing", path),
        Contestant(
            "reference",
            "delimited:by_packing",
            path,
            rounds=FEW_ROUNDS,
            OLIVE_CRATE_KERNELS="reference",
        ),
        Contestant("unpack, first column", "delimited:first_column", target),
        Contestant("unpack, all columns", "delimited:all_columns", target),
    ]
    times = take_turns(contestants, ROUNDS)
    ratio = times["reference"].seconds / times["pack"].seconds
    own = speeds(times["pack"], size, rows)
    yield ("pack", "usual", f"{size:.1f}", f"{rows:,}", *own, f"{ratio:.1f}x", "", "")
    for name in ("unpack, first column", "unpack, all columns"):
        held = float(times[name].told) / 1e6
        yield (
            name,
            "usual",
            f"{held:.1f}",
            f"{rows:,}",
            *speeds(times[name], held, rows),
            "",
            "",
            "",
        )


def growing(folder: Path) -> Iterator[tuple[str, ...]]:
    """1, 4 and 16 times the rows, and the columns: seconds for each million cells."""
    for factor in (1, 4, 16):
        path = folder / f"rows{factor}.csv"
        rows = delimited.made(path, "mixed", 6 * factor)
        yield from _scaled(f"rows x{factor}", path, rows, 8)
    lines = list(delimited.wide(delimited.random.Random(7)))
    for factor in (1, 4, 16):
        columns = 30 * factor
        path = folder / f"columns{factor}.csv"
        heading = ",".join(f"q{n}" for n in range(columns))
        cut = [",".join(line.split(",")[:columns]) for line in lines] * 20
        path.write_text("\n".join([heading, *cut]) + "\n")
        yield from _scaled(f"columns x{factor}", path, len(cut), columns)


def _scaled(name: str, path: Path, rows: int, columns: int) -> Iterator[tuple[str, ...]]:
    times = take_turns([Contestant("ours", "delimited:by_olive_crate", path, "1")], ROUNDS)["ours"]
    size = path.stat().st_size / 1e6
    cells = times.seconds / (rows * columns) * 1e9
    own = speeds(times, size, rows)
    yield (name, "1", f"{size:.1f}", f"{rows:,}", *own, f"{cells:.0f} ns", "a cell", "")


def table(rows: list[tuple[str, ...]]) -> str:
    """Rows as a Markdown table that is aligned as text too."""
    whole = [HEAD, *rows]
    widths = [max(len(row[place]) for row in whole) for place in range(len(HEAD))]

    def line(row: tuple[str, ...]) -> str:
        cells = (
            cell.ljust(width) if place < 1 else cell.rjust(width)
            for place, (cell, width) in enumerate(zip(row, widths, strict=True))
        )
        return f"| {' | '.join(cells)} |"

    rule = "|" + "|".join("-" * (width + 2) for width in widths) + "|"
    return "\n".join([line(HEAD), rule, *map(line, rows)])


def main(arguments: list[str]) -> None:
    """Measure, print, and write."""
    wanted = [each for each in arguments if each != "--write"]
    rows: list[tuple[str, ...]] = []
    gains = [scaling()]
    with tempfile.TemporaryDirectory() as folder:
        for case in CASES:
            if not wanted or case.name in wanted:
                rows += measured(case, Path(folder))
        if not wanted or "pack" in wanted:
            rows += packed(Path(folder))
        if not wanted or "growing" in wanted:
            rows += growing(Path(folder))
    gains.append(scaling())
    given = "Two threads of hashing: {:.2f} times one before, {:.2f} times one after.".format(
        *gains
    )
    told = f"{machine()}\n{given}\nMedians of {ROUNDS} interleaved rounds."
    shown = f"{told}\n\n{table(rows)}\n"
    print(shown)
    if "--write" in arguments:
        target = Path(__file__).parent / "RESULTS.md"
        target.write_text(f"# Speed\n\nMade by `make bench`.\n\n{MEANING}\n\n{shown}", "utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
