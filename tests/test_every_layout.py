"""What holds for a source of any layout: look, draft, load, receipt, pack, and the plan again."""

from __future__ import annotations

import json
import os
import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from databases import servers

import olive_crate as oc

ROWS = [
    (1, "Ana", 1.25, "2025-10-06", None),
    (2, "Bruno", 0.5, "2025-10-07", "wet"),
    (3, "Ñuño", None, "2025-10-09", "a; b"),
    (4, "Elena", 12.75, "2025-11-01", None),
]
MORE = (5, "Inés", 3.5, "2025-12-31", "late")
NAMES = ["id", "grower", "acid", "day", "note"]


def text(value: object) -> str:
    return "" if value is None else str(value)


def delimited(path: Path, rows: list) -> dict:
    lines = [NAMES, *rows]
    path.write_text("".join("|".join(map(text, row)) + "\n" for row in lines), "utf-8")
    return {"delimiter": "|"}


def fixed(path: Path, rows: list) -> dict:
    widths = (4, 9, 8, 11, 8)
    lines = ("".join(text(v).ljust(w) for v, w in zip(row, widths, strict=True)) for row in rows)
    path.write_text("".join(line.rstrip() + "\n" for line in lines), "utf-8")
    places = [(1, 3), (5, 12), (14, 20), (22, 31), (33, 40)]
    return {"fields": [(name, *at) for name, at in zip(NAMES, places, strict=True)]}


def sheet(path: Path, rows: list) -> dict:
    import datetime as dt

    import xlsxwriter

    with xlsxwriter.Workbook(path) as book:
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        made = book.add_worksheet("Deliveries")
        made.write_row(0, 0, NAMES)
        for at, row in enumerate(rows, 1):
            for column, value in enumerate(row):
                if column == 3:
                    made.write_datetime(at, column, dt.datetime.fromisoformat(value), day)
                elif value is not None:
                    made.write(at, column, value)
    return {}


def page(path: Path, rows: list) -> dict:
    head = "".join(f"<th>{name}" for name in NAMES)
    body = "".join("<tr>" + "".join(f"<td>{text(v)}" for v in row) for row in rows)
    path.write_text(f"<meta charset=utf-8><p>x<table id=t><tr>{head}{body}</table>", "utf-8")
    return {}


def atom(path: Path, rows: list) -> dict:
    entries = "".join(
        "<entry>"
        + "".join(
            f"<{name}>{value}</{name}>"
            for name, value in zip(NAMES, row, strict=True)
            if value is not None
        )
        + "</entry>"
        for row in rows
    )
    path.write_text(f'<feed xmlns="http://www.w3.org/2005/Atom">{entries}</feed>', "utf-8")
    return {}


def json_feed(path: Path, rows: list) -> dict:
    items = [dict(zip(NAMES, row, strict=True)) for row in rows]
    feed = {"version": "https://jsonfeed.org/version/1.1", "items": items}
    path.write_text(json.dumps(feed), "utf-8")
    return {}


def sqlite(path: Path, rows: list) -> dict:
    with closing(sqlite3.connect(path)) as link, link:
        link.execute("DROP TABLE IF EXISTS deliveries")
        link.execute(
            "CREATE TABLE deliveries (id INTEGER PRIMARY KEY, grower TEXT, acid REAL, day DATE,"
            " note TEXT)"
        )
        link.executemany("INSERT INTO deliveries VALUES (?, ?, ?, ?, ?)", rows)
        link.execute("CREATE TABLE IF NOT EXISTS other (x)")
    return {"table": "deliveries"}


MAKERS = {
    "delimited.csv": delimited,
    "fixed.txt": fixed,
    "book.xlsx": sheet,
    "page.html": page,
    "page saved as.xls": page,
    "feed.atom": atom,
    "feed.json": json_feed,
    "mill.db": sqlite,
    **servers(NAMES),
}


@pytest.fixture(autouse=True)
def environment():
    """The environment as it was, once a test has put a login into it."""
    before = dict(os.environ)
    yield
    os.environ.clear()
    os.environ.update(before)


@pytest.mark.parametrize("name", MAKERS)
def test_a_source_of_any_layout_is_looked_at_drafted_loaded_packed_and_taken_again(name, tmp_path):
    make, source = MAKERS[name], tmp_path / name
    options = make(source, ROWS)
    source = options.pop("address", source)
    look = oc.look(source, **options)
    assert sorted(each.name for each in look.variables) == sorted(NAMES)
    assert name.startswith(("mariadb", "postgresql")) or str(source) in str(look)

    loaded = oc.load(source, **options)
    by_name = {each: loaded[each].values.to_pylist() for each in loaded.names}
    assert [by_name["id"], by_name["grower"]] == [[1, 2, 3, 4], ["Ana", "Bruno", "Ñuño", "Elena"]]
    assert by_name["acid"] == [1.25, 0.5, None, 12.75]
    assert [str(day) for day in by_name["day"]] == [row[3] for row in ROWS]
    assert by_name["note"] == [None, "wet", "a; b", None]
    assert loaded.receipt.imbalances() == []
    assert loaded["acid"].why(2) == "blank"

    plan = oc.draft(source, **options)
    again = oc.load(plan)
    assert same(again, loaded)
    assert again.variables == loaded.variables

    plan.write(tmp_path / "deliveries.plan.toml")
    written = oc.Plan.read(tmp_path / "deliveries.plan.toml")
    packed = tmp_path / "deliveries.parquet"
    receipt = oc.pack(written, packed)
    assert receipt.imbalances() == []
    opened = oc.unpack(packed)
    assert same(opened, loaded)
    assert opened.receipt == receipt

    make(tmp_path / name, [*ROWS, MORE])
    changed = oc.load(written)
    assert changed["id"].values.to_pylist() == [1, 2, 3, 4, 5]
    assert changed["note"].values.to_pylist()[-1] == "late"
    assert changed.variables == loaded.variables

    few = oc.load(source, **options, limit=2, keep=["acid", "grower"])
    assert sorted(few.names) == ["acid", "grower"]
    assert len(few) == 2
    assert few.receipt.imbalances() == []


def same(one: oc.Dataset, other: oc.Dataset) -> bool:
    return one.names == other.names and all(
        one[name].values.equals(other[name].values)
        and one[name].reasons.tolist() == other[name].reasons.tolist()
        for name in one.names
    )


@pytest.mark.parametrize("name", [each for each in MAKERS if each not in ("mill.db",)])
def test_one_cell_of_any_layout_is_traced(name, tmp_path):
    options = MAKERS[name](tmp_path / name, ROWS)
    source = options.pop("address", tmp_path / name)
    loaded = oc.load(source, **options)
    row = 4
    if loaded.receipt.key == ():
        row = int(loaded.source_rows.at(np.arange(len(loaded)))[3])
    trace = loaded.trace("acid", row)
    assert (trace.value, trace.text.strip()) == (12.75, "12.75")
    assert trace.raw[trace.start : trace.end].strip() == "12.75"
