"""Workbooks: what the cells hold is what comes in, by whatever writer, in whatever form."""

from __future__ import annotations

import datetime as dt
import io
import json
import re
import zipfile
from pathlib import Path

import pytest
import xlsxwriter
from conftest import topic, tries
from hypothesis import given, settings
from hypothesis import strategies as st
from sheets import PARTS, book_of

import olive_crate as oc
from olive_crate.layouts.sheet.workbook import opened
from olive_crate.sources.opening import open_source
from olive_crate.sources.ranges import letters

SAMPLES = Path(__file__).parent / "samples"
BOOKS = [
    "mill_a.xls",
    "mill_1904.xls",
    "mill_a.xlsx",
    "mill_inline.xlsx",
    "mill_1904.xlsx",
    "mill_b.xlsx",
    "mill_b.ods",
]
TRUTH = json.loads((SAMPLES / "mill_truth.json").read_text("utf-8"))
MISSING = ["*", "n.d.", "#N/A"]


def truth_of(book: str, sheet: str) -> dict:
    return TRUTH["1904" if "1904" in book else "default"][sheet]


def plain(value: object) -> object:
    """A value as the truth writes it."""
    if hasattr(value, "total_seconds"):
        return value.total_seconds()
    return value.isoformat() if hasattr(value, "isoformat") else value


def held(dataset: oc.Dataset) -> list[list[object]]:
    """What came in: missing cells as the text that made them so."""
    columns = []
    for name in dataset.names:
        column = dataset[name]
        values = [plain(value) for value in column.values.to_pylist()]
        whys = [column.why(place) for place in range(len(column))]
        columns.append(
            [
                value if why in (None, "blank") else why
                for value, why in zip(values, whys, strict=True)
            ]
        )
    return [list(row) for row in zip(*columns, strict=True)]


def days_of(book: str, rows: list[list[object]]) -> list[list[object]]:
    """Days before March 1900 are one earlier in OpenDocument."""
    if not book.endswith(".ods"):
        return rows
    return [
        [
            re.sub(r"^(1900-0[12])-(\d\d)$", lambda m: _day_before(m[0]), cell)
            if isinstance(cell, str)
            else cell
            for cell in row
        ]
        for row in rows
    ]


def _day_before(text: str) -> str:
    return (dt.date.fromisoformat(text) - dt.timedelta(days=1)).isoformat()


@pytest.mark.parametrize("book", BOOKS)
def test_a_clean_sheet_reads_to_the_truth(book):
    truth = truth_of(book, "Clean")
    for how in ({"sheet": "Clean"}, {"sheet": 2}, {}):
        dataset = oc.load(SAMPLES / book, **how)
        assert dataset.names == truth["names"]
        assert held(dataset) == days_of(book, truth["rows"])
        assert dataset.receipt.balanced
        kinds = [each.type for each in dataset.variables]
        assert kinds == [
            *("integer", "text", "date", "number", "number"),
            *("boolean", "time", "datetime", "duration", "integer"),
        ]
    share, paid = dataset["Share"].variable, dataset["Paid"].variable
    assert (share.unit, share.decimals, paid.unit, paid.decimals) == ("100 %", 3, "€", 2)


@pytest.mark.parametrize("book", BOOKS)
@pytest.mark.parametrize(
    "how",
    [
        {"sheet": "Season 2"},
        {"sheet": "Season 2", "range": "D9:I70"},
        {"sheet": "Season 2", "range": "D9:"},
        {"range": "block"},
    ],
    ids=str,
)
def test_a_block_among_clutter_reads_to_the_truth(book, how):
    truth = truth_of(book, "Season 2")
    dataset = oc.load(SAMPLES / book, missing=MISSING, **how)
    assert dataset.names == truth["names"]
    assert held(dataset) == truth["rows"]
    assert dataset.plan.rows.names == (9, 10) and dataset.plan.rows.first == 11
    assert [each.type for each in dataset.variables] == ["integer", "text"] + ["number"] * 4
    assert dataset.receipt.balanced
    assert oc.load(SAMPLES / book, plan=oc.draft(SAMPLES / book, missing=MISSING, **how)).equals(
        dataset
    )


def test_whole_columns_and_hidden_sheets():
    dataset = oc.load(SAMPLES / "mill_a.xlsx", sheet="Clean", range="B:D")
    assert dataset.names == ["Grove", "Day", "Share"] and len(dataset) == 40
    assert (
        held(oc.load(SAMPLES / "mill_a.xlsx", sheet="codes")) == TRUTH["default"]["codes"]["rows"]
    )


