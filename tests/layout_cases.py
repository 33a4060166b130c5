"""Fixed layouts of many kinds with the truth beside them, and a judge of the breaks found in them.

All of it is made up. The tests hold each case to be right, `benchmarks/breaks.py` prints the score.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import NamedTuple

import olive_crate as oc

VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra", "Empeltre", "Lechin de Sevilla")
GROWERS = ("Ana Lopez", "Jose Marin", "Begona Ruiz", "Mateo Gil", "Lucia de la Torre", "Iker Sanz")
MILLS = ("NORTE", "SUR", "ESTE", "OESTE")


class Column(NamedTuple):
    """A column: its heading, its width, to which side it is aligned, and how its cells are made."""

    heading: str
    width: int
    right: bool
    cell: Callable[[random.Random, int], str]


COLUMNS = {
    "id": Column("Plot", 5, True, lambda rng, row: str(100 + row)),
    "code": Column("Code", 6, True, lambda rng, row: f"{250_000 + 17 * row:06d}"),
    "zone": Column("Zone", 5, False, lambda rng, row: rng.choice(MILLS)),
    "variety": Column("Variety", 17, False, lambda rng, row: rng.choice(VARIETIES)),
    "grower": Column("Grower", 17, False, lambda rng, row: rng.choice(GROWERS)),
    "area": Column("Area", 6, True, lambda rng, row: f"{rng.uniform(0.4, 300):.1f}"),
    "acid": Column("Acid", 5, True, lambda rng, row: f"{rng.lognormvariate(-1, 0.5):.2f}"),
    "net": Column("Net", 6, True, lambda rng, row: str(rng.randrange(1500, 120_000))),
    "day": Column(
        "Day", 10, False, lambda rng, row: f"2025-{rng.randrange(10, 13)}-{rng.randrange(10, 29)}"
    ),
    "grade": Column("G", 1, False, lambda rng, row: rng.choice("ABC")),
    "padded": Column("Seq", 4, True, lambda rng, row: f"{rng.randrange(0, 400):04d}"),
    "drift": Column("Drift", 6, True, lambda rng, row: f"{rng.gauss(0, 9):.1f}"),
}


class Case(NamedTuple):
    """A file and the positions after which its true breaks are; blanks between belong to either."""

    name: str
    text: str
    spans: list[tuple[int, int]]
    kind: str


def made(
    name: str,
    columns: list[str],
    kind: str,
    gap: int = 2,
    rows: int = 60,
    seed: int = 1,
    titles: int = 0,
    blank: float = 0.0,
) -> Case:
    """A file of these columns. Without a gap they are packed, with or without a heading."""
    rng = random.Random(seed)
    chosen = [COLUMNS[each] for each in columns]
    spans, at = [], 1
    for column in chosen:
        spans.append((at, at + column.width - 1))
        at += column.width + gap
    lines = []
    if kind != "packed":
        words = [
            c.heading[: c.width].rjust(c.width) if c.right else c.heading[: c.width].ljust(c.width)
            for c in chosen
        ]
        lines = ["Mill of the valley, season 2025", "", "made by hand"][:titles]
        lines.append((" " * gap).join(words).rstrip())
    for row in range(rows):
        cells = ["" if rng.random() < blank else c.cell(rng, row)[: c.width] for c in chosen]
        padded = [
            cell.rjust(c.width) if c.right else cell.ljust(c.width)
            for cell, c in zip(cells, chosen, strict=True)
        ]
        lines.append((" " * gap).join(padded).rstrip())
    return Case(name, "\n".join(lines) + "\n", spans, kind)


def cases() -> Iterator[Case]:
    """All layouts: aligned, packed with headings, packed without."""
    wide = ["id", "variety", "area", "acid", "day", "grade", "net"]
    yield made("aligned", wide, "aligned")
    yield made("aligned, one blank between", wide, "aligned", gap=1)
    yield made("aligned, far apart", wide, "aligned", gap=5)
    yield made("aligned, few rows", wide, "aligned", rows=8)
    yield made("aligned, titles above", wide, "aligned", titles=3)
    yield made("aligned, blank cells", wide, "aligned", blank=0.2)
    yield made("aligned, names of several words", ["grower", "variety", "net", "day"], "aligned")
    yield made("aligned, numbers only", ["id", "area", "acid", "net", "drift"], "aligned")
    yield made("aligned, two columns", ["id", "acid"], "aligned")
    yield made("aligned, twelve columns", list(COLUMNS), "aligned")
    yield made("aligned, words only", ["zone", "grower", "variety"], "aligned")
    yield made("packed under a heading", ["code", "variety", "area", "day"], "headed", gap=0)
    yield made("packed numbers under a heading", ["id", "area", "acid", "net"], "headed", gap=0)
    yield made("packed words under a heading", ["zone", "grower", "variety"], "headed", gap=0)
    yield made("packed, mixed, under a heading", ["id", "zone", "net", "day"], "headed", gap=0)
    yield made("packed, half blank, headed", ["id", "variety", "acid"], "headed", gap=0, blank=0.3)
    yield made("packed: code, letter, number", ["code", "grade", "padded"], "packed", gap=0)
    yield made("packed: zone, code, zone", ["zone", "code", "variety"], "packed", gap=0)
    yield made("packed: day, grade, net", ["day", "grade", "net"], "packed", gap=0)
    yield made("packed: padded numbers", ["padded", "padded", "code"], "packed", gap=0, rows=300)
    yield made("packed: words and numbers", ["variety", "area", "zone"], "packed", gap=0, rows=200)
    yield made("packed: instrument", ["code", "day", "acid", "grade"], "packed", gap=0, rows=200)
    yield made("packed: seven columns", wide, "packed", gap=0, rows=300)


def judged(case: Case) -> tuple[bool, str]:
    """Is each true border found, and no other; packed without headings: among the alternatives?"""
    look = oc.look(case.text.encode(), layout="fixed")
    found = sorted(each.after for each in look.breaks)
    wanted = [
        (end, start - 1) for (_, end), (start, _) in zip(case.spans, case.spans[1:], strict=False)
    ]
    told = next(each for each in look.evidence if each.about == "fixed.fields")
    others = [int(each) for each in told.alternatives]
    data = [line for line in case.text.splitlines() if line.strip()][4 - len(case.spans) % 2 :]
    missed = [
        span
        for span in wanted
        if not any(
            _same_break(after, span, data)
            for after in (found + others if case.kind == "packed" else found)
        )
    ]
    extra = [after for after in found if not any(_same_break(after, span, data) for span in wanted)]
    return not missed and not (extra and case.kind != "packed"), f"missed {missed}, extra {extra}"


def _same_break(after: int, span: tuple[int, int], data: list[str]) -> bool:
    """Between the same values: nothing but blanks stands between this break and the true one."""
    low, high = min(after, span[0]), max(after, span[1])
    return all(
        not line[low : span[0]].strip() and not line[span[1] : high].strip() for line in data
    )
