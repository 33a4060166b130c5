"""Makes the demo workbook: the tasting panel's results as a person keeps them.

    python tools/make_demo_book.py

Needs the extra `xlsx`. A title and notes, a block with a heading of two rows and merged words,
stars and codes among numbers, a total, a side remark, a hidden sheet of codes. All is made up.
"""

from __future__ import annotations

import datetime as dt
import random

import xlsxwriter
from make_demo import DATA, VARIETIES

TASTERS = ("Alba", "Bruno", "Celia", "Dario")
UPPER = (
    ("Sample", ""),
    ("Variety", ""),
    ("Tasted", ""),
    ("Panel", "Fruity"),
    ("Panel", "Bitter"),
    ("Panel", "Pungent"),
    ("Defects", "Fusty"),
    ("Defects", "Rancid"),
    ("Share", ""),
)


def main() -> None:
    """Write the file."""
    rng = random.Random(1931)
    book = xlsxwriter.Workbook(DATA / "panel_2025.xlsx")
    book.set_properties({"created": dt.datetime(2025, 12, 1)})
    bold = book.add_format({"bold": True})
    day = book.add_format({"num_format": "dd/mm/yyyy"})
    tenth = book.add_format({"num_format": "0.0"})
    percent = book.add_format({"num_format": "0.0%"})
    sheet = book.add_worksheet("Results")
    sheet.write("A1", "Tasting panel of the cooperative, season 2025", bold)
    sheet.write("A2", "A star: the taster was not present")
    heading(sheet, bold)
    for row in range(90):
        at = row + 6
        sheet.write_number(at, 1, 4100 + 3 * row)
        sheet.write_string(
            at, 2, rng.choices([v for v, _ in VARIETIES], [share for _, share in VARIETIES])[0]
        )
        sheet.write_datetime(at, 3, dt.datetime(2025, 10, 20) + dt.timedelta(days=row // 6), day)
        for column in range(4, 9):
            low = column > 6
            draw = rng.random()
            if draw < 0.04:
                sheet.write_string(at, column, "*")
            elif draw < 0.06:
                sheet.write_number(at, column, 99)
            elif draw < 0.065:
                sheet.write_formula(at, column, "=NA()", None, "#N/A")
            else:
                value = abs(rng.gauss(0.4, 0.5)) if low else min(10.0, abs(rng.gauss(4.5, 1.6)))
                sheet.write_number(at, column, round(value, 1), tenth)
        sheet.write_number(at, 9, round(rng.uniform(0.2, 1), 3), percent)
    sheet.write(97, 1, "Mean", bold)
    sheet.write_formula(97, 4, "=AVERAGE(E7:E96)", None, 4.4)
    sheet.write("L8", "lot 4106: second bottle opened")
    codes = book.add_worksheet("Codes")
    for row, (code, meaning) in enumerate((("code", "meaning"), (99, "glass broken"))):
        codes.write(row, 0, code)
        codes.write(row, 1, meaning)
    codes.hide()
    people = book.add_worksheet("Tasters")
    for column, word in enumerate(("taster", "since", "sessions")):
        people.write(0, column, word, bold)
    for row, name in enumerate(TASTERS, 1):
        people.write(row, 0, name)
        people.write(row, 1, 2008 + 3 * row)
        people.write(row, 2, rng.randrange(20, 60))
    book.define_name("results", "=Results!$B$5:$J$96")
    book.close()


def heading(sheet: xlsxwriter.worksheet.Worksheet, bold: object) -> None:
    """Two rows, words merged over the columns they stand for."""
    column = 1
    while column <= len(UPPER):
        word, below = UPPER[column - 1]
        wide = sum(upper == word for upper, _ in UPPER)
        if not below:
            sheet.merge_range(4, column, 5, column, word, bold)
        else:
            sheet.merge_range(4, column, 4, column + wide - 1, word, bold)
            for offset in range(wide):
                sheet.write(5, column + offset, UPPER[column - 1 + offset][1])
        column += wide if below else 1


if __name__ == "__main__":
    main()
