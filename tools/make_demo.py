"""Makes the demo data of the growers' cooperative: the same bytes every time.

    python tools/make_demo.py

Writes into the package, src/olive_crate/demo/data. Everything in it is made up.
"""

from __future__ import annotations

import csv
import datetime as dt
import io
import random
from pathlib import Path

DATA = Path(__file__).parent.parent / "src" / "olive_crate" / "demo" / "data"

FAMILY = [
    "Álvarez Peña",
    "Núñez Ibáñez",
    "Sáez Muñoz",
    "García Ortuño",
    "Martín Béjar",
    "López Cañete",
    "Gómez Rincón",
    "Jiménez Ávila",
    "Roldán Íñigo",
    "Castaño Ruíz",
    "Ordóñez Vega",
    "Pérez Güell",
    "Bermúdez Sanz",
    "Zúñiga Mora",
    "Carrión Nieto",
    "Fernández Yagüe",
    "Moyano Lara",
    "Del Río Sánchez",
    "Herencia Coop., S.L.",
    "Agüera Hnos.",
]
GIVEN = [
    "María José",
    "Andrés",
    "Begoña",
    "Íñigo",
    "Concepción",
    "Ramón",
    "Lucía",
    "Jesús",
    "Encarnación",
    "Tomás",
]
GROVES = [
    "La Peña Alta",
    "Cañada Honda",
    "Los Arroyos",
    "El Rincón",
    "Huerta del Año",
    "Cerro Gordo",
    "Dehesa Vieja",
    "La Viñuela",
    "Llano de San Martín",
    "Fuente Álamo",
    "Camino del Molino",
    "Las Mañas",
]
VARIETIES = (("Picual", 0.46), ("Arbequina", 0.22), ("Hojiblanca", 0.18), ("Cornicabra", 0.14))
HEADING = (
    ("Delivery", ""),
    ("Date", "dd.mm.yyyy"),
    ("Time", "hh:mm"),
    ("Grower", ""),
    ("Grove", ""),
    ("Variety", ""),
    ("Gross weight", "kg"),
    ("Tare", "kg"),
    ("Net weight", "kg"),
    ("Crates", "n"),
    ("Leaves", "%"),
    ("Fruit temperature", "°C"),
    ("Free acidity", "%"),
    ("Peroxide value", "meq O2/kg"),
    ("Oil yield", "%"),
    ("Moisture", "%"),
    ("Polyphenols", "mg/kg"),
    ("Grade", ""),
    ("Remarks", ""),
)
REMARKS = (
    "wet fruit; rain the night before",
    "two trailers, weighed together",
    'driver says "second pick"',
    "stones in load; cleaned twice",
    "ticket reprinted\nfirst ticket void",
    "crates returned: 12; rest owed",
    "frost damage; see note of 4 December",
    'marked "organic"; certificate pending',
    "sample taken late\nbottle 2 of 2",
    "queue at weighbridge, 40 min",
)
LOST, NOT_TESTED, FAULT = "777", "888", "999"


def comma(value: float, decimals: int) -> str:
    """A number as the mill's programs write it."""
    return f"{value:.{decimals}f}".replace(".", ",")


def growers(rng: random.Random) -> list[tuple[str, list[str]]]:
    """Members with their groves."""
    found = []
    for family in FAMILY:
        for given in rng.sample(GIVEN, 3):
            name = family if "S.L." in family or "Hnos." in family else f"{family}, {given}"
            found.append((name, rng.sample(GROVES, rng.choice([1, 1, 2, 3]))))
    return found


