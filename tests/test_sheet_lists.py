"""Lists of what may be typed into cells: what they say of variables."""

from __future__ import annotations

import io

import pytest
import xlsxwriter
from sheets import opendocument

import olive_crate as oc


def listed_book(path):
    """A survey in which cells have lists of what may be typed: in the rule, in a range, by name."""
    book = xlsxwriter.Workbook(path)
    sheet, lists = book.add_worksheet("survey"), book.add_worksheet("lists")
    lists.write_column(0, 0, ["Picual", "Arbequina", "Hojiblanca"])
    book.define_name("varieties", "=lists!$A$1:$A$3")
    sheet.write_row(0, 0, ["grower", "variety", "irrigated", "score", "planted", "few", "remark"])
    for row in range(1, 41):
        variety = ("Picual", "Arbequina", "Picudo")[row % 3]
        sheet.write_row(row, 0, [row, variety, "yes", row % 5 + 1, "Picual", "a", "as typed"])
    sheet.data_validation("B2:B1048576", {"validate": "list", "source": "=lists!$A$1:$A$3"})
    sheet.data_validation("C2:C100", {"validate": "list", "source": ["yes", "no", "do not know"]})
    sheet.data_validation("D2:D41", {"validate": "list", "source": [1, 2, 3, 4, 5]})
    sheet.data_validation("E2:E41", {"validate": "list", "source": "=varieties"})
    sheet.data_validation("F2:F4", {"validate": "list", "source": ["a", "b"]})  # not its column's
    sheet.data_validation("G2:G41", {"validate": "list", "source": "=gone!$A$1:$A$3"})
    book.close()


LISTED = {
    "grower": ("integer", None),
    "variety": ("category", ("Picual", "Arbequina", "Hojiblanca")),
    "irrigated": ("category", ("yes", "no", "do not know")),
    "score": ("integer", (1, 2, 3, 4, 5)),
    "planted": ("category", ("Picual", "Arbequina", "Hojiblanca")),
    "few": ("text", None),
    "remark": ("text", None),
}


def test_lists_of_what_may_be_typed_are_promised_values(tmp_path):
    """Values outside of a list are read, and the promise is broken."""
    path = tmp_path / "survey.xlsx"
    listed_book(path)
    plan = oc.draft(path, sheet="survey")
    found = oc.load(path, sheet="survey")
    assert found.equals(oc.load(plan))
    met = {v.name: (v.type, v.promised and v.promised.allowed) for v in found.variables}
    assert met == LISTED
    assert found["variety"].values.to_pylist().count("Picudo") == 13
    assert [each.count for each in found.receipt.promises if not each.kept] == [13]
    plan.write(tmp_path / "plan.toml")
    text = (tmp_path / "plan.toml").read_text("utf-8")
    assert '# a list of the sheet allows "Picual", "Arbequina", "Hojiblanca"' in text
    own = oc.load(
        path, sheet="survey", variables={"variety": {"promised": {"allowed": ["Picual"]}}}
    )
    assert own["variety"].variable.promised.allowed == ("Picual",)


@pytest.mark.parametrize(
    ("condition", "allowed"),
    [
        ('of:cell-content-is-in-list("yes";"no")', ("yes", "no")),
        ('cell-content-is-in-list("say ""no""";"a;b")', ('say "no"', "a;b")),
        ("of:cell-content-is-in-list([$lists.$A$1:.$A$2])", ("yes", "no")),
        ("of:cell-content-is-in-list([.$C$2:.$C$3])", ("q", "p")),
        ("of:cell-content-is-in-list([$gone.$A$1:.$A$2])", None),
        ("of:cell-content-is-whole-number() and cell-content()>3", None),
    ],
)
def test_lists_of_an_opendocument_sheet(condition, allowed):
    def text(word: str) -> str:
        return f'<table:table-cell office:value-type="string"><text:p>{word}</text:p>'

    quoted = condition.replace("&", "&amp;").replace('"', "&quot;").replace(">", "&gt;")
    rows = "".join(
        f"<table:table-row>{text(f'G{row}')}</table:table-cell>"
        + text("yes").replace("office", 'table:content-validation-name="v" office', 1)
        + f"</table:table-cell>{text('pqpq'[row % 4])}</table:table-cell></table:table-row>"
        for row in range(1, 21)
    )
    lists = "".join(
        f"<table:table-row>{text(word)}</table:table-cell></table:table-row>"
        for word in ("yes", "no")
    )
    heads = "".join(
        f"{text(word)}</table:table-cell>" for word in ("grower", "irrigated", "letter")
    )
    data = opendocument(
        f"<table:content-validations><table:content-validation table:name='v' "
        f'table:condition="{quoted}"/></table:content-validations><table:table '
        f"table:name='survey'><table:table-row>{heads}</table:table-row>{rows}</table:table>"
        f"<table:table table:name='lists'>{lists}</table:table>"
    )
    promised = oc.load(data, sheet="survey")["irrigated"].variable.promised
    assert (promised and promised.allowed) == allowed


