"""What a cell costs, by what is written in it: each shape against clean integers.

    python benchmarks/shapes.py [--rounds 5] [--write] [SHAPE …]

Ten columns of one shape, 200,000 rows, loaded on one worker, interleaved with clean integers and
with the limit, which reads the bytes and scans them for separators. `second way` counts the cells
that the compiled kernels did not finish in their first pass. Wide and narrow files follow, and what
a column of 200 rows takes, by how many there are and by what is written in them; the time for the
file is part of that, so that few columns show little but it. With `--write` all goes to SHAPES.md
beside this file.
"""

from __future__ import annotations

import argparse
import datetime as dt
import itertools
import random
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from turns import Contestant, machine, take_turns

ROWS, COLUMNS = 200_000, 10
TIMES = 5
"""Each row comes so many times, in another order: making cells takes longer than all reading."""
Cell = Callable[[random.Random], str]
VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra", "Empeltre", "Frantoio", "Leccino")
START = dt.date(2015, 10, 1)


def integer(rng: random.Random) -> str:
    """One to four digits."""
    return str(rng.randrange(10 ** rng.randrange(1, 5)))


def marked(share: float, cell: Cell, mark: str) -> Cell:
    """A share of the cells holds a mark instead."""
    return lambda rng: mark if rng.random() < share else cell(rng)


def day(rng: random.Random, form: str) -> str:
    return (START + dt.timedelta(days=rng.randrange(4000))).strftime(form)


def moment(rng: random.Random) -> str:
    return (dt.datetime(2020, 1, 1) + dt.timedelta(seconds=rng.randrange(10**8))).isoformat(" ")


def bare(date: dt.date) -> str:
    """Without zeros in front."""
    return f"{date.month}/{date.day}/{date.year}"


SHAPES: dict[str, tuple[float, Cell]] = {
    "integers, 2 % NA": (1.2, marked(0.02, integer, "NA")),
    "integers, 50 % NA": (1.3, marked(0.5, integer, "NA")),
    "integers, 2 % blank": (1.2, marked(0.02, integer, "")),
    "integers, 50 % blank": (1.2, marked(0.5, integer, "")),
    "integers, 2 % .": (1.2, marked(0.02, integer, ".")),
    "numbers .2f": (1.8, lambda rng: f"{rng.gauss(20, 8):.2f}"),
    "numbers .2f, 2 % NA": (1.8, marked(0.02, lambda rng: f"{rng.gauss(20, 8):.2f}", "NA")),
    "numbers .6f": (1.8, lambda rng: f"{rng.gauss(20, 8):.6f}"),
    "numbers, 17 digits": (3, lambda rng: repr(rng.random())),
    "exponents": (2.5, lambda rng: f"{rng.lognormvariate(0, 9):.6e}"),
    "11 digits": (1.5, lambda rng: str(rng.randrange(10**10, 10**11))),
    "19 digits": (3, lambda rng: str(rng.randrange(10**18, 9 * 10**18))),
    "grouped, quoted": (2.5, lambda rng: f'"{rng.uniform(1000, 99999):,.1f}"'),
    "percent": (1.6, lambda rng: f"{rng.uniform(0, 100):.1f}%"),
    "currency": (1.6, lambda rng: f"€{rng.uniform(0, 100):.2f}"),
    "true/false": (1.6, lambda rng: rng.choice(("true", "false"))),
    "yes/no": (1.6, lambda rng: rng.choice(("yes", "no"))),
    "dates ISO, 2 % NA": (2, marked(0.02, lambda rng: day(rng, "%Y-%m-%d"), "NA")),
    "dates ISO": (2, lambda rng: day(rng, "%Y-%m-%d")),
    "dates month/day/year": (2, lambda rng: day(rng, "%m/%d/%Y")),
    "dates day.month.year": (2, lambda rng: day(rng, "%d.%m.%Y")),
    "dates 5 Jan 2021": (2, lambda rng: day(rng, "%d %b %Y")),
    "dates 5 January 2021": (2, lambda rng: day(rng, "%d %B %Y")),
    "times of day": (2, lambda rng: f"{rng.randrange(24):02}:{rng.randrange(60):02}"),
    "moments": (2, moment),
    "dates 1/5/2021": (2, lambda rng: bare(START + dt.timedelta(days=rng.randrange(4000)))),
    "moments, UTC": (2, lambda rng: moment(rng).replace(" ", "T") + "Z"),
    "amounts": (2.5, lambda rng: f'"{rng.uniform(1, 99999):,.2f} €"'),
    "few words": (1.6, lambda rng: rng.choice(VARIETIES)),
    "few words, quoted": (1.6, lambda rng: f'"{rng.choice(VARIETIES)}"'),
    "all different": (2.5, lambda rng: f"lot {rng.randrange(10**9):09}"),
}
WIDTHS = ((10, 200_000), (100, 20_000), (500, 4_000), (2_000, 1_000))
COLUMN_ROWS, COLUMN_ROUNDS = 200, 5
COUNTS = (10, 100, 1_000, 10_000, 20_000)
COUNT_OF_KIND = 1_000
KINDS: dict[str, Cell] = {
    "integers, 5 % NA": marked(0.05, integer, "NA"),
    "numbers .2f": SHAPES["numbers .2f"][1],
    "dates ISO": SHAPES["dates ISO"][1],
    "yes/no": SHAPES["yes/no"][1],
    "few words": SHAPES["few words"][1],
    "few words, 30 % blank": marked(0.3, SHAPES["few words"][1], ""),
    "codes A12": lambda rng: f"A{rng.randrange(10, 100)}",
    "all different": SHAPES["all different"][1],
    "integers, 3 % with a star": lambda rng: integer(rng) + "*" * (rng.random() < 0.03),
}