def test_a_mixed_column_is_told_plainly():
    receipt = oc.load(SAMPLES / "mill_a.xlsx", sheet="Season 2").receipt
    told = next(
        str(e) for e in receipt.decided if e.about == "variable.cells" and "Peroxide" in e.variable
    )
    assert re.match(r"Acidity Peroxide: 5\d numbers, \d texts \(.*\"\*\" ×\d.*\), 1 error", told)
    fruity = next(e for e in receipt.decided if e.variable == "Panel Fruity" and e.mend)
    assert "because of" in str(fruity) and '"n.d."' in str(fruity)
    assert fruity.mend.parts["type"] == "number"
    starred = oc.load(SAMPLES / "mill_a.xlsx", sheet="Season 2", range="D9:D70")
    assert starred["Delivery"].variable.type == "integer"


@pytest.mark.parametrize("book", [each for each in BOOKS if each.endswith("xlsx")])
def test_both_ways_of_reading_xml_give_the_same_cells(book):
    with opened(open_source(SAMPLES / book)) as workbook:
        for entry in workbook.sheets:
            fast, slow = (workbook.read(entry, fast=fast) for fast in (True, False))
            for name in ("rows", "columns", "kinds"):
                assert (getattr(fast.cells, name) == getattr(slow.cells, name)).all()
            assert fast.cells.texts() == slow.cells.texts()
            assert (fast.merged, fast.claimed) == (slow.merged, slow.claimed)


ROWS = {
    "in the usual form": '<row r="1"><c r="A1" t="s"><v>0</v></c>'
    '<c r="B1" t="str"><v>kg</v></c></row>'
    '<row r="2"><c r="A2" t="s"><v>1</v></c><c r="B2"><v>5</v></c></row>'
    '<row r="3"><c r="A3" t="s"><v>2</v></c><c r="B3"><v>7.5</v></c></row>',
    "without addresses": '<row><c t="s"><v>0</v></c><c t="str"><v>kg</v></c></row>'
    '<row><c t="s"><v>1</v></c><c><v>5</v></c></row>'
    '<row><c t="s"><v>2</v></c><c><v>7.5</v></c></row>',
    "out of order": '<row r="3"><c r="B3"><v>7.5</v></c><c r="A3" t="s"><v>2</v></c></row>'
    '<row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="str"><v>kg</v></c></row>'
    '<row r="2"><c r="A2" t="s"><v>1</v></c><c r="B2"><v>5</v></c></row>',
    "inline and commented": '<row r="1"><c r="A1" t="inlineStr"><is><t>name</t></is></c>'
    '<c r="B1" t="inlineStr"><is><r><t>k</t></r><r><t>g</t></r></is></c></row><!-- x -->'
    '<row r="2"><c r="A2" t="s"><v>1</v></c><c r="B2" s="0"><f>2+3</f><v>5</v></c></row>'
    '<row r="3"><c t="s" r="A3"><v>2</v></c><c r="B3"><v>7.5</v></c></row>',
}


@pytest.mark.parametrize("form", ROWS)
def test_cells_in_every_form_read_alike(form):
    data = f"<sheetData>{ROWS[form]}</sheetData>"
    for around in (
        "<worksheet>{}</worksheet>",
        '<worksheet><dimension ref="A1:XFD1048576"/>{}</worksheet>',
    ):
        dataset = oc.load(book_of(data, around))
        assert held(dataset) == [["olive", 5.0], ["a\rb & c", 7.5]]
        assert dataset.names == ["name", "kg"]


def test_other_prefixes_are_read():
    rows = ROWS["in the usual form"]
    prefixed = re.sub(r"<(/?)(\w)", r"<\1x:\2", f"<sheetData>{rows}</sheetData>")
    around = '<x:worksheet xmlns:x="m">{}</x:worksheet>'
    assert held(oc.load(book_of(prefixed, around)))[1] == ["a\rb & c", 7.5]


def number_book(cells: str, heading: str = "when", formats: str = "") -> bytes:
    rows = f'<row r="1"><c r="A1" t="str"><v>{heading}</v></c></row>' + "".join(
        f'<row r="{place}"><c r="A{place}"{cell}</c></row>'
        for place, cell in enumerate(cells.split("|"), 2)
    )
    return book_of(f"<sheetData>{rows}</sheetData>")


