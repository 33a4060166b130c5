"""A set of files is read as one: how its files differ, and how it is packed and updated."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tarfile
import time
import zipfile
from pathlib import Path

import numpy as np
import pyarrow.compute as pc
import pyarrow.dataset
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st
from seasons import DELIVERIES, same, season

import olive_crate as oc

ROW = st.fixed_dictionaries(
    {
        "id": st.integers(-(10**6), 10**6).map(str),
        "acid": st.sampled_from(["0.3", "12.25", "NA", "", "7", "-1e3", "n.d."]),
        "day": st.sampled_from(["2025-01-31", "2024-02-29", "", "2025-13-01"]),
        "note": st.sampled_from(["oil", 'says "hi"', "a,b", "two\nlines", "", "é"]),
        "ripe": st.sampled_from(["yes", "no", ""]),
    }
)
FILE = st.tuples(
    st.lists(ROW, min_size=1, max_size=12),
    st.permutations(["id", "acid", "day", "note", "ripe"]),
    st.integers(0, 2),
)
COMMON = {"delimiter": ",", "quote": '"', "decimal": ".", "rows": {"names": 1, "data": "2.."}}


def quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"'


def as_text(rows: list[dict[str, str]], names: list[str]) -> bytes:
    lines = [",".join(names), *(",".join(quoted(row[name]) for name in names) for row in rows)]
    return ("\n".join(lines) + "\n").encode()


def balanced(receipt: oc.Receipt) -> None:
    assert not receipt.imbalances()
    assert sum(each.rows for each in receipt.files) == receipt.rows
    assert sum(each.lines for each in receipt.files) == receipt.lines
    assert all(each.total == receipt.rows for each in receipt.cells)


@given(st.lists(FILE, min_size=1, max_size=5))
def test_a_set_is_its_files_one_after_another(files):
    """Cells are those of one file with all rows, whatever the order and number of columns."""
    texts, whole = [], []
    for rows, order, left_out in files:
        texts.append(as_text(rows, order[: len(order) - left_out]))
        whole += [
            {name: row[name] if name in order[: len(order) - left_out] else "" for name in row}
            for row in rows
        ]
    dataset = oc.load(texts, **COMMON)
    balanced(dataset.receipt)
    names = dataset.names
    expected = oc.load(as_text(whole, names), **COMMON)
    absent = {name: dataset[name].is_missing("not in file") for name in names}
    for name in names:
        here, there = dataset[name], expected[name]
        assert here.variable.type == there.variable.type, name
        assert here.values.to_pylist() == there.values.to_pylist(), name
        words = np.where(absent[name], "blank", here.reason_names())
        assert words.tolist() == there.reason_names().tolist(), name


@settings(max_examples=tries(25))
@given(st.lists(FILE, min_size=1, max_size=4), st.sampled_from([None, 3, ["ripe"]]))
def test_a_packed_set_opens_as_what_was_loaded(tmp_path_factory, files, by):
    texts = [as_text(rows, order) for rows, order, _ in files]
    dataset = oc.load(texts, file_as="file", row_as="row", **COMMON)
    folder = tmp_path_factory.mktemp("set") / "packed"
    receipt = oc.pack(texts, folder, by=by, file_as="file", row_as="row", **COMMON)
    balanced(receipt)
    packed = oc.unpack(folder)
    assert packed.receipt.rows == receipt.rows and not packed.receipt.imbalances()
    if by == ["ripe"]:
        order = np.lexsort(
            (packed["row"].values.to_numpy(), packed.source_rows.keys(np.arange(packed.rows)) >> 40)
        )
        mask = np.zeros(packed.rows, bool)
        assert packed.filter(mask).rows == 0
        taken = oc.Dataset.of(packed)
        assert sorted(order.tolist()) == list(range(taken.rows))
        for name in dataset.names:
            both = [packed[name].values.to_pylist()[case] for case in order]
            assert both == dataset[name].values.to_pylist(), name
        found = pyarrow.dataset.dataset(folder, format="parquet")
        assert found.count_rows() == dataset.rows
    else:
        same(dataset, packed)


CELLS = st.sampled_from(["1", "2.5", "NA", 'say "hi"', "a,b", "two\nlines", "x\n,\ny", "07"])


@settings(max_examples=tries(60))
@given(
    st.lists(st.tuples(CELLS, CELLS, st.booleans()), min_size=5, max_size=120),
    st.integers(256, 900),
    st.sampled_from(["\n", "\r\n"]),
    st.sampled_from(["", 'Trees of 5" and more\n']),
    st.booleans(),
)
def test_ranges_of_a_file_come_to_the_same_as_the_whole(
    tmp_path_factory, rows, size, end, title, ended
):
    folder = tmp_path_factory.mktemp("ranges")
    lines = ["id,first,second"]
    for number, (one, other, bare) in enumerate(rows):
        plain = bare and not any(char in one for char in ',"\n')
        lines.append(f"{number},{one if plain else quoted(one)},{quoted(other)}")
    text = (title + "\n".join(lines) + "\n" * ended).replace("\n", end)
    (folder / "d.csv").write_bytes(text.encode())
    first = len(title.splitlines()) + 1
    how = {**COMMON, "rows": {"names": first, "data": f"{first + 1}.."}}
    whole = oc.load(folder / "d.csv", row_as="row", **how)
    receipt = oc.pack(folder / "d.csv", folder / "out", range_bytes=size, row_as="row", **how)
    same(whole, oc.unpack(folder / "out"), rows=False)
    assert receipt.cells == whole.receipt.cells
    assert (receipt.lines, receipt.parts) == (whole.receipt.lines, whole.receipt.parts)


def archives(folder: Path) -> None:
    with zipfile.ZipFile(folder.parent / "all.zip", "w") as made:
        for each in sorted(folder.iterdir()):
            made.write(each, f"season/{each.name}")
        made.writestr("season/readme.md", "not data")
    with tarfile.open(folder.parent / "all.tar.gz", "w:gz") as made:
        made.add(folder, "season")


@pytest.mark.parametrize(
    "source",
    [
        "season",
        "season/*.csv",
        "season/deliveries_{year}-{month}.csv",
        "**/deliveries_2025-0[1-4].csv",
        "all.zip",
        "all.tar.gz",
        "zip://season/*.csv::all.zip",
        ["season/deliveries_2025-0[12].csv", "season/deliveries_2025-0[34].csv"],
    ],
)
def test_a_set_is_named_in_many_ways(tmp_path, monkeypatch, source):
    monkeypatch.chdir(tmp_path)
    archives(season(tmp_path / "season"))
    found = oc.files(source)
    assert len(found) == 4
    dataset = oc.load(source)
    assert dataset.rows == 28 and dataset["kg"].values.to_pylist()[-1] == 407
    balanced(dataset.receipt)
    if "{year}" in source:
        assert dataset["year"].values.to_pylist() == [2025] * 28
        assert found.only(month="03").names == ["deliveries_2025-03.csv"]
    if source == "all.zip":
        assert found.left_out == ("season/readme.md",)


def test_a_set_in_memory_storage_is_read_and_packed():
    import fsspec

    storage = fsspec.filesystem("memory")
    for number in (1, 2, 10):
        storage.pipe(f"/olives/d-{number}.csv", f"id,kg\n{number},5\n".encode())
    found = oc.files("memory://olives/d-{part}.csv")
    assert [each.parts["part"] for each in found] == ["1", "2", "10"]
    dataset = oc.load(found)
    assert dataset["part"].values.to_pylist() == [1, 2, 10]
    oc.pack(found, "memory://olives/packed")
    same(dataset, oc.unpack("memory://olives/packed"))
    assert oc.pack("memory://olives/d-{part}.csv", "memory://olives/packed", update=True).unchanged


@pytest.mark.parametrize(
    ("source", "message"),
    [
        ("season/*.txt", "no file matches; season holds deliveries_2025-01.csv"),
        ("nowhere/*.csv", "no such folder"),
        ([], "an empty list"),
        (["season/x.csv"], "no such file"),
        ("{a}/{a}.csv", "occurs twice"),
    ],
)
def test_what_names_no_set_is_told(tmp_path, monkeypatch, source, message):
    monkeypatch.chdir(tmp_path)
    season(tmp_path / "season", 1)
    with pytest.raises(oc.OliveCrateError, match=message):
        oc.load(source)


def test_parts_and_places_choose_files(tmp_path):
    season(tmp_path / "season", 4)
    found = oc.files(f"{tmp_path}/season/deliveries_{{year}}-{{month}}.csv")
    assert found.only(month=["01", "04"])[-1].parts == {"year": "2025", "month": "04"}
    assert found.only("*-02.csv").names == found[1:2].names
    assert found.size == sum(each.size for each in found)
    with pytest.raises(oc.PlanError, match='no part "mont"; did you mean "month"'):
        found.only(mont=1)


USUAL = "day;kg;acid\n2025-01-05;10;0,3\n2025-01-06;11;0,4\n"
OTHERS = {
    "delimiter": "day,kg,acid\n2025-02-05,10,0.3\n",
    "order": "kg;day;acid\n12;2025-02-05;0,3\n",
    "heading": "Mill report\n\nday;kg;acid\n2025-02-05;10;0,3\n2025-02-06;10;0,3\n",
    "format": "day;kg;acid\n25.02.2025;10;0,3\n26.02.2025;10;0,3\n",
}


@pytest.mark.parametrize("what", list(OTHERS))
def test_what_differs_without_harm_is_settled_for_each_file_and_said(what):
    dataset = oc.load([USUAL.encode(), USUAL.encode(), OTHERS[what].encode()])
    kinds = {each.name: each.type for each in dataset.variables}
    assert kinds == {"day": "date", "kg": "integer", "acid": "number"}
    assert dataset["day"].values.null_count == 0
    told = [each for each in dataset.receipt.notes if getattr(each, "what", "") == what]
    assert len(told) == 1 and "bytes 3" in str(told[0])
    drafted = oc.draft([USUAL.encode(), USUAL.encode(), OTHERS[what].encode()])
    assert {each.name: each.type for each in drafted.variables} == kinds


def test_a_mark_that_one_file_leaves_open_is_told_by_the_others():
    clear = b"id;kg\n1;1,5\n2;2,25\n3;1234,5\n"
    dataset = oc.load([clear, clear, b"id;kg\n4;1.234\n5;5.678\n"])
    assert dataset["kg"].values.to_pylist()[-2:] == [1234.0, 5678.0]
    alone = oc.load([b"id;kg\n4;1.234\n5;5.678\n"] * 2)
    assert alone["kg"].values.to_pylist()[:2] == [1.234, 5.678]
    assert not all(each.certain for each in alone.receipt.decided)


def test_a_heading_of_words_is_known_by_the_other_files():
    words = b"country,group,code\nAngola,South,AO\nBenin,West,BJ\nMali,West,ML\n"
    clear = b"country,group,code\n" + b"".join(b"Angola,%d,AO\n" % n for n in range(20))
    dataset = oc.load([clear, clear, words])
    assert dataset.names == ["country", "group", "code"] and dataset.rows == 43
    assert dataset["country"].values.to_pylist()[-3:] == ["Angola", "Benin", "Mali"]


def test_a_trace_tells_what_was_settled_for_its_own_file(tmp_path):
    for place, each in enumerate((USUAL, USUAL, OTHERS["delimiter"])):
        (tmp_path / f"{place}.csv").write_text(each)
    dataset = oc.load(tmp_path)
    told = str(dataset.trace("acid", 2, file="0.csv"))
    assert "0,3" in told and "decimal mark comma" in told
    other = str(dataset.trace("acid", 2, file="2.csv"))
    assert "2025-02-05,10,0.3" in other and "comma:" not in other


def test_encodings_differ_between_files():
    files = ["grove;kg\nPeñón;1\n".encode(), "grove;kg\nPeñón;2\n".encode("cp1252")]
    dataset = oc.load(files)
    assert dataset["grove"].values.to_pylist() == ["Peñón", "Peñón"]
    assert any(getattr(each, "what", "") == "encoding" for each in dataset.receipt.notes)


def test_ambiguous_dates_are_told_by_the_other_files():
    dataset = oc.load([b"day\n03/04/2025\n", b"day\n01/02/2025\n", b"day\n12/25/2025\n"])
    assert [str(each) for each in dataset["day"].values.to_pylist()] == [
        *("2025-03-04", "2025-01-02", "2025-12-25"),
    ]


def test_a_type_is_that_of_all_rows_and_the_file_in_the_way_is_named():
    usual = b"id,acid\n" + b"".join(b"%d,0.%d\n" % (n, n % 8) for n in range(30)) + b"2,NA\n"
    files = [usual] * 5 + [b"id,acid\n7,0.5\n8,0.5\n9,0.5\n10,lost\n"]
    dataset = oc.load(files)
    assert dataset["acid"].values.to_pylist()[-2:] == ["0.5", "lost"]
    because = next(each for each in dataset.receipt.decided if each.variable == "acid")
    assert because.texts[0].text == "lost" and because.texts[0].file == "bytes 6"
    assert because.texts[0].rows == (5,)
    found = next(each for each in dataset.check() if each.variables == ("acid",))
    assert ("bytes 6", 5) in zip(found.files, found.rows, strict=True)
    mended = oc.load(files, variables={"acid": {"type": "number", "missing": ["lost"]}})
    assert mended["acid"].reason_counts() == {"lost": 1, "NA": 5}


def test_a_renamed_heading_is_an_open_point_and_several_headings_settle_it():
    files = [b"port,kg\nA,1\n"] * 3 + [b"ports,kg\nB,2\n"]
    dataset = oc.load(files)
    assert dataset["ports"].reason_counts() == {"not in file": 3}
    point = next(each for each in dataset.receipt.decided if not each.certain)
    assert point.other == "ports" and point.mend.parts == {"from": ["port", "ports"]}
    settled = oc.load(files, variables={"port": point.mend.parts})
    assert settled["port"].values.to_pylist() == ["A", "A", "A", "B"]
    with pytest.raises(oc.PlanError, match='the file has "port" and "ports"'):
        oc.load([b"port,ports\n1,2\n"], variables={"port": point.mend.parts})


def test_a_variable_that_no_file_has_is_refused_with_the_nearest_name():
    with pytest.raises(oc.PlanError, match='did you mean "acid"'):
        oc.load([b"id,acid\n1,2\n"] * 2, plan=oc.Plan().declare("acd", type="number"))


def test_a_file_that_may_not_belong_to_the_set_is_an_open_point(tmp_path):
    folder = season(tmp_path / "s", 4)
    (folder / "prices.csv").write_text("item,price,day\nbottle,3,1\ncan,2,2\n")
    for evidence in (oc.look(folder).evidence, oc.load(folder).receipt.decided):
        point = next(each for each in evidence if not each.certain)
        assert point.names == ("prices.csv",) and (point.shared, point.of) == (0, 3)
        assert "prices.csv shares few variables with most files (0 of 3 variables)" in str(point)


def test_units_that_differ_are_an_open_point():
    files = [b"id;weight\n;kg\n1;5\n2;6\n3;7\n", b"id;weight\n;t\n4;5\n5;6\n6;7\n"]
    dataset = oc.load(files, rows={"names": 1, "units": 2, "data": "3.."})
    assert any("units differ" in str(each) for each in dataset.receipt.decided)


def test_a_file_that_fails_stops_or_is_set_aside(tmp_path):
    season(tmp_path / "s", 3)
    (tmp_path / "s" / "deliveries_2025-02.csv").write_bytes(b'a,b\n"never closed,1\n' * 3)
    with pytest.raises(oc.LayoutError, match="deliveries_2025-02"):
        oc.load(tmp_path / "s", quote='"')
    for packed in (False, True):
        if packed:
            receipt = oc.pack(tmp_path / "s", tmp_path / "out", quote='"', on_error="set aside")
        else:
            receipt = oc.load(tmp_path / "s", quote='"', on_error="set aside").receipt
        assert receipt.rows == 14 and len(receipt.files) == 2
        assert "deliveries_2025-02.csv" in next(
            each.file for each in receipt.notes if hasattr(each, "why")
        )
        balanced(receipt)


def test_columns_for_file_and_row_have_names_of_the_callers_choice():
    dataset = oc.load([b"id\n5\n6\n", b"id\n7\n"], file_as="from file", row_as="line")
    assert dataset["from file"].values.to_pylist() == ["bytes 1", "bytes 1", "bytes 2"]
    assert dataset["line"].values.to_pylist() == [2, 3, 2]
    with pytest.raises(oc.PlanError, match='file_as: a variable is named "id" already'):
        oc.load([b"id\n5\n"], file_as="id")
    alone = oc.load(b"id\n5\n", row_as="line")
    assert alone["line"].values.to_pylist() == [2] and alone.receipt.balanced


def test_columns_of_names_files_and_rows_are_declared_like_others(tmp_path):
    season(tmp_path / "s", 2)
    pattern = f"{tmp_path}/s/deliveries_{{year}}-{{month}}.csv"
    dataset = oc.load(pattern, file_as="file", row_as="row")
    dataset = dataset.declare("year", label="Season").declare("row", label="Line")
    dataset = dataset.declare("month", type="integer", meanings={1: "January"})
    again = oc.load(dataset.plan)
    assert [again[name].variable.label for name in ("year", "row")] == ["Season", "Line"]
    assert again["month"].values.to_pylist() == [1] * 7 + [2] * 7
    same(dataset.keep(["kg", "month", "year"]), again.keep(["kg", "month", "year"]))
    alone = oc.load(b"id\n5\n", row_as="row").declare("row", label="Line")
    assert oc.load(b"id\n6\n", plan=alone.plan)["row"].variable.label == "Line"
    oc.pack(dataset.plan, tmp_path / "out")
    same(again, oc.unpack(tmp_path / "out"))


def test_a_plan_names_its_set_relative_to_itself(tmp_path, command):
    season(tmp_path / "season", 3)
    plan = oc.draft(f"{tmp_path}/season/*.csv")
    plan.write(tmp_path / "season.plan.toml")
    text = (tmp_path / "season.plan.toml").read_text()
    assert 'path = "season/*.csv"' in text
    moved = tmp_path / "moved"
    moved.mkdir()
    for name in ("season", "season.plan.toml"):
        os.rename(tmp_path / name, moved / name)
    assert oc.load(oc.Plan.read(moved / "season.plan.toml")).rows == 21
    several = oc.draft([moved / "season" / f"deliveries_2025-0{n}.csv" for n in (1, 2)])
    several.write(moved / "two.plan.toml")
    assert (
        'paths = ["season/deliveries_2025-01.csv", "season' in (moved / "two.plan.toml").read_text()
    )
    assert oc.load(oc.Plan.read(moved / "two.plan.toml")).rows == 14
    (moved / "both.plan.toml").write_text('[source]\npath = "a"\npaths = ["b"]\n')
    with pytest.raises(oc.PlanError, match="either path or paths"):
        oc.Plan.read(moved / "both.plan.toml")


def test_promises_are_held_against_all_files_and_name_the_file():
    files = [b"id,kg\n1,5\n2,6\n", b"id,kg\n2,7\n3,-8\n"]
    promised = {"rows": 5, "key": ["id"], "totals": {"kg": 10}, "relations": ["kg > 0"]}
    receipt = oc.load(files, promised=promised).receipt
    broken = {type(each).__name__: each for each in receipt.promises if not each.kept}
    assert set(broken) == {"RowCount", "UniqueKey", "KeptRelation"}
    assert broken["KeptRelation"].files == ("bytes 2",) and broken["KeptRelation"].rows == (3,)


def test_sheets_of_a_workbook_are_a_set(tmp_path):
    pytest.importorskip("xlsxwriter")
    import xlsxwriter

    with xlsxwriter.Workbook(tmp_path / "years.xlsx") as book:
        for year in (2023, 2024, 2025):
            sheet = book.add_worksheet(str(year))
            sheet.write_row(0, 0, ["grove", "kg"])
            sheet.write_row(1, 0, ["Pago", year])
            sheet.write_row(2, 0, ["Campo", 1])
    dataset = oc.load(tmp_path / "years.xlsx", sheet="20*", file_as="year")
    assert dataset["kg"].values.to_pylist() == [2023, 1, 2024, 1, 2025, 1]
    assert dataset["year"].values.to_pylist()[::2] == ["2023", "2024", "2025"]
    two = oc.load(tmp_path / "years.xlsx", sheet=[1, "2025"])
    assert two.rows == 4
    with pytest.raises(oc.LayoutError, match='no sheet "19'):
        oc.load(tmp_path / "years.xlsx", sheet="19*")


@pytest.mark.parametrize("settle", [True, False])
def test_pieces_have_equal_declarations_and_together_all_cases(tmp_path, settle):
    season(tmp_path / "s", 5)
    (tmp_path / "s" / "deliveries_2025-05.csv").write_text(DELIVERIES + "D9,2025-05-01,X,5,bad\n")
    pieces = list(oc.pieces(tmp_path / "s", rows=10, settle=settle, file_as="file"))
    assert [len(each) for each in pieces] == [10, 10, 9]
    assert all(each.variables == pieces[0].variables for each in pieces)
    assert all(each.receipt.balanced for each in pieces)
    whole = oc.load(tmp_path / "s", file_as="file")
    for name in ("delivery", "kg", "file"):
        joined = [value for each in pieces for value in each[name].values.to_pylist()]
        assert joined == whole[name].values.to_pylist()
    kind = pieces[0]["acid"].variable.type
    assert kind == ("text" if settle else "number")
    problems = [problem for each in pieces for problem in each.receipt.problems]
    expected = [] if settle else [("deliveries_2025-05.csv", 2, "bad")]
    assert [(each.file, each.row, each.text) for each in problems] == expected
    assert any("provisional" in str(n) for n in pieces[0].receipt.notes) == (not settle)


def test_pieces_of_one_file_and_of_packed_data(tmp_path):
    data = b"id,acid\n" + b"".join(b"%d,0.%d\n" % (n, n % 7) for n in range(100))
    assert [len(each) for each in oc.pieces(data, rows=30)] == [30, 30, 30, 10]
    oc.pack(data, tmp_path / "d.parquet")
    packed = oc.unpack(tmp_path / "d.parquet")
    held = [value for each in packed.pieces(45) for value in each["id"].values.to_pylist()]
    assert held == list(range(100))
    with pytest.raises(oc.PlanError, match="rows: expected"):
        next(oc.pieces(data, rows=0))


def test_a_set_is_packed_into_one_file_too(tmp_path):
    season(tmp_path / "s")
    receipt = oc.pack(tmp_path / "s", tmp_path / "all.parquet")
    balanced(receipt)
    same(oc.load(tmp_path / "s"), oc.unpack(tmp_path / "all.parquet"))
    assert [each.name for each in tmp_path.iterdir()] == ["s", "all.parquet"] or len(
        list(tmp_path.iterdir())
    ) == 2


def test_filters_on_arrow_expressions_read_matching_groups_only(tmp_path):
    season(tmp_path / "s")
    (tmp_path / "s" / "deliveries_2025-05.csv").write_text("delivery,kg,extra\nX,9000,1\n")
    oc.pack(tmp_path / "s", tmp_path / "out", by=3)
    packed, loaded = oc.unpack(tmp_path / "out"), oc.load(tmp_path / "s")
    for expression in (
        (pc.field("kg") > 300) & (pc.field("grove") == "Pago"),
        pc.field("extra").is_null(),
        pc.field("kg") > 10**6,
    ):
        same(loaded.filter(expression), packed.filter(expression))
    some = packed.filter(pc.field("kg") == 207)
    assert some.source_rows.files_at([0]) == ["deliveries_2025-02.csv"]


def test_an_update_reads_what_is_new_and_takes_again_what_was_too_narrow(tmp_path):
    folder, out = season(tmp_path / "s", 3), tmp_path / "out"
    oc.pack(folder, out)
    nothing = oc.pack(folder, out, update=True)
    assert (nothing.unchanged, nothing.new, nothing.receipt) == (3, (), None)
    new = folder / "deliveries_2025-04.csv"
    new.write_text(DELIVERIES + "D1,2025-04-01,Pago,12,0.5\n")
    before = sorted(each.name for each in out.iterdir())
    dry = oc.pack(folder, out, update=True, dry_run=True)
    assert dry.new == (new.name,) and sorted(e.name for e in out.iterdir()) == before
    assert oc.pack(folder, out, update=True).again == ()
    same(oc.load(folder), oc.unpack(out))
    new.write_text(DELIVERIES + "D1,2025-04-01,Pago,007x,0.5\n")
    made = oc.pack(folder, out, update=True)
    assert made.changed == (new.name,) and len(made.again) == 3
    assert made.widened == (("kg", "integer", "text"),)
    same(oc.load(folder), oc.unpack(out))
    assert len(list(out.glob("*.parquet"))) == 4
    balanced(made.receipt)


def test_parts_of_names_stay_with_files_that_are_taken_again(tmp_path):
    folder, out = season(tmp_path / "s", 2), tmp_path / "out"
    pattern = f"{folder}/deliveries_{{year}}-{{month}}.csv"
    oc.pack(pattern, out)
    late = folder / "deliveries_2026-01.csv"
    late.write_text(DELIVERIES + "D1,2026-01-01,Pago,many,0.5\n")
    assert len(oc.pack(pattern, out, update=True).again) == 2
    same(oc.load(pattern), oc.unpack(out))
    (folder / "deliveries_2026b-02.csv").write_text(DELIVERIES + "D1,2026-02-01,Pago,1,0.5\n")
    oc.pack(pattern, out, update=True)
    packed = oc.unpack(out)
    assert packed["year"].variable.type == "text"
    same(oc.load(pattern), packed)


def test_parts_of_files_that_are_gone_are_kept_until_told(tmp_path):
    folder, out = season(tmp_path / "s", 3), tmp_path / "out"
    oc.pack(folder, out)
    (folder / "deliveries_2025-01.csv").unlink()
    kept = oc.pack(folder, out, update=True)
    assert kept.gone == ("deliveries_2025-01.csv",) and oc.unpack(out).rows == 21
    bad = folder / "deliveries_2025-04.csv"
    bad.write_text(DELIVERIES + "D1,2025-04-01,Pago,lots,0.5\n")
    with pytest.raises(oc.SourceError, match="deliveries_2025-01\\.csv: a variable must be taken"):
        oc.pack(folder, out, update=True)
    assert oc.unpack(out).rows == 21
    made = oc.pack(folder, out, update=True, forget_gone=True)
    assert made.forgotten and oc.unpack(out).rows == 15
    assert len(list(out.glob("*.parquet"))) == 3
    bad.unlink()
    alone = oc.pack(folder, out, update=True, forget_gone=True)
    assert alone.gone == (bad.name,) and oc.unpack(out).rows == 14
    balanced(alone.receipt)


def test_an_update_knows_files_by_where_they_lie(tmp_path, monkeypatch):
    season(tmp_path / "years", 1)
    os.rename(tmp_path / "years", tmp_path / "2024")
    (tmp_path / "years").mkdir()
    os.rename(tmp_path / "2024", tmp_path / "years" / "2024")
    monkeypatch.chdir(tmp_path)
    oc.pack("years/**/*.csv", "out")
    season(tmp_path / "years" / "2025", 2)
    monkeypatch.chdir(tmp_path / "years")
    made = oc.pack(f"{tmp_path}/years/**/*.csv", tmp_path / "out", update=True)
    assert (made.unchanged, len(made.new), made.gone) == (1, 2, ())
    assert oc.unpack(tmp_path / "out").rows == 21


@pytest.mark.parametrize("what", ["again", "file", "other", "by"])
def test_what_must_not_be_packed_over_is_refused(tmp_path, what):
    folder, out = season(tmp_path / "s", 1), tmp_path / "out"
    if what == "again":
        oc.pack(folder, out)
    elif what == "file":
        out.write_text("mine")
    elif what == "other":
        out.mkdir()
        (out / "thesis.txt").write_text("mine")
    message = {
        "again": "packed set already; use update=True or replace=True",
        "file": "is a file; name a folder",
        "other": "holds other files .thesis.txt.",
        "by": 'there is no variable "groves"; did you mean "grove"',
    }[what]
    with pytest.raises(oc.OliveCrateError, match=message):
        oc.pack(folder, out, by=["groves"] if what == "by" else None)
    assert what != "by" or not out.exists()
    if what == "again":
        oc.pack(folder, out, replace=True)
        assert len(list(out.glob("*.parquet"))) == 1


SLOW = """
import sys, time
from olive_crate.formats import part_files
import olive_crate as oc
finish = part_files.PartFiles.finish
def slowly(self, *rest):
    time.sleep(0.15)
    return finish(self, *rest)
