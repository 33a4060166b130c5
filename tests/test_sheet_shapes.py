"""Sheets as agencies make them: blank rows and columns, headings of several rows, groups, notes."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path

import pytest
import xlsxwriter
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st
from sheets import made_book, values_of

import olive_crate as oc


@pytest.mark.parametrize("seed", range(80))
def test_every_cell_of_a_made_workbook_is_right(seed):
    book = made_book(seed)
    found = oc.load(book.data)
    assert found.names == book.names, book.shape
    assert values_of(found) == book.rows, book.shape
    assert found.receipt.imbalances() == []
    if any(book.groups):
        grouped = oc.load(book.data, rows={"groups": "province"})
        assert grouped["province"].values.to_pylist() == book.groups
        assert values_of(grouped.keep(book.names)) == book.rows
        plan = oc.draft(book.data, rows={"groups": "province"})
        assert oc.load(book.data, plan=plan).names == [*book.names, "province"]


HEAD = ["Province", "Village", "Groves", "Tonnes"]
BLANK: list = []


def rows(count: int, start: int = 0) -> list[list]:
    return [[f"P{n % 3}", f"V{n}", 5 + n, 1.5 * n + 0.25] for n in range(start, start + count)]


def book_of(table: list[list], merges: tuple = ()) -> bytes:
    made = io.BytesIO()
    with xlsxwriter.Workbook(made, {"in_memory": True}) as book:
        sheet = book.add_worksheet("S")
        for at, row in enumerate(table):
            for column, value in enumerate(row):
                if value is not None:
                    sheet.write(at, column, value)
        for merge in merges:
            sheet.merge_range(*merge)
    return made.getvalue()


LYING = [
    ["Sample", *(f"S{n}" for n in range(9))],
    ["Grove", *("north" if n % 2 else "south" for n in range(9))],
    ["Acidity", *(0.25 * n for n in range(9))],
    ["Fruits", *(None if n == 4 else 100 + n for n in range(9))],
]


def turned(table: list[list]) -> list[list]:
    return [list(column) for column in zip(*table, strict=True)]


@pytest.mark.parametrize("above", [[], [["Laboratory, week 42"], []]])
@pytest.mark.parametrize("left", [0, 2])
def test_a_sheet_on_its_side_is_noticed_and_read_turned(above, left, tmp_path):
    data = book_of([*above, *([None] * left + row for row in LYING)])
    standing = oc.load(book_of(turned(LYING)))
    point = next(each for each in oc.draft(data).evidence if each.about == "sheet.turned")
    assert not point.certain and point.mend.parts == {"turned": True}
    found = oc.load(data, turned=True)
    assert found.names == standing.names == [row[0] for row in LYING]
    assert values_of(found) == values_of(standing) == turned(LYING)[1:]
    assert found.receipt.imbalances() == []
    assert not [each for each in found.plan.evidence if each.about == "sheet.turned"]
    plan = oc.draft(data, turned=True)
    plan.write(tmp_path / "a.plan.toml")
    again = oc.Plan.read(tmp_path / "a.plan.toml")
    assert values_of(oc.load(data, plan=again)) == turned(LYING)[1:]
    corner = f"{'ABCDEFGHIJKLMNOP'[left]}{len(above) + 1}"
    assert again.sheet.range == f"{corner}:"
    cell = found.trace("Acidity", left + 3, data)
    assert f"{'ABCDEFGHIJKLMNOP'[left + 2]}{len(above) + 3}" in str(cell)
    last = f"{'ABCDEFGHIJKLMNOP'[left + 3]}{len(above) + 4}"
    assert values_of(oc.load(data, turned=True, range=f"{corner}:{last}")) == turned(LYING)[1:4]


@pytest.mark.parametrize(
    "table",
    [
        turned(LYING),
        [["Grove", 2021, 2022, 2023, 2024], *([f"G{n}", n, n + 1, n + 2, n + 3] for n in range(9))],
        [["Grove", "Note", "Owner"], *([f"G{n}", f"a{n}", "Ann"] for n in range(9))],
        [["Grove", "Fruits", "Oil", "Share"], *([f"G{n}", n, None, n / 7] for n in range(9))],
    ],
)
def test_a_standing_sheet_is_not_said_to_lie(table):
    plan = oc.draft(book_of(table))
    assert not [each for each in plan.evidence if each.about == "sheet.turned"]


@pytest.mark.parametrize("turn", [False, None])
def test_what_a_plan_has_settled_is_not_asked_again(turn, tmp_path):
    """Neither the direction of a sheet, nor by what its variables are described."""
    data = book_of(LYING)
    if turn is False:
        settled = oc.draft(data, turned=False)
        assert not [each for each in settled.evidence if each.about == "sheet.turned"]
        return
    oc.draft(data).write(tmp_path / "a.plan.toml")
    again = oc.load(data, plan=oc.Plan.read(tmp_path / "a.plan.toml"))
    assert not [each for each in again.plan.evidence if each.about == "sheet.turned"]


def test_a_long_sheet_cannot_be_turned():
    data = book_of([["a", "b"], *([n, str(n)] for n in range(17_000))])
    with pytest.raises(oc.LayoutError, match="17,001 rows, too many to be variables"):
        oc.load(data, turned=True)


SHAPES = {
    "a blank row between any two": [HEAD, *(x for row in rows(50) for x in (row, BLANK))],
    "groups of two": [HEAD, *(x for n in range(0, 50, 2) for x in (*rows(2, n), BLANK))],
    "four blank rows": [["T"], BLANK, HEAD, *rows(20), *[BLANK] * 4, *rows(30, 20)],
    "blank under the heading": [["T"], BLANK, HEAD, BLANK, *rows(50)],
    "two blank under the heading": [["T"], BLANK, HEAD, BLANK, BLANK, *rows(50)],
    "notes far below": [HEAD, *rows(50), BLANK, BLANK, ["Source: mill"], ["Note: none"]],
    "marks for values in a row of their own": [
        *(HEAD, *rows(49), BLANK, ["P1", "V49", "n.d.", "*"], BLANK, *rows(0)),
    ],
    "another table below": [
        *(HEAD, *rows(50), BLANK, ["Two"], BLANK, ["Grower", "Age", "Trees", "Oil"]),
        *([f"G{n}", 40 + n, n, n] for n in range(9)),
    ],
}


@pytest.mark.parametrize("shape", SHAPES)
def test_no_row_is_lost_and_none_is_taken_that_is_no_row(shape):
    found = oc.load(book_of(SHAPES[shape]))
    assert found.names == HEAD
    assert found["Village"].values.to_pylist() == [f"V{n}" for n in range(50)]
    assert found.receipt.imbalances() == []


def test_titles_of_groups_are_said_and_can_be_kept():
    table = [HEAD, ["PROVINCE 1"], *rows(6), BLANK, ["PROVINCE 2"], *rows(6, 6)]
    found = oc.load(book_of(table))
    (said,) = [each for each in found.receipt.decided if each.about == "rows.groups"]
    assert (said.supporting, said.certain, said.alternatives) == (2, False, ("keep",))
    assert "skipped: rows 2, 10" in str(found.receipt)
    assert len(found) == 12
    kept = oc.load(book_of(table), **said.settled_as("keep"))
    assert kept["Province"].values.to_pylist()[0] == "PROVINCE 1"
    assert len(kept) == 14
    lone = oc.load(book_of([HEAD, *rows(5), ["P only"], *rows(5, 5)]))
    assert lone["Province"].values.to_pylist()[5] == "P only"


def test_a_repeated_heading_is_left_out_unless_it_is_kept():
    table = [HEAD, *rows(6), BLANK, HEAD, *rows(6, 6)]
    found = oc.load(book_of(table))
    assert [each.value for each in found.receipt.decided if each.about == "rows.repeated"] == [
        "skip"
    ]
    assert len(found) == 12
    assert len(oc.load(book_of(table), rows={"repeated": "keep"})) == 13


def test_two_tables_side_by_side_of_one_height_are_an_open_point():
    table = [[*a, None, f"G{n}", n] for n, a in enumerate([HEAD, *rows(8)])]
    table[0][5:] = ["Grower", "Trees"]
    found = oc.load(book_of(table))
    (said,) = [
        each for each in found.receipt.decided if each.about == "sheet.range" and each.alternatives
    ]
    assert said.alternatives == ("A1:D9", "F1:G9")
    assert oc.load(book_of(table), **said.settled_as("F1:G9")).names == ["Grower", "Trees"]
    uneven = [[*HEAD, None, "Grower", "Trees"], *rows(20)]
    for n in range(5):
        uneven[n + 1] = [*uneven[n + 1], None, f"G{n}", n]
    assert oc.load(book_of(uneven)).names == HEAD


def test_more_cells_outside_than_inside_are_an_open_point():
    table = [HEAD, *rows(30)]
    found = oc.load(book_of(table), range="A1:B4")
    (said,) = [each for each in found.receipt.decided if each.about == "sheet.outside"]
    assert not said.certain
    assert "more than are read" in str(said)


@pytest.mark.parametrize("serial", [0, 60])
def test_a_date_that_never_was_is_no_date_in_silence(serial):
    made = io.BytesIO()
    with xlsxwriter.Workbook(made, {"in_memory": True}) as book:
        sheet, day = book.add_worksheet(), book.add_format({"num_format": "yyyy-mm-dd"})
        sheet.write_row(0, 0, ["id", "day"])
        for n in range(1, 21):
            sheet.write(n, 0, n)
            sheet.write(n, 1, serial if n == 7 else 45_000 + n, day)
    found = oc.load(made.getvalue())
    (said,) = [
        e for e in found.receipt.decided if e.about == "variable.type" and e.variable == "day"
    ]
    assert not said.certain
    mended = oc.load(made.getvalue(), variables={"day": said.mend.parts})
    assert mended["day"].variable.type == "date"
    assert mended["day"].values[6].as_py() is None
    assert str(mended["day"].values[0].as_py()) == "2023-03-16"


@pytest.mark.parametrize("odd", [False, True], ids=["at known places", "by the parser"])
def test_formulas_without_a_value_are_missing_as_not_calculated(odd):
    made = io.BytesIO()
    with xlsxwriter.Workbook(made, {"in_memory": True}) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, ["id", "twice", "word"])
        for n in range(1, 13):
            sheet.write(n, 0, n)
            sheet.write_formula(n, 1, f"=2*A{n + 1}", None, 2 * n)
            sheet.write_formula(n, 2, '=""', None, "")
    data = io.BytesIO()
    with zipfile.ZipFile(made) as old, zipfile.ZipFile(data, "w") as new:
        for part in old.namelist():
            text = old.read(part)
            if part.endswith("sheet1.xml"):
                text = text.replace(b"<v>8</v>", b"").replace(b"<v>10</v>", b"<v></v>")
                text = re.sub(rb'<c r="(C\d+)"><f>', rb'<c r="\1" t="str"><f>', text)
                if odd:
                    text = text.replace(b'<c r="A2">', b"<c r='A2'>")
            new.writestr(part, text)
    found = oc.load(data.getvalue())
    assert found["twice"].values.to_pylist()[:6] == [2, 4, 6, None, None, 12]
    assert found["twice"].reason_counts() == {"not calculated": 2}
    (said,) = [e for e in found.receipt.decided if "without a stored value" in str(e)]
    assert (said.supporting, said.rows, said.certain) == (2, (5, 6), False)
    assert found["word"].reason_counts() == {"blank": 12}


def test_zeros_that_a_number_format_shows_are_kept():
    made = io.BytesIO()
    with xlsxwriter.Workbook(made, {"in_memory": True}) as book:
        sheet, code = book.add_worksheet(), book.add_format({"num_format": "00000"})
        sheet.write_row(0, 0, ["post code", "full", "n"])
        for n in range(1, 21):
            sheet.write(n, 0, 900 + 411 * n, code)
            sheet.write(n, 1, 20_000 + n, code)
            sheet.write(n, 2, n)
    found = oc.load(made.getvalue())
    assert found["post code"].values.to_pylist()[:3] == ["01311", "01722", "02133"]
    assert found["post code"].values.to_pylist()[-1] == "09120"
    assert [each.type for each in found.variables] == ["text", "integer", "integer"]
    assert any("leading zeros" in str(each) for each in found.receipt.decided)
    numbers = oc.load(made.getvalue(), types={"post code": "integer"})
    assert numbers["post code"].values.to_pylist()[:2] == [1311, 1722]


XML_2003 = """<?xml version="1.0"?>
<?mso-application progid="Excel.Sheet"?>
<Workbook xmlns="urn:schemas-microsoft-com:office:spreadsheet"
 xmlns:x="urn:schemas-microsoft-com:office:excel"
 xmlns:ss="urn:schemas-microsoft-com:office:spreadsheet">
