"""Makes the demo data with fixed columns: the same bytes every time.

    python tools/make_demo_fixed.py

The mill's old laboratory instrument writes packed digits with implied decimals; its dictionary
stands beside it as a table and as a DDI codebook. The census of growers has two lines for each
case. Everything in it is made up.
"""

from __future__ import annotations

import datetime as dt
import random
from xml.sax.saxutils import escape

from make_demo import DATA, FAMILY, GIVEN, GROVES, VARIETIES

LOST = "9999=sample lost"
LAB = [
    # name, start, end, type, decimals, label, unit, missing, meanings
    ("sample", 1, 6, "text", "", "Sample number", "", "", ""),
    ("day", 7, 14, "date", "", "Day of the measurement", "", "", ""),
    (
        "acidity",
        15,
        18,
        "number",
        "2",
        "Free acidity",
        "%",
        "9999=sample lost; 8888=not tested",
        "",
    ),
    ("peroxide", 19, 22, "number", "1", "Peroxide value", "meq O2/kg", LOST, ""),
    ("k232", 23, 27, "number", "4", "Absorbance at 232 nm", "", "99999=lamp failed", ""),
    ("drift", 28, 31, "number", "1", "Drift of the base line", "mV", "", ""),
    (
        "lamp",
        32,
        32,
        "integer",
        "",
        "State of the lamp",
        "",
        "",
        "0=off; 1=warming up; 2=ready; 3=worn",
    ),
    ("grade", 33, 34, "category", "", "Grade", "", "", "EV=extra virgin; VI=virgin; LA=lampante"),
]
CENSUS = [
    # name, line, start, end, type, label, missing, meanings
    ("grower", 1, 1, 4, "text", "Grower", "", ""),
    ("name", 1, 6, 30, "text", "Name", "", ""),
    ("born", 1, 31, 34, "integer", "Year of birth", "9999=not said", ""),
    ("groves", 1, 36, 37, "integer", "Groves", "", ""),
    ("trees", 1, 39, 44, "integer", "Trees", "999999=not counted", ""),
    ("place", 2, 6, 27, "text", "Largest grove", "", ""),
    ("variety", 2, 28, 37, "category", "Main variety", "", ""),
    (
        "water",
        2,
        39,
        39,
        "integer",
        "Irrigation",
        "9=not said",
        "0=none; 1=some years; 2=every year",
    ),
    (
        "harvest",
        2,
        41,
        41,
        "integer",
        "Way of harvest",
        "8=no harvest; 9=not said",
        "1=by hand; 2=poles; 3=machine",
    ),
]


def overpunched(value: int, width: int) -> str:
    """A number whose last digit carries its sign."""
    digits = f"{abs(value):0{width}d}"
    return digits[:-1] + ("}JKLMNOPQR" if value < 0 else "{ABCDEFGHI")[int(digits[-1])]


