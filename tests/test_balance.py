"""The books balance, whatever the file: every line and every cell is accounted for."""

from __future__ import annotations

import re
from itertools import pairwise

import pyarrow as pa
import pytest
from conftest import BLOCKS
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

FIELD = st.sampled_from(["1", "2.5", "", "x", '"a;b"', '"two\nlines"', '"q""q"', " ", "NA", "-9"])
LINE = st.one_of(
    st.lists(FIELD, min_size=2, max_size=5).map(";".join),
    st.sampled_from(["", "  ", "# a comment", '# "unbalanced', "Total;9;9", ";;"]),
)
FILE = st.tuples(
    st.lists(st.sampled_from(["Mill", "", "spring; 2025", 'a "title']), max_size=3),
    st.lists(LINE, max_size=12),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
)


def parts_of(titles: list[str], lines: list[str]) -> dict[str, int]:
    """What each line is, told from how the file was made."""
    parts = dict.fromkeys(("heading", "data", "continued", "blank", "comment", "skipped"), 0)
    parts["heading"] = 1
    for title in titles:
        parts["skipped" if title.strip() else "blank"] += 1
    for line in lines:
        kind = "comment" if line.startswith("#") else "data" if line.strip() else "blank"
        parts[kind] += 1
        parts["continued"] += line.count("\n")
    return parts


@given(FILE, st.sampled_from(BLOCKS))
def test_every_line_and_cell_is_accounted_for(monkeypatch, made, block):
    titles, lines, end, last_end = made
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    text = end.join([*titles, "a;b;c", *lines]) + (end if last_end else "")
    dataset = oc.load(
        text.encode(),
        delimiter=";",
        comment="#",
        encoding="utf-8",
        rows={"names": len(titles) + 1, "data": f"{len(titles) + 2}.."},
    )
    receipt = dataset.receipt
    assert receipt.balanced and receipt.bytes == len(text.encode())
    wanted = parts_of(titles, lines)
    if not last_end and lines and lines[-1] == "":
        wanted["blank"] -= 1  # a line end at the very end starts no further line
    if end == "\n":
        assert receipt.parts == wanted
    assert receipt.parts["data"] == len(dataset)
    for counts in receipt.cells:
        column = dataset[counts.name]
        assert counts.valid == len(column.values) - column.values.null_count
        assert sum(counts.missing.values()) == column.values.null_count
        assert [why is None for why in map(column.why, range(len(column)))] == (
            column.values.is_valid().to_pylist()
        )
    short = sum(line.count(";") + 1 < len(dataset.names) for line in _data(lines))
    assert receipt.short == short


def _data(lines: list[str]) -> list[str]:
    """Lines of data without what stands in quotes."""
    kept = [line for line in lines if line.strip() and not line.startswith("#")]
    return [re.sub('"[^"]*"', "", line) for line in kept]


@given(
    st.integers(0, 30),
    st.integers(1, 12),
    st.one_of(st.integers(-12, -1), st.integers(1, 40), st.none()),
    st.one_of(st.none(), st.integers(0, 20)),
    st.sampled_from(BLOCKS),
)
def test_first_last_and_limit_count_rows_of_the_source(
    monkeypatch, count, first, last, limit, block
):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    text = "".join(f"{row};x\n" for row in range(1, count + 1))
    if last is not None and 0 < last < first - 1:
        last = first
    data = f"{first}..{'' if last is None else last}"
    dataset = oc.load(text.encode(), delimiter=";", rows={"names": [], "data": data}, limit=limit)
    stop = count if last is None else min(count, last) if last > 0 else count + 1 + last
    wanted = list(range(first, stop + 1))
    kept = wanted if limit is None else wanted[:limit]
    found = dataset[dataset.names[0]].values.to_pylist() if dataset.names else []
    assert found == kept
    assert dataset.receipt.balanced
    assert dataset.receipt.stopped == (limit is not None and len(wanted) > limit)


def test_a_receipt_that_does_not_balance_says_so():
    import msgspec

    receipt = oc.load(b"a,b\n1,2\n").receipt
    wrong = msgspec.structs.replace(receipt, lines=3)
    assert not wrong.balanced and "3 lines, but 2 accounted for" in str(wrong)
    assert "THE ACCOUNT DOES NOT BALANCE" in str(wrong)
    cells = (msgspec.structs.replace(receipt.cells[0], valid=0), receipt.cells[1])
    assert "a: 0 cells for 1 rows" in str(msgspec.structs.replace(receipt, cells=cells))


def test_the_receipt_fits_a_screen_and_says_how_to_get_the_rest():
    lines = ["id;" + ";".join(f"v{n}" for n in range(60))]
    lines += [f"{n};" + ";".join("oops" if n % 2 else "1" for _ in range(60)) for n in range(40)]
    receipt = oc.load(
        "\n".join(lines).encode(), delimiter=";", types={f"v{n}": "integer" for n in range(60)}
    ).receipt
    printed = str(receipt).splitlines()
    assert len(printed) < 70 and max(map(len, printed)) <= 100
    assert "1,200 problems:" in printed and "37 more variables" in str(receipt)
    assert "and 1,190 more; receipt.problems lists all" in str(receipt)
    assert len(receipt.problems) == 1200
    assert receipt.problems[-1] == list(receipt.problems)[-1]
    assert [each.row for each in receipt.problems[:3]] == [3, 5, 7]
    with pytest.raises(IndexError):
        receipt.problems[1200]


def test_reasons_and_nulls_agree_for_arrow_readers(demo):
    dataset = oc.load(oc.Plan.read(demo / "deliveries.plan.toml"))
    table = pa.table(dataset)
    assert table.num_rows == 1298 and table.column_names == dataset.names
    for name in dataset.names:
        column = dataset[name]
        assert table[name].null_count == int((column.reasons != 0).sum())
        words = column.reason_texts()
        assert words.null_count == len(dataset) - table[name].null_count
        assert set(words.dictionary.to_pylist()) == set(column.reason_counts())


def test_progress_is_told_in_bytes():
    told: list[tuple[int, int | None, str]] = []
    data = b"a,b\n" + b"1,2\n" * 400_000
    oc.load(data, progress=lambda *step: told.append(step))
    assert told and told[-1][:2] == (len(data), len(data))
    assert all(before[0] <= after[0] for before, after in pairwise(told))
