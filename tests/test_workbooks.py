"""Workbooks: what the cells hold is what comes in, by whatever writer, in whatever form."""

from __future__ import annotations

import io
import json
import re
import zipfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate.sheets.workbook import opened
from olive_crate.sources import open_source

SAMPLES = Path(__file__).parent / "samples"
BOOKS = ["mill_a.xlsx", "mill_inline.xlsx", "mill_1904.xlsx", "mill_b.xlsx", "mill_b.ods"]
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
    import datetime as dt

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
    claims = {each.subject: each.claim for each in receipt.decided}
    told = claims["cells.Acidity Peroxide"]
    assert re.match(r"5\d numbers, \d texts \(.*\"\*\" ×\d.*\), 1 error", told)
    fruity = next(e for e in receipt.decided if e.subject == "variable.Panel Fruity")
    assert "because of" in fruity.claim and '"n.d."' in fruity.claim
    assert 'type="number"' in fruity.mend
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


PARTS = {
    "[Content_Types].xml": "<Types/>",
    "_rels/.rels": '<Relationships><Relationship Id="r1" Type="x/officeDocument" '
    'Target="xl/workbook.xml"/></Relationships>',
    "xl/_rels/workbook.xml.rels": '<Relationships><Relationship Id="r1" Type="x/worksheet" '
    'Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="x/sharedStrings" '
    'Target="sharedStrings.xml"/></Relationships>',
    "xl/workbook.xml": '<workbook xmlns:r="r"><sheets><sheet name="One" sheetId="1" r:id="r1"/>'
    "</sheets></workbook>",
    "xl/sharedStrings.xml": "<sst><si><t>name</t></si><si><r><t>ol</t></r><r><t>ive</t></r>"
    "<rPh><t>no</t></rPh></si><si><t>a_x000D_b &amp; c</t></si></sst>",
}


def book_of(rows: str, around: str = "<worksheet>{}</worksheet>", **parts: str) -> bytes:
    """A workbook with this sheet data."""
    made = PARTS | {"xl/worksheets/sheet1.xml": around.format(rows)} | parts
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, text in made.items():
            archive.writestr(path, text)
    return out.getvalue()


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
    doubt = next(each for each in plan.evidence if "serial" in each.claim)
    assert doubt.mend == 'declare("Day of visit", type="date")'
    days = oc.load(book, plan=plan.declare("Day of visit", type="date"))["Day of visit"]
    assert days.values[0].as_py().isoformat() == "2023-03-15" and not days.reasons.any()


def test_numbers_stored_as_text_are_pointed_at():
    text = "".join(f'|  t="str"><v>{n},5</v>'.replace(",5", ".5") for n in range(30))[1:]
    plan = oc.draft(number_book(text, "kg"), range="A1:A31")
    doubt = next(each for each in plan.evidence if "stored as text" in each.claim)
    assert plan.variable("kg").type == "text" and doubt.mend == 'declare("kg", type="number")'
    mixed = number_book('><v>5</v>|><v>6</v>| t="str"><v>7</v>', "kg")
    receipt = oc.load(mixed, range="A1:A4").receipt
    assert any("1 number stored as text (row 4)" in each.claim for each in receipt.decided)


REFUSED = [
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600), "old binary workbook"),
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
    with pytest.raises(oc.PlanError, match="is no workbook"):
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


@settings(max_examples=150)
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
    lab.export(tmp_path / "blank.xlsx", missing="blank")
    assert oc.load(tmp_path / "blank.xlsx", sheet=1)["a"].values.to_pylist() == [1, None, None]
    with pytest.raises(oc.PlanError, match="exists already"):
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
    told = {each.subject: each.claim for each in kept.receipt.decided}
    assert kept.names == ["A", "B", "C"] and len(kept) == 5
    assert told["sheet.hidden"].startswith("row 3, column B hidden")
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
