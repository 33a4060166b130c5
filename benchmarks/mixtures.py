"""Delimited files in which everything is mixed: a search for readings that are certain and wrong.

    python benchmarks/mixtures.py [--files 1000] [--seed 0] [--list]

Delimiters (`; ` and `:` too), kinds of columns, gaps, headings (none, units, labels, quoted, one
name short, an empty first cell), titles or comments above, totals, means or notes below, each drawn
at random. Verdicts are those of `structure`.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from collections.abc import Callable

from structure import Made, verdict

NAMES = [
    "Ana",
    "Bo",
    "Carl",
    "Dora",
    "Emil",
    "Fay",
    "Gus",
    "Hana",
    "Ivo",
    "Jan",
    "Kim",
    "Leo",
    "Mia",
    "Ned",
    "Ora",
    "Pia",
]
PLACES = ["North hill", "South", "East field, upper", "West", "Old mill", "Lower grove"]
REMARKS = ["", "ok", "late delivery", "checked twice", "n/a"]
Cell = Callable[[random.Random, int], str]
CELLS: dict[str, Cell] = {
    "seq": lambda r, i: str(i),
    "code": lambda r, i: f"{'ABC'[i % 3]}{i:03d}",
    "name": lambda r, i: r.choice(NAMES),
    "place": lambda r, i: r.choice(PLACES),
    "crates": lambda r, i: str(r.randint(0, 5000)),
    "panel": lambda r, i: str(r.randint(1, 5)),
    "acid": lambda r, i: f"{r.gauss(5, 3):.2f}",
    "date": lambda r, i: f"{1 + i % 28:02d}.{1 + i // 28 % 12:02d}.2024",
    "iso": lambda r, i: f"2024-{1 + i // 28 % 12:02d}-{1 + i % 28:02d}",
    "time": lambda r, i: f"{r.randint(0, 23):02d}:{r.randint(0, 59):02d}",
    "organic": lambda r, i: r.choice(["yes", "no"]),
    "share": lambda r, i: f"{r.randint(0, 100)}%",
    "price": lambda r, i: f"${r.randint(1, 900)}.{r.randint(10, 99)}",
    "trace": lambda r, i: f"{r.random() * 1e-5:.3e}",
    "big": lambda r, i: str(10**17 + i * 7),
    "postal": lambda r, i: f"{r.randint(1, 99999):05d}",
    "remark": lambda r, i: r.choice(REMARKS),
    "gaps": lambda r, i: r.choice(["NA", str(r.randint(1, 99))]),
    "year": lambda r, i: str(1950 + i),
}
FIRST = ("seq", "code", "name", "year", "date", "iso")
UNITS = {"acid": "kg", "crates": "n", "share": "%", "price": "USD"}
SUMMED = ("crates", "acid", "panel")
HEADINGS = ("plain", "plain", "none", "units", "labels", "quoted", "caps", "empty first", "short")


def quoted(cell: str, mark: str, always: bool) -> str:
    return '"' + cell.replace('"', '""') + '"' if always or mark in cell or '"' in cell else cell


def closing_row(kinds: list[str], rows: list[list[str]], is_mean: bool, word: str) -> list[str]:
    cells = [word, *[""] * (len(kinds) - 1)]
    for place, kind in enumerate(kinds):
        numbers = [float(row[place]) for row in rows if row[place]] if kind in SUMMED else []
        if numbers:
            total = sum(numbers) / (len(numbers) if is_mean else 1)
            cells[place] = f"{total:.2f}".rstrip("0").rstrip(".")
    return cells


def heading_rows(kind: str, names: list[str], kinds: list[str]) -> list[list[str]]:
    """The rows of the heading, units and labels."""
    if kind == "none":
        return []
    if kind == "empty first":
        return [["", *names[1:]]]
    if kind == "short" and len(names) > 2:
        return [names[1:]]
    rows = [names]
    units = [UNITS.get(each, "") for each in kinds]
    if kind == "units" and any(units):
        rows.append(units)
    if kind == "labels":
        rows.append([f"The {each} of each delivery" for each in kinds])
    return rows


def mixed(r: random.Random) -> Made:
    mark = r.choice([",", ";", "\t", "|", "; ", ":"])
    free = [kind for kind in CELLS if kind not in FIRST and not (kind == "time" and mark == ":")]
    kinds = [r.choice(FIRST), *r.sample([*free, "date", "iso"], r.randint(1, 7))]
    count, gaps = r.choice([6, 10, 20, 60, 200]), r.choice([0, 0, 0.1, 0.4])
    rows = [[CELLS[kind](r, i) for kind in kinds] for i in range(1, count + 1)]
    rows = [[c if j == 0 or r.random() > gaps else "" for j, c in enumerate(row)] for row in rows]
    kind = r.choice(HEADINGS)
    names = [
        f"{each}_{place}" if each in kinds[:place] else each for place, each in enumerate(kinds)
    ]
    names = [each.title() for each in names] if kind == "caps" else names
    heading = heading_rows(kind, names, kinds)
    wanted = None if not heading else names
    if heading and heading[0] != names:
        wanted = ["", *names[1:]]

    def line(cells: list[str]) -> str:
        return mark.join(quoted(cell, mark.strip() or mark, kind == "quoted") for cell in cells)

    above = r.choice(
        [
            *([], [], []),
            ["Deliveries of the season"],
            ["Mill of the valley" + mark * (len(kinds) - 1), "", "Printed today"],
            ["# made by hand", "# second; comment, line"],
        ]
    )
    below: list[str] = []
    chosen = r.choice(["", "", "", "", "total", "mean", "note", "blank"])
    if chosen in ("total", "mean") and any(each in SUMMED for each in kinds):
        word = r.choice(["Total", "Sum", "TOTAL:"] if chosen == "total" else ["Mean", "Average"])
        below = [line(closing_row(kinds, rows, chosen == "mean", word))]
    elif chosen == "note":
        below = [r.choice(["Source: the mill", "* provisional", "Note: as of May, by the mill"])]
    elif chosen == "blank":
        below = ["", ""]
    lines = [*above, *map(line, heading), *map(line, rows), *below]
    return Made(f"{mark!r} {kind}, {chosen}", "\n".join(lines) + "\n", wanted, rows)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--list", action="store_true", help="name the files that are not right")
    given = parser.parse_args()
    counts: Counter[str] = Counter()
    for number in range(given.files):
        made = mixed(random.Random(f"{given.seed}/{number}"))
        judged = verdict(made)
        counts[judged] += 1
        if given.list and judged.endswith("wrong"):
            print(f"{number} {made.shape}: {judged}")
    for words, count in counts.most_common():
        print(f"{count:5d}  {count / given.files:6.1%}  {words}")


if __name__ == "__main__":
    main()
