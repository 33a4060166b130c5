"""A traced cell is the cell that was read: its text, the steps, and the value or the reason."""

from __future__ import annotations

import json

import numpy as np
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\r\0"), max_size=8)
ENDS = st.sampled_from(["\n", "\r\n"])


def quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"'


@settings(max_examples=tries(60), deadline=None)
@given(st.lists(st.tuples(TEXT, st.integers(-99, 99)), min_size=1, max_size=12), ENDS)
def test_every_cell_of_quoted_text_is_found_again(rows, end):
    text = "note,count" + end + "".join(f"{quoted(t)},{n}{end}" for t, n in rows)
    source = text.encode()
    fixed = {"delimiter": ",", "rows": {"names": 1}, "encoding": "utf-8", "types": {"note": "text"}}
    dataset = oc.load(source, **fixed)
    at = dataset.source_rows.at(np.arange(len(dataset)))
    for case, row in enumerate(at.tolist()):
        note = dataset.trace("note", row, source)
        assert note.text == rows[case][0] and note.case == case
        count = dataset.trace("count", row, source)
        assert count.value == rows[case][1] == int(count.raw[count.start : count.end])


def fixed_text(rows: int) -> str:
    return "".join(f"{i:06d}{i % 90 / 10:5.1f} é{i % 7}\n" for i in range(1, rows + 1))


FIELDS = [
    {"name": "id", "start": 1, "end": 6},
    {"name": "acid", "start": 7, "end": 11},
    {"name": "mark", "start": 13, "end": 14},
]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
@pytest.mark.parametrize("fixed", [True, False])
@pytest.mark.parametrize("packed", [True, False])
def test_a_row_far_below_is_found_by_its_offset(tmp_path, monkeypatch, encoding, fixed, packed):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "2000")
    text = fixed_text(3000)
    if not fixed:
        text = "id;acid;mark\n" + text.replace(" é", ";é").replace("\n", "\n")
        text = "\n".join(
            [text.split("\n")[0], *(f"{x[:6]};{x[6:]}" for x in text.split("\n")[1:-1])]
        )
    (tmp_path / "lab.txt").write_text(text, encoding)
    how = {"fields": FIELDS} if fixed else {"delimiter": ";"}
    dataset = oc.load(tmp_path / "lab.txt", encoding=encoding, types={"id": "text"}, **how)
    assert len(dataset) == 3000
    if packed:
        dataset.pack(tmp_path / "lab.parquet")
        dataset = oc.unpack(tmp_path / "lab.parquet")
    for number in (1, 2, 777, 2999, 3000):
        made = dataset.trace("id", number + (not fixed))
        assert made.text.strip() == f"{number:06d}" == made.value
        assert made.raw[made.start : made.end] == made.text
        mark = dataset.trace("mark", number + (not fixed))
        assert mark.text.strip() == f"é{number % 7}"


def test_the_steps_say_what_was_done(tmp_path):
    path = tmp_path / "lab.csv"
    path.write_text("id;acid\n1; 1.204,5* \n2;777\n3;777,0\n4;\n5;n.d.\n6;x\n7;0,5\n8;1.000,0\n")
    codes = {777: "sample lost", "n.d.": "not tested"}
    parts = {"type": "number", "flags": ["*"], "missing": codes, "unit": "%"}
    dataset = oc.load(path, decimal=",", grouping=".", variables={"acid": parts})

    def kinds(row: int) -> list[str]:
        made = dataset.trace("acid", row)
        return [each["kind"] for each in made.to_dict()["steps"]]

    assert kinds(2) == ["trimmed", "flag-taken-apart", "read-as"]
    assert dataset.trace("acid", 2).value == 1204.5
    assert kinds(3) == kinds(4) == ["code-matched"] and kinds(5) == ["blank"]
    assert dataset.trace("acid", 6).reason == "not tested"
    assert kinds(7) == ["unreadable"]
    last = dataset.trace("acid", 2).steps[-1]
    assert (last.decimal, last.grouping) == (",", ".")


def test_a_cell_of_a_workbook_is_named_by_its_address(tmp_path):
    oc.load(b"id,acid\n1,0.5\n2,0.7\n").export(tmp_path / "lab.xlsx")
    made = oc.load(tmp_path / "lab.xlsx", sheet=1).trace("acid", 3)
    assert made.place == "cell B3" and made.value == 0.7 and made.raw[made.start :] == "0.7"


def test_what_cannot_be_traced_is_said(tmp_path):
    path = tmp_path / "lab.csv"
    path.write_text("mill\n\nid,acid\n1,0.5\n2,0.7\n3,0.9\n")
    dataset = oc.load(path)
    with pytest.raises(
        oc.PlanError, match="row 2 holds no case; the nearest rows that do are 4, 5"
    ):
        dataset.trace("acid", 2)
    with pytest.raises(oc.PlanError, match='did you mean "acid"'):
        dataset.trace("acidd", 4)
    path.write_text("mill\n\nid,acid\n1,0.5\n2,0.8\n3,0.9\n")
    with pytest.raises(oc.SourceError, match="was changed since it was read"):
        dataset.trace("acid", 5)


def test_the_command_traces_as_the_library_does(command, tmp_path):
    (tmp_path / "lab.csv").write_text("id,acid\n1,0.5\n2,0.7\n")
    told = command("trace", "lab.csv", "acid", "3")
    assert told.returncode == 0 and "value: 0.7" in told.stdout and "  ^^^" in told.stdout
    plain = json.loads(command("trace", "lab.csv", "acid", "3", "--json").stdout)
    assert plain["text"] == "0.7" and plain["place"] == "field 2"
    missed = command("trace", "lab.csv", "acid", "9")
    assert missed.returncode == 1 and "row 9 holds no case" in missed.stderr
