"""Makes the demo workbook of the grower survey: coded answers, and a codebook on its own sheet.

    python tools/make_demo_survey.py

Needs the extra `xlsx`. All is made up.
"""

from __future__ import annotations

import datetime as dt
import random

import xlsxwriter
from make_demo import DATA

NO_ANSWER = "97=don't know; 98=refused"
AGREE = "1=disagree strongly; 2=disagree; 3=neither; 4=agree; 5=agree strongly"
STATEMENTS = (
    "The mill takes my olives when I bring them",
    "The price is paid in time",
    "I know how my oil was graded",
    "The cooperative listens to small growers",
    "I would bring olives to another mill",
)
CODEBOOK = (
    ("q_id", "Number of the questionnaire", "integer", "nominal", "", "", ""),
    ("day", "Day of the interview", "date", "", "", "", ""),
    ("village", "Village", "category", "nominal", "", "", ""),
    ("birth", "Year of birth", "integer", "interval", "", "9999=refused", ""),
    ("hectares", "Olive groves farmed", "number", "ratio", "ha", "-7=don't know; -8=refused", ""),
    ("irrigated", "Any grove irrigated", "integer", "nominal", "", NO_ANSWER, "1=yes; 2=no"),
    (
        *("share", "Share of groves irrigated", "number", "ratio", "%"),
        *("997=don't know; 998=refused; 999=not asked", ""),
    ),
    *(
        (f"item_{n}", words, "integer", "ordinal", "", NO_ANSWER, AGREE)
        for n, words in enumerate(STATEMENTS, 1)
    ),
    (
        *("replant", "Intends to replant within five years", "integer", "ordinal", ""),
        f"{NO_ANSWER}; 99=not asked",
        "0=certainly not; 1..3=hardly; 4..6=perhaps; 7..9=likely; 10=certainly",
    ),
    ("remark", "Remark of the interviewer", "text", "", "", "", ""),
)
HEADINGS = ("Variable", "Question", "Kind", "Level", "Unit", "No answer", "Answers")
VILLAGES = ("Alcaria", "Benifons", "Olmeda", "Torrecilla", "Valdeoro")


def main() -> None:
    """Write the file."""
    rng = random.Random(2025)
    book = xlsxwriter.Workbook(DATA / "survey_2025.xlsx")
    book.set_properties({"created": dt.datetime(2025, 11, 14)})
    bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet("Answers")
    sheet.write(0, 0, "Grower survey 2025", bold)
    sheet.write(1, 0, "Codes: see the sheet Codebook")
    for column, entry in enumerate(CODEBOOK):
        sheet.write(3, column, entry[0], bold)
    for row in range(320):
        for column, value in enumerate(answers(rng, row)):
            if isinstance(value, dt.datetime):
                sheet.write_datetime(row + 4, column, value, day)
            elif value is not None:
                sheet.write(row + 4, column, value)
    codes = book.add_worksheet("Codebook")
    for column, heading in enumerate(HEADINGS):
        codes.write(0, column, heading, bold)
    for row, entry in enumerate(CODEBOOK, 1):
        for column, text in enumerate(entry):
            codes.write_string(row, column, text)
    book.close()


def answers(rng: random.Random, row: int) -> list[object]:
    """One questionnaire; who does not irrigate is not asked for the share."""
    irrigated = coded(rng, rng.choices((1, 2), (3, 5))[0], 97, 98)
    small = rng.random() < 0.15
    share: object = 999
    if irrigated == 1:
        share = coded(rng, round(rng.uniform(5, 100)), 997, 998)
    replant: object = 99 if small else coded(rng, min(10, int(rng.betavariate(2, 3) * 11)), 97, 98)
    opinion = rng.gauss(3.3, 0.7)
    items = [
        coded(rng, min(5, max(1, round(opinion + rng.gauss(0, 0.8)))), 97, 98) for _ in STATEMENTS
    ]
    return [
        5001 + row,
        dt.datetime(2025, 9, 15) + dt.timedelta(days=row // 9),
        rng.choice(VILLAGES),
        coded(rng, rng.randint(1938, 2001), 9999, 9999),
        coded(rng, round(rng.lognormvariate(1.2, 0.8), 1), -7, -8),
        irrigated,
        share,
        *items,
        replant,
        "answered by the daughter" if rng.random() < 0.04 else None,
    ]


def coded(rng: random.Random, value: object, unknown: int, refused: int) -> object:
    """The answer, or one of the codes for none."""
    draw = rng.random()
    return unknown if draw < 0.03 else refused if draw < 0.05 else value


if __name__ == "__main__":
    main()