WORDS = [
    *(("Picual", "hill", "ripe"), ("Arbequina", "valley", "green"), ("Leccino", "hill", "green")),
    *(("Frantoio", "ridge", "ripe"), ("Empeltre", "valley", "ripe")),
]
"""Rows of words, among which a heading of such words is not to be seen."""


def marked_book(mark: str, head: tuple, title: bool) -> bytes:
    data = io.BytesIO()
    book = xlsxwriter.Workbook(data, {"in_memory": True})
    sheet, top = book.add_worksheet(), 2 if title else 0
    if title:
        sheet.write(0, 0, "Groves of the cooperative")
    style = {"bold": {"bold": True}, "coloured": {"bg_color": "#DDEEDD"}}.get(mark)
    form = None if style is None else book.add_format(style)
    for at, row in enumerate([head, *WORDS * 3]):
        sheet.write_row(top + at, 0, row, None if at else form)
    if mark == "bold first column":
        sheet.set_column(0, 0, 12, book.add_format({"bold": True}))
    elif mark == "all bold":
        sheet.set_column(0, 2, 12, book.add_format({"bold": True}))
    if mark == "table":
        headers = [{"header": each} for each in head]
        sheet.add_table(top, 0, top + 15, 2, {"columns": headers})
    elif mark == "filter":
        sheet.autofilter(top, 0, top + 15, 2)
    elif mark == "frozen panes":
        sheet.freeze_panes(top + 1, 0)
    elif mark == "print titles":
        sheet.repeat_rows(top)
    elif mark == "frozen first column":
        sheet.freeze_panes(0, 1)
    elif mark == "frozen far below":
        sheet.freeze_panes(top + 9, 0)
    book.close()
    return data.getvalue()


@pytest.mark.parametrize("title", [False, True])
@pytest.mark.parametrize(
    "mark", ["table", "filter", "frozen panes", "print titles", "bold", "coloured"]
)
def test_what_a_sheet_has_for_a_heading_is_one(mark, title):
    """Where the cells do not show it; where they do, nothing changes."""
    found = oc.load(marked_book(mark, ("hill", "ridge", "green"), title))
    assert found.names == ["hill", "ridge", "green"]
    assert found.rows == 15
    said = "bold or coloured cells" if mark in ("bold", "coloured") else mark
    assert f"the sheet's {said}" in " ".join(str(found.receipt).split())
    plain = oc.load(marked_book(mark, ("grove 1", "grove 2", "grove 3"), title))
    assert plain.rows == 15


@pytest.mark.parametrize(
    "mark", ["", "frozen first column", "frozen far below", "bold first column", "all bold"]
)
def test_other_marks_say_nothing_of_a_heading(mark):
    plan = oc.draft(marked_book(mark, ("hill", "ridge", "green"), False))
    assert plan.rows.names == () and any(
        each.about == "rows.names" and not each.certain for each in plan.evidence
    )


ANSWERS = [["grower", "q1", "q2", "age"], *([n, n % 5, n % 3, 30 + n] for n in range(20))]
CODEBOOK = [
    ["Item name", "Question", "Codes"],
    ["grower", "Number of the grower", None],
    ["q1", "How content are you?", "0=not; 4=very"],
    ["q2", "Do you irrigate?", "0=no; 1=yes; 2=partly"],
    ["age", "Age in years", None],
]
DESCRIBING = {
    "as it is": (CODEBOOK, True),
    "below a title": ([["Codes of the survey"], [], *CODEBOOK], True),
    "with other rows behind": ([*CODEBOOK, [], ["weight", "not in this file", None]], True),
    "without a heading": (CODEBOOK[1:], False),
    "names alone": ([row[:1] for row in CODEBOOK], False),
    "names along": ([list(column) for column in zip(*CODEBOOK, strict=True)], False),
    "two names": ([*CODEBOOK[:2], CODEBOOK[4]], False),
    "the same variables": (ANSWERS, False),
}


