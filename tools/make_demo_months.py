"""Makes the monthly delivery files of the demo: the same bytes every time.

    python tools/make_demo_months.py

Writes 24 small files into the package, src/olive_crate/demo/data/months. They are alike but for
what happens to such files: two call a column by another name, one has another delimiter, one a
column more, and one was cut off. Everything in them is made up.
"""

from __future__ import annotations

import random
from pathlib import Path

from make_demo import GROVES, VARIETIES

MONTHS = Path(__file__).parent.parent / "src" / "olive_crate" / "demo" / "data" / "months"
HEADING = ["delivery", "date", "grove", "variety", "net", "acidity", "oil_yield"]
RENAMED = {(2024, 11), (2024, 12)}
SEMICOLONS, PANEL, CUT = (2025, 3), (2025, 7), (2025, 9)


def row(draw: random.Random, year: int, month: int, number: int) -> list[str]:
    """One delivery; now and then the laboratory has no acidity."""
    variety = draw.choices([name for name, _ in VARIETIES], [share for _, share in VARIETIES])[0]
    acidity = "n.d." if draw.random() < 0.04 else f"{draw.lognormvariate(-1.2, 0.4):.2f}"
    day = draw.randint(1, 28)
    return [
        f"{year % 100}{month:02}{number:03}",
        f"{year}-{month:02}-{day:02}",
        draw.choice(GROVES),
        variety,
        str(draw.randint(180, 4200)),
        acidity,
        f"{draw.gauss(20, 2.5):.1f}",
    ]


def text(year: int, month: int) -> str:
    """The file of one month."""
    draw = random.Random(year * 100 + month)
    heading = list(HEADING)
    rows = [row(draw, year, month, number) for number in range(1, draw.randint(24, 40))]
    if (year, month) in RENAMED:
        heading[2] = "grove_name"
    if (year, month) == PANEL:
        heading.append("panel")
        rows = [[*each, str(draw.randint(1, 9))] for each in rows]
    mark = ","
    if (year, month) == SEMICOLONS:
        mark = ";"
        rows = [[*each[:5], *(cell.replace(".", ",") for cell in each[5:])] for each in rows]
        rows = [[cell if cell != "n,d," else "n.d." for cell in each] for each in rows]
    made = "".join(mark.join(each) + "\n" for each in [heading, *rows])
    return made[:-29] if (year, month) == CUT else made


def main() -> None:
    """Write all files."""
    MONTHS.mkdir(exist_ok=True)
    for year in (2024, 2025):
        for month in range(1, 13):
            path = MONTHS / f"deliveries_{year}-{month:02}.csv"
            path.write_text(text(year, month), "utf-8", newline="")


if __name__ == "__main__":
    main()
