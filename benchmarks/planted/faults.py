"""Sixty kinds of fault, each planted in a made dataset by what its generator knows of it.

A fault says which variables and rows are touched, which findings name it rightly, and whether one
who knows the generator could tell it apart at 1 in 1,000: a slip by ten inside a skewed
distribution cannot be seen by anyone.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from .made import Made, Row


@dataclass
class Planted:
    """A fault as it was planted."""

    name: str
    kinds: tuple[str, ...]
    """Findings that name it rightly."""
    variables: tuple[str, ...] = ()
    rows: list[Row] = field(default_factory=list)
    """The rows touched; none where it is about a variable as a whole."""
    tellable: bool = True


Plant = Callable[[Made], "Planted | None"]
ALL: dict[str, Plant] = {}
STRUCTURAL: set[str] = set()
"""Faults of rows: one of them a dataset."""
READ_RIGHTLY = ("a second heading of descriptions",)
"""Faults that a read may already have understood."""


def fault(name: str, structural: bool = False) -> Callable[[Plant], Plant]:
    """Enter a way of planting under its name."""

    def enter(plant: Plant) -> Plant:
        ALL[name] = plant
        if structural:
            STRUCTURAL.add(name)
        return plant

    return enter


def chosen(m: Made, *parts: str) -> str | None:
    """A variable that plays one of the parts and is still clean."""
    names = [name for name in m.of(*parts) if name not in m.touched]
    if not names:
        return None
    name = str(m.rng.choice(names))
    m.touched.add(name)
    return name


def some(m: Made, name: str | None, many: int, filled: bool = True) -> list[Row]:
    """So many rows away from the ends in which the variable has a value."""
    place = m.place(name) if name else 0
    inner = [row for row in m.rows[8:-8] if not filled or row[place]]
    picked = m.rng.choice(len(inner), min(many, len(inner)), replace=False)
    return [inner[each] for each in sorted(picked.tolist())]


def values(m: Made, name: str) -> np.ndarray:
    """The numbers of a variable."""
    place = m.place(name)
    return np.array([float(row[place]) for row in m.rows if row[place]])


def outside(clean: np.ndarray, planted: Sequence[float]) -> bool:
    """Could one who knows the distribution tell them apart at 1 in 1,000?

    Its tails are taken to go on as its last twentieth does: far enough is where the share of clean
    values expected beyond is under a thousandth, for this many cases.
    """
    low, high = np.quantile(clean, (0.05, 0.95))
    above = max(float(np.mean(clean[clean > high] - high)) if (clean > high).any() else 0.0, 1e-9)
    below = max(float(np.mean(low - clean[clean < low])) if (clean < low).any() else 0.0, 1e-9)
    reach = np.log(0.05 * len(clean) * 1000)
    return all(v > high + reach * above or v < low - reach * below for v in planted)


def put(m: Made, name: str, rows: list[Row], texts: Sequence[str]) -> None:
    """Other texts in some rows."""
    place = m.place(name)
    for number, row in enumerate(rows):
        row[place] = texts[number % len(texts)]


def codes(label: str, texts: Sequence[str], parts: Sequence[str], share: float = 0.04) -> None:
    """Missing codes among numbers."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        name = chosen(m, *parts)
        if name is None:
            return None
        clean = values(m, name)
        rows = some(m, name, max(4, int(share * m.count)))
        put(m, name, rows, texts)
        told = outside(clean, [float(each) for each in texts])
        return Planted(label, ("suspected codes",), (name,), rows, told)


codes("code 999", ["999"], ["age", "rating", "count", "code"])
codes("code -9", ["-9"], ["measure", "age", "rating", "code", "count"])
codes("code -99", ["-99"], ["measure", "count", "age"])
codes("code 9999", ["9999"], ["age", "rating", "code"])
codes("code 99999", ["99999.0"], ["measure"])
codes("code -1", ["-1"], ["rating", "code", "age", "count"])
codes("codes -1 and -2", ["-1", "-2"], ["rating", "age", "count", "code"])
codes("code 99 after ages", ["99"], ["age"], 0.05)
codes("codes 97, 98, 99", ["97", "98", "99"], ["rating", "code"])
codes("code 0 for a measurement", ["0"], ["age", "low", "middle"])


