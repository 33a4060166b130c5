"""OpenDocument sheets: what is the text of a cell and what only lies on it; names; zeros."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import tries
from hypothesis import example, given, settings
from hypothesis import strategies as st
from sheets import opendocument

import olive_crate as oc
from olive_crate import kernels

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
    return opendocument("".join(sheets), STYLES)


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


ATTRIBUTES = st.lists(
    st.sampled_from(
        [
            ' table:style-name="zeros"',
            ' table:style-name="clock"',
            ' table:style-name="truth"',
            ' table:number-columns-repeated="2"',
            ' table:number-columns-repeated="70"',
            ' table:formula="of:=TRUE()"',
            ' table:formula="of:=[.A1]+1"',
            ' calcext:value-type="error"',
            ' office:currency="EUR"',
            ' table:number-columns-spanned="2"',
            ' office:string-value="as said"',
        ]
    ),
    max_size=2,
    unique=True,
).map("".join)
VALUES = st.sampled_from(
    [
        'office:value-type="float" office:value="1"',
        'office:value-type="float" office:value="0.25"',
        'office:value-type="percentage" office:value="0.5"',
        'office:value-type="float"',
        'office:value-type="boolean" office:boolean-value="true"',
        'office:value-type="date" office:date-value="2025-10-01"',
        'office:value-type="date" office:date-value="2025-10-01T07:30:00Z"',
        'office:value-type="time" office:time-value="PT07H30M00S"',
        'office:value-type="time" office:time-value="PT37H30M00S"',
        'office:value-type="string"',
        'office:value-type="void"',
        "",
    ]
)
CONTENTS = st.sampled_from(
    [
        "",
        "<text:p>Picual</text:p>",
        "<text:p> late  delivery </text:p>",
        "<text:p>oil &amp; fruit &#60;1&#x3e;</text:p>",
        "<text:p>mill\nnorth</text:p>",
        "<text:p>a<text:s text:c='2'/>b</text:p>",
        "<text:p>one</text:p><text:p>two</text:p>",
        "<text:p></text:p>",
        "<text:p>größer – später</text:p>",
        "<office:annotation><text:p>weighed</text:p></office:annotation><text:p>x</text:p>",
        CHART,
    ]
)
CELLS = st.one_of(
    st.builds(
        lambda value, more, content: (
            f"<table:table-cell {value}{more}>{content}</table:table-cell>"
        ),
        VALUES,
        ATTRIBUTES,
        CONTENTS,
    ),
    st.sampled_from(
        [
            "<table:table-cell/>",
            '<table:table-cell table:number-columns-repeated="3"/>',
            "<table:covered-table-cell/>",
            '<table:table-cell office:value-type="float" office:value="7"/>',
        ]
    ),
)
ROW_STARTS = st.sampled_from(
    [
        "<table:table-row>",
        "<table:table-row>",
        '<table:table-row table:style-name="ro1">',
        '<table:table-row table:number-rows-repeated="2">',
        '<table:table-row table:visibility="collapse">',
    ]
)
ROWS = st.one_of(
    st.builds(
        lambda start, cells: f"{start}{''.join(cells)}</table:table-row>",
        ROW_STARTS,
        st.lists(CELLS, max_size=4),
    ),
    st.sampled_from(["<table:table-row/>", '<table:table-row table:number-rows-repeated="5"/>']),
)
MORE_STYLES = STYLES.replace(
    "</office:automatic-styles>",
    '<number:boolean-style style:name="N9"/><style:style style:name="truth" '
    'style:family="table-cell" style:data-style-name="N9"/>'
    '<number:time-style style:name="N8" number:truncate-on-overflow="false"/>'
    '<style:style style:name="clock" style:family="table-cell" style:data-style-name="N8"/>'
    "</office:automatic-styles>",
)


def read_with(kind: str, book: bytes) -> object:
    """What is read of a workbook, or the error."""
    kernels.use(kind)
    try:
        return oc.load(book, rows={"names": [], "data": "1.."}, limits={"cells": 10**6})
    except oc.OliveCrateError as error:
        return str(error).partition(":")[0]
    finally:
        kernels.use("compiled")


@pytest.mark.skipif(not kernels.are_compiled(), reason="two kinds of kernels are compared")
@settings(max_examples=tries(120), deadline=None)
@given(st.lists(ROWS, min_size=1, max_size=12), st.sampled_from(["", "\n", "  "]))
@example(['<table:table-row><table:table-cell office:value-type="float" office:value="1"/>'], "")
@example(['<table:table-row><table:table-cell office:value-type="string">\udcff'], "")
def test_usual_rows_are_taken_as_the_parser_takes_them(rows, between):
    """Whatever stands among them: other rows, and what is no XML."""
    book = opendocument(
        '<table:table table:name="mill"><table:table-column table:default-cell-style-name="truth"/>'
        f"<table:table-column/>{between.join(rows)}</table:table>",
        MORE_STYLES,
    )
    one, two = (read_with(kind, book) for kind in ("compiled", "reference"))
    if isinstance(one, str) or isinstance(two, str):
        assert one == two
        return
    assert one.variables == two.variables
    for name in one.names:
        assert np.array_equal(one[name].reasons, two[name].reasons)
        assert one[name].values.equals(two[name].values)
    assert one.receipt.problems == two.receipt.problems
