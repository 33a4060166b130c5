"""Delimited files of several kinds, made from a seed, and the ways of reading them."""

from __future__ import annotations

import csv
import datetime as dt
import random
from collections.abc import Callable, Iterator
from pathlib import Path

VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra")
WEATHER = ("dry", "wet", "frost")
HEADING = "ticket,gross,tare,acidity,peroxide,variety,day,remark"
MIXED = (int, int, int, float, float, str, dt.date.fromisoformat, str)
ROWS = 40_000
"""Rows that are made; more are these again."""


def mixed(rng: random.Random) -> Iterator[str]:
    """Integers, decimals, short text, dates and quoted text."""
    start = dt.date(2019, 10, 1)
    days = [(start + dt.timedelta(days=n)).isoformat() for n in range(2000)]
    for number in range(ROWS):
        yield (
            f"{250_000 + number},{rng.randrange(1500, 12_000)},{rng.randrange(1200, 2600)},"
            f"{rng.lognormvariate(-1, 0.5):.2f},{rng.gauss(9, 3):.2f},{rng.choice(VARIETIES)},"
            f'{rng.choice(days)},"gate {rng.randrange(9)}, {rng.choice(WEATHER)}"'
        )


def numeric(rng: random.Random) -> Iterator[str]:
    """Ten columns of numbers, half of them with as many digits as a machine writes."""
    for _ in range(ROWS):
        short = [f"{rng.gauss(20, 8):.3f}" for _ in range(5)]
        yield ",".join([*short, *(repr(rng.random()) for _ in range(5))])


def texts(rng: random.Random) -> Iterator[str]:
    """Remarks of growers: quoted, with delimiters, doubled quotes and line ends in them."""
    words = ["oil", "fruity", "green", "bitter", '""extra""', "late", "press, two", "mill"]
    for number in range(ROWS // 4):
        cells = [" ".join(rng.choices(words, k=rng.randrange(3, 14))) for _ in range(4)]
        if number % 50 == 0:
            cells[1] += "\nsecond line"
        yield ",".join([str(number), *(f'"{cell}"' for cell in cells)])


def wide(rng: random.Random) -> Iterator[str]:
    """500 columns of whole numbers from the growers' survey."""
    for _ in range(ROWS // 40):
        yield ",".join(str(rng.randrange(1, 100)) for _ in range(500))


def single(rng: random.Random) -> Iterator[str]:
    """One long column."""
    for _ in range(ROWS):
        yield f"{rng.gauss(910, 2):.2f}"


MAKERS: dict[str, tuple[Callable[[random.Random], Iterator[str]], str]] = {
    "mixed": (mixed, HEADING),
    "numeric": (numeric, ",".join(f"v{n}" for n in range(10))),
    "texts": (texts, "grower,a,b,c,d"),
    "wide": (wide, ",".join(f"q{n}" for n in range(500))),
    "single": (single, "density"),
}
KINDS: dict[str, tuple[Callable[[str], object], ...]] = {
    "mixed": MIXED,
    "numeric": (float,) * 10,
    "texts": (int, str, str, str, str),
    "wide": (int,) * 500,
    "single": (float,),
}


def made(path: Path, kind: str, megabytes: float) -> int:
    """Write a file of about this size; returns its rows."""
    maker, heading = MAKERS[kind]
    lines = [line + "\n" for line in maker(random.Random(7))]
    piece = "".join(lines)
    count = max(1, round(megabytes * 1e6 / len(piece)))
    with path.open("w", encoding="utf-8", newline="") as stream:
        stream.write(heading + "\n")
        for _ in range(count):
            stream.write(piece)
    return count * len(lines)


def by_olive_crate(path: Path, workers: str = "1") -> None:
    """The whole file to Arrow columns, types decided by the whole file."""
    import olive_crate as oc

    assert oc.load(path, workers=int(workers)).rows


def by_row_loop(path: Path, kind: str = "mixed") -> None:
    """The standard library's row loop, with each cell converted to a type given beforehand."""
    kinds = KINDS[kind]
    columns: list[list[object]] = [[] for _ in kinds]
    with path.open(newline="", encoding="utf-8") as stream:
        reader = csv.reader(stream)
        next(reader)
        for row in reader:
            for column, cell, take in zip(columns, row, kinds, strict=True):
                column.append(take(cell))


def by_scanning(path: Path) -> None:
    """Reading the bytes and scanning them for separators: the limit for anything on one core."""
    import numpy as np

    from olive_crate import kernels

    ends = 0
    with path.open("rb") as stream:
        while piece := stream.read(1 << 20):
            buffer = np.frombuffer(piece, np.uint8)
            ends += kernels.cut(buffer, 0, len(buffer), 34).feeds
    assert ends


def by_packing(path: Path) -> None:
    """From the file to a packed file."""
    import olive_crate as oc

    oc.pack(path, path.with_suffix(".parquet"), replace=True)


def first_column(path: Path) -> float:
    """Opening a packed file and reading its first column."""
    import olive_crate as oc

    dataset = oc.unpack(path)
    assert len(dataset[dataset.names[0]])
    return float(dataset[dataset.names[0]].values.nbytes)


def all_columns(path: Path) -> float:
    """Opening a packed file and reading all its columns; returns their bytes."""
    import olive_crate as oc

    return float(oc.unpack(path).to_arrow().nbytes)
