"""A workbook with a sheet of ten columns, and the ways of reading it.

Integers, decimals, dates, repeated and unique texts. The bare parser has no handlers: it is the
limit for anything that parses XML at all.
"""

from __future__ import annotations

import datetime as dt
import random
import zipfile
import zlib
from pathlib import Path
from xml.parsers import expat

from delimited import VARIETIES

SHEET = "xl/worksheets/sheet1.xml"
LETTERS = "ABCDEFGHIJ"


def made(path: Path, rows: int) -> int:
    """Write the workbook as the common writers do; returns the bytes of the sheet's XML."""
    rng = random.Random(7)
    strings: dict[str, int] = {}

    def shared(text: str) -> str:
        return f' t="s"><v>{strings.setdefault(text, len(strings))}</v></c>'

    heading = "".join(f'<c r="{letter}1"{shared(f"column {letter}")}' for letter in LETTERS)
    day = (dt.date(2025, 10, 1) - dt.date(1899, 12, 30)).days
    pieces = [f'<row r="1" spans="1:10">{heading}</row>']
    for row in range(2, rows + 2):
        cells = (
            f"><v>{row}</v></c>",
            f"><v>{rng.randrange(90_000)}</v></c>",
            f' s="2"><v>{rng.lognormvariate(-1, 0.5):.2f}</v></c>',
            f' s="2"><v>{rng.uniform(0, 90):.3f}</v></c>',
            f' s="1"><v>{day + rng.randrange(900)}</v></c>',
            f' s="3"><v>{day + rng.randrange(900) + rng.randrange(86_400) / 86_400!r}</v></c>',
            shared(rng.choice(VARIETIES)),
            shared(rng.choice(VARIETIES) + " extra"),
            shared(f"lot {row} of the mill"),
            f"><v>{rng.randrange(2)}</v></c>",
        )
        inner = "".join(f'<c r="{at}{row}"{cell}' for at, cell in zip(LETTERS, cells, strict=True))
        pieces.append(f'<row r="{row}" spans="1:10">{inner}</row>')
    sheet = (
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<worksheet>'
        f'<dimension ref="A1:J{rows + 1}"/><sheetData>{"".join(pieces)}</sheetData></worksheet>'
    )
    texts = "".join(f"<si><t>{text}</t></si>" for text in strings)
    formats = "".join(f'<xf numFmtId="{number}"/>' for number in (0, 14, 2, 22))
    relation = '<Relationship Id="r{}" Type="x/{}" Target="{}"/>'
    parts = {
        "[Content_Types].xml": "<Types/>",
        "_rels/.rels": "<Relationships>"
        + relation.format(1, "officeDocument", "xl/workbook.xml")
        + "</Relationships>",
        "xl/_rels/workbook.xml.rels": "<Relationships>"
        + relation.format(1, "worksheet", "worksheets/sheet1.xml")
        + relation.format(2, "sharedStrings", "sharedStrings.xml")
        + relation.format(3, "styles", "styles.xml")
        + "</Relationships>",
        "xl/workbook.xml": '<workbook xmlns:r="r"><sheets><sheet name="Season" sheetId="1" '
        'r:id="r1"/></sheets></workbook>',
        "xl/styles.xml": f"<styleSheet><cellXfs>{formats}</cellXfs></styleSheet>",
        "xl/sharedStrings.xml": f"<sst>{texts}</sst>",
        SHEET: sheet,
    }
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in parts.items():
            archive.writestr(name, text)
    return len(sheet.encode())


def by_olive_crate(path: Path, workers: str = "1") -> None:
    """The whole workbook to a dataset, types found."""
    import olive_crate as oc

    assert len(oc.load(path, workers=int(workers)).names) == 10


def by_bare_parser(path: Path) -> None:
    """The sheet's XML through expat without any handler, inflating included."""
    parser = expat.ParserCreate()
    with zipfile.ZipFile(path) as archive:
        parser.Parse(archive.read(SHEET), True)


def by_inflating(path: Path) -> None:
    """Inflating alone."""
    with zipfile.ZipFile(path) as archive:
        zlib.crc32(archive.read(SHEET))