<Styles><Style ss:ID="n"><NumberFormat ss:Format="0.00"/></Style></Styles>
<Names><NamedRange ss:Name="all" ss:RefersTo="='The mill'!R3C2:R6C6"/></Names>
<Worksheet ss:Name="The mill"><Table>
<Row><Cell ss:MergeAcross="3"><Data ss:Type="String">Harvest &amp; oil</Data></Cell></Row>
<Row ss:Index="3"><Cell ss:Index="2"><Data ss:Type="String">Village</Data></Cell>
<Cell><Data ss:Type="String">Day</Data></Cell><Cell><Data ss:Type="String">Acid</Data></Cell>
<Cell><Data ss:Type="String">ok</Data></Cell><Cell><Data ss:Type="String">At</Data></Cell></Row>
{rows}
</Table></Worksheet>
<Worksheet ss:Name="Codes"><Table><Row><Cell><Data ss:Type="String">x</Data></Cell></Row></Table>
<x:WorksheetOptions><x:Visible>SheetHidden</x:Visible></x:WorksheetOptions></Worksheet></Workbook>"""
ROW_2003 = """<Row><Cell ss:Index="2"><Data ss:Type="String">A <B>b</B> {n}</Data></Cell>
<Cell><Data ss:Type="DateTime">2025-10-1{n}T00:00:00.000</Data></Cell>
<Cell ss:StyleID="n"><Data ss:Type="{kind}">{acid}</Data></Cell>
<Cell><Data ss:Type="Boolean">{ok}</Data></Cell>
<Cell><Data ss:Type="DateTime">1899-12-31T07:4{n}:00.000</Data></Cell></Row>"""


def test_the_xml_form_of_2003_is_read_under_any_name(tmp_path):
    cells = [(1, "Number", 0.31, 1), (2, "Error", "#N/A", 0), (3, "Number", 1.5, 1)]
    rows = "".join(ROW_2003.format(n=n, kind=k, acid=a, ok=o) for n, k, a, o in cells)
    path = tmp_path / "mill.xls"
    path.write_text(XML_2003.format(rows=rows), "utf-8")
    found = oc.load(path)
    types = [each.type for each in found.variables]
    assert types == ["text", "date", "number", "boolean", "time"]
    assert found["Village"].values.to_pylist() == ["A b 1", "A b 2", "A b 3"]
    assert found["Acid"].values.to_pylist() == [0.31, None, 1.5]
    assert found["Acid"].why(1) == "#N/A"
    assert str(found["At"].values[0]) == "07:41:00"
    assert found.receipt.imbalances() == []
    assert oc.load(path, range="all").names == found.names
    hidden = {each.name: each.hidden for each in oc.look(path).sheets}
    assert hidden == {"The mill": False, "Codes": True}


def test_flat_opendocument_is_the_packed_one(tmp_path):
    book = Path(__file__).parent / "samples" / "mill_b.ods"
    with zipfile.ZipFile(book) as parts:
        content, styles = (parts.read(f"{each}.xml").decode() for each in ("content", "styles"))
    root = re.search(r"<office:document-content([^>]*)>", content)[1]
    named = re.search(r"<office:styles.*?</office:styles>", styles, re.S)[0]
    automatic = re.search(r"<office:automatic-styles.*</office:body>", content, re.S)[0]
    mime = 'office:mimetype="application/vnd.oasis.opendocument.spreadsheet"'
    flat = f"<office:document {root} {mime}>{named}{automatic}</office:document>"
    (tmp_path / "mill.fods").write_text(flat, "utf-8")
    for number in (1, 2, 3):
        one, other = oc.load(tmp_path / "mill.fods", sheet=number), oc.load(book, sheet=number)
        assert one.names == other.names
        assert all(one[name].values.equals(other[name].values) for name in one.names)


def test_workbooks_and_pages_in_archives_are_read(tmp_path, demo):
    with zipfile.ZipFile(tmp_path / "several.zip", "w") as archive:
        archive.write(demo / "panel_2025.xlsx", "a/panel.xlsx")
        archive.write(demo / "panel_2025.xlsx", "a/panel_again.xlsx")
    with zipfile.ZipFile(tmp_path / "page.zip", "w") as archive:
        archive.write(demo / "harvest.html", "harvest.html")
    alone = oc.load(demo / "panel_2025.xlsx")
    assert len(oc.load(tmp_path / "several.zip")) == 2 * len(alone)
    one = oc.load(f"zip://a/panel.xlsx::{tmp_path / 'several.zip'}")
    assert one.names == alone.names
    assert oc.load(tmp_path / "page.zip", table="tanks").names[0] == "Tank"


SAMPLES = Path(__file__).parent / "samples"


@settings(max_examples=tries(60))
@given(
    st.sampled_from(["mill_a.xls", "mill_1904.xls"]),
    st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), min_size=1, max_size=12),
    st.floats(0.2, 1),
)
def test_a_damaged_old_workbook_is_read_or_refused(name, hits, kept):
    data = bytearray((SAMPLES / name).read_bytes())
    for place, value in hits:
        data[int(place * (len(data) - 1))] = value
    data = data if kept > 0.5 else data[: int(kept * len(data))]
    try:
        found = oc.load(bytes(data))
    except oc.OliveCrateError:
        return
    assert found.receipt.imbalances() == []


REFUSED = {
    "a binary workbook": (
        {"[Content_Types].xml": "<x/>", "xl/workbook.bin": "x"},
        "binary workbook",
    ),
    "no main part": ({"[Content_Types].xml": "<x/>", "xl/other.xml": "x"}, "main part is lacking"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_what_is_no_workbook_that_can_be_read_says_what_to_do(case, tmp_path):
    parts, words = REFUSED[case]
    with zipfile.ZipFile(tmp_path / "a.xlsb", "w") as archive:
        for name, text in parts.items():
            archive.writestr(name, text)
    with pytest.raises(oc.SourceError, match=words):
        oc.load(tmp_path / "a.xlsb")


SEVERAL = [("North", 5, 12), ("South", 9, 4)]
HEADS = (["Variety", "Trees", "Area"], ["Week", "Shift", "Hours", "Tonnes"])


def book_of_blocks(path: Path) -> None:
    """Two sheets, each with two tables and their titles."""
    book = xlsxwriter.Workbook(path)
    for name, *counts in SEVERAL:
        sheet, row = book.add_worksheet(name), 0
        for head, count in zip(HEADS, counts, strict=True):
            sheet.write(row, 0, f"{head[0]} of {name}")
            sheet.write_row(row + 2, 0, head)
            for place in range(count):
                sheet.write_row(row + 3 + place, 0, ["early", *[place + 0.5] * (len(head) - 1)])
            row += count + 6
    book.close()


def test_a_block_is_read_by_the_number_that_a_look_gives(tmp_path, command):
    path = tmp_path / "season.xlsx"
    book_of_blocks(path)
    listed = [(sheet.name, block) for sheet in oc.look(path).sheets for block in sheet.blocks]
    assert [block.number for _, block in listed] == [1, 2, 3, 4]
    counts = [count for _, *counts in SEVERAL for count in counts]
    for (name, block), count, head in zip(listed, counts, HEADS * 2, strict=True):
        found = oc.load(path, block=block.number)
        assert (found.names, len(found)) == (head, count)
        plan = oc.draft(path, block=block.number)
        assert oc.load(path, plan=plan).equals(oc.load(path, sheet=name, range=block.range))
        assert "block =" not in plan.text()
    assert "3: A3:C12" in command("look", path).stdout


REFUSED_BLOCKS = [
    ({"block": 5}, "no block 5; the workbook has 4 blocks"),
    ({"block": 1, "sheet": "South"}, "leave the sheet and the range out"),
    ({"block": 1, "range": "A3:"}, "leave the sheet and the range out"),
    ({"block": 0}, "from 1 up"),
]


@pytest.mark.parametrize(("options", "message"), REFUSED_BLOCKS)
def test_a_block_that_cannot_be_meant_is_refused(options, message, tmp_path):
    path, text = tmp_path / "season.xlsx", tmp_path / "season.csv"
    book_of_blocks(path)
    text.write_text("week,hours\n1,8\n")
    for source, expected in ((path, message), (text, "not a workbook|from 1 up")):
        with pytest.raises(oc.OliveCrateError, match=expected):
            oc.load(source, **options)
    (tmp_path / "plan.toml").write_text('[source]\npath = "season.xlsx"\n[sheet]\nblock = 2\n')
    with pytest.raises(oc.PlanError, match="sheet and range of a block"):
        oc.Plan.read(tmp_path / "plan.toml")


COMMENTS = {
    "Free acidity, % of oleic acid": "Free acidity, % of oleic acid",
    "Laboratory:\nmedian of\neight tasters": "median of eight tasters",
    "[Threaded comment]\n\nShown by older programs.\n\nComment:\n    in the mill": "in the mill",
    "Harvest:\nearly": "Harvest: early",
    "": None,
}


def test_comments_of_the_heading_are_labels(tmp_path):
    path = tmp_path / "panel.xlsx"
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet()
    sheet.write_comment(1, 1, "weighed twice")  # of a value: says nothing of a variable
    for at, text in enumerate(COMMENTS):
        sheet.write_column(0, at, [f"v{at}", *(at + place / 4 for place in range(9))])
        if text:
            sheet.write_comment(0, at, text, {"author": "Laboratory"})
    book.close()
    found = oc.load(path)
    labels = [found[name].variable.label for name in found.names]
    assert labels == list(COMMENTS.values())
    said = " ".join(str(found.receipt).split())
    assert "comments: 4 on the heading's cells, taken as labels" in said
    plan = oc.draft(path).declare("v0", label="Acidity")
    assert oc.load(plan)["v0"].variable.label == "Acidity"
    labelled = oc.load(path, rows={"names": 1, "labels": 2, "data": "3.."})
    assert labelled["v0"].variable.label == "0"