def laboratory(rng: random.Random, day: int, temperature: float) -> list[str]:
    """What the laboratory reports for a sample; some samples never give all results."""
    late = max(0.0, (day - 50) / 40)
    acidity = min(4.5, rng.lognormvariate(-1.15 + 1.1 * late + (temperature - 14) / 40, 0.5))
    peroxide = max(2.0, rng.gauss(8 + 3 * late, 2.2))
    results = [
        comma(acidity, 2),
        comma(peroxide, 1),
        comma(rng.gauss(19.5 + 2 * late, 1.8), 1),
        comma(rng.gauss(48 - 3 * late, 3), 1),
        str(round(max(60, rng.gauss(420 - 130 * late, 90)))),
    ]
    if rng.random() < 0.025:
        results = [LOST] * len(results)
    elif rng.random() < 0.02:
        results[1] = results[4] = FAULT
    if rng.random() < 0.12:
        results[4] = NOT_TESTED
    if rng.random() < 0.05:
        results[1] = NOT_TESTED
    if acidity < 0.13 and results[0] != LOST:
        results[0] = "n.d."
    if rng.random() < 0.012:
        results[1] = "n.d."
    grade = "extra virgin" if acidity <= 0.8 else "virgin" if acidity <= 2 else "lampante"
    return [*results, "" if results[0] == LOST else grade]


def deliveries(rng: random.Random) -> list[list[str]]:
    """The season's deliveries as rows of text."""
    members = growers(rng)
    weights = [rng.paretovariate(1.6) for _ in members]
    start = dt.date(2025, 10, 13)
    rows, number = [], 250001
    for day in range(94):
        date = start + dt.timedelta(days=day)
        if date.weekday() == 6 or date in (dt.date(2025, 12, 25), dt.date(2026, 1, 1)):
            continue
        busy = 18 * (1 - abs(day - 45) / 62)
        minutes = sorted(rng.sample(range(7 * 60, 20 * 60), max(3, round(rng.gauss(busy, 3)) + 5)))
        for minute in minutes:
            grower, groves = rng.choices(members, weights)[0]
            variety = rng.choices([v for v, _ in VARIETIES], [w for _, w in VARIETIES])[0]
            tare = rng.choice([1240, 1380, 1520, 2060, 2480]) + rng.choice([0, 0, 20, 40])
            net = max(120, round(rng.lognormvariate(7.1, 0.6) / 20) * 20)
            temperature = rng.gauss(19 - day / 8, 2.5)
            rows.append(
                [
                    str(number),
                    date.strftime("%d.%m.%Y"),
                    f"{minute // 60:02d}:{minute % 60:02d}",
                    grower,
                    rng.choice(groves),
                    variety,
                    str(net + tare),
                    str(tare),
                    str(net),
                    "" if rng.random() < 0.08 else str(max(1, round(net / 22))),
                    comma(abs(rng.gauss(3.2, 1.6)), 1),
                    "" if rng.random() < 0.03 else comma(temperature, 1),
                    *laboratory(rng, day, temperature),
                    rng.choice(REMARKS) if rng.random() < 0.07 else "",
                ]
            )
            number += 1 if rng.random() > 0.004 else 2
    return rows


def deliveries_file() -> bytes:
    """The export of weighbridge and laboratory."""
    rows = deliveries(random.Random(2025))
    total = [""] * len(HEADING)
    total[0] = "Total"
    for column in (6, 7, 8, 9):
        total[column] = str(sum(int(row[column] or 0) for row in rows))
    text = io.StringIO()
    text.write("Cooperativa Olivarera de la Vega Ancha - almazara / mill\r\n")
    text.write(
        "Deliveries, season 2025/26; printed 19.01.2026 07:42, weighbridge 2 + laboratory\r\n"
    )
    text.write("\r\n")
    writer = csv.writer(text, delimiter=";", lineterminator="\r\n")
    writer.writerow([name for name, _ in HEADING])
    writer.writerow([unit for _, unit in HEADING])
    writer.writerows(rows)
    writer.writerow(total)
    return text.getvalue().encode("cp1252")


def main() -> None:
    """Write the files."""
    DATA.mkdir(parents=True, exist_ok=True)
    (DATA / "deliveries_2025.csv").write_bytes(deliveries_file())


if __name__ == "__main__":
    main()