def laboratory(rng: random.Random, rows: int = 640) -> str:
    """Lines of the instrument: everything packed, nothing between."""
    lines = []
    for number in range(rows):
        acid = rng.lognormvariate(-0.9, 0.5)
        lost = rng.random() < 0.02
        untested = not lost and rng.random() < 0.03
        day = dt.date(2025, 10, 6) + dt.timedelta(days=number // 10)
        grade = "EV" if acid < 0.5 else "VI" if acid < 1.2 else "LA"
        lines.append(
            f"{410_000 + 3 * number:06d}{day:%Y%m%d}"
            + ("9999" if lost else "8888" if untested else f"{min(acid, 9.9) * 100:04.0f}")
            + ("9999" if lost else f"{max(0.5, rng.gauss(9, 3)) * 10:04.0f}")
            + ("99999" if rng.random() < 0.01 else f"{rng.gauss(1.9, 0.3) * 10_000:05.0f}")
            + overpunched(round(rng.gauss(0, 12)), 4)
            + rng.choices("0123", (1, 4, 90, 5))[0]
            + ("  " if lost or untested else grade)
        )
    return "\n".join(lines) + "\n"


def census(rng: random.Random, growers: int = 180) -> str:
    """Two lines for each grower."""
    lines = []
    for number in range(1, growers + 1):
        name = f"{rng.choice(FAMILY)}, {rng.choice(GIVEN)}"[:25]
        born = 9999 if rng.random() < 0.05 else rng.randrange(1938, 2001)
        groves = rng.randrange(1, 14)
        trees = 999_999 if rng.random() < 0.04 else groves * rng.randrange(60, 900)
        variety = rng.choices([v for v, _ in VARIETIES], [share for _, share in VARIETIES])[0]
        lines.append(f"{number:04d} {name:<25}{born} {groves:2d} {trees:6d}")
        water = rng.choices("0129", (50, 25, 22, 3))[0]
        harvest = rng.choices("12389", (30, 40, 25, 3, 2))[0]
        lines.append(f"{number:04d} {rng.choice(GROVES)[:22]:<22}{variety:<10} {water} {harvest}")
    return "\n".join(lines) + "\n"


def lab_table() -> str:
    """The instrument's dictionary as its makers printed it."""
    rows = ["Field,From,To,Kind,Decimals,Sign,Meaning,Unit,Missing codes,Codes"]
    for name, start, end, kind, decimals, label, unit, missing, values in LAB:
        sign = "overpunched" if name == "drift" else ""
        rows.append(
            f"{name},{start},{end},{kind},{decimals},{sign},{label},{unit},{missing},{values}"
        )
    return "\n".join(rows) + "\n"


def census_table() -> str:
    """The dictionary of the census."""
    rows = ["name,line,start,end,type,label,missing,values"]
    rows += [
        ",".join([name, str(line), str(start), str(end), kind, label, missing, values])
        for name, line, start, end, kind, label, missing, values in CENSUS
    ]
    return "\n".join(rows) + "\n"


def lab_ddi() -> str:
    """The instrument's dictionary as a DDI codebook."""
    variables = []
    for name, start, end, kind, decimals, label, unit, missing, values in LAB:
        numeric = kind in ("number", "integer")
        dcml = f' dcml="{decimals or 0}"' if numeric else ""
        measure = f' measUnit="{escape(unit)}"' if unit else ""
        parts = [
            f'<location StartPos="{start}" EndPos="{end}" width="{end - start + 1}"/>',
            f"<labl>{escape(label)}</labl>",
        ]
        codes = [pair.split("=") for pair in missing.split("; ") if pair]
        if codes:
            items = "".join(f'<item VALUE="{code}"/>' for code, _ in codes)
            parts.append(f"<invalrng>{items}</invalrng>")
        parts += [
            f'<catgry missing="Y"><catValu>{code}</catValu><labl>{why}</labl></catgry>'
            for code, why in codes
        ]
        parts += [
            "<catgry><catValu>{}</catValu><labl>{}</labl></catgry>".format(*pair.split("="))
            for pair in values.split("; ")
            if pair
        ]
        date = ' category="date"' if kind == "date" else ""
        date += ' schema="other" formatname="overpunched"' if name == "drift" else ""
        parts.append(f'<varFormat type="{"numeric" if numeric else "character"}"{date}/>')
        body = "\n      ".join(parts)
        variables.append(f'    <var name="{name}"{dcml}{measure}>\n      {body}\n    </var>')
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<codeBook xmlns="ddi:codebook:2_5" version="2.5">\n'
        "  <stdyDscr><citation><titlStmt><titl>Laboratory of the mill, season 2025</titl>"
        "</titlStmt></citation></stdyDscr>\n"
        "  <fileDscr><fileTxt><fileName>laboratory_2025.txt</fileName>"
        "<dimensns><recPrCas>1</recPrCas><logRecL>34</logRecL></dimensns></fileTxt></fileDscr>\n"
        "  <dataDscr>\n" + "\n".join(variables) + "\n  </dataDscr>\n</codeBook>\n"
    )


def main() -> None:
    """Write all files."""
    rng = random.Random(1882)
    made = {
        "laboratory_2025.txt": laboratory(rng),
        "census_2024.txt": census(rng),
        "laboratory.fields.csv": lab_table(),
        "laboratory.ddi.xml": lab_ddi(),
        "census.fields.csv": census_table(),
    }
    for name, text in made.items():
        encoding = "cp1252" if name == "census_2024.txt" else "utf-8"
        (DATA / name).write_bytes(text.encode(encoding))


if __name__ == "__main__":
    main()