part_files.PartFiles.finish = slowly
oc.pack(sys.argv[1], sys.argv[2], workers=1)
"""


def test_packing_that_is_killed_goes_on_where_it_stopped(tmp_path):
    folder, out = season(tmp_path / "s", 9), tmp_path / "out"
    working = subprocess.Popen([sys.executable, "-c", SLOW, str(folder), str(out)])
    staged = out / "_staging"
    for _ in range(400):
        if staged.is_dir() and len(list(staged.glob("*.json"))) >= 3:
            break
        time.sleep(0.02)
    working.send_signal(signal.SIGKILL)
    working.wait()
    done = {each.name: each.stat().st_mtime_ns for each in staged.glob("*.json")}
    assert len(done) >= 3 and not (out / "_olive_crate.json").exists()
    with pytest.raises(oc.SourceError, match="not a packed set"):
        oc.unpack(out)
    finished = {
        part["path"] for name in done for part in json.loads((staged / name).read_text())["parts"]
    }
    oc.pack(folder, out, workers=1)
    kept = {each.name for each in out.glob("*.parquet")}
    assert finished <= kept and len(kept) == 9 and not staged.exists()
    same(oc.load(folder), oc.unpack(out))


def test_figures_of_many_cases_are_those_of_few(tmp_path, monkeypatch):
    from olive_crate.describe import large

    draw = np.random.default_rng(5)
    values = np.concatenate([draw.normal(size=4000), np.zeros(1500), draw.normal(size=9) * 1e9])
    lines = [
        f"{n},{value!r},{n % 13 if n % 7 else 'NA'},{'' if n % 5 else n * 10**12}"
        for n, value in enumerate(values.tolist())
    ]
    (tmp_path / "d.csv").write_text("id,x,panel,wide\n" + "\n".join(lines) + "\n")
    oc.pack([tmp_path / "d.csv"], tmp_path / "out", by=1000)
    dataset = oc.unpack(tmp_path / "out")
    dataset = dataset.declare("panel", meanings={1: "one", (2, 9): "some"})
    books = [dataset.codebook()]
    calls = ("summary", "missing_patterns", "overlap", "covariances", "correlations")
    small = [getattr(dataset, each)() for each in calls]
    for name, value in {"LARGE": 10, "HELD": 300, "COUNTED": 50, "FEW": 40}.items():
        monkeypatch.setattr(large, name, value)
    many = [getattr(dataset, each)() for each in calls]
    for one, other in zip(small[0], many[0], strict=True):
        assert (one.n, one.distinct, one.min, one.q1, one.median, one.q3, one.max) == (
            *(other.n, other.distinct, other.min, other.q1, other.median, other.q3, other.max),
        )
        assert other.mean == pytest.approx(one.mean, rel=1e-14)
        assert other.sd == pytest.approx(one.sd, rel=1e-14)
    assert small[1] == many[1]
    assert dataset.codebook() == books[0]
    for one, other in zip(small[2:], many[2:], strict=True):
        assert (one.n == other.n).all()
        np.testing.assert_allclose(one.values, other.values, rtol=1e-9)


def test_a_look_at_a_set_shows_each_file_and_how_it_differs(tmp_path, command):
    folder = season(tmp_path / "s", 5)
    odd = folder / "deliveries_2025-03.csv"
    odd.write_text(odd.read_text().replace(",", ";").replace("grove", "groves"))
    look = oc.look(folder)
    assert [each.lines for each in look.files] == [8] * 5
    differs = {each.name: dict(each.differs) for each in look.files}
    assert differs[odd.name] == {"renamed": "grove → groves", "delimiter": ";"}
    assert not any(differs[each.name] for each in look.files if each.name != odd.name)
    assert look.files[0].variables["kg"].type == "integer"
    assert look.usual.variables[3].name == "kg"
    shown = command("look", *sorted(folder.iterdir()))
    assert "grove     tt·tt" in shown.stdout and "semicolon" in shown.stdout
    told = json.loads(command("look", "s", "--json").stdout)
    assert told["files"][2]["differs"][0] == ["renamed", "grove → groves"]
    drawn = command("look", "s", "--picture", "set.png")
    assert drawn.returncode == 0 and (tmp_path / "set.png").stat().st_size > 5000


def test_the_commands_take_sets(tmp_path, here):
    season(tmp_path / "s", 3)
    made = here("pack", "s", "-o", "packed", "--by", "grove")
    assert made.returncode == 0 and "packed into packed" in made.stdout
    assert "3 files" in made.stdout
    counts = here("counts", "packed", "grove")
    assert "Campo" in counts.stdout and counts.returncode == 0
    for name in ("summary", "codebook", "patterns", "check", "correlations"):
        assert here(name, "packed").returncode == 0, name
    update = here("pack", "s", "-o", "packed", "--update")
    assert "3 files unchanged" in update.stdout and "nothing to read" in update.stdout
    plan = here("draft", "s/*.csv", "-o", "s.plan.toml")
    assert plan.returncode == 0 and "5 variables" in plan.stdout
    refused = here("pack", "s")
    assert refused.returncode == 1 and "--output FOLDER" in refused.stderr
    traced = here("trace", "packed", "kg", "3", "--file", "deliveries_2025-02.csv")
    assert "value: 202" in traced.stdout
    several = here("trace", "packed", "kg", "3")
    assert several.returncode == 1 and "say which by file" in several.stderr
    exported = here("export", "packed", "all.csv")
    assert exported.returncode == 0 and oc.load(tmp_path / "all.csv").rows == 21


OPTIONS = [
    {"plain_names": True},
    {"keep": ["kg", "Free Acid"]},
    {"order": ["kg"]},
    {"types": "text"},
    {"missing": {-9: "not weighed", "lost": "lost"}},
    {"variables": {"Free Acid": {"name": "acid", "type": "number", "flags": ["*"]}}},
    {"limit": 3},
]


@pytest.mark.parametrize("options", OPTIONS, ids=lambda each: next(iter(each)))
def test_options_mean_the_same_for_a_set_however_it_is_read(tmp_path, options):
    files = [
        b"Grove Name;Free Acid;kg\nPago;0,3*;5\nCampo;-9;6\n",
        b"kg;Grove Name;Free Acid;Extra Col\n7;Sierra;0,4;x\n8;Pago;lost;y\n",
    ]
    dataset = oc.load(files, **options)
    balanced(dataset.receipt)
    balanced(oc.pack(files, tmp_path / "out", **options))
    same(dataset, oc.unpack(tmp_path / "out"))
    pieces = list(oc.pieces(files, rows=2, settle=True, **options))
    assert sum(map(len, pieces)) == dataset.rows
    assert [each.name for each in pieces[0].variables] == dataset.names
    for name in dataset.names:
        held = [value for each in pieces for value in each[name].values.to_pylist()]
        assert held == dataset[name].values.to_pylist(), name
    with pytest.raises(oc.PlanError, match="bytes 2"):
        oc.load(files, names=["a", "b", "c"])


def test_two_runs_do_not_pack_into_one_folder_at_a_time(tmp_path):
    folder, out = season(tmp_path / "s", 2), tmp_path / "out"
    oc.pack(folder, out)
    held = {"process": os.getpid(), "host": __import__("socket").gethostname()}
    (out / "_lock.json").write_text(json.dumps(held))
    with pytest.raises(oc.TargetError, match="another run is packing into it"):
        oc.pack(folder, out, replace=True)
    (out / "_lock.json").write_text(json.dumps({**held, "process": 2**22 + 1}))
    oc.pack(folder, out, replace=True)
    assert not (out / "_lock.json").exists()


def test_a_set_is_compared_with_its_source_read_again(tmp_path):
    season(tmp_path / "s", 3)
    pattern = f"{tmp_path}/s/deliveries_{{year}}-{{month}}.csv"
    oc.pack(pattern, tmp_path / "out", file_as="file", row_as="row")
    packed = oc.unpack(tmp_path / "out")
    assert oc.compare(packed).equal
    assert oc.compare(packed.filter(pc.field("kg") > 203)).equal
    kept = oc.load(pattern, keep=["kg", "month"])
    assert kept.names == ["kg", "month"] and kept.receipt.balanced
    late = tmp_path / "s" / "deliveries_2025-02.csv"
    late.write_text(late.read_text().replace(",203,", ",999,"))
    told = oc.compare(packed)
    assert not told.equal and "deliveries_2025-02.csv 4" in str(told)
    with pytest.raises(oc.SourceError, match=r"deliveries_2025-02\.csv: was changed"):
        packed.trace("kg", 4, file="deliveries_2025-02.csv")
    assert "<pre " in oc.files(pattern)._repr_html_()


def test_folders_of_values_are_percent_encoded_and_not_too_many(tmp_path):
    groves = ["a/b", "50 %", "né=1", "..", ""]
    rows = "".join(f'"{grove}",{n}\n' for n, grove in enumerate(groves * 3))
    files = [f"grove,kg\n{rows}".encode(), b"kg\n99\n"]
    dataset = oc.load(files)
    oc.pack(files, tmp_path / "out", by=["grove"])
    packed = oc.unpack(tmp_path / "out")
    assert sorted(packed["kg"].values.to_pylist()) == sorted(dataset["kg"].values.to_pylist())
    assert packed["grove"].reason_counts() == {"blank": 3, "not in file": 1}
    folders = {each.name for each in (tmp_path / "out").iterdir() if each.is_dir()}
    assert (
        folders
        == {
            *("grove=a%2Fb", "grove=50%20%25", "grove=n%C3%A9%3D1", "grove=%2E%2E", "grove="),
        }
        or "grove=.." in folders
    )
    many = [b"id,kg\n" + b"".join(b"%d,1\n" % n for n in range(300))]
    oc.pack(many, tmp_path / "many", by=["id"])
    assert oc.unpack(tmp_path / "many").rows == 300
    crowd = [b"id,kg\n" + b"".join(b"%d,1\n" % n for n in range(10_001))]
    with pytest.raises(oc.PlanError, match="more than 10,000 different values"):
        oc.pack(crowd, tmp_path / "crowd", by=["id"])
    assert not list((tmp_path / "crowd").rglob("*.parquet"))


@pytest.mark.parametrize("size", [256, 1000])
@pytest.mark.parametrize("ended", [True, False])
def test_ranges_of_fixed_columns_come_to_the_same_as_the_whole(tmp_path, size, ended):
    lines = [f"{n:05d}{n % 90 / 10:5.1f}{'' if n % 7 else 'Pago'}" for n in range(200)]
    lines[150] = "00150 lost Campo"
    text = "Laboratory\n" + "\n".join(lines) + "\n" * ended
    (tmp_path / "d.txt").write_text(text)
    fields = [("id", 1, 5), ("acid", 6, 10), ("grove", 11, 15)]
    how = {"fields": fields, "rows": {"data": "2.."}, "row_as": "row"}
    whole = oc.load(tmp_path / "d.txt", **how)
    receipt = oc.pack(tmp_path / "d.txt", tmp_path / "out", range_bytes=size, **how)
    same(whole, oc.unpack(tmp_path / "out"), rows=False)
    assert receipt.cells == whole.receipt.cells and receipt.balanced
    assert receipt.characters == whole.receipt.characters
    names = [each.name for each in (tmp_path / "out").glob("*.parquet")]
    assert len(names) > 1 and all(each.startswith("d.txt-") for each in names)


@pytest.mark.parametrize("kind", [".csv", ".parquet", ".arrow"])
@pytest.mark.parametrize("missing", ["codes", "reasons", "null"])
def test_a_packed_set_is_exported_as_the_loaded_one_is(tmp_path, monkeypatch, kind, missing):
    from olive_crate.formats import arrow, delimited

    files = [
        b"id,kg,grade,acid\n" + b"".join(b"%d,%d,A,0.%d\n" % (n, n, n % 9) for n in range(30)),
        b"id,kg,grade\n31,-9.5,B\n32,7,n.d.\n",
    ]
    how = {"types": {"grade": "category"}, "missing": {-9.5: "lost", "n.d.": "not done"}}
    oc.pack(files, tmp_path / "out", by=11, **how)
    packed, loaded = oc.unpack(tmp_path / "out"), oc.load(files, **how)
    options = {} if missing == "null" else {"missing": missing}
    loaded.export(tmp_path / f"whole{kind}", **options)
    for module in (arrow, delimited):
        monkeypatch.setattr(module, "ROWS", 4)
    packed.export(tmp_path / f"pieces{kind}", **options)
    if kind == ".csv":
        whole, pieces = ((tmp_path / f"{n}.csv").read_bytes() for n in ("whole", "pieces"))
        assert whole == pieces
        return
    format_ = "parquet" if kind == ".parquet" else "ipc"
    whole, pieces = (
        pyarrow.dataset.dataset(tmp_path / f"{n}{kind}", format=format_).to_table()
        for n in ("whole", "pieces")
    )
    assert whole.schema.names == pieces.schema.names
    assert whole.to_pylist() == pieces.to_pylist()


def test_cells_that_are_not_in_a_file_stay_so_through_declarations_and_exports(tmp_path):
    files = [b"id,kg,note\n1,5,a\n2,-9,b\n", b"id\n3\n4\n"]
    dataset = oc.load(files)
    for parts in ({"type": "number"}, {"type": "text"}, {"missing": {-9: "lost"}}):
        again = dataset.declare("kg", **parts)
        assert again["kg"].reason_counts()["not in file"] == 2, parts
        assert again["kg"].is_missing("not in file").tolist() == [False, False, True, True]
        assert again.receipt.changes[-1:] == () or not again.receipt.changes[-1].problems
    back = dataset.declare("kg", missing={-9: "lost"}).declare("kg", missing=[])
    assert back["kg"].values.to_pylist() == [5, -9, None, None]
    dataset.export(tmp_path / "all.csv")
    assert (tmp_path / "all.csv").read_bytes().splitlines()[-1] == b"4,,"
    dataset.export(tmp_path / "all.txt")
    frame = dataset.to_pandas(missing="codes")
    assert frame["kg"].isna().tolist() == [False, False, True, True]
    dataset.pack(tmp_path / "all.parquet")
    same(dataset, oc.unpack(tmp_path / "all.parquet"))
    book = dataset.codebook()
    assert book["note"].missing == {"not in file": 2}
    assert "not in file" in str(dataset.counts("note"))


def test_a_run_that_failed_goes_on_with_what_it_had_finished(tmp_path):
    """One that was interrupted, or had finished nothing, leaves nothing."""
    for name in ("a", "b"):
        (tmp_path / f"{name}.csv").write_text("id,word\n1,x\n2,y\n")
    (tmp_path / "c.csv").write_text("id,word\nfive,z\n")
    sources, out = [tmp_path / f"{name}.csv" for name in "abc"], tmp_path / "set"
    options = {"types": {"id": "integer"}, "unreadable": "stop", "workers": 1}

    def stop(done: int, total: int | None, step: str) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        oc.pack(sources[:2], out, progress=stop, **options)
    assert not out.exists()
    with pytest.raises(oc.UnreadableError, match=r"c\.csv"):
        oc.pack(list(reversed(sources)), out, **options)
    assert not out.exists()
    with pytest.raises(oc.UnreadableError, match=r"c\.csv"):
        oc.pack(sources, out, **options)
    waiting = {each.name for each in (out / "_staging").glob("*.parquet")}
    (tmp_path / "c.csv").write_text("id,word\n3,z\n")
    receipt = oc.pack(sources, out, **options)
    assert receipt.rows == 5 and len(waiting) == 2
    assert waiting <= {each.name for each in out.glob("*.parquet")}
    assert not (out / "_staging").exists() and oc.verify(out).is_whole
