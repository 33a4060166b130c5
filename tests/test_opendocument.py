"""OpenDocument sheets: what is the text of a cell and what only lies on it; names; zeros."""

from __future__ import annotations

import io
import zipfile

import pytest

import olive_crate as oc

NAMESPACES = " ".join(
    f'xmlns:{prefix}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
    for prefix, name in {
        "office": "office",
        "table": "table",
        "text": "text",
        "draw": "drawing",
        "number": "datastyle",
        "style": "style",
        "svg": "svg-compatible",
    }.items()
)
STYLES = (
    '<office:automatic-styles><number:number-style style:name="N5">'
    '<number:number number:decimal-places="0" number:min-integer-digits="5"/>'
    '</number:number-style><style:style style:name="zeros" style:family="table-cell" '
    'style:data-style-name="N5"/></office:automatic-styles>'
)
CHART = (
    "<table:shapes><draw:frame><draw:object><office:chart><table:table table:name='local-table'>"
    '<table:table-row><table:table-cell office:value-type="string"><text:p>no cell</text:p>'
    "</table:table-cell></table:table-row></table:table></office:chart></draw:object></draw:frame>"
    "</table:shapes>"
)


def text_cell(content: str) -> str:
    return f'<table:table-cell office:value-type="string">{content}</table:table-cell>'


def row_of(number: int, content: str, style: str = "") -> str:
    named = f' table:style-name="{style}"' if style else ""
    return (
        f"<table:table-row>{text_cell(f'<text:p>G{number}</text:p>')}"
        f'<table:table-cell office:value-type="float" office:value="{number}"{named}>'
        f"<text:p>{number}</text:p></table:table-cell>{text_cell(content)}</table:table-row>"
    )


HEAD = (
    f"<table:table-row>{text_cell('<text:p>grove</text:p>')}"
    + text_cell(
        "<office:annotation><text:p>weighed twice</text:p></office:annotation><text:p>code</text:p>"
    )
    + f"{text_cell('<text:p>note</text:p>')}</table:table-row>"
)


def sheet(name: str, rows: str, more: str = "") -> str:
    return f'<table:table table:name="{name}">{HEAD}{rows}{more}</table:table>'


def book_of(*sheets: str) -> bytes:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "content.xml",
            f"<office:document-content {NAMESPACES}>{STYLES}<office:body><office:spreadsheet>"
            f"{''.join(sheets)}</office:spreadsheet></office:body></office:document-content>",
        )
    return data.getvalue()


TEXTS = {
    "<text:p>late frost</text:p>": "late frost",
    "<text:p>  late \n\t frost </text:p>": "late frost",
    '<text:p>late <text:s text:c="2"/>frost</text:p>': "late   frost",
    "<text:p><text:s/>late<text:tab/>frost<text:line-break/>twice</text:p>": (
        " late\tfrost\ntwice"
    ),
    "<text:p>late</text:p><text:p>frost</text:p>": "late\nfrost",
    "<text:p>la<text:span>te <text:a>fro</text:a></text:span>st</text:p>": "late frost",
    "<draw:frame><draw:text-box><text:p>draft</text:p></draw:text-box></draw:frame>"
    "<text:p>late frost</text:p>": "late frost",
    "<draw:frame><draw:image/><svg:title>photo</svg:title></draw:frame><text:p>frost</text:p>": (
        "frost"
    ),
    "<draw:custom-shape><text:p>arrow</text:p></draw:custom-shape>": None,
    "<draw:g><draw:rect><text:p>one</text:p></draw:rect><draw:line/></draw:g>": None,
    "<text:p>frost<text:note><text:note-citation>1</text:note-citation><text:note-body>"
    "<text:p>by hand</text:p></text:note-body></text:note>.</text:p>": "frost.",
    "<text:p><text:ruby><text:ruby-base>frost</text:ruby-base><text:ruby-text>reading"
    "</text:ruby-text></text:ruby></text:p>": "frost",
    "<office:annotation><text:p>by hand</text:p></office:annotation>": None,
}


def test_the_text_of_a_cell_is_that_of_its_paragraphs():
    rows = "".join(row_of(number, content) for number, content in enumerate(TEXTS))
    for book in (book_of(sheet("Groves", rows)), book_of(sheet("Groves", rows, CHART))):
        found = oc.load(book)
        assert found.names == ["grove", "code", "note"]
        assert found["note"].values.to_pylist() == list(TEXTS.values())
        assert found["code"].values.to_pylist() == list(range(len(TEXTS)))
        assert found["code"].variable.label == "weighed twice"
        assert found["note"].variable.label is None
        assert len(oc.look(book).sheets) == 1


def test_zeros_of_a_number_style_are_kept():
    rows = "".join(row_of(number, "<text:p>x</text:p>", "zeros") for number in range(7, 700, 99))
    found = oc.load(book_of(sheet("Groves", rows)))
    assert found["code"].values.to_pylist()[:2] == ["00007", "00106"]


def named(name: str, address: str) -> str:
    return (
        "<table:named-expressions>"
        f'<table:named-range table:name="{name}" table:cell-range-address="{address}"/>'
        "</table:named-expressions>"
    )


RANGES = [
    ({"range": "'2024'!taken"}, 3),
    ({"range": "taken", "sheet": "2025"}, 5),
    ({"range": "all"}, 8),
    ({"range": "taken"}, "several sheets"),
    ({"range": "all", "sheet": "2025"}, 'lies on the sheet "2024"'),
    ({"range": "odd"}, "no rectangle"),
]


@pytest.mark.parametrize(("options", "wanted"), RANGES)
def test_a_name_is_that_of_its_sheet_or_of_the_workbook(options, wanted):
    rows = "".join(row_of(number, "<text:p>x</text:p>") for number in range(8))
    book = book_of(
        sheet("2024", rows, named("taken", "$'2024'.$A$1:.$C$4")),
        sheet("2025", rows, named("taken", "$'2025'.$A$1:.$C$6")),
        named("all", "$'2024'.$A$1:.$C$9"),
        named("odd", "$'2024'.$A$1:.$C$9 $'2025'.$A$1:.$C$9"),
    )
    if isinstance(wanted, int):
        assert len(oc.load(book, **options)) == wanted
    else:
        with pytest.raises(oc.LayoutError, match=wanted):
            oc.load(book, **options)
