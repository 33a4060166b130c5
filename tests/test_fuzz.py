"""Whatever the bytes, there is a dataset that balances or one clear error, and nothing else."""

from __future__ import annotations

import io
import zipfile

import pytest
import xlsxwriter
from conftest import BLOCKS, DEMO, tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

PIECES = [
    *(b"a,b;c\n", b'"', b'""', b"\r\n", b"\r", b"\n\n", b"1,5;2.5", b"\xef\xbb\xbf", b"\xff\xfe"),
    *(b"\x00", b"\xe9", "é€".encode(), b"Total;;\n", b"2025-13-40", b"01/02/03", b"yes;no\n"),
    *(b"#", b"'", b"\\", b"\t", b"   ", b"NA;-9;777\n", b"1e999", b"9" * 25, b"(%);[kg]\n"),
]
JUNK = st.one_of(
    st.lists(st.sampled_from(PIECES), max_size=30).map(b"".join),
    st.binary(max_size=60),
)


@settings(max_examples=tries(200))
@given(JUNK, st.sampled_from(BLOCKS), st.sampled_from([None, "cp1252", "utf-8", "utf-16"]))
def test_any_bytes_are_read_or_refused(monkeypatch, data, block, encoding):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    try:
        dataset = oc.load(data, encoding=encoding)
    except oc.OliveCrateError as error:
        assert str(error)
        return
    assert dataset.receipt.balanced, dataset.receipt.imbalances()
    assert str(dataset.receipt) and str(dataset.codebook())
    assert str(oc.look(data, encoding=encoding))


@settings(max_examples=tries(80))
@given(st.data())
def test_a_damaged_file_is_read_or_refused(monkeypatch, data):
    whole = (DEMO / "deliveries_2025.csv").read_bytes()[:6000]
    start = data.draw(st.integers(0, len(whole)))
    stop = data.draw(st.integers(start, min(len(whole), start + 300)))
    junk = data.draw(JUNK)
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "512")
    try:
        dataset = oc.load(whole[:start] + junk + whole[stop:])
    except oc.OliveCrateError:
        return
    assert dataset.receipt.balanced, dataset.receipt.imbalances()


GROUPED = st.tuples(
    st.lists(st.decimals(-(10**9), 10**9, places=2, allow_nan=False), min_size=1, max_size=20),
    st.sampled_from([(",", "."), (".", ","), (",", " "), (".", "'"), (",", "\u00a0")]),
)


@given(GROUPED)
def test_grouped_numbers_are_read_exactly(made):
    numbers, (decimal, grouping) = made
    table = str.maketrans({",": grouping, ".": decimal})
    lines = "\n".join(f"{number:,.2f}".translate(table) for number in numbers)
    dataset = oc.load(
        f"kg\n{lines}\n".encode(),
        delimiter=";",
        rows={"names": 1, "data": "2.."},
        decimal=decimal,
        grouping=grouping,
        encoding="utf-8",
    )
    assert dataset["kg"].values.to_pylist() == [float(number) for number in numbers]


@pytest.mark.parametrize("option", ["trim", "comment", "escape", "quote", "grouping"])
def test_options_that_do_not_apply_change_nothing(demo, option):
    plain = oc.load(demo / "deliveries_2025.csv", keep="Delivery..Tare")
    value = {"trim": True, "comment": "§", "escape": "~", "quote": '"', "grouping": None}[option]
    same = oc.load(demo / "deliveries_2025.csv", keep="Delivery..Tare", **{option: value})
    assert same.equals(plain)


@pytest.mark.parametrize("end", ["<si>", "<si><t>vari", "</t></si><si><t>oil", "</si></sst>"])
def test_shared_strings_that_are_cut_off_are_an_error_of_ours(end):
    """The first text may begin and never end."""
    held = io.BytesIO()
    with xlsxwriter.Workbook(held) as book:
        book.add_worksheet().write_column(0, 0, ["variety", "oil", "Picual"])
    cut = io.BytesIO()
    with zipfile.ZipFile(held) as old, zipfile.ZipFile(cut, "w") as new:
        for name in old.namelist():
            text = old.read(name)
            if name.endswith("sharedStrings.xml"):
                text = text[: text.index(b"<si>")] + end.encode()
            new.writestr(name, text)
    with pytest.raises(oc.SourceError):
        oc.load(cut.getvalue())