def made(path: Path, cell: Cell, rows: int = ROWS, columns: int = COLUMNS, times: int = 1) -> int:
    """Write the file, in which each row may come several times; returns its rows."""
    rng = random.Random(7)
    lines = [",".join(cell(rng) for _ in range(columns)) + "\n" for _ in range(rows // times)]
    with path.open("w", encoding="utf-8", newline="") as stream:
        stream.write(",".join(f"v{place}" for place in range(1, columns + 1)) + "\n")
        for _ in range(times):
            rng.shuffle(lines)
            stream.writelines(lines)
    return rows


def second_way(path: Path) -> int:
    """Cells that the kernels left in their first pass and NumPy or Python had to take."""
    import olive_crate as oc
    from olive_crate.columns import dates, numbers

    met = 0
    kept = (
        (numbers, "_the_rest", numbers._the_rest),
        (dates, "_set_missing_aside", dates._set_missing_aside),
    )

    def counting(taken: Callable[..., Any]) -> Callable[..., Any]:
        def counted(cells: Any, rule: Any, pending: Any, *more: Any) -> Any:
            nonlocal met
            met += len(pending)
            return taken(cells, rule, pending, *more)

        return counted

    for module, name, function in kept:
        setattr(module, name, counting(function))
    try:
        oc.load(path, workers=1)
    finally:
        for module, name, function in kept:
            setattr(module, name, function)
    return met


def shape_rows(wanted: list[str], rounds: int, folder: Path) -> Iterator[str]:
    clean = folder / "clean.csv"
    made(clean, integer, times=TIMES)
    cells = ROWS * COLUMNS
    for name, (asked, cell) in SHAPES.items():
        if wanted and not any(each in name for each in wanted):
            continue
        path = folder / "shape.csv"
        made(path, cell, times=1 if name == "all different" else TIMES)
        times = take_turns(
            [
                Contestant("clean", "delimited:by_olive_crate", clean, "1"),
                Contestant("ours", "delimited:by_olive_crate", path, "1"),
                Contestant("limit", "delimited:by_scanning", path),
            ],
            rounds,
        )
        taken, spent = times["ours"], times["ours"].spent
        size = path.stat().st_size / 1e6
        yield (
            f"{name:22} {spent / cells * 1e9:6.0f} ns {taken.against(times['clean']):6.2f} of clean"
            f" (asked {asked:3}) {taken.against(times['limit']):6.1f} of the limit"
            f" {size / spent:6.0f} MB/s"
            f" {taken.peak:5.0f} MB {second_way(path):9,} second way"
        )


def width_rows(rounds: int, folder: Path) -> Iterator[str]:
    contestants = []
    for columns, rows in WIDTHS:
        path = folder / f"wide{columns}.csv"
        made(path, integer, rows, columns)
        contestants.append(Contestant(str(columns), "delimited:by_olive_crate", path, "1"))
    times = take_turns(contestants, rounds)
    base = times[str(WIDTHS[0][0])]
    for columns, rows in WIDTHS:
        ours = times[str(columns)]
        yield (
            f"{columns:6,} columns x {rows:7,} {ours.spent / columns / rows * 1e9:6.0f} ns"
            f" {ours.against(base):6.2f} of {WIDTHS[0][0]} columns"
        )


def column_rows(rounds: int, folder: Path) -> Iterator[str]:
    cells = {f"{count:6,} columns of integers": (count, integer) for count in COUNTS}
    cells |= {f"{COUNT_OF_KIND:6,} of {kind}": (COUNT_OF_KIND, KINDS[kind]) for kind in KINDS}
    contestants = []
    for number, (name, (count, cell)) in enumerate(cells.items()):
        path = folder / f"columns{number}.csv"
        made(path, cell, COLUMN_ROWS, count)
        contestants.append(Contestant(name, "delimited:by_olive_crate", path, "1"))
    times = take_turns(contestants, min(rounds, COLUMN_ROUNDS))
    for name, (count, _) in cells.items():
        spent = times[name].spent / count
        yield f"{name:34} x {COLUMN_ROWS} rows {spent * 1e3:8.3f} ms a column (asked 0.1)"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("shapes", nargs="*")
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--write", action="store_true")
    given = parser.parse_args()
    lines = [machine()]
    print(lines[0])
    with tempfile.TemporaryDirectory() as folder:
        wide = not given.shapes or "wide" in given.shapes
        of_widths = width_rows(given.rounds, Path(folder)) if wide else iter(())
        of_columns = column_rows(given.rounds, Path(folder)) if wide else iter(())
        of_shapes = shape_rows(given.shapes, given.rounds, Path(folder))
        for row in itertools.chain(of_shapes, of_widths, of_columns):
            print(row, flush=True)
            lines.append(row)
    if given.write:
        text = "\n".join(lines)
        target = Path(__file__).parent / "SHAPES.md"
        target.write_text(f"# Shapes\n\nMade by `make bench`.\n\n```\n{text}\n```\n", "utf-8")


if __name__ == "__main__":
    main()
