"""The mill's register as an SQLite file: growers, groves, deliveries, and a view of late ones."""

from __future__ import annotations

import random
import sqlite3
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path

VILLAGES = ("Aldea del Río", "Cerro Blanco", "Fuente Ancha", "Las Lomas", "Molino Viejo")
VARIETIES = ("picual", "arbequina", "hojiblanca", "cornicabra")
GIVEN = ("Ana", "Bruno", "Carmen", "Diego", "Elena", "Fermín", "Gloria", "Hugo", "Inés", "Julián")
FAMILY = ("Alba", "Bravo", "Campos", "Duarte", "Espina", "Fuentes", "Galán", "Herrero")
SCHEMA = """
CREATE TABLE growers (
    grower INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    village TEXT CHECK (village IN ('Aldea del Río', 'Cerro Blanco', 'Fuente Ancha', 'Las Lomas',
        'Molino Viejo')),
    member_since DATE NOT NULL,
    organic BOOLEAN
);
CREATE TABLE groves (
    grower INTEGER NOT NULL REFERENCES growers (grower),
    grove INTEGER NOT NULL,
    variety TEXT NOT NULL,
    hectares NUMERIC(6, 2) CHECK (hectares >= 0 AND hectares <= 400),
    trees INTEGER,
    PRIMARY KEY (grower, grove)
);
CREATE TABLE deliveries (
    delivery INTEGER PRIMARY KEY,
    grower INTEGER NOT NULL REFERENCES growers (grower),
    day DATE NOT NULL,
    net NUMERIC(8, 1) NOT NULL,
    acidity TEXT,
    remark TEXT
);
CREATE VIEW late_deliveries AS SELECT * FROM deliveries WHERE day >= '2025-12-15';
"""


def write_database(path: Path) -> None:
    """Write the register; the same each time."""
    draw = random.Random(1847)
    with closing(sqlite3.connect(path)) as link, link:
        link.executescript(SCHEMA)
        link.executemany("INSERT INTO growers VALUES (?, ?, ?, ?, ?)", _growers(draw))
        link.executemany("INSERT INTO groves VALUES (?, ?, ?, ?, ?)", _groves(draw))
        link.executemany("INSERT INTO deliveries VALUES (?, ?, ?, ?, ?, ?)", _deliveries(draw))


GROWERS, DELIVERIES = 140, 1600


def _growers(draw: random.Random) -> list[tuple[object, ...]]:
    first = date(1962, 3, 1)
    return [
        (
            number,
            f"{draw.choice(GIVEN)} {draw.choice(FAMILY)} {draw.choice(FAMILY)}",
            draw.choice((*VILLAGES, None)) if number % 9 == 0 else draw.choice(VILLAGES),
            (first + timedelta(days=draw.randrange(22_000))).isoformat(),
            draw.choice((0, 0, 0, 1, None)),
        )
        for number in range(1, GROWERS + 1)
    ]


def _groves(draw: random.Random) -> list[tuple[object, ...]]:
    made: list[tuple[object, ...]] = []
    for grower in range(1, GROWERS + 1):
        for grove in range(1, draw.randrange(1, 5)):
            hectares = round(draw.lognormvariate(0.8, 0.7), 2)
            trees = int(hectares * draw.randrange(90, 290)) if draw.random() > 0.04 else None
            made.append((grower, grove, draw.choice(VARIETIES), hectares, trees))
    return made


def _deliveries(draw: random.Random) -> list[tuple[object, ...]]:
    first = date(2025, 10, 6)
    made: list[tuple[object, ...]] = []
    for number in range(1, DELIVERIES + 1):
        acidity = f"{draw.lognormvariate(-0.9, 0.5):.2f}"
        if draw.random() < 0.02:
            acidity = draw.choice(("lost", "n.d."))
        made.append(
            (
                20_000 + number,
                draw.randrange(1, GROWERS + 1),
                (first + timedelta(days=number * 88 // DELIVERIES)).isoformat(),
                round(draw.lognormvariate(6.6, 0.6), 1),
                acidity,
                draw.choice((None, None, None, None, "wet", "leaves", "stones")),
            )
        )
    return made


def deliver_more(folder: Path) -> None:
    """Another week in the register: deliveries of growers that are known."""
    draw = random.Random(1848)
    week = [
        (
            20_000 + DELIVERIES + at,
            draw.randrange(1, GROWERS + 1),
            f"2026-01-{2 + at % 5:02}",
            round(draw.lognormvariate(6.6, 0.6), 1),
            f"{draw.lognormvariate(-0.2, 0.4):.2f}",
            "frost",
        )
        for at in range(1, 25)
    ]
    with closing(sqlite3.connect(folder / "mill.db")) as link, link:
        link.executemany("INSERT INTO deliveries VALUES (?, ?, ?, ?, ?, ?)", week)