@fault("code 9 in a battery")
def code_nine(m: Made) -> Planted | None:
    if not m.battery or max(values(m, m.battery[0])) > 6 or m.touched & set(m.battery):
        return None
    touched = []
    m.touched.update(m.battery)
    for name in m.battery:
        rows = some(m, name, max(3, m.count // 30))
        put(m, name, rows, ["9"])
        touched += rows
    return Planted("code 9 in a battery", ("suspected codes",), tuple(m.battery), touched)


@fault("code 8 and 9 in one item")
def code_eight(m: Made) -> Planted | None:
    names = [name for name in m.of("rating", "code") if name not in m.touched]
    names = [name for name in names if values(m, name).max() <= 6]
    if not names:
        return None
    name = str(m.rng.choice(names))
    m.touched.add(name)
    rows = some(m, name, max(6, m.count // 20))
    put(m, name, rows, ["8", "9"])
    return Planted("code 8 and 9 in one item", ("suspected codes",), (name,), rows)


def marks(label: str, texts: Sequence[str], many: int = 6) -> None:
    """Marks that turn numbers into text."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        name = chosen(m, "measure", "count", "age", "low", "high")
        if name is None:
            return None
        rows = some(m, name, many)
        place = m.place(name)
        for number, row in enumerate(rows):
            row[place] = texts[number % len(texts)].replace("{}", row[place])
        return Planted(label, ("kept as text",), (name,), rows)


marks("mark n.d.", ["n.d."], 9)
marks("mark <0.1", ["<0.1"], 5)
marks("a star behind numbers", ["{}*"], 3)
marks("a note in a cell", ["see sheet 2"], 1)
marks("marks of several kinds", ["?", "lost", "x"], 7)


@fault("a word among dates")
def worded_dates(m: Made) -> Planted | None:
    name = chosen(m, "date", "sorted", "start")
    if name is None:
        return None
    rows = some(m, name, 5)
    put(m, name, rows, ["unknown", "31.9."])
    return Planted("a word among dates", ("kept as text",), (name,), rows)


def respelled(
    label: str,
    change: Callable[[str], str],
    kinds: tuple[str, ...],
    parts: Sequence[str],
    many: int,
) -> None:
    """Another way of writing a word that occurs often."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        names = [name for name in m.of(*parts) if name not in m.touched]
        m.rng.shuffle(names)
        for name in names:
            place = m.place(name)
            cells = [row[place] for row in m.rows]
            often = [
                w
                for w in sorted(set(cells))
                if cells.count(w) >= 12 and change(w) != w and change(w) not in cells
            ]
            if often:
                word = str(m.rng.choice(often))
                rows = [row for row in m.rows if row[place] == word]
                picked = sorted(
                    m.rng.choice(len(rows), min(many, len(rows) // 4), replace=False).tolist()
                )
                rows = [rows[each] for each in picked]
                put(m, name, rows, [change(word)])
                m.touched.add(name)
                return Planted(label, kinds, (name,), rows)
        return None


WORDS = ("word", "place", "person")
MIXED = ("mixed forms",)
respelled("capitals", str.upper, MIXED, WORDS, 6)
respelled("small letters", str.lower, MIXED, WORDS, 4)
respelled("a blank inside", lambda w: w.replace(" ", "  ", 1), MIXED, ("place", "person"), 3)
respelled("no point", lambda w: w.replace(". ", " "), MIXED, ("place",), 4)
respelled("a hyphen for a blank", lambda w: w.replace(" ", "-", 1), MIXED, ("place", "person"), 4)
respelled(
    "an accent too few", lambda w: w.translate(str.maketrans("áéíóúñ", "aeioun")), MIXED, WORDS, 4
)
respelled(
    "a Cyrillic letter", lambda w: w.replace("a", "а", 1).replace("P", "Р", 1), MIXED, WORDS, 3
)
respelled(
    "two letters swapped",
    lambda w: w[:2] + w[3] + w[2] + w[4:] if len(w) > 5 and w[2] != w[3] else w,
    ("rare spellings", "mixed forms"),
    WORDS,
    2,
)
respelled(
    "a letter lost",
    lambda w: w[:3] + w[4:] if len(w) > 6 and w[3].isalpha() else w,
    ("rare spellings",),
    WORDS,
    2,
)
respelled(
    "a wrong letter",
    lambda w: w[:4] + ("x" if w[4] != "x" else "z") + w[5:] if len(w) > 6 and w[4].isalpha() else w,
    ("rare spellings",),
    WORDS,
    1,
)
respelled(
    "garbled cells",
    lambda w: w.encode().decode("cp1252", "replace"),
    ("garbled letters",),
    (*WORDS, "free"),
    5,
)


@fault("a garbled heading")
def garbled_heading(m: Made) -> Planted | None:
    name = chosen(m, "measure", "count", "code")
    if name is None:
        return None
    new = f"{name} aÃ±o"
    m.rename(name, new)
    return Planted("a garbled heading", ("garbled letters",), (new,))


@fault("some identifiers without their zeros")
def some_zeros(m: Made) -> Planted | None:
    name = chosen(m, "identifier", "postcode", "identifier repeated")
    if name is None:
        return None
    place = m.place(name)
    zeros = [row for row in m.rows if row[place][:1] == "0"]
    if len(zeros) < 6:
        return None
    rows = zeros[: len(zeros) // 2]
    for row in rows:
        row[place] = row[place].lstrip("0")
    return Planted("some identifiers without their zeros", ("lost zeros",), (name,), rows)


@fault("all identifiers without their zeros")
def all_zeros(m: Made) -> Planted | None:
    name = chosen(m, "identifier", "postcode")
    if name is None:
        return None
    place = m.place(name)
    rows = [row for row in m.rows if row[place][:1] == "0"]
    if not 6 <= len(rows) < 0.6 * m.count or any(not row[place].isdigit() for row in m.rows):
        return None
    for row in rows:
        row[place] = row[place].lstrip("0")
    return Planted("all identifiers without their zeros", ("lost zeros",), (name,), rows)


@fault("identifiers with exponents")
def exponents(m: Made) -> Planted | None:
    name = chosen(m, "identifier", "free", "near key")
    if name is None:
        return None
    place = m.place(name)
    for row in m.rows:
        row[place] = str(m.rng.integers(10**11, 10**12))
    rows = some(m, name, 6)
    for row in rows:
        row[place] = f"{float(row[place]):.5E}"
    return Planted("identifiers with exponents", ("lost digits",), (name,), rows)


@fault("identifiers longer than a float holds")
def long_numbers(m: Made) -> Planted | None:
    name = chosen(m, "identifier", "free", "near key")
    if name is None:
        return None
    put(m, name, m.rows, [f"{each}.0" for each in m.rng.integers(10**16, 10**17, m.count)])
    return Planted("identifiers longer than a float holds", ("lost digits",), (name,))


def scaled(label: str, factor: float, begin: float, end: float) -> None:
    """A block of rows in another unit."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        name = chosen(m, "measure")
        if name is None:
            return None
        place, clean = m.place(name), values(m, name)
        rows = [row for row in m.rows[int(begin * m.count) : int(end * m.count)] if row[place]]
        decimals = len(m.rows[0][place].partition(".")[2])
        for row in rows:
            row[place] = f"{float(row[place]) * factor:.{decimals + (factor < 1) * 2}f}"
        logs = np.log(np.abs(clean) + 1e-9)
        spread = np.quantile(logs, 0.75) - np.quantile(logs, 0.25)
        told = abs(np.log(factor)) > 1.0 * spread
        return Planted(label, ("change of scale",), (name,), rows, bool(told))


scaled("grams from some row on", 1000.0, 0.7, 1.0)
scaled("tonnes for a while", 0.001, 0.3, 0.55)
scaled("a tenth from some row on", 0.1, 0.55, 1.0)
scaled("pounds from some row on", 2.2046, 0.6, 1.0)


def slipped(label: str, factor: float, many: int) -> None:
    """Decimal points in the wrong place."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        name = chosen(m, "measure", "count", "age")
        if name is None:
            return None
        place, clean = m.place(name), values(m, name)
        rows = some(m, name, many)
        decimals = len(m.rows[0][place].partition(".")[2])
        if not decimals and factor < 1:
            return None
        slips = []
        for row in rows:
            slips.append(float(row[place]) * factor)
            row[place] = f"{slips[-1]:.{decimals}f}"
        positive = clean[clean > 0]
        told = all(slips) and outside(np.log(positive), np.log(np.abs(slips)).tolist())
        return Planted(label, ("slipped decimals", "far from the rest"), (name,), rows, told)


slipped("a slip by ten", 10.0, 1)
slipped("slips by a hundred", 100.0, 2)
slipped("slips by a thousand", 1000.0, 3)
slipped("a slip to a hundredth", 0.01, 1)


@fault("a value far away")
def far(m: Made) -> Planted | None:
    name = chosen(m, "measure")
    if name is None:
        return None
    clean = values(m, name)
    value = float(clean.max() + 9 * (np.quantile(clean, 0.75) - np.quantile(clean, 0.25)) + 1)
    rows = some(m, name, 1)
    decimals = len(m.rows[0][m.place(name)].partition(".")[2])
    put(m, name, rows, [f"{value:.{decimals}f}"])
    told = outside(clean, [value])
    return Planted(
        "a value far away", ("far from the rest", "slipped decimals"), (name,), rows, told
    )


def odd_dates(label: str, days: Sequence[str], kinds: tuple[str, ...], many: int) -> None:
    """Dates that cannot be."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        name = chosen(m, "date", "sorted", "start")
        if name is None:
            return None
        place = m.place(name)
        form = "%d/%m/%Y" if "/" in m.rows[0][place] else "%Y-%m-%d"
        time = m.rows[0][place][10:]
        rows = some(m, name, many)
        put(m, name, rows, [dt.date.fromisoformat(each).strftime(form) + time for each in days])
        return Planted(label, kinds, (name,), rows)


odd_dates("an epoch", ["1900-01-01"], ("dates at an epoch",), 4)
odd_dates("the end of time", ["9999-12-31"], ("dates at an epoch",), 3)
odd_dates("a far future", ["2062-10-09"], ("dates in the future",), 1)
odd_dates("a thousand years ago", ["1025-11-03"], ("dates far off",), 1)
odd_dates("a century ago", ["1915-11-03", "1912-10-07"], ("dates far off",), 2)


@fault("day and month mixed")
def mixed_orders(m: Made) -> Planted | None:
    name = chosen(m, "date", "sorted")
    if name is None or len(m.rows[0][m.place(name)]) != 10:
        return None
    place, touched = m.place(name), []
    for row in m.rows:
        text = row[place]
        day = (
            dt.date.fromisoformat(text)
            if "-" in text
            else dt.datetime.strptime(text, "%d/%m/%Y").date()
        )
        other = m.rng.random() < 0.15
        row[place] = day.strftime("%m/%d/%Y" if other else "%d/%m/%Y")
        if other and day.day > 12:
            touched.append(row)
    return Planted("day and month mixed", ("mixed date orders",), (name,), touched)


@fault("times out of order")
def out_of_order(m: Made) -> Planted | None:
    name = chosen(m, "sorted", "sorted time")
    if name is None:
        return None
    place = m.place(name)
    rows = some(m, name, 3)
    for row in rows:
        at = next(number for number, each in enumerate(m.rows) if each is row)
        far_off = m.rows[(at + m.count // 2) % m.count]
        row[place] = far_off[place]
    return Planted("times out of order", ("out of order",), (name,), rows)


@fault("the end before the start")
def end_first(m: Made) -> Planted | None:
    pairs = [
        pair for pair in m.ordered if m.parts[pair[0]] == "start" and not m.touched & set(pair)
    ]
    if not pairs:
        return None
    first, last = pairs[0]
    m.touched.update((first, last))
    rows = [row for row in some(m, last, 3) if row[m.place(first)]]
    for row in rows:
        a, b = m.place(first), m.place(last)
        row[a], row[b] = row[b], row[a]
    return Planted("the end before the start", ("impossible together",), (first, last), rows)


@fault("the lowest over the highest")
def low_over_high(m: Made) -> Planted | None:
    pairs = [p for p in m.ordered if m.parts[p[0]] in ("low", "middle") and not m.touched & set(p)]
    if not pairs:
        return None
    first, last = pairs[0]
    m.touched.update((first, last))
    rows = some(m, last, 2)
    for row in rows:
        a, b = m.place(first), m.place(last)
        row[a], row[b] = row[b], row[a]
    return Planted("the lowest over the highest", ("impossible together",), (first, last), rows)


@fault("a part over the whole")
def part_over_whole(m: Made) -> Planted | None:
    sums = [each for each in m.sums if not m.touched & set(each)]
    if not sums:
        return None
    whole, part, _ = sums[0]
    m.touched.update(sums[0])
    rows = some(m, whole, 2)
    decimals = len(m.rows[0][m.place(part)].partition(".")[2])
    for row in rows:
        row[m.place(part)] = f"{float(row[m.place(whole)]) * 1.2 + 1:.{decimals}f}"
    return Planted("a part over the whole", ("impossible together",), sums[0], rows)


@fault("a sum that does not add up")
def wrong_sum(m: Made) -> Planted | None:
    sums = [each for each in m.sums if not m.touched & set(each)]
    if not sums:
        return None
    m.touched.update(sums[0])
    part = sums[0][2]
    rows = some(m, part, 2)
    decimals = len(m.rows[0][m.place(part)].partition(".")[2])
    for row in rows:
        row[m.place(part)] = f"{float(row[m.place(part)]) * 0.9 + 2:.{decimals}f}"
    return Planted("a sum that does not add up", ("impossible together",), sums[0], rows)


@fault("the same answer throughout")
def straight(m: Made) -> Planted | None:
    if len(m.battery) < 6 or m.touched & set(m.battery):
        return None
    m.touched.update(m.battery)
    rows = some(m, None, 14, filled=False)
    for row in rows:
        answer = str(m.rng.integers(2, 6))
        for name in m.battery:
            row[m.place(name)] = answer
    return Planted(
        "the same answer throughout", ("same answer throughout",), tuple(m.battery), rows
    )


@fault("cases with nothing in them", structural=True)
def nothing(m: Made) -> Planted | None:
    keys = m.of("run", "identifier", "key text")
    if not keys or m.parts[m.names[0]] not in ("run", "identifier", "key text"):
        return None
    rows = some(m, None, 3, filled=False)
    for row in rows:
        row[1:] = [""] * (len(row) - 1)
    return Planted("cases with nothing in them", ("empty cases",), (), rows)


@fault("cut texts")
def cut(m: Made) -> Planted | None:
    name = chosen(m, "free")
    if name is None or np.median([len(row[m.place(name)]) for row in m.rows]) < 22:
        return None
    place, rows = m.place(name), []
    for row in m.rows:
        if len(row[place]) > 30:
            row[place] = row[place][:30].rstrip() if row[place][29] == " " else row[place][:30]
            rows.append(row)
    return Planted("cut texts", ("cut texts",), (name,))


def rounded(label: str, share: float, decimals: int) -> None:
    """Measurements that somebody rounded."""

    @fault(label)
    def plant(m: Made) -> Planted | None:
        names = [n for n in m.of("measure") if n not in m.touched]
        names = [n for n in names if len(m.rows[0][m.place(n)].partition(".")[2]) == decimals]
        names = [
            n
            for n in names
            if np.ptp(values(m, n)) > 30 * 0.1**decimals
            and np.median(values(m, n)) > 6 * 0.1 ** (decimals - 1)
        ]
        if not names:
            return None
        name = str(m.rng.choice(names))
        m.touched.add(name)
        place = m.place(name)
        for row in m.rows:
            if row[place] and m.rng.random() < share:
                row[place] = f"{round(float(row[place]), decimals - 1):.{decimals}f}"
        return Planted(label, ("heaped values",), (name,))


rounded("rounded tenths", 0.6, 1)
rounded("rounded hundredths", 0.6, 2)


@fault("a constant variable")
def constant(m: Made) -> Planted | None:
    name = chosen(m, "measure", "count")
    if name is None:
        return None
    put(m, name, m.rows, [m.rows[20][m.place(name)] or "5"])
    return Planted("a constant variable", ("constant variable",), (name,))


@fault("an empty variable")
def empty(m: Made) -> Planted | None:
    name = chosen(m, "measure", "count", "word")
    if name is None:
        return None
    put(m, name, m.rows, [""])
    return Planted("an empty variable", ("empty variable",), (name,))


@fault("other words from some row on")
def other_words(m: Made) -> Planted | None:
    name = chosen(m, "word", "yes")
    if name is None:
        return None
    place = m.place(name)
    cells = [row[place] for row in m.rows]
    words = sorted(set(cells))
    if len(words) > 8 or cells == sorted(cells):
        return None
    new = {word: str(number) for number, word in enumerate(words, 1)}
    if m.rng.random() < 0.5:
        new = {word: f"{word[:1]}{word[-1:]}{number}" for number, word in enumerate(words)}
    rows = m.rows[int(0.6 * m.count) :]
    for row in rows:
        row[place] = new[row[place]]
    return Planted("other words from some row on", ("change of words",), (name,), rows)


@fault("double rows", structural=True)
def double(m: Made) -> Planted | None:
    if m.of("repeating"):
        return None
    rows = [list(row) for row in some(m, None, 3, filled=False)]
    for row in rows:
        m.rows.insert(int(m.rng.integers(20, len(m.rows))), row)
    originals = [each for each in m.rows if each in rows]
    return Planted("double rows", ("duplicate rows",), (), originals)


@fault("a double block", structural=True)
def double_block(m: Made) -> Planted | None:
    if m.of("repeating"):
        return None
    at = int(m.rng.integers(20, m.count - 60))
    block = [list(row) for row in m.rows[at : at + 15]]
    m.rows[at + 15 : at + 15] = block
    return Planted("a double block", ("duplicate rows",), (), block)


@fault("double rows but for a running number", structural=True)
def double_but_run(m: Made) -> Planted | None:
    runs = m.of("run")
    if not runs or m.of("repeating"):
        return None
    place = m.place(runs[0])
    rows = [list(row) for row in some(m, None, 4, filled=False)]
    last = max(int(row[place]) for row in m.rows)
    for number, row in enumerate(rows, 1):
        row[place] = str(last + number)
    m.rows.extend(rows)
    return Planted("double rows but for a running number", ("duplicate rows",), (), rows)


@fault("a key twice", structural=True)
def key_twice(m: Made) -> Planted | None:
    names = [n for n in m.of("run", "key text") if n not in m.touched]
    if not names:
        return None
    place = m.place(names[0])
    m.touched.add(names[0])
    rows = [
        m.rows[at]
        for at in sorted(m.rng.choice(np.arange(30, m.count - 20, 3), 2, replace=False).tolist())
    ]
    for row in rows:
        row[place] = m.rows[next(n for n, each in enumerate(m.rows) if each is row) - 1][place]
    return Planted("a key twice", ("duplicate keys",), (names[0],), rows)


@fault("a lost block", structural=True)
def lost_block(m: Made) -> Planted | None:
    names = m.of("run")
    numbers = [int(row[m.place(names[0])]) for row in m.rows] if names else []
    if not names or numbers[-1] - numbers[0] + 1 > len(numbers):
        return None
    at = int(m.rng.integers(30, m.count - 80))
    del m.rows[at : at + 25]
    return Planted("a lost block", ("keys with gaps",), (names[0],))


HEADING = ("heading among the data",)


@fault("the heading again within the data", structural=True)
def heading_again(m: Made) -> Planted | None:
    row = list(m.names)
    m.rows.insert(int(m.rng.integers(40, len(m.rows) - 40)), row)
    return Planted("the heading again within the data", (*HEADING, "rows left out"), (), [row])


@fault("the heading again every 100 rows", structural=True)
def heading_often(m: Made) -> Planted | None:
    rows = []
    for at in range(len(m.rows) - 100, 0, -100):
        rows.append(list(m.names))
        m.rows.insert(at, rows[-1])
    return Planted("the heading again every 100 rows", (*HEADING, "rows left out"), (), rows)


@fault("a second heading of descriptions", structural=True)
def second_heading(m: Made) -> Planted | None:
    if len(m.of("measure", "count", "rating", "code", "low", "high")) < 3:
        return None
    row = [f"what is meant by {name}" for name in m.names]
    m.rows.insert(0, row)
    return Planted("a second heading of descriptions", (*HEADING, "rows left out"), (), [row])


@fault("notes below", structural=True)
def notes_below(m: Made) -> Planted | None:
    rows = [["Source: the mill's own records"] + [""] * (len(m.names) - 1)]
    rows.append(["* provisional figures"] + [""] * (len(m.names) - 1))
    m.rows.extend(rows)
    return Planted("notes below", ("rows left out", "total among the data"), (), rows)


def totals(label: str, word: str, summed: bool, where: str) -> None:
    """Rows of totals."""

    @fault(label, structural=True)
    def plant(m: Made) -> Planted | None:
        names = [n for n in m.of("measure", "count", "addend", "whole") if n not in m.touched]
        if len(names) < 2 and summed:
            return None
        starts = [0]
        if where == "middle":
            starts = [0, int(0.4 * m.count)]
        if where == "groups":
            starts = [int(share * m.count) for share in (0, 0.2, 0.45, 0.7)]
        ends = [*starts[1:], m.count] if where != "middle" else [starts[1]]
        made = []
        for begin, end in reversed(list(zip(starts, ends, strict=False))):
            part = m.rows[begin:end]
            row = [""] * len(m.names)
            for name in names if summed else ():
                place = m.place(name)
                decimals = len(part[0][place].partition(".")[2])
                row[place] = f"{sum(float(each[place] or 0) for each in part):.{decimals}f}"
            texts = m.of("word", "place", "person", "free")
            row[m.place(texts[0]) if texts else 0] = word
            m.rows.insert(end, row)
            made.append(row)
        return Planted(label, ("total among the data", "rows left out"), (), made)


totals("a total at the end", "Total", True, "end")
totals("a sum without a word", "", True, "end")
totals("a total in the middle", "Total", True, "middle")
totals("sums without a word in the middle", "", True, "groups")
totals("subtotals of groups", "Subtotal", True, "groups")


def shifted(label: str, by: int, many: int) -> None:
    """Rows whose cells have moved."""

    @fault(label, structural=True)
    def plant(m: Made) -> Planted | None:
        at = int(m.rng.integers(30, m.count - 60))
        rows = m.rows[at : at + many]
        for row in rows:
            row[:] = ["", *row[:-1]] if by > 0 else [*row[1:], ""]
        return Planted(label, ("shifted rows",), (), rows)


shifted("rows shifted to the right", 1, 3)
shifted("rows shifted to the left", -1, 2)
shifted("a long run of shifted rows", 1, 14)


@fault("a block joined one row off", structural=True)
def one_off(m: Made) -> Planted | None:
    triples = [each for each in m.sums if not m.touched & set(each)]
    if not triples:
        return None
    name = triples[0][2]
    m.touched.update(triples[0])
    place, at = m.place(name), int(m.rng.integers(40, m.count - 90))
    rows = m.rows[at : at + 40]
    cells = [row[place] for row in m.rows[at - 1 : at + 39]]
    for row, text in zip(rows, cells, strict=True):
        row[place] = text
    return Planted("a block joined one row off", ("misaligned block",), triples[0], rows)