def test_serial_days_are_found_and_mended():
    book = number_book("|".join(f"><v>{45_000 + n}</v>" for n in range(30)), "Day of visit")
    plan = oc.draft(book, range="A1:A31")
    doubt = next(each for each in plan.evidence if "serial" in str(each))
    assert str(doubt.mend) == 'declare("Day of visit", type="date")'
    days = oc.load(book, plan=plan.declare("Day of visit", type="date"))["Day of visit"]
    assert days.values[0].as_py().isoformat() == "2023-03-15" and not days.reasons.any()


def test_numbers_stored_as_text_are_pointed_at():
    text = "".join(f'|  t="str"><v>{n},5</v>'.replace(",5", ".5") for n in range(30))[1:]
    plan = oc.draft(number_book(text, "kg"), range="A1:A31")
    doubt = next(each for each in plan.evidence if "stored as text" in str(each))
    assert plan.variable("kg").type == "text" and str(doubt.mend) == 'declare("kg", type="number")'
    mixed = number_book('><v>5</v>|><v>6</v>| t="str"><v>7</v>', "kg")
    receipt = oc.load(mixed, range="A1:A4").receipt
    assert any("1 number stored as text (row 4)" in str(each) for each in receipt.decided)


REFUSED = [
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600), "damaged or truncated workbook"),
    (
        b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600) + "EncryptedPackage".encode("utf-16-le"),
        "encrypted",
    ),
    (book_of("<sheetData/>"), "empty"),
    (book_of("<sheetData><row r='1'><c></row>"), "damaged"),
    (book_of("", '<!DOCTYPE x [<!ENTITY e "boom">]><worksheet>&e;</worksheet>'), "entity"),
    (book_of('<sheetData><row r="1"><c r="A1" t="s"><v>99</v></c></row></sheetData>'), "not there"),
    (book_of("<sheetData/>")[:700], "archive|workbook"),
    (book_of("<sheetData>" + " " * 9_000_000 + "</sheetData>"), "limits"),
]


@pytest.mark.parametrize(("data", "words"), REFUSED)
def test_what_cannot_be_read_is_refused_in_words(data, words):
    with pytest.raises(oc.OliveCrateError, match=words):
        oc.load(data)


def test_wrong_names_are_answered_with_the_right_ones():
    book = SAMPLES / "mill_a.xlsx"
    for options, words in (
        ({"sheet": "Saeson 2"}, 'did you mean "Season 2"'),
        ({"sheet": 9}, "there are 4 sheets"),
        ({"range": "blok"}, 'did you mean "block"'),
        ({"sheet": "Clean", "range": "ZZ900:ZZ901"}, "the used range is A1:J41"),
        ({"sheet": "Clean", "rows": {"names": 99}}, "outside of the range"),
        ({"fields": [("a", 1)]}, "is a workbook"),
    ):
        with pytest.raises(oc.OliveCrateError, match=words):
            oc.load(book, **options)
    with pytest.raises(oc.PlanError, match="not a workbook"):
        oc.load(b"a,b\n1,2\n", sheet="One")


def test_a_layout_table_may_be_a_sheet(tmp_path):
    rows = [("name", "start", "end"), ("id", "1", "3"), ("kg", "4", "6")]
    xml = "".join(
        f'<row r="{n}">'
        + "".join(f'<c r="{c}{n}" t="str"><v>{v}</v></c>' for c, v in zip("ABC", row, strict=True))
        + "</row>"
        for n, row in enumerate(rows, 1)
    )
    (tmp_path / "dict.xlsx").write_bytes(book_of(f"<sheetData>{xml}</sheetData>"))
    dataset = oc.load(b"001 12\n002 15\n", fields=tmp_path / "dict.xlsx")
    assert dataset["kg"].values.to_pylist() == [12, 15]


def test_a_look_lists_sheets_blocks_and_cells(command):
    done = command("look", SAMPLES / "mill_b.ods")
    assert done.returncode == 0 and "codes (hidden)" in done.stdout
    assert "D9:I70" in done.stdout and "named: block (Season 2!D9:I70)" in done.stdout
    assert max(map(len, done.stdout.splitlines())) <= 100
    look = oc.look(SAMPLES / "mill_a.xlsx", sheet="Season 2")
    assert [row.part for row in look.cells if row.row in (9, 10, 11, 72)] == [
        *("names", "names", "data", "skipped")
    ]
    assert command("look", SAMPLES / "mill_a.xlsx", "--json").returncode == 0


@pytest.mark.parametrize("book", BOOKS)
def test_packed_workbooks_come_back_equal(book, tmp_path):
    receipt = oc.pack(SAMPLES / book, tmp_path / "x.parquet", sheet="Season 2")
    again = oc.unpack(tmp_path / "x.parquet")
    assert receipt.balanced and again.equals(oc.load(SAMPLES / book, sheet="Season 2"))


