"""Delimited text is cut as RFC 4180 says, and as real files need."""

from __future__ import annotations

import csv
import gzip
import io

import pytest
from conftest import BLOCKS
from hypothesis import example, given
from hypothesis import strategies as st

import olive_crate as oc

CELL = st.text(st.sampled_from("ab \"',;|\t\n\r#é€𝄞\x00 "), max_size=6)
TABLE = st.integers(2, 4).flatmap(
    lambda width: st.lists(st.lists(CELL, min_size=width, max_size=width), min_size=1, max_size=8)
)


def cells(dataset: oc.Dataset) -> list[tuple[str, ...]]:
    """All cells as text; missing ones are empty."""
    columns = [dataset[name].values.to_pylist() for name in dataset.names]
    return [tuple(value or "" for value in row) for row in zip(*columns, strict=True)]


def read_text(text: str, **options: object) -> oc.Dataset:
    options = {"rows": {"names": [], "data": "1.."}, "types": "text", "delimiter": ","} | options
    return oc.load(text.encode(), encoding="utf-8", **options)


@given(
    TABLE,
    st.sampled_from([",", ";", "\t", "|", "::", "é", "||"]),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
    st.sampled_from(BLOCKS),
)
def test_what_a_writer_wrote_is_read_back(monkeypatch, table, delimiter, line_end, last_end, block):
    quoted = [delimiter.join('"' + cell.replace('"', '""') + '"' for cell in row) for row in table]
    text = line_end.join(quoted) + (line_end if last_end else "")
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    dataset = read_text(text, delimiter=delimiter)
    blank = [tuple("" if not cell.strip(" \t\n\r") else cell for cell in row) for row in table]
    assert cells(dataset) == blank
    assert dataset.receipt.balanced


