"""How many planted faults `check` finds, and how often it cries wolf.

    python benchmarks/findings.py

Clean files of a mill are made by a seeded generator, and one fault is planted in each copy. A fault
is found if a finding of the right kind names the right variable and, where rows tell, just those.
"""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable, Iterator

import numpy as np

import olive_crate as oc

Table = list[list[str]]
NAMES = ("ticket", "day", "variety", "grower", "gross", "acid", "oil", "crates", "note")
VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra")
FIRST = ("Ana", "Bruno", "Carla", "Diego", "Elena", "Félix", "Gema", "Hugo")
LAST = ("Abril", "Bosque", "Cano", "Duarte", "Expósito", "Funes", "Galán")
ROWS = 300


def clean(seed: int) -> Table:
    """The rows of a clean file, each a list of cells."""
    rng = random.Random(seed)
    growers = [f"{rng.choice(LAST)} {rng.choice(LAST)}, {rng.choice(FIRST)}" for _ in range(24)]
    start = dt.date(2025, 10, 1)
    return [
        [
            str(1000 * (1 + seed % 7) + row),
            (start + dt.timedelta(days=row // 5)).isoformat(),
            rng.choices(VARIETIES, (4, 3, 2, 1))[0],
            rng.choice(growers),
            str(round(rng.lognormvariate(7.5, 0.4))),
            f"{rng.gammavariate(6, 0.07) + 0.1:.2f}",
            f"{rng.gauss(20, 2.5):.1f}",
            str(rng.randint(4, 90)) if seed % 3 else str(4 * rng.randint(1, 40)),
            rng.choice(("", "", "", "leaves", "late", "sample taken twice")),
        ]
        for row in range(ROWS)
    ]


Fault = tuple[str, str, list[int]]
"""The kind of the finding, the variable (or none), and cases of which one must be named."""


def column(name: str) -> int:
    """The place of a variable."""
    return NAMES.index(name)


def put(table: Table, name: str, cases: list[int], texts: list[str]) -> None:
    """Other texts in some cells."""
    for number, case in enumerate(cases):
        table[case][column(name)] = texts[number % len(texts)]


def planted() -> Iterator[tuple[str, Callable[[Table, random.Random], Fault | None], dict]]:
    """Each fault with a name, what plants it, and options of the read."""

    def cells(kind: str, name: str, texts: list[str], count: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            cases = sorted(rng.sample(range(5, ROWS - 5), count))
            put(table, name, cases, texts)
            return kind, name, cases

        return plant

    for code, name in (("999", "acid"), ("-9", "oil"), ("9999", "crates"), ("-99", "gross")):
        yield f"code {code}", cells("suspected codes", name, [code], 7), {}
    for mark, name in (("n.d.", "acid"), ("<0.1", "acid"), ("?x", "crates"), ("12*", "oil")):
        yield f"mark {mark}", cells("kept as text", name, [mark], 5), {}
    yield "odd dates", cells("kept as text", "day", ["unknown", "31.9."], 6), {}
    yield "case", cells("mixed forms", "variety", ["PICUAL", "picual"], 6), {}
    yield "blanks", cells("mixed forms", "variety", ["Picual ", "Arbe quina"], 4), {"quote": None}
    yield "accents", cells("mixed forms", "variety", ["Pícual"], 3), {}
    yield "look-alikes", cells("mixed forms", "variety", ["Рicual"], 2), {}
    yield "far high", cells("far from the rest", "acid", ["48.00"], 1), {}
    yield "far low", cells("far from the rest", "oil", ["-61.5"], 1), {}
    yield "far twice", cells("far from the rest", "gross", ["184000", "221000"], 2), {}
    yield "epoch", cells("dates at an epoch", "day", ["1900-01-01"], 4), {}
    yield "epoch of machines", cells("dates at an epoch", "day", ["1970-01-01"], 2), {}
    yield "far future", cells("dates in the future", "day", ["2052-10-09"], 1), {}
    yield "end of time", cells("dates at an epoch", "day", ["9999-12-31"], 3), {}

    def labelled(kind: str) -> Callable[..., Fault]:
        return lambda table, rng: (kind, "variety", [])

    most = {name: name.lower() for name in VARIETIES[:3]}
    more = {name: name.lower() for name in (*VARIETIES, "Empeltre")}
    for kind, values in (("unexplained values", most), ("unused meanings", more)):
        yield kind, labelled(kind), {"variables": {"variety": {"meanings": values}}}

    def constant(table: Table, rng: random.Random) -> Fault:
        put(table, "oil", list(range(ROWS)), ["20.0"])
        return "constant variable", "oil", []

    def empty(table: Table, rng: random.Random) -> Fault:
        put(table, "crates", list(range(ROWS)), [""])
        return "empty variable", "crates", []

    yield "constant", constant, {}
    yield "empty", empty, {}

    def duplicates(count: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            cases = sorted(rng.sample(range(20, ROWS - 5), count))
            for case in cases:
                table[case] = list(table[case - 7])
            return "duplicate rows", "", cases

        return plant

    def same_key(count: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            cases = sorted(rng.sample(range(20, ROWS - 5), count))
            for case in cases:
                table[case][0] = table[case - 11][0]
            return "duplicate keys", "ticket", cases

        return plant

    yield "a duplicate row", duplicates(1), {}
    yield "duplicate rows", duplicates(5), {}
    yield "a duplicate key", same_key(1), {}
    yield "duplicate keys", same_key(4), {}
    key = {"promised": {"key": ["grower", "day", "gross"]}}

    def declared_key(table: Table, rng: random.Random) -> Fault:
        for place in (1, 3, 4):
            table[81][place] = table[80][place]
        return "duplicate keys", "grower", [81]

    yield "declared key", declared_key, key

    def gaps(count: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            for case in sorted(rng.sample(range(20, ROWS - 20), count), reverse=True):
                del table[case]
            return "keys with gaps", "ticket", []

        return plant

    yield "a gap", gaps(1), {}
    yield "gaps", gaps(4), {}

    def heaped(name: str, to: int, share: float, digits: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            for row in table:
                if rng.random() < share:
                    scale = 10**digits
                    value = round(float(row[column(name)]) * scale / to) * to / scale
                    row[column(name)] = f"{value:.{digits}f}"
            return "heaped values", name, []

        return plant

    yield "heaped at tens", heaped("gross", 10, 0.6, 0), {}
    yield "heaped at fives", heaped("gross", 5, 0.8, 0), {}
    yield "rounded decimals", heaped("oil", 10, 0.7, 1), {}

    def cut(length: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            for row in table:
                words = rng.choice(FIRST), rng.choice(LAST), rng.choice(LAST), rng.choice(VARIETIES)
                row[column("grower")] = f"{' '.join(words)} {rng.randint(1, 999)}"[:length]
            return "cut texts", "grower", []

        return plant

    yield "cut at 16", cut(16), {}
    yield "cut at 20", cut(20), {}

    def heading(table: Table, rng: random.Random) -> Fault:
        table.insert(0, list(NAMES))
        return "heading among the data", "gross", [0]

    yield "heading as data", heading, {"rows": {"names": 1, "data": "2.."}}
    yield "heading as data, no names", heading, {"rows": {"names": []}, "names": list(NAMES)}
    kinds = {"acid": "number", "gross": "integer"}
    yield (
        "heading as data, declared",
        heading,
        {"rows": {"names": 1, "data": "2.."}, "types": kinds},
    )

    def data_as_heading(table: Table, rng: random.Random) -> Fault:
        return "data read as heading", "", []

    yield "data as heading", data_as_heading, {"rows": {"names": 2, "data": "3.."}}

    def total(word: str, summed: bool) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            last = [""] * len(NAMES)
            if summed:
                for place in (4, 7):
                    last[place] = str(sum(int(row[place]) for row in table))
            last[column("variety")] = word
            table.append(last)
            return "total among the data", "gross" if summed else "variety", [ROWS]

        return plant

    whole = {"rows": {"names": 1, "data": "2.."}}
    yield "a total", total("Total", True), whole
    yield "a sum without a word", total("", True), whole
    yield "a word without sums", total("Sum", False), whole

    def shifted(count: int, by: int) -> Callable[..., Fault]:
        def plant(table: Table, rng: random.Random) -> Fault:
            first = rng.randrange(30, ROWS - 30)
            cases = list(range(first, first + count))
            for case in cases:
                row = table[case]
                table[case] = ["", *row[:-1]] if by > 0 else [*row[1:], ""]
            return "shifted rows", "variety" if by > 0 else "day", cases

        return plant

    yield "shifted right", shifted(3, 1), {}
    yield "shifted left", shifted(2, -1), {}
    yield "a long shift", shifted(12, 1), {}

    def long_numbers(table: Table, rng: random.Random) -> Fault:
        for row in table:
            row[column("crates")] = f"{rng.randint(10**16, 10**17)}.0"
        return "lost digits", "crates", []

    def exponents(table: Table, rng: random.Random) -> Fault:
        for row in table:
            row[column("crates")] = f"{rng.randint(10**11, 10**12):.5E}"
        return "lost digits", "crates", []

    yield "long numbers", long_numbers, {}
    yield "exponents", exponents, {}

    def level(name: str) -> Callable[..., Fault]:
        return lambda table, rng: ("level does not fit", name, [])

    yield "ratio of texts", level("variety"), {"variables": {"variety": {"level": "ratio"}}}
    yield "ordinal decimals", level("acid"), {"variables": {"acid": {"level": "ordinal"}}}

    def cut_names(table: Table, rng: random.Random) -> Fault:
        return "cut names", "oil_conten", []

    names = [
        "ticket",
        "day",
        "variety",
        "grower_nam",
        "gross_weig",
        "acid_perce",
        "oil_conten",
        "crates_cou",
        "note",
    ]
    yield "cut names", cut_names, {"heading": names}


def load(table: Table, options: dict) -> oc.Dataset:
    """The file as a dataset."""
    given = dict(options)
    heading = given.pop("heading", NAMES)
    text = "\n".join("|".join(row) for row in [list(heading), *table]) + "\n"
    return oc.load(text.encode(), **{"delimiter": "|", "decimal": ".", **given})


def is_found(fault: Fault, dataset: oc.Dataset, findings: oc.Findings) -> bool:
    """Is there a finding of this kind and variable, that names just these rows (the first ten)?"""
    kind, name, cases = fault
    rows = set(dataset.source_rows.at(np.array(cases, np.int64)).tolist())
    return any(
        each.kind == kind
        and (not name or name in each.variables)
        and (not cases or (set(each.rows) <= rows and len(each.rows) == min(len(rows), 10)))
        for each in findings
    )


def score() -> tuple[int, int, list[str], int, list[str]]:
    """Faults found, faults planted, those missed, and false findings in clean files."""
    found, missed = 0, []
    faults = list(planted())
    for number, (name, plant, options) in enumerate(faults):
        table, rng = clean(number), random.Random(number)
        fault = plant(table, rng)
        dataset = load(table, options)
        findings = dataset.check()
        if is_found(fault, dataset, findings):
            found += 1
        else:
            missed.append(
                f"{name}: wanted {fault[0]} in {fault[1] or 'rows'}; got {list(map(str, findings))}"
            )
    wolves = [
        f"file {seed}: {finding}"
        for seed in range(100, 120)
        for finding in load(clean(seed), {}).check()
    ]
    return found, len(faults), missed, 20, wolves


def main() -> None:
    """Print the score."""
    found, planted_faults, missed, files, wolves = score()
    share = 100 * found / planted_faults
    print(f"{found} of {planted_faults} planted faults found ({share:.0f} %)")
    print(f"{len(wolves)} findings in {files} clean files")
    for line in [*missed, *wolves]:
        print(" ", line)


if __name__ == "__main__":
    main()