WHOLE = {book: (SAMPLES / book).read_bytes() for book in ("mill_a.xlsx", "mill_b.ods")}


@settings(max_examples=tries(150))
@given(data=st.data(), book=st.sampled_from(sorted(WHOLE)))
def test_a_damaged_workbook_is_read_or_refused(data, book):
    """Bytes of the archive are changed, or of the XML within it."""
    whole = WHOLE[book]
    edits = st.tuples(st.integers(0, 1 << 30), st.binary(max_size=12), st.integers(0, 12))
    if data.draw(st.booleans()):
        whole = _edited(whole, data.draw(st.lists(edits, min_size=1, max_size=4)))
    else:
        whole = _edited_part(whole, data.draw(st.integers(0, 99)), data.draw(st.lists(edits)))
    try:
        dataset = oc.load(whole)
        assert dataset.receipt.balanced
        assert str(oc.look(whole))
    except oc.OliveCrateError as error:
        assert str(error)


def _edited(whole: bytes, edits: list[tuple[int, bytes, int]]) -> bytes:
    for place, new, length in edits:
        at = place % (len(whole) + 1)
        whole = whole[:at] + new + whole[at + length :]
    return whole


def _edited_part(whole: bytes, part: int, edits: list[tuple[int, bytes, int]]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(out, "w") as new:
        names = [name for name in old.namelist() if name.endswith(".xml")]
        for name in old.namelist():
            text = old.read(name)
            new.writestr(name, _edited(text, edits) if name == names[part % len(names)] else text)
    return out.getvalue()


def test_an_exported_workbook_reads_back(tmp_path):
    source = oc.load(SAMPLES / "mill_1904.xlsx", sheet="Clean")
    source = source.filter(source["Day"].values.is_valid())
    source.export(tmp_path / "out.xlsx")
    again = oc.load(tmp_path / "out.xlsx", sheet="data")
    assert held(again) == held(source)
    book = oc.load(tmp_path / "out.xlsx", sheet="codebook")
    assert book["name"].values.to_pylist() == source.names
    lab = oc.load(b"a,b\n1,x\n777,y\n,z\n", variables={"a": {"missing": {777: "lost"}}})
    lab.export(tmp_path / "codes.xlsx")
    assert oc.load(tmp_path / "codes.xlsx", sheet=1)["a"].values.to_pylist() == [1, 777, None]
    lab.export(tmp_path / "blank.xlsx", missing="null")
    assert oc.load(tmp_path / "blank.xlsx", sheet=1)["a"].values.to_pylist() == [1, None, None]
    with pytest.raises(oc.PlanError, match="already exists"):
        lab.export(tmp_path / "blank.xlsx")


HIDDEN = (
    '<cols><col min="2" max="2" hidden="1"/></cols><sheetData>'
    + "".join(
        f'<row r="{n}"{" hidden=" + chr(34) + "1" + chr(34) if n == 3 else ""}>'
        + "".join(
            f'<c r="{c}{n}"' + (f' t="str"><v>{c}</v></c>' if n == 1 else f"><v>{n}</v></c>")
            for c in "ABC"
        )
        + "</row>"
        for n in range(1, 7)
    )
    + '</sheetData><mergeCells><mergeCell ref="C6:C8"/></mergeCells>'
)


def test_hidden_and_merged_cells_are_told_and_taken_as_asked():
    kept = oc.load(book_of(HIDDEN))
    told = {topic(each): str(each) for each in kept.receipt.decided}
    assert kept.names == ["A", "B", "C"] and len(kept) == 5
    assert told["sheet.hidden"].startswith("hidden cells: row 3, column B hidden")
    skipped = oc.load(book_of(HIDDEN), hidden="skip")
    assert skipped.names == ["A", "C"] and skipped["A"].values.to_pylist() == [2, 4, 5, 6]
    rows = {"names": 1, "data": "2..8"}
    filled = oc.load(book_of(HIDDEN), merged="fill", range="A1:C8", rows=rows)
    assert filled["C"].values.to_pylist() == [2, 3, 4, 5, 6, 6, 6]
    assert all(each.receipt.balanced for each in (kept, skipped, filled))


def test_tables_are_chosen_by_name():
    table = '<table displayName="Lots" ref="A1:C6" totalsRowCount="1"/>'
    rels = '<Relationships><Relationship Id="r1" Type="x/table" Target="../tables/t1.xml"/>'
    book = book_of(
        HIDDEN,
        **{
            "xl/tables/t1.xml": table,
            "xl/worksheets/_rels/sheet1.xml.rels": rels + "</Relationships>",
        },
    )
    assert oc.load(book, range="lots")["A"].values.to_pylist() == [2, 3, 4, 5]
    assert oc.look(book).named == {"Lots": "One!A1:C5"}


def test_a_small_part_that_grows_without_end_is_refused():
    row = '<row r="1"><c r="A1"><v>1</v></c></row>'
    with pytest.raises(oc.SourceError, match="inflates"):
        oc.load(book_of(f"<sheetData>{row}{' ' * 5_000_000}</sheetData>"))
    raised = {"ratio": 100_000}
    assert (
        len(oc.load(book_of(f"<sheetData>{ROWS['out of order']}</sheetData>"), limits=raised)) == 2
    )
    many = "".join(f'<row r="{n}"><c r="A{n}"><v>1</v></c></row>' for n in range(1, 40))
    with pytest.raises(oc.SourceError, match="cells"):
        oc.load(book_of(f"<sheetData>{many}</sheetData>"), limits={"cells": 20})


STYLED = {
    "General": ("integer", None, None),
    "0.00": ("number", None, 2),
    "#,##0.0": ("number", None, 1),
    "0.0%": ("number", "100 %", 3),
    '#,##0.00" €"': ("number", "€", 2),
    "[$£-809]0.00": ("number", "£", 2),
    "0.00E+00": ("integer", None, None),
    "dd/mm/yyyy": ("date", None, None),
    "mmm yy": ("date", None, None),
    'd "de" mmmm': ("date", None, None),
    "yyyy-mm-dd hh:mm": ("datetime", None, None),
    "[h]:mm": ("duration", None, None),
    '0 "days"': ("integer", None, None),
    "[Red]0;[Blue]-0": ("integer", None, None),
    "0.00" + "[" * 1_000_000: ("number", None, 2),
    "0.00" + '"' * 200_001: ("number", None, 2),
}


@pytest.mark.parametrize("code", STYLED, ids=lambda code: code[:20])
def test_number_formats_tell_types_units_and_decimals(code):
    escaped = code.replace("&", "&amp;").replace('"', "&quot;")
    style = (
        f'<styleSheet><numFmts><numFmt numFmtId="164" formatCode="{escaped}"/></numFmts>'
        '<cellXfs><xf numFmtId="0"/><xf numFmtId="164"/></cellXfs></styleSheet>'
    )
    rels = PARTS["xl/_rels/workbook.xml.rels"].replace(
        "</Relationships>", '<Relationship Id="r9" Type="x/styles" Target="s.xml"/></Relationships>'
    )
    cells = "".join(
        f'<row r="{n}"><c r="A{n}" s="1"><v>{45_000 + n}</v></c></row>' for n in range(2, 30)
    )
    rows = f'<sheetData><row r="1"><c r="A1" t="str"><v>x</v></c></row>{cells}</sheetData>'
    parts = {"xl/s.xml": style, "xl/_rels/workbook.xml.rels": rels}
    variable = oc.load(book_of(rows, **parts), range="A1:A29")["x"].variable
    assert (variable.type, variable.unit, variable.decimals) == STYLED[code]


MOMENTS = st.datetimes(dt.datetime(1904, 1, 2), dt.datetime(2199, 12, 31)).map(
    lambda moment: moment.replace(microsecond=moment.microsecond // 1000 * 1000)
)


@given(st.lists(MOMENTS, min_size=2, max_size=12), st.booleans(), st.booleans())
def test_serial_days_come_back_as_the_moments_they_were(moments, from_1904, short):
    epoch = dt.datetime(1904, 1, 1) if from_1904 else dt.datetime(1899, 12, 30)
    serials = [(moment - epoch) / dt.timedelta(days=1) for moment in moments]
    told = [f"{serial:.15g}" if short else repr(serial) for serial in serials]
    rows = "".join(
        f'<row r="{n}"><c r="A{n}" s="1"><v>{serial}</v></c></row>'
        for n, serial in enumerate(told, 2)
    )
    style = '<styleSheet><cellXfs><xf numFmtId="0"/><xf numFmtId="22"/></cellXfs></styleSheet>'
    rels = PARTS["xl/_rels/workbook.xml.rels"].replace(
        "</Relationships>", '<Relationship Id="r9" Type="x/styles" Target="s.xml"/></Relationships>'
    )
    flag = f'<workbookPr date1904="{int(from_1904)}"/><sheets>'
    book = book_of(
        f'<sheetData><row r="1"><c r="A1" t="str"><v>when</v></c></row>{rows}</sheetData>',
        **{
            "xl/s.xml": style,
            "xl/_rels/workbook.xml.rels": rels,
            "xl/workbook.xml": PARTS["xl/workbook.xml"].replace("<sheets>", flag),
        },
    )
    read = oc.load(book, range=f"A1:A{len(moments) + 1}", types="datetime")
    assert read["when"].values.to_pylist() == moments


def ods_of(rows: str, styles: str = "") -> bytes:
    names = "".join(
        f'xmlns:{prefix}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0" '
        for prefix, name in (
            ("office", "office"),
            ("table", "table"),
            ("text", "text"),
            ("style", "style"),
            ("number", "datastyle"),
        )
    )
    content = (
        f"<office:document-content {names}><office:automatic-styles>{styles}"
        '</office:automatic-styles><office:body><office:spreadsheet><table:table table:name="S">'
        f"{rows}</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
    return out.getvalue()


def ods_cell(kind: str, value: str = "", shown: str = "", more: str = "") -> str:
    key = {"date": "date-value", "time": "time-value", "boolean": "boolean-value"}.get(
        kind, "value"
    )
    value = f' office:{key}="{value}"' if kind != "string" else ""
    return (
        f'<table:table-cell office:value-type="{kind}"{value} {more}><text:p>{shown}</text:p>'
        "</table:table-cell>"
    )


def test_opendocument_cells_are_what_their_values_say():
    heading = "".join(
        ods_cell("string", shown=name)
        for name in ("n", "rate", "pay", "day", "clock", "span", "yes", "word")
    )
    elapsed = (
        '<number:time-style style:name="N1" number:truncate-on-overflow="false"/>'
        '<style:style style:name="e" style:family="table-cell" style:data-style-name="N1"/>'
    )
    row = "".join(
        (
            ods_cell("float", "1.5", "2"),
            ods_cell("percentage", "0.25", "25 %"),
            ods_cell("currency", "12.5", "12,50", 'office:currency="EUR"'),
            ods_cell("date", "2025-10-06", "06/10/25"),
            ods_cell("time", "PT08H30M00S", "8:30"),
            ods_cell("time", "PT08H30M00S", "8:30", 'table:style-name="e"'),
            ods_cell("boolean", "true", "WAHR"),
            ods_cell("string", shown='two<text:s text:c="2"/>words<text:line-break/>more'),
        )
    )
    repeated = row.replace('office:value="1.5"', 'office:value="3"')
    book = ods_of(
        f"<table:table-row>{heading}</table:table-row><table:table-row>{row}</table:table-row>"
        f'<table:table-row table:number-rows-repeated="3">{repeated}</table:table-row>'
        '<table:table-row table:number-rows-repeated="1048000"><table:table-cell '
        'table:number-columns-repeated="16384"/></table:table-row>',
        elapsed,
    )
    dataset = oc.load(book)
    assert [each.type for each in dataset.variables] == [
        *("number", "number", "number", "date", "time", "duration", "boolean", "text")
    ]
    assert dataset["n"].values.to_pylist() == [1.5, 3, 3, 3]
    assert dataset["word"].values[0].as_py() == "two  words\nmore"
    assert dataset["span"].values[0].as_py() == dt.timedelta(hours=8, minutes=30)
    assert dataset["pay"].variable.unit == "€" and dataset.receipt.balanced


@given(
    st.lists(st.tuples(st.integers(2, 6), st.integers(2, 4)), min_size=1, max_size=4),
    st.sampled_from(["down", "across"]),
)
def test_every_block_of_a_sheet_is_listed(sizes, way):
    cells, row, column, wanted = [], 2, 2, []
    for high, wide in sizes:
        wanted.append(f"{letters(column)}{row}:{letters(column + wide - 1)}{row + high - 1}")
        cells += [
            (r, c, r == row) for r in range(row, row + high) for c in range(column, column + wide)
        ]
        row, column = (row + high + 4, column) if way == "down" else (row, column + wide + 2)
    rows: dict[int, str] = {}
    for r, c, is_name in sorted(cells):
        told = f' t="str"><v>name {c} of {r}</v>' if is_name else f"><v>{r * c}</v>"
        rows[r] = rows.get(r, "") + f'<c r="{letters(c)}{r}"{told}</c>'
    xml = "".join(f'<row r="{r}">{text}</row>' for r, text in rows.items())
    (sheet,) = oc.look(book_of(f"<sheetData>{xml}</sheetData>")).sheets
    assert sorted(each.range for each in sheet.blocks) == sorted(wanted)
    for area in wanted:
        assert oc.load(book_of(f"<sheetData>{xml}</sheetData>"), range=area).receipt.balanced


def test_the_command_reads_workbooks(here, tmp_path):
    book = SAMPLES / "mill_a.xlsx"
    done = here("pack", book, "--sheet", "Season 2", "--range", "D9:", "-o", "s.parquet")
    assert done.returncode == 0, done.stderr
    assert "filled cells: 361 in the range, 7 outside of it" in done.stdout
    assert len(oc.unpack(tmp_path / "s.parquet")) == 60
    drafted = here("draft", book, "--sheet", "2", "-o", "p.toml")
    assert (
        drafted.returncode == 0 and '[sheet]\nsheet = "Clean"' in (tmp_path / "p.toml").read_text()
    )
    assert here("pack", "p.toml", "-o", "c.parquet").returncode == 0
    wrong = here("look", book, "--sheet", "Seson 2")
    assert wrong.returncode == 1 and 'did you mean "Season 2"?' in wrong.stderr
    assert here("look", book, "--delimiter", ";").returncode == 1


def test_an_open_file_of_a_workbook_is_read_like_its_path():
    with (SAMPLES / "mill_a.xlsx").open("rb") as stream:
        assert oc.load(stream, sheet="Clean").equals(oc.load(SAMPLES / "mill_a.xlsx", sheet=2))


def test_the_strict_variant_is_read():
    strict = "http://purl.oclc.org/ooxml"
    kind = f"{strict}/officeDocument/relationships"
    rows = (
        '<sheetData><row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="str"><v>day</v></c></row>'
        + "".join(
            f'<row r="{n}"><c r="A{n}" t="s"><v>1</v></c>'
            f'<c r="B{n}" t="d"><v>2025-10-{n:02d}</v></c></row>'
            for n in range(2, 9)
        )
        + "</sheetData>"
    )
    parts = {
        path: text.replace('Type="x/', f'Type="{kind}/').replace('xmlns:r="r"', f'xmlns:r="{kind}"')
        for path, text in PARTS.items()
    }
    around = f'<worksheet xmlns="{strict}/spreadsheetml/main">{{}}</worksheet>'
    dataset = oc.load(book_of(rows, around, **parts))
    assert dataset["day"].variable.type == "date" and len(dataset) == 7
    assert dataset["day"].values[0].as_py() == dt.date(2025, 10, 2)
    assert set(dataset["name"].values.to_pylist()) == {"olive"}


NAMES = {
    "Rng": "='2023'!$A$1:$B$4",
    "Third!Rng": "=Third!$A$1:$B$3",
    "Third!Own": "=Third!$A$1:$B$2",
    "Cols": "='2023'!$A:$B",
    "Two": "='2023'!$A$1:$A$4,'2023'!$B$1:$B$4",
    "Computed": "=OFFSET('2023'!$A$1,0,0,4,2)",
}


@pytest.fixture(scope="module")
def named_book(tmp_path_factory):
    xlsxwriter = pytest.importorskip("xlsxwriter")
    path = tmp_path_factory.mktemp("names") / "names.xlsx"
    with xlsxwriter.Workbook(path) as book:
        for place, name in enumerate(("Table 1", "2023", "Third"), 1):
            sheet = book.add_worksheet(name)
            sheet.write_row(0, 0, ["grove", "kg"])
            for row in range(1, 4):
                sheet.write_row(row, 0, [f"g{row}", 100 * place + row])
        for name, meant in NAMES.items():
            book.define_name(name, meant)
    return path


@pytest.mark.parametrize(
    ("how", "kg"),
    [
        ({"range": "Rng"}, [201, 202, 203]),
        ({"range": "rng", "sheet": "2023"}, [201, 202, 203]),
        ({"range": "Rng", "sheet": "Third"}, [301, 302]),
        ({"range": "Third!Rng"}, [301, 302]),
        ({"range": "Own"}, [301]),
        ({"range": "'Table 1'!A1:B4"}, [101, 102, 103]),
        ({"range": "'Table 1'!A1:"}, [101, 102, 103]),
        ({"sheet": "2023"}, [201, 202, 203]),
        ({"sheet": "1"}, [101, 102, 103]),
        ({"range": "Rng", "sheet": "Table 1"}, '"Rng" lies on the sheet "2023"'),
        ({"range": "'Table 1'!A1:B4", "sheet": "Third"}, 'lies on the sheet "Table 1", not on'),
        ({"range": "Cols"}, "covers whole columns"),
        ({"range": "Two"}, "covers several areas"),
        ({"range": "Computed"}, "is computed"),
        ({"range": "Nowhere!A1:B2"}, 'there is no sheet "Nowhere"'),
        ({"range": "Rngs"}, 'did you mean "Rng"'),
        ({"range": "A6:B9", "sheet": 1}, "is empty"),
        ({"range": "D1:E2", "sheet": 1}, "is empty"),
    ],
    ids=str,
)
def test_a_name_is_bound_to_its_sheet(named_book, how, kg):
    if isinstance(kg, list):
        assert oc.load(named_book, **how)["kg"].values.to_pylist() == kg
    else:
        with pytest.raises(oc.LayoutError, match=kg):
            oc.load(named_book, **how)


def test_a_sheets_name_wins_over_its_number(named_book, command):
    done = command("counts", named_book, "kg", "--sheet", "2023")
    assert "201" in done.stdout and done.returncode == 0
    assert "101" in command("counts", named_book, "kg", "--sheet", "1").stdout


def test_any_range_is_a_dataset_or_one_clear_message(named_book):
    for area in ("A1", "B2:B2", "A3:B3", "C1:C9", "A5:B5", "B:B", "B2:", "XFD1:XFD2", "A1:XFD9"):
        try:
            assert oc.load(named_book, sheet=1, range=area).receipt.balanced
        except oc.OliveCrateError as error:
            assert area.partition(":")[0] in str(error)


SHORT = st.builds(
    lambda digits, places: float(f"{digits}e-{places}"),
    st.integers(-(10**15), 10**15),
    st.integers(0, 20),
)


@settings(max_examples=tries(60))
@given(st.lists(SHORT | st.floats(-1e15, 1e15, allow_nan=False), min_size=1, max_size=60))
def test_numbers_cut_to_16_digits_are_the_shortest_that_are_written_so(numbers):
    """One of 15 digits comes back to the last bit, another as a number that is written alike."""
    data = io.BytesIO()
    with xlsxwriter.Workbook(data, {"in_memory": True}) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, ["id", "number"])
        for row, number in enumerate(numbers, 1):
            sheet.write_row(row, 0, [row, number])
    given_ = {"range": f"A1:B{len(numbers) + 1}", "rows": {"names": 1}, "missing": {}}
    found = oc.load(data.getvalue(), types={"number": "number"}, **given_)
    for was, came in zip(numbers, found["number"].values.to_pylist(), strict=True):
        assert f"{came:.16g}" == f"{was:.16g}"
        if float(f"{was:.15g}") == was:
            assert came == was


ODD_NUMBERS = {
    "xl/tables/table1.xml": (b'totalsRowShown="0"', b'totalsRowCount="%s"'),
    "xl/workbook.xml": (b'localSheetId="0"', b'localSheetId="%s"'),
    "xl/styles.xml": (b'fontId="0"', b'fontId="%s"'),
    "xl/worksheets/sheet1.xml": (b's="1"', b's="%s"'),
}


@pytest.mark.parametrize("number", [b"", b"-1", b"x", b"1.5", b"\xc2\xb2", b"999999999"])
@pytest.mark.parametrize("part", ODD_NUMBERS)
def test_numbers_in_the_parts_of_a_workbook_that_are_none(part, number):
    """Read as if they were not there, or refused in words."""
    data, made = io.BytesIO(), io.BytesIO()
    with xlsxwriter.Workbook(data, {"in_memory": True}) as book:
        sheet = book.add_worksheet("S")
        rows = [[n, f"w{n}"] for n in range(9)]
        sheet.add_table(0, 0, 9, 1, {"columns": [{"header": "id"}, {"header": "word"}]})
        for at, row in enumerate(rows, 1):
            sheet.write_row(at, 0, row, book.add_format({"bold": at == 3, "num_format": "0"}))
        sheet.repeat_rows(0)
        book.define_name("S!local", "=S!$A$1:$B$10")
    old, new = ODD_NUMBERS[part]
    with zipfile.ZipFile(data) as whole, zipfile.ZipFile(made, "w") as changed:
        for name in whole.namelist():
            text = whole.read(name)
            assert name != part or old in text
            changed.writestr(name, text.replace(old, new.replace(b"%s", number)))
    try:
        found = oc.load(made.getvalue())
    except oc.OliveCrateError as error:
        assert str(error)
        return
    assert found.receipt.imbalances() == []
