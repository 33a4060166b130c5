"""Files whose truth is known: does the program find rows, names and values, or say it is not sure?

    python benchmarks/structure.py [--files 700] [--seed 0] [--list]

Twelve shapes of delimited and aligned text are generated, each with the cells that a person would
read from it. A file counts as right if rows, names and values are those; as open if they are not,
but an open point names what is right among its alternatives; as wrong otherwise. Applied
alternatives are read again, so an alternative counts only if the plan with it gives the truth.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from collections.abc import Callable, Iterator
from typing import NamedTuple

import olive_crate as oc

MOST_ALTERNATIVES = 3
GROWERS = [
    "Alba",
    "Bruno",
    "Carla",
    "Dario",
    "Elena",
    "Fabio",
    "Gina",
    "Hugo",
    "Ines",
    "Luca",
    "Marta",
    "Nino",
    "Olga",
    "Piero",
    "Rosa",
]
PLACES = ["Colle Alto", "Fonte", "Monte Rosso", "Pozzo", "San Vito", "Valle", "Rio Secco", "Ponte"]
GRADES = ["virgin", "extra virgin", "lampante", "refined"]


class Made(NamedTuple):
    """A file and what it holds."""

    shape: str
    text: str
    names: list[str] | None
    """`None` where the file names nothing."""
    rows: list[list[str]]


class Kind(NamedTuple):
    """A kind of column: its name, and a cell for each row."""

    name: str
    cell: Callable[[random.Random, int], str]


KINDS = {
    "id": Kind("delivery", lambda r, i: f"D{i:04d}"),
    "number": Kind("number", lambda r, i: str(i)),
    "grower": Kind("grower", lambda r, i: r.choice(GROWERS)),
    "place": Kind("grove", lambda r, i: r.choice(PLACES)),
    "grade": Kind("grade", lambda r, i: r.choice(GRADES)),
    "kg": Kind("kg", lambda r, i: str(r.randint(80, 9000))),
    "acid": Kind("acidity", lambda r, i: f"{r.uniform(0.1, 3.2):.2f}"),
    "peroxide": Kind("peroxide", lambda r, i: f"{r.uniform(2, 25):.1f}"),
    "score": Kind("panel score", lambda r, i: str(r.randint(1, 9))),
    "answer": Kind("organic", lambda r, i: r.choice(["yes", "no"])),
    "day": Kind("day", lambda r, i: f"2025-{1 + i // 28 % 12:02d}-{1 + i % 28:02d}"),
    "month": Kind("month", lambda r, i: f"{1990 + i // 12}-{1 + i % 12:02d}-01"),
    "loss": Kind("loss", lambda r, i: f"{r.uniform(-5, 5):.3f}"),
}


def columns(r: random.Random, *always: str) -> list[str]:
    free = [kind for kind in KINDS if kind not in (*always, "id", "number", "day", "month")]
    return [*always, *r.sample(free, r.randint(2, 5))]


def table(r: random.Random, kinds: list[str], rows: int, gaps: float = 0.0) -> list[list[str]]:
    made = []
    for i in range(1, rows + 1):
        cells = [KINDS[kind].cell(r, i) for kind in kinds]
        made.append([c if at == 0 or r.random() >= gaps else "" for at, c in enumerate(cells)])
    return made


def delimiter(r: random.Random) -> str:
    return r.choice([",", ";", "\t", "|"])


def laid(rows: list[list[str]], mark: str) -> str:
    return "".join(mark.join(row) + "\n" for row in rows)


def heads(kinds: list[str]) -> list[str]:
    return [KINDS[kind].name for kind in kinds]


def survey(r: random.Random) -> Made:
    items = [f"item_{i}" for i in range(1, r.randint(4, 12))]
    rows = [
        [f"R{i:03d}", *(r.choice(["1", "2", "3", "4", "5", "9"]) for _ in items)]
        for i in range(1, r.randint(15, 200))
    ]
    return Made(
        "survey", laid([["respondent", *items], *rows], delimiter(r)), ["respondent", *items], rows
    )


def series(r: random.Random) -> Made:
    kinds = ["month", *r.sample(["kg", "acid", "peroxide", "loss"], r.randint(2, 4))]
    rows, mark = table(r, kinds, r.randint(24, 240)), delimiter(r)
    for row in rows[-r.randint(1, 3) :]:
        for at in range(r.randint(1, len(row) - 1), len(row)):
            row[at] = ""
    return Made("time series", laid([heads(kinds), *rows], mark), heads(kinds), rows)


def laboratory(r: random.Random) -> Made:
    kinds, mark = ["id", "day", "acid", "peroxide", "score"], delimiter(r)
    rows = table(r, kinds, r.randint(12, 120), 0.1)
    title = [r.choice(["Laboratory of the mill", "Fatty acids, season 2025"])]
    above = [
        title,
        *([["printed on 12 January"]] if r.random() < 0.5 else []),
        *[[""]] * r.randint(0, 1),
    ]
    return Made("laboratory", laid([*above, heads(kinds), *rows], mark), heads(kinds), rows)


def register(r: random.Random) -> Made:
    kinds, mark = ["id", "grower", "place", "grade"], delimiter(r)
    rows = table(r, kinds, r.randint(12, 300))
    return Made("register", laid([heads(kinds), *rows], mark), heads(kinds), rows)


def ragged(r: random.Random) -> Made:
    kinds, mark = columns(r, "id"), delimiter(r)
    rows = table(r, kinds, r.randint(12, 150), 0.35)
    lines = [mark.join(row).rstrip(mark) if r.random() < 0.7 else mark.join(row) for row in rows]
    return Made("ragged", laid([heads(kinds)], mark) + "\n".join(lines) + "\n", heads(kinds), rows)


def sparse_end(r: random.Random) -> Made:
    kinds, mark = columns(r, "id"), delimiter(r)
    rows = table(r, kinds, r.randint(12, 150))
    for row in rows[-r.randint(1, 4) :]:
        row[1:] = [""] * (len(row) - 1)
    return Made("last cases empty", laid([heads(kinds), *rows], mark), heads(kinds), rows)


def bare(r: random.Random) -> Made:
    kinds, mark = columns(r, r.choice(["id", "number"]), "kg"), delimiter(r)
    rows = table(r, kinds, r.randint(8, 150))
    for row in rows[: r.choice([0, 0, 3])]:
        row[2:] = [""] * (len(row) - 2)
    return Made("no heading", laid(rows, mark), None, rows)


def commented(r: random.Random) -> Made:
    kinds, mark = columns(r, "id"), delimiter(r)
    rows = table(r, kinds, r.randint(12, 100))
    prefix = r.choice(["#", "# ", "//", "%"])
    lines = [laid([row], mark) for row in rows]
    for _ in range(r.randint(0, 3)):
        lines.insert(r.randint(1, len(lines)), f"{prefix}checked by hand, {r.choice(GROWERS)}\n")
    above = "".join(
        f"{prefix}line {i}; of the head, of the file\n" for i in range(r.randint(1, 20))
    )
    return Made("comments", above + laid([heads(kinds)], mark) + "".join(lines), heads(kinds), rows)


def closed(r: random.Random) -> Made:
    if r.random() < 0.3:
        made = aligned(r)
        below = "\nSource: laboratory of the mill, as of the end of the season\n"
        return made._replace(shape="totals and notes", text=made.text + below)
    kinds, mark = ["number", "kg", "acid"], delimiter(r)
    rows = table(r, kinds, r.randint(12, 100))
    total = [r.choice(["Total", "Summe", "Totale", ""]), str(sum(int(row[1]) for row in rows)), ""]
    below = [total] if r.random() < 0.7 else []
    if r.random() < 0.5 or not below:
        below += [[r.choice(["Source: the cooperative", "* provisional figures of the mill"])]]
    text = laid([heads(kinds), *rows, *below], mark)
    return Made("totals and notes", text, heads(kinds), rows)


def named_rows(r: random.Random) -> Made:
    kinds, mark = ["kg", "acid", "peroxide"], r.choice([",", "\t", " "])
    rows = [[f"plot{i}", *row] for i, row in enumerate(table(r, kinds, r.randint(12, 60)), 1)]
    return Made("rows with names", laid([heads(kinds), *rows], mark), ["", *heads(kinds)], rows)


def aligned(r: random.Random, prose: bool = False) -> Made:
    kinds = columns(r, "id")
    rows = table(r, kinds, r.randint(12, 120), 0.1)
    names = heads(kinds) if r.random() < 0.5 and "score" not in kinds else None
    every = [*([names] if names else []), *rows]
    widths = [max(len(row[at]) for row in every) for at in range(len(kinds))]
    right = [kind in ("kg", "acid", "peroxide", "score", "loss") for kind in kinds]
    gap = " " * r.randint(1, 3)

    def line(cells: list[str]) -> str:
        pairs = zip(cells, widths, right, strict=True)
        return gap.join(c.rjust(w) if a else c.ljust(w) for c, w, a in pairs).rstrip()

    lines = [line(row) for row in every]
    if prose:
        above = [
            "The figures below were taken at the mill in the winter of 2025, by the",
            "laboratory, and are in the units that the members know from other years.",
            "",
        ]
        lines = [*above, *lines]
    return Made("prose" if prose else "aligned", "\n".join(lines) + "\n", names, rows)


SHAPES: tuple[Callable[[random.Random], Made], ...] = (
    *(survey, series, laboratory, register, ragged, sparse_end, bare, commented, closed),
    *(named_rows, aligned, lambda r: aligned(r, prose=True)),
)


def generated(files: int, seed: int) -> Iterator[Made]:
    for number in range(files):
        r = random.Random(f"{seed}/{number}")
        yield SHAPES[number % len(SHAPES)](r)


def is_true(made: Made, dataset: oc.Dataset) -> bool:
    """Are rows, names and texts those of the file?"""
    wanted = made.names
    if wanted is None:
        wanted = [""] * len(made.rows[0])
    names = [name or f"column_{at}" for at, name in enumerate(wanted, 1)]
    if dataset.names != names or len(dataset) != len(made.rows):
        return False
    held = [dataset[name].values.to_pylist() for name in names]
    got = [
        ["" if cell is None else cell.strip() for cell in row] for row in zip(*held, strict=True)
    ]
    return got == [[cell.strip() for cell in row] for row in made.rows]


def verdict(made: Made) -> str:
    source = made.text.encode("utf-8")
    dataset = oc.load(source, types="text")
    plan = oc.draft(source, types="text")
    points = [point for point in plan.evidence if not point.certain and not point.variable]
    if is_true(made, dataset):
        return "open and right" if points else "certain and right"
    if any(len(point.alternatives) > MOST_ALTERNATIVES for point in points):
        return "too many alternatives"
    for point in points:
        for way in point.alternatives:
            if is_true(made, oc.load(source, types="text", **point.settled_as(way))):
                return "open, the right one named"
    return "open and wrong" if points else "certain and wrong"


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=700)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--list", action="store_true", help="name the files that are not right")
    given = parser.parse_args()
    counts: Counter[str] = Counter()
    by_shape: dict[str, Counter[str]] = {}
    for number, made in enumerate(generated(given.files, given.seed)):
        judged = verdict(made)
        counts[judged] += 1
        by_shape.setdefault(made.shape, Counter())[judged] += 1
        if given.list and "right" not in judged.split(", ")[0]:
            print(f"{number} {made.shape}: {judged}")
    for shape, found in by_shape.items():
        print(f"{shape:18}" + ", ".join(f"{words} {count}" for words, count in found.most_common()))
    print()
    for words, count in counts.most_common():
        print(f"{count:5d}  {count / given.files:6.1%}  {words}")


if __name__ == "__main__":
    main()