@pytest.mark.parametrize("case", DESCRIBING)
def test_a_sheet_that_describes_the_variables_is_offered(case, tmp_path):
    table, offered = DESCRIBING[case]
    with xlsxwriter.Workbook(tmp_path / "survey.xlsx") as book:
        for name, rows in (("Answers", ANSWERS), ("Codebook", table)):
            sheet = book.add_worksheet(name)
            for at, row in enumerate(rows):
                sheet.write_row(at, 0, ["" if each is None else each for each in row])
    plan = oc.draft(tmp_path / "survey.xlsx", sheet="Answers")
    points = [each for each in plan.evidence if each.about == "sheet.dictionary"]
    assert [(each.sheet, each.certain) for each in points] == [("Codebook", False)] * offered
    assert [each.mend is None for each in points] == [case.startswith("with other")] * offered
    if case == "as it is":
        open_points = oc.draft(tmp_path / "survey.xlsx").evidence
        assert [each.certain for each in open_points if each.about == "sheet.sheet"] == [True]
        found = oc.load(tmp_path / "survey.xlsx", sheet="Answers", **points[0].mend.parts)
        assert found["age"].variable.label == "Age in years"
        assert [each.label for each in found["q1"].variable.meanings] == ["not", "very"]
        assert not [each for each in found.plan.evidence if each.about == "sheet.dictionary"]


STYLES = {
    "bold": '<style:text-properties fo:font-weight="bold"/>',
    "coloured": '<style:table-cell-properties fo:background-color="#ddeedd"/>',
    "of a parent": "",
    "plain": '<style:text-properties fo:font-weight="normal"/>',
}


@pytest.mark.parametrize("style", STYLES)
def test_cells_that_stand_out_in_opendocument_are_the_heading(style):
    def row(words: tuple, name: str) -> str:
        cell = (
            '<table:table-cell table:style-name="{}" office:value-type="string"><text:p>{}</text:p>'
        )
        cells = "".join(f"{cell.format(name, word)}</table:table-cell>" for word in words)
        return f"<table:table-row>{cells}</table:table-row>"

    made = '<style:style style:name="{}" style:family="table-cell" {}>{}</style:style>'
    parent = made.format("p", "", STYLES["bold"])
    own = 'style:parent-style-name="p"' if style == "of a parent" else ""
    styles = f"<office:automatic-styles>{parent}{made.format('h', own, STYLES[style])}"
    body = row(("hill", "ridge", "green"), "h") + "".join(row(each, "d") for each in WORDS * 3)
    table = f"<table:table table:name='groves'>{body}</table:table>"
    found = oc.load(opendocument(table, f"{styles}</office:automatic-styles>"))
    assert found.rows == (16 if style == "plain" else 15)


@pytest.mark.parametrize("style", ['<Font ss:Bold="1"/>', '<Interior ss:Pattern="Solid"/>', ""])
def test_cells_that_stand_out_in_the_form_of_2003_are_the_heading(style):
    def row(words: tuple, name: str) -> str:
        cell = '<Cell ss:StyleID="{}"><Data ss:Type="String">{}</Data></Cell>'
        return f"<Row>{''.join(cell.format(name, word) for word in words)}</Row>"

    body = row(("hill", "ridge", "green"), "h") + "".join(row(each, "d") for each in WORDS * 3)
    name = "urn:schemas-microsoft-com:office:spreadsheet"
    data = (
        f'<?xml version="1.0"?><Workbook xmlns="{name}" xmlns:ss="{name}"><Styles>'
        f'<Style ss:ID="h">{style}</Style></Styles><Worksheet ss:Name="S"><Table>{body}</Table>'
        "</Worksheet></Workbook>"
    )
    found = oc.load(data.encode())
    assert found.rows == (15 if style else 16)


def test_rows_that_an_opendocument_sheet_repeats_on_each_page_are_its_heading():
    def row(words: tuple) -> str:
        cells = "".join(
            f'<table:table-cell office:value-type="string"><text:p>{word}</text:p>'
            "</table:table-cell>"
            for word in words
        )
        return f"<table:table-row>{cells}</table:table-row>"

    head = f"<table:table-header-rows>{row(('hill', 'ridge', 'green'))}</table:table-header-rows>"
    body = "".join(map(row, WORDS * 3))
    found = oc.load(opendocument(f"<table:table table:name='groves'>{head}{body}</table:table>"))
    assert (found.names, found.rows) == (["hill", "ridge", "green"], 15)