@given(st.text(st.sampled_from('ab,"\n\r é'), max_size=40), st.sampled_from(BLOCKS))
@example('"a""b"\n"', 1)
@example('a,"b\r', 5)
@example('""x,""""\n', 64)
def test_any_text_is_cut_as_the_standard_library_cuts_it(monkeypatch, text, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    rows = [
        row for row in csv.reader(io.StringIO(text, newline="")) if any("".join(row).strip(" "))
    ]
    try:
        dataset = read_text(text)
    except oc.LayoutError as error:
        assert "never closed" in str(error)
        return
    width = len(dataset.names)
    kept = [row for row in cells(dataset) if any(row)]
    wanted = [
        tuple("" if not cell.strip(" \r\n") else cell for cell in (row + [""] * width)[:width])
        for row in rows
    ]
    assert kept == [row for row in wanted if any(row)]
    assert dataset.receipt.balanced


ESCAPED = [
    ("a\\,b,c\n", ("a,b", "c")),
    ('"a\\"b",c\n', ('a"b', "c")),
    ("a\\\\,b\n", ("a\\", "b")),
    ('"x\\\\",y\n', ("x\\", "y")),
]


@pytest.mark.parametrize(("text", "row"), ESCAPED)
def test_escapes_make_the_next_character_literal(text, row):
    assert cells(read_text(text, escape="\\")) == [row]


SHAPES = {
    "runs of blanks": (
        {"delimiter": "blanks"},
        "  a   b\t c  \n d e  f\n",
        [("a", "b", "c"), ("d", "e", "f")],
    ),
    "blanks with quotes": ({"delimiter": "blanks"}, "'a b'  c\n", [("a b", "c")]),
    "no quote": ({"quote": None}, 'a,5" pipe\nb,"c\n', [("a", '5" pipe'), ("b", '"c')]),
    "stray quotes": ({}, 'a,5" pipe\nb,x"y"z\n', [("a", '5" pipe'), ("b", 'x"y"z')]),
    "text behind a quote": ({}, '"a"b,c\n', [("ab", "c")]),
    "trimmed": ({"trim": True}, ' a , "b, c" \n', [("a", "b, c")]),
    "trimmed left": ({"trim": "left"}, " a ,  b \n", [("a ", "b ")]),
    "not trimmed": ({}, " a , b\n", [(" a ", " b")]),
    "comments": ({"comment": "#"}, "# don't \"read\n1,2\n#x\n3,#4\n", [("1", "2"), ("3", "#4")]),
    "comment in quotes": ({"comment": "#"}, '1,"a\n#b"\n', [("1", "a\n#b")]),
    "mixed line ends": (
        {},
        "a,b\rc,d\r\ne,f\ng,h",
        [("a", "b"), ("c", "d"), ("e", "f"), ("g", "h")],
    ),
    "one column": ({"delimiter": ""}, "a,b\n\nc\n", [("a,b",), ("c",)]),
    "quoted blank in one column": ({"delimiter": ""}, 'a\n""\nc\n', [("a",), ("",), ("c",)]),
    "zero bytes": ({}, "a\0,b\n", [("a\0", "b")]),
    "overlapping delimiters": ({"delimiter": "||"}, "a|||b||c\n", [("a", "|b", "c")]),
}


@pytest.mark.parametrize("block", BLOCKS)
@pytest.mark.parametrize(("options", "text", "rows"), SHAPES.values(), ids=SHAPES)
def test_shapes_of_real_files(monkeypatch, options, text, rows, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    if "blanks with" in text or ("'" in text and options.get("delimiter") == "blanks"):
        options = options | {"quote": "'"}
    dataset = read_text(text, **options)
    assert cells(dataset) == rows
    assert dataset.receipt.balanced


def test_ragged_rows_are_kept_and_told():
    text = "id,a,b\n1,2\n3,4,5\n6,7,8,left over,and more\n9,10,11,\n"
    dataset = oc.load(text.encode())
    receipt = dataset.receipt
    assert dataset["b"].values.to_pylist() == [None, 5, 8, 11]
    assert dataset["b"].why(0) == "blank"
    assert (receipt.short, receipt.short_rows, receipt.trailing) == (1, (2,), 1)
    problem = receipt.problems[0]
    assert (problem.row, problem.text) == (4, "left over,and more")
    assert receipt.problem_count == 1


@pytest.mark.parametrize("quote", ['"', "{", "}"])
def test_an_open_quote_names_the_row_where_it_opened(quote):
    text = f"a,b\n1,x\n2,{quote}never closed\n3,z\n"
    with pytest.raises(oc.LayoutError, match="row 3: a quote is opened and never closed"):
        oc.load(text.encode(), quote=quote)


def test_a_row_may_be_very_long(monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "65536")
    remark = "x, y\n" * 2_000_000
    dataset = read_text(f'1,"{remark}"\n2,b\n')
    assert dataset["column_2"].values.to_pylist() == [remark, "b"]


@pytest.mark.parametrize(
    ("text", "rows", "names"),
    [
        (b"", 0, []),
        (b"\n \n", 0, []),
        (b"id,weight\n", 0, ["id", "weight"]),
        (b"id,weight", 0, ["id", "weight"]),
        (b"weight\n12\n", 1, ["weight"]),
        (b"\xef\xbb\xbfid,weight\n1,2\n", 1, ["id", "weight"]),
    ],
)
def test_small_files(text, rows, names):
    dataset = oc.load(text)
    assert (len(dataset), dataset.names) == (rows, names)
    assert dataset.receipt.balanced
    assert oc.look(text).source == "bytes"


ENCODINGS = ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "utf-32", "cp1252", "cp037"]


@pytest.mark.parametrize("block", BLOCKS)
@pytest.mark.parametrize("encoding", ENCODINGS)
def test_encodings(monkeypatch, encoding, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    text = "grower;grove\nNúñez;Peña\nÁlvarez;Año\n"
    declared = encoding if encoding == "cp037" else None
    data = (text * 8).encode(encoding)
    dataset = oc.load(data, encoding=declared, rows={"names": 1}, delimiter=";")
    assert dataset["grower"].values.to_pylist()[:2] == ["Núñez", "Álvarez"]
    assert dataset.receipt.balanced and dataset.receipt.bytes == len(data)


@pytest.mark.parametrize(("encoding", "row", "byte"), [("utf-8", 4, 15), ("cp1252", 4, 14)])
def test_a_broken_encoding_gives_row_and_byte(encoding, row, byte):
    data = "a,b\n1,ü\n2,x\n3".encode(encoding) + b",\x81\n"
    with pytest.raises(oc.SourceError, match=f"row {row}, byte {byte}: 0x81"):
        oc.load(data, encoding=encoding)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "utf-32", "cp1252"])
@pytest.mark.parametrize("packed", [False, True])
def test_large_files_show_their_tail_whatever_the_encoding(encoding, packed):
    text = "id;grower\n" + "".join(f"{n};Núñez {n}\n" for n in range(90_000)) + "Total;90000\n"
    data = text.encode(encoding)
    look = oc.look(gzip.compress(data) if packed else data)
    if packed:
        assert look.tail == () and look.lines is None
    else:
        assert look.tail[-1].part == "skipped" and look.tail[-1].text == "Total;90000"
        assert look.tail[0].text == "89998;Núñez 89998"
        assert look.lines in (90_002, None)
    assert len(oc.load(data)) == 90_000


def test_an_encoding_found_wrong_is_found_again():
    data = b"id,grower\n" + b"1,Moyano\n" * 60_000 + "2,Núñez Ibáñez\n".encode("cp1252")
    data += b"3,Lara\n" * 60_000
    dataset = oc.load(data)
    assert dataset.receipt.encoding == "cp1252"
    assert dataset["grower"].values[60_000].as_py() == "Núñez Ibáñez"
