"""Columns aligned by blanks: are they cut where their maker put them?

    python benchmarks/aligned.py [--files 80] [--seed 0]

Integers, negatives, decimals, one and two words, dates, codes and columns with gaps; 12 to 500
rows; one to three blanks between; with and without a heading. Right is a file whose every cell is.
"""

from __future__ import annotations

import argparse
import random
from typing import NamedTuple

import olive_crate as oc

WORDS = [
    "Frantoio",
    "Leccino",
    "Moraiolo",
    "Pendolino",
    "Coratina",
    "Ogliarola",
    "Carboncella",
    "Itrana",
    "Maurino",
    "Vecchio",
    "Alto",
    "Basso",
    "Colle",
    "Monte",
    "Valle",
    "Fonte",
    "Pozzo",
    "San",
    "Ponte",
    "Rio",
]
NAMES = ["acid", "oil", "kg", "site", "mill", "day", "lot", "ph", "val"]
KINDS = ["integer", "negative", "decimal", "word", "words", "date", "day", "code", "gaps"]


class Column(NamedTuple):
    cells: list[str]
    right: bool
    """Aligned to the right."""


def column(r: random.Random, kind: str, rows: int) -> Column:
    high = r.choice([9, 99, 999, 9999, 99999])
    decimals, low = r.choice([1, 2, 3]), r.choice([0, 0, -1])
    letter, right = r.choice("ABGPX"), r.random() < 0.5

    def cell() -> str:
        if kind == "integer":
            return str(r.randint(0, high))
        if kind == "negative":
            return str(r.randint(-high, high))
        if kind == "decimal":
            return f"{r.uniform(low * high, high):.{decimals}f}"
        if kind == "word":
            return r.choice(WORDS)
        if kind == "words":
            return " ".join(r.choices(WORDS, k=2 if r.random() < 0.7 else 1))
        if kind == "date":
            return f"2025-{r.randint(1, 12):02}-{r.randint(1, 28):02}"
        if kind == "day":
            return f"{r.randint(1, 28)}/{r.randint(1, 12)}/2025"
        if kind == "code":
            return f"{letter}{r.randint(1, 999):03}"
        return str(r.randint(1, high)) if r.random() < 0.7 else ""

    numbers = kind in ("integer", "negative", "decimal", "gaps") or (kind == "day" and right)
    return Column([cell() for _ in range(rows)], numbers)


def made(r: random.Random) -> tuple[str, list[list[str]]]:
    """The text of a file, and its cells."""
    rows = r.choice([12, 15, 25, 40, 100, 250, 500])
    kinds = [r.choice(KINDS) for _ in range(r.randint(3, 8))]
    kinds[0] = "code" if kinds[0] == "gaps" else kinds[0]
    columns = [column(r, kind, rows) for kind in kinds]
    named = r.random() < 0.5
    names = [f"{r.choice(NAMES)}{place}" if named else "" for place in range(len(kinds))]
    widths = [
        max(len(name), *map(len, each.cells)) for name, each in zip(names, columns, strict=True)
    ]
    gaps = [*(r.choice([1, 1, 2, 3]) for _ in kinds[1:]), 0]

    def line(cells: list[str]) -> str:
        pieces = zip(cells, widths, gaps, columns, strict=True)
        return "".join(
            (cell.rjust(width) if each.right else cell.ljust(width)) + " " * gap
            for cell, width, gap, each in pieces
        ).rstrip()

    truth = [list(cells) for cells in zip(*(each.cells for each in columns), strict=True)]
    lines = [line(names)] if named else []
    return "\n".join([*lines, *map(line, truth)]) + "\n", truth


def is_right(text: str, truth: list[list[str]]) -> tuple[bool, bool]:
    """Is every cell as it was made? And is the reading an open point?"""
    dataset = oc.load(text.encode(), types="text")
    held = [dataset[name].values.to_pylist() for name in dataset.names]
    got = [
        ["" if cell is None else cell.strip() for cell in row] for row in zip(*held, strict=True)
    ]
    doubts = [each for each in dataset.receipt.decided if not each.certain and not each.variable]
    return got == truth, bool(doubts)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=80)
    parser.add_argument("--seed", type=int, default=0)
    given = parser.parse_args()
    right = silent = 0
    for number in range(given.files):
        good, is_open = is_right(*made(random.Random(f"{given.seed}/{number}")))
        right += good
        silent += not good and not is_open
    print(f"{right} of {given.files} right; {silent} wrong without an open point")


if __name__ == "__main__":
    main()
