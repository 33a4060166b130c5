"""How fast a sheet of a million cells is read, beside a bare pass of the XML parser over it.

    python benchmarks/workbook.py [ROWS] [ROUNDS]

Ten columns: integers, decimals, dates, repeated and unique texts. The parser has no handlers: it is
the limit for anything that parses XML at all. Rounds are interleaved; ratios within one run count.
"""

from __future__ import annotations

import datetime as dt
import random
import statistics
import subprocess
import sys
import tempfile
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from xml.parsers import expat

from delimited import VARIETIES, peak_of

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


def by_olive_crate(path: Path) -> None:
    """The whole workbook to a dataset, types found."""
    import olive_crate as oc

    dataset = oc.load(path)
    assert len(dataset.names) == 10


def by_look(path: Path) -> None:
    """A first look."""
    import olive_crate as oc

    assert oc.look(path).sheets


def by_bare_parser(path: Path) -> None:
    """The sheet's XML through expat without any handler, inflating included."""
    parser = expat.ParserCreate()
    with zipfile.ZipFile(path) as archive:
        parser.Parse(archive.read(SHEET), True)


def by_inflating(path: Path) -> None:
    """Inflating alone."""
    with zipfile.ZipFile(path) as archive:
        zlib.crc32(archive.read(SHEET))


CONTESTANTS: dict[str, Callable[[Path], None]] = {
    "olive crate": by_olive_crate,
    "bare parser": by_bare_parser,
    "inflating": by_inflating,
}


def main(rows: int = 100_000, rounds: int = 5) -> None:
    """Run all contestants in turn and print the table."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "season.xlsx"
        size = made(path, rows) / 1e6
        clock: dict[str, list[float]] = {name: [] for name in CONTESTANTS}
        for each_round in range(rounds + 1):
            for name, contestant in CONTESTANTS.items():
                began = time.process_time()
                contestant(path)
                if each_round:
                    clock[name].append(time.process_time() - began)
        print(f"{rows:,} rows x 10, {size:.1f} MB of XML; medians of {rounds} interleaved rounds")
        print(f"{'':12} {'cpu s':>8} {'MB/s':>8} {'cells/s':>12} {'to parser':>9} {'peak MB':>8}")
        bare = statistics.median(clock["bare parser"])
        for name in CONTESTANTS:
            seconds = statistics.median(clock[name])
            print(
                f"{name:12} {seconds:8.3f} {size / seconds:8.1f} {10 * rows / seconds:12,.0f}"
                f" {seconds / bare:8.2f}x {peak_of('workbook', name, path):8.0f}"
            )
        code = "import sys, olive_crate as oc; assert oc.look(sys.argv[1]).sheets"
        times = []
        for _ in range(5):
            began = time.perf_counter()
            subprocess.run([sys.executable, "-c", code, str(path)], check=True)
            times.append(time.perf_counter() - began)
        print(f"look, a process of its own: {statistics.median(times):.2f} s")


if __name__ == "__main__":
    main(*(int(text) for text in sys.argv[1:]))
