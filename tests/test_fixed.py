"""Fixed-width records: cut where the fields say, and every character accounted for."""

from __future__ import annotations

import datetime as dt
import math

import pytest
from conftest import BLOCKS
from hypothesis import given
from hypothesis import strategies as st
from layout_cases import cases, judged

import olive_crate as oc

CHAR = st.sampled_from("ab1 .-9 éñ漢 ")
LINE = st.text(CHAR, max_size=14)
FIELD = st.tuples(st.integers(1, 12), st.integers(1, 5), st.integers(1, 2))


def cut(lines: list[str], field: oc.Field) -> str | None:
    """The oracle: Python's own slicing of the line that the field stands in."""
    line = lines[field.line - 1] if field.line <= len(lines) else ""
    return line[field.start - 1 : field.end].strip(" ") or None


@given(
    st.lists(LINE, max_size=12),
    st.lists(FIELD, min_size=1, max_size=5),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
    st.booleans(),
    st.sampled_from(BLOCKS),
)
def test_fields_are_what_slicing_gives(monkeypatch, lines, drawn, end, even, last_end, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    fields = [
        oc.Field(f"f{place}", start, start + width - 1, line)
        for place, (start, width, line) in enumerate(drawn)
    ]
    per_case = max(field.line for field in fields)
    if even:
        lines = [line.ljust(14) for line in lines]
    last_end |= len(lines) < 2  # one line without an end may be many records
    text = end.join(lines) + (end if last_end and lines else "")
    dataset = oc.load(text.encode(), fields=fields, types="text", encoding="utf-8")
    shown = text.split(end)[:-1] if text.endswith(end) else text.split(end) if text else []
    if per_case == 1:
        cases = [[line] for line in shown if line.strip(" ")]
    else:
        extra = len(shown) % per_case
        if extra and not any(shown[-extra:]):
            shown = shown[:-extra]
        cases = [shown[at : at + per_case] for at in range(0, len(shown), per_case)]
    for field in fields:
        assert dataset[field.name].values.to_pylist() == [cut(case, field) for case in cases]
    receipt = dataset.receipt
    assert receipt.balanced and receipt.bytes == len(text.encode())
    assert receipt.characters == sum(len(line) for case in cases for line in case)
    assert oc.load(text.encode(), plan=oc.draft(text.encode(), fields=fields, types="text")).equals(
        dataset
    )


def packed_number(value: int, decimals: int, sign: str, width: int, pad: str) -> str:
    digits = str(abs(value)).rjust(decimals + 1, "0")
    if sign == "overpunched":
        last = ("}JKLMNOPQR" if value < 0 else "{ABCDEFGHI")[int(digits[-1])]
        return (digits[:-1] + last).rjust(width, pad)
    if sign == "trailing":
        return (digits + ("-" if value < 0 else "")).rjust(width, pad)
    if pad == "0":
        return ("-" if value < 0 else "") + digits.rjust(width - (value < 0), "0")
    return (("-" if value < 0 else "") + digits).rjust(width, pad)


@given(
    st.lists(st.integers(-99_999, 99_999), min_size=1, max_size=20),
    st.integers(0, 3),
    st.sampled_from(["leading", "trailing", "overpunched"]),
    st.sampled_from(" 0"),
    st.sampled_from(BLOCKS),
)
def test_packed_numbers_are_read_as_meant(monkeypatch, values, decimals, sign, pad, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    lines = [packed_number(value, decimals, sign, 9, pad) for value in values]
    field = {"name": "x", "width": 9, "decimals": decimals, "sign": sign}
    kind = "number" if decimals else "integer"
    dataset = oc.load("\n".join(lines).encode(), fields=[field], types=kind)
    assert dataset["x"].values.to_pylist() == [value / 10**decimals for value in values]


NUMBER = st.floats(allow_nan=False, allow_infinity=False, width=64)
CELLS = {
    "integer": st.integers(-(2**63), 2**63 - 1),
    "number": NUMBER.map(lambda x: x + 0.0),
    "text": st.text(st.sampled_from("aé漢1;,\"' "), min_size=1, max_size=8).map(
        lambda text: f"x{text}x"
    ),
    "boolean": st.booleans(),
    "date": st.dates(dt.date(1678, 1, 1), dt.date(2200, 1, 1)),
    "datetime": st.datetimes(dt.datetime(1900, 1, 1), dt.datetime(2200, 1, 1)),
    "time": st.times(),
    "duration": st.timedeltas(dt.timedelta(-999), dt.timedelta(999)),
}


@given(data=st.data(), rows=st.integers(1, 8))
def test_an_exported_dataset_reads_back_equal(data, tmp_path_factory, rows):
    folder = tmp_path_factory.mktemp("export")
    kinds = data.draw(st.lists(st.sampled_from(sorted(CELLS)), min_size=1, max_size=4))
    columns = [
        data.draw(st.lists(st.one_of(CELLS[kind], st.none()), min_size=rows, max_size=rows))
        for kind in kinds
    ]
    plan = oc.Plan()
    for place, kind in enumerate(kinds):
        plan = plan.declare(
            f"v{place}", type=kind, label=f'a "label"; {place}', missing={"lost": "at sea; =x"}
        )
    words = {"boolean": lambda v: str(v).lower(), "number": repr, "duration": _iso}
    rows_text = [
        ",".join(
            '"' + ("lost" if v is None else words.get(k, str)(v)).replace('"', '""') + '"'
            for k, v in zip(kinds, row, strict=True)
        )
        for row in zip(*columns, strict=True)
    ]
    heading = ",".join(f"v{place}" for place in range(len(kinds)))
    source = "\n".join([heading, *rows_text, ""]).encode()
    dataset = oc.load(source, plan=plan, delimiter=",", rows={"names": 1}, encoding="utf-8")
    dataset.export(folder / "x.txt")
    again = oc.load(oc.Plan.read(folder / "x.txt.plan.toml"))
    assert again.equals(dataset) and again.receipt.balanced
    by_table = oc.load(folder / "x.txt", fields=folder / "x.txt.fields.csv", encoding="utf-8")
    for name in dataset.names:
        assert by_table[name].equals(dataset[name]) or by_table[name].variable.type == "number"


def _iso(value: dt.timedelta) -> str:
    micros = abs(value) // dt.timedelta(microseconds=1)
    return f"{'-' if value < dt.timedelta(0) else ''}PT{micros // 10**6}.{micros % 10**6:06d}S"


def test_values_that_do_not_fit_are_named(tmp_path):
    dataset = oc.load(b"a,b\n12345,x\n7,y\n")
    with pytest.raises(oc.PlanError, match=r'"a": .12345. \(case 1\) is 5 characters long'):
        dataset.export(tmp_path / "x.txt", fields=[("a", 3), ("b", 1)])
    assert list(tmp_path.iterdir()) == []
    dataset.export(tmp_path / "x.txt", fields=[{"name": "a", "width": 8, "decimals": 2}, ("b", 1)])
    assert (tmp_path / "x.txt").read_text() == " 1234500x\n     700y\n"


LABORATORY = "00123 7A\n00999 8B\n  450 9C\n"
TABLE = b"Field,From,To,Dec,Missing\nacid,1,5,2,999=lost\nn,6,7,,\ngrade,8,8,,\n"
MAPPED = {"start": "From", "end": "To", "name": "Field", "decimals": "Dec"}


def test_a_layout_table_declares_fields_and_variables(tmp_path):
    (tmp_path / "dict.csv").write_bytes(TABLE)
    (tmp_path / "lab.txt").write_text(LABORATORY)
    plan = oc.dictionary(tmp_path / "dict.csv", headings=MAPPED)
    dataset = oc.load(tmp_path / "lab.txt", plan=plan)
    assert dataset["acid"].values.to_pylist() == [1.23, None, 4.5]
    assert dataset["acid"].why(1) == "lost"
    assert dataset["n"].values.to_pylist() == [7, 8, 9]
    (tmp_path / "lab.plan.toml").write_text(
        '[source]\npath = "lab.txt"\n[fixed]\nfields = "dict.csv"\n'
        '[[variable]]\nname = "grade"\nlabel = "Grade"\n'
    )
    by_plan = oc.load(oc.Plan.read(tmp_path / "lab.plan.toml"))
    assert by_plan["grade"].variable.label == "Grade"
    assert by_plan["acid"].equals(dataset["acid"])


DDI = """<?xml version="1.0"?><codeBook xmlns="ddi:codebook:2_5" version="2.5">
<fileDscr><fileTxt><dimensns><recPrCas>2</recPrCas></dimensns></fileTxt></fileDscr><dataDscr>
<var name="acid" dcml="2" nature="ratio"><location StartPos="1" EndPos="5" RecSegNo="1"/>
<labl>Free acidity</labl><invalrng><item VALUE="99999"/></invalrng>
<catgry missing="Y"><catValu>99999</catValu><labl>sample lost</labl></catgry>
<varFormat type="numeric"/></var>
<var name="grade"><location StartPos="2" width="1" RecSegNo="2"/><labl>Grade</labl>
<catgry><catValu>1</catValu><labl>extra</labl></catgry>
<catgry><catValu>2</catValu><labl>virgin</labl></catgry>
<invalrng><range min="8" max="9"/></invalrng><varFormat type="numeric"/></var>
</dataDscr></codeBook>"""


def test_a_ddi_codebook_is_a_dictionary_too(tmp_path):
    (tmp_path / "lab.xml").write_text(DDI)
    dataset = oc.load(b"00123\nx1\n99999\nx9\n", fields=tmp_path / "lab.xml")
    assert dataset["acid"].values.to_pylist() == [1.23, None]
    assert dataset["acid"].why(1) == "sample lost"
    assert dataset["grade"].values.to_pylist() == [1, None]
    grade = dataset["grade"].variable
    assert [str(each) for each in grade.meanings] == ["1 extra", "2 virgin"]
    assert (grade.type, dataset["acid"].variable.level) == ("integer", "ratio")
    bare = DDI.replace("location", "nowhere")
    (tmp_path / "bare.xml").write_text(bare)
    named = oc.load(b"grade,acid\n2,0.5\n", fields=tmp_path / "bare.xml")
    assert named["grade"].variable.label == "Grade" and named["acid"].values[0].as_py() == 0.5
    ordered = {"path": tmp_path / "bare.xml", "by": "order"}
    by_order = oc.load(b"x,y\n0.5,2\n", fields=ordered)
    assert by_order["acid"].values[0].as_py() == 0.5


def test_record_types_are_chosen_and_counted():
    text = "H2025\nG01 12\nG02 34\nT9999\nG03 56\n"
    fields = [{"name": "id", "start": 2, "end": 3}, {"name": "kg", "start": 5, "end": 6}]
    kind = {"start": 1, "end": 1, "take": "G"}
    dataset = oc.load(text.encode(), fields=fields, record_type=kind)
    assert dataset["kg"].values.to_pylist() == [12, 34, 56]
    assert dataset.receipt.record_types == {"H": 1, "T": 1}
    assert dataset.receipt.balanced and '"H" 1, "T" 1' in str(dataset.receipt)


@pytest.mark.parametrize("block", BLOCKS)
@pytest.mark.parametrize("encoding", ["utf-8", "cp1252", "cp037", "cp500", "utf-16-le", "cp932"])
def test_records_without_line_ends_in_any_encoding(encoding, block, monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    place = "ñ" if encoding not in ("cp932", "cp037", "cp500") else "#"
    text = "".join(f"{n:03d}{place}{'Olive':<6}{n / 8:6.2f}" for n in range(1, 30))
    fields = [("id", 3), ("mark", 1), ("what", 6), ("kg", 6)]
    dataset = oc.load(text.encode(encoding), fields=fields, encoding=encoding)
    assert dataset["kg"].values.to_pylist() == [round(n / 8, 2) for n in range(1, 30)]
    assert set(dataset["mark"].values.to_pylist()) == {place}
    assert dataset.receipt.lines == 29 and dataset.receipt.balanced


def test_positions_in_bytes():
    lines = ["日本  12", "漢字かな34", "abcd  56"]
    data = "\n".join(lines).encode("cp932")
    fields = [("name", 6), ("n", 7, 8)]
    dataset = oc.load(data, fields=fields, encoding="cp932", positions="bytes")
    assert dataset["name"].values.to_pylist() == ["日本", "漢字か", "abcd"]
    cut_open = oc.load(
        "añb\naab\n".encode(), fields=[("x", 2), ("y", 2)], positions="bytes", encoding="utf-8"
    )
    assert "cut a character in 1 cell" in " ".join(map(str, cut_open.receipt.notes))


def test_tabs_are_refused_or_expanded():
    fields = [("a", 8), ("b", 3)]
    with pytest.raises(oc.LayoutError, match="row 2: a tab; set tabs=8"):
        oc.load(b"x       12\ny\t34\n", fields=fields)
    dataset = oc.load(b"x       12\ny\t34\n", fields=fields, tabs=8)
    assert dataset["b"].values.to_pylist() == [12, 34]


def test_what_no_field_covers_and_what_a_border_cuts_is_told():
    good = "".join(f"{n:04d} {('Picual', 'Arbequina')[n % 2]:<10}{n / 3:7.2f}\n" for n in range(60))
    right = [("id", 1, 4), ("variety", 6, 15), ("kg", 16, 22)]
    clean = oc.load(good.encode(), fields=right).receipt
    assert not [each for each in clean.decided if each.about.startswith(("field", "fixed"))]
    wrong = [("id", 1, 3), ("variety", 6, 11), ("kg", 16, 22)]
    told = [str(each) for each in oc.load(good.encode(), fields=wrong).receipt.decided]
    told = {each.partition(":")[0]: each for each in told}
    assert "no field covers these positions, but they hold text" in told["positions 4-5"]
    assert "digits run across its end (after 3)" in told["field id (1-3)"]
    assert "letters run across its end" in told["field variety (6-11)"]
    shared = oc.load(good.encode(), fields=[("id", 1, 4), ("part", 3, 4), *right[1:]])
    assert any(each.about == "fixed.overlap" for each in shared.receipt.decided)


FAULTS = [
    ({"fields": [("a", 3, 1)]}, "field 1: ends at 1, before it starts at 3"),
    ({"fields": [("a", 1, 2), ("a", 3, 4)]}, 'fields 1 and 2 are both named "a"'),
    ({"fields": [{"name": "a", "stop": 3}]}, 'unknown key "stop"'),
    ({"fields": [{"name": "a", "start": 1}]}, "needs an end or a width"),
    ({"fields": [("a", 1, 2)], "lines_per_record": 0}, "lines_per_record: expected a whole number"),
    ({"fields": [{"name": "a", "width": 2, "line": 3}], "lines_per_record": 2}, "is in line 3"),
    ({"fields": [("a", 2)], "record_type": {"start": 1}}, "expected start, end and take"),
    ({"fields": [("a", 2)], "positions": "words"}, 'expected "characters" or "bytes"'),
    ({"fields": "nowhere.csv"}, "nowhere.csv"),
]


@pytest.mark.parametrize(("options", "words"), FAULTS)
def test_what_is_wrong_with_fields_is_said(options, words):
    with pytest.raises(oc.OliveCrateError, match=words.replace("(", r"\(")):
        oc.load(b"1234\n5678\n", **options)


TABLE_FAULTS = [
    (b"name,start,end\na,1,2\nb,x,3\n", r"row 3: start: expected a whole number, got 'x'"),
    (b"name,start,end\na,1,2\n,3,4\n", r"row 3: the name is blank"),
    (b"name,start,end,type\na,1,2,wombat\nb,3,4,n\n", r'row 2: type: unknown type "wombat"'),
    (b"id,start,end\n1,1,2\n2,3,4\n", r"no column of names"),
]


@pytest.mark.parametrize(("table", "words"), TABLE_FAULTS)
def test_what_is_wrong_with_a_layout_table_is_said_with_its_row(table, words, tmp_path):
    (tmp_path / "dict.csv").write_bytes(table)
    with pytest.raises(oc.PlanError, match=words):
        oc.dictionary(tmp_path / "dict.csv")


def test_a_dictionary_of_thousands_of_fields(tmp_path):
    count = 5000
    rows = "".join(f"v{n},{1 + 4 * n},4,number\n" for n in range(count))
    (tmp_path / "dict.csv").write_text("name,start,width,type\n" + rows)
    line = "".join(f"{n % 1000:4d}" for n in range(count))
    dataset = oc.load(f"{line}\n{line}\n".encode(), fields=tmp_path / "dict.csv")
    assert dataset["v4321"].values.to_pylist() == [321.0, 321.0]
    assert math.isclose(sum(dataset[f"v{n}"].values[1].as_py() for n in range(10)), 45)


HARD = "packed words under a heading"  # one position of a name happens to be blank in all rows


@pytest.mark.parametrize("case", list(cases()), ids=lambda case: case.name)
def test_breaks_are_found_where_they_are(case, request):
    if case.name == HARD:
        request.applymarker(pytest.mark.xfail(strict=True))
    good, words = judged(case)
    assert good, words


NUMERAL = st.one_of(
    st.integers(-(10**12), 10**12).map(str),
    st.decimals(-(10**6), 10**6, places=3, allow_nan=False).map(str),
    st.from_regex(r"\A[+-]?[0-9]{0,9}\.?[0-9]{0,9}\Z"),
    st.sampled_from(
        ["", "-", ".", "1e5", "-1E-3", "NA", "+.5", "007", "--1", "1 2", "1,5", "9" * 22]
    ),
)


@given(
    st.lists(NUMERAL, min_size=1, max_size=15),
    st.booleans(),
    st.sampled_from(["number", "integer", None]),
    st.sampled_from(BLOCKS),
)
def test_a_column_of_numbers_is_read_as_in_delimited_text(monkeypatch, cells, right, kind, block):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
    width = max(map(len, cells)) or 1
    padded = [cell.rjust(width) if right else cell.ljust(width) for cell in cells]
    types = {} if kind is None else {"types": {"x": kind}}
    fixed = oc.load(
        "".join(f"k{cell}\n" for cell in padded).encode(),
        fields=[("k", 1), ("x", width)],
        decimal=".",
        **types,
    )
    text = "k;x\n" + "".join(f"k;{cell}\n" for cell in padded)
    delimited = oc.load(text.encode(), delimiter=";", decimal=".", rows={"names": 1}, **types)
    if fixed["x"].variable.type != "text":
        assert fixed["x"].values.equals(delimited["x"].values)
        assert (fixed["x"].reasons == delimited["x"].reasons).all()
    assert fixed["x"].variable.type == delimited["x"].variable.type


WORD = st.text(st.sampled_from('ab;|="x, 1'), min_size=1, max_size=6).map(str.strip)
CODE = st.one_of(st.integers(-999, 999), st.sampled_from(["NA", "n.d.", "x;y", "a=b"]))


@given(
    st.dictionaries(CODE, WORD, max_size=4), st.dictionaries(st.integers(0, 9), WORD, max_size=4)
)
def test_codes_and_labels_travel_through_a_layout_table(tmp_path_factory, codes, labels):
    folder = tmp_path_factory.mktemp("codes")
    labels = {value: label for value, label in labels.items() if label}
    parts = {"type": "integer", "missing": codes, "meanings": labels}
    dataset = oc.load(b"a,b\n5,1\n6,2\n", variables={"a": parts})
    dataset.export(folder / "x.txt", missing="null")
    again = oc.load(folder / "x.txt", fields=folder / "x.txt.fields.csv")["a"].variable
    assert again.missing == dataset["a"].variable.missing
    assert again.meanings == dataset["a"].variable.meanings


SECOND = "0001 Ana   31\n0001 Picual    2\n0002 Bruno 44\n0002 Empeltre  1\n"
TWO_LINES = [
    *(("id", 1, 4), ("name", 6, 10), ("age", 12, 13)),
    {"name": "variety", "start": 6, "end": 14, "line": 2},
    {"name": "water", "start": 16, "end": 16, "line": 2},
]


def test_cases_of_two_lines(tmp_path):
    dataset = oc.load(SECOND.encode(), fields=TWO_LINES)
    assert dataset["variety"].values.to_pylist() == ["Picual", "Empeltre"]
    assert dataset.receipt.parts["continued"] == 2 and dataset.receipt.balanced
    assert "further lines of records" in str(dataset.receipt)
    look = str(oc.look(SECOND.encode(), fields=TWO_LINES))
    assert "line 1" in look and "line 2" in look
    cut = oc.load(SECOND[:-17].encode(), fields=TWO_LINES)
    assert cut["water"].values.to_pylist() == [2, None] and cut.receipt.balanced
    assert "lacks 1 line" in " ".join(map(str, cut.receipt.notes))
    limited = oc.load(SECOND.encode(), fields=TWO_LINES, limit=1)
    assert len(limited) == 1 and limited.receipt.stopped and limited.receipt.balanced
    dataset.export(tmp_path / "x.txt", fields=TWO_LINES)
    assert oc.load(oc.Plan.read(tmp_path / "x.txt.plan.toml")).equals(dataset)


REPORT = (
    "Cooperative of the hills     page 1\n\n"
    "Grower  Farm        Crates  Waste %\n"
    + "-" * 35
    + "\n"
    + "".join(
        f"G{n:03d}    {('Alta', 'El Pozo')[n % 2]:<12}{1000 + n * 37:6,d}{n / 7:9.2f}\n"
        for n in range(40)
    )
    + "Total               69,  28\n"
)


def test_an_aligned_report_is_found_without_being_told(tmp_path):
    dataset = oc.load(REPORT.encode())
    assert dataset.names == ["Grower", "Farm", "Crates", "Waste %"] and len(dataset) == 40
    assert [each.type for each in dataset.variables] == ["text", "text", "integer", "number"]
    assert dataset.plan.layout == "fixed" and dataset.receipt.skipped_rows == (1, 4, 45)
    doubt = next(each for each in dataset.receipt.decided if each.about == "layout")
    assert not doubt.certain and doubt.alternatives == ("delimited",)
    plan = oc.draft(REPORT.encode())
    plan.write(tmp_path / "p.toml")
    assert oc.load(REPORT.encode(), plan=oc.Plan.read(tmp_path / "p.toml")).equals(dataset)
    namespace = {"source": REPORT.encode()}
    exec(plan.code(), namespace)
    assert namespace["ds"].equals(dataset)


def test_the_command_reads_fixed_columns(here, demo, tmp_path):
    lab = demo / "laboratory_2025.txt"
    spec = ("--fields", "sample:1-6,day:7-14,acidity:15-18", "--type", "day=date")
    done = here("pack", lab, *spec, "-o", "lab.parquet", "--keep", "sample,day")
    assert done.returncode == 0, done.stderr
    assert oc.unpack(tmp_path / "lab.parquet")["day"].variable.format == "%Y%m%d"
    assert "positions 19 and beyond: no field covers these positions" in done.stdout
    drawn = here("look", lab, *spec, "--picture", "p.png")
    assert drawn.returncode == 0 and (tmp_path / "p.png").read_bytes()[:4] == b"\x89PNG"
    table = ("--fields", demo / "laboratory.fields.csv", "--heading", "type=Kind")
    drafted = here("draft", lab, *table)
    assert "[[field]]" in drafted.stdout and 'sign = "overpunched"' in drafted.stdout
    assert here("look", lab, "--record-type", "x", *spec).returncode == 2
    assert here("look", lab, "--delimiter", ";", *spec).returncode == 1


@pytest.mark.parametrize("files", [1, 2])
def test_leading_blanks_that_are_removed_are_counted_and_said(files, tmp_path):
    """Of all files of a set together; none where every text has some, or none has."""
    (tmp_path / "f.txt").write_text("1 ab  x\n2  cd x\n3 efg x\n4     x\n")
    (tmp_path / "g.txt").write_text("5   h x\n6 ijk x\n")
    source = [tmp_path / "f.txt", tmp_path / "g.txt"][:files]
    fields = [("id", 1, 1), ("word", 3, 5), ("mark", 7, 7)]
    ds = oc.load(source[0] if files == 1 else source, fields=fields)
    said = {
        each.variable: str(each) for each in ds.receipt.decided if each.about == "variable.trim"
    }
    count = {1: "1 of 3", 2: "2 of 5"}[files]
    assert said == {
        "word": f'word: leading blanks removed from {count} texts; trim="right" keeps them'
    }
    assert said["word"] in str(ds.receipt)
    kept = oc.load(source[0], fields=fields, trim="right")
    assert kept["word"].values.to_pylist() == ["ab", " cd", "efg", None]
    assert not [each for each in kept.receipt.decided if each.about == "variable.trim"]
