"""What is exported and read again is the same dataset, or it is said what is not."""

from __future__ import annotations

import csv
import datetime as dt
import json
import math
import re
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from urllib.parse import unquote

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from made import COLUMNS, datasets

import olive_crate as oc
from olive_crate import Plan


@given(
    datasets(), st.sampled_from([".csv", ".tsv"]), st.sampled_from(["utf-8", "utf-16", "cp1253"])
)
def test_delimited_text_reads_back_equal(tmp_path_factory, dataset, ending, encoding):
    path = tmp_path_factory.mktemp("text") / f"x{ending}"
    try:
        dataset.export(path, encoding=encoding)
    except oc.PlanError as error:
        assert "cannot be written in cp1253" in str(error) and not path.exists()
        return
    again = oc.load(Plan.read(path.with_name(f"{path.name}.plan.toml")))
    assert again.variables == dataset.variables
    assert again.equals(dataset)
    with path.open(newline="", encoding=encoding) as stream:
        rows = list(csv.reader(stream, delimiter="\t" if ending == ".tsv" else ","))
    assert rows[0] == dataset.names and len(rows) == dataset.rows + 1


@given(datasets(), st.sampled_from([".csv", ".tsv"]), st.sampled_from([None, "|", "\t"]))
def test_a_decimal_comma_reads_back_equal(tmp_path_factory, dataset, ending, delimiter):
    path = tmp_path_factory.mktemp("comma") / f"x{ending}"
    dataset.export(path, decimal=",", delimiter=delimiter)
    assert oc.load(Plan.read(path.with_name(f"{path.name}.plan.toml"))).equals(dataset)
    mark = delimiter or (";" if ending == ".csv" else "\t")
    with path.open(newline="", encoding="utf-8") as stream:
        rows = list(csv.reader(stream, delimiter=mark))[1:]
    numbers = [dataset.names.index("acid")] if "acid" in dataset.names else []
    present = [dataset["acid"].reasons == 0 for _ in numbers]
    for at, known in zip(numbers, present, strict=True):
        assert not any(
            "." in row[at] for row, is_value in zip(rows, known, strict=True) if is_value
        )


@given(datasets(awkward=False), st.sampled_from([".csv", ".parquet"]))
def test_labels_stand_for_values_and_reasons_stay(tmp_path_factory, dataset, ending):
    path = tmp_path_factory.mktemp("labels") / f"x{ending}"
    dataset.export(path, labels=True, **({} if ending == ".parquet" else {"missing": "codes"}))
    if ending == ".parquet":
        table = pq.read_table(path)
        for name in dataset.names:
            wanted = dataset[name].labelled() if dataset[name].variable.meanings else None
            if wanted is not None:
                assert table[name].to_pylist() == wanted.to_pylist()
        return
    again = oc.load(Plan.read(path.with_name(f"{path.name}.plan.toml")))
    for name in dataset.names:
        assert again[name].reason_names().tolist() == dataset[name].reason_names().tolist()
        if dataset[name].variable.meanings:
            assert again[name].values.to_pylist() == dataset[name].labelled().to_pylist()
        else:
            assert again[name].equals(dataset[name])


@pytest.mark.parametrize(
    ("name", "options", "words"),
    [
        (
            "x.csv",
            {"decimal": ",", "delimiter": ","},
            "the delimiter and the decimal mark are both",
        ),
        ("x.csv", {"decimal": ";"}, 'expected "." or ","'),
        ("x.xlsx", {"decimal": ","}, "a decimal mark applies only to .csv, .tsv, .tab"),
    ],
)
def test_marks_that_cannot_be_are_refused(name, options, words, tmp_path):
    with pytest.raises(oc.PlanError, match=words):
        oc.load(b"a\n1.5\n").export(tmp_path / name, **options)
    assert list(tmp_path.iterdir()) == []


@given(datasets(awkward=False))
def test_parquet_arrow_and_numpy_have_the_values(tmp_path_factory, dataset):
    folder = tmp_path_factory.mktemp("arrow")
    for name in ("x.parquet", "x.arrow"):
        dataset.export(folder / name, missing="reasons")
    plain = pq.read_table(folder / "x.parquet")
    assert not plain.schema.metadata or b"olive_crate" not in plain.schema.metadata
    with pa.OSFile(str(folder / "x.arrow")) as file:
        other = pa.ipc.open_file(file).read_all()
    records = dataset.to_numpy(structured=True)
    for name in dataset.names:
        column = dataset[name]
        for table in (plain, other):
            assert table[name].to_pylist() == column.values.to_pylist()
        if column.reasons.any():
            assert other[f"{name}_reason"].to_pylist() == column.reason_texts().to_pylist()
        assert pa.table(dataset)[name].to_pylist() == column.values.to_pylist()
        if column.variable.type in ("integer", "number"):
            assert np.isnan(records[name].astype(float)).sum() == column.values.null_count
    meta = pa.table(dataset).schema.field(dataset.names[0]).metadata
    assert meta[b"olive_crate.type"].decode() == dataset.variables[0].type


# --- W3C CSVW: the rules of the recommendation, as far as they touch what is written

COLUMN_KEYS = {"name", "titles", "datatype", "null", "required", "virtual", "lang", "default"}
DIALECT_KEYS = {
    *("commentPrefix", "delimiter", "doubleQuote", "encoding", "header", "headerRowCount"),
    *("lineTerminators", "quoteChar", "skipBlankRows", "skipColumns", "skipInitialSpace"),
    *("skipRows", "trim"),
}
BASES = {"integer", "double", "string", "boolean", "date", "time", "dateTime", "duration"}
BASES.add("dateTimeStamp")
VARNAME = re.compile(r"(?!_)([A-Za-z0-9_.]|%[0-9A-F]{2})+")


def check_csvw(document: dict, headings: list[str]) -> None:
    """Sections 5.3 to 5.9 and 6.4 of "Metadata Vocabulary for Tabular Data"."""
    assert document["@context"] == "http://www.w3.org/ns/csvw"
    assert set(document) <= {"@context", "url", "dialect", "tableSchema"}
    assert set(document["dialect"]) <= DIALECT_KEYS
    schema = document["tableSchema"]
    assert set(schema) <= {"columns", "primaryKey", "foreignKeys", "rowTitles"}
    names = [column["name"] for column in schema["columns"]]
    assert len(set(names)) == len(names) and all(map(VARNAME.fullmatch, names))
    assert [column["titles"] for column in schema["columns"]] == headings
    assert set(schema.get("primaryKey", [])) <= set(names)
    for column in schema["columns"]:
        assert all(key in COLUMN_KEYS or ":" in key for key in column)
        datatype = column["datatype"]
        described = {"base": datatype} if isinstance(datatype, str) else datatype
        assert described["base"] in BASES
        assert all(isinstance(text, str) for text in column.get("null", []))
        if described["base"] == "boolean" and "format" in described:
            assert described["format"].count("|") == 1


@given(datasets(), st.booleans())
def test_csvw_says_what_the_standard_can(tmp_path_factory, dataset, keyed):
    path = tmp_path_factory.mktemp("csvw") / "délivered.csv"
    if keyed:
        plan = msgspec.structs.replace(
            dataset.plan, promised=oc.Promised(key=tuple(dataset.names[:1]))
        )
        dataset = msgspec.structs.replace(dataset, plan=plan).declare("*", required=True)
    told = dataset.export(path)
    document = json.loads((path.parent / f"{path.name}-metadata.json").read_text("utf-8"))
    check_csvw(document, dataset.names)
    assert unquote(document["url"]) == path.name
    plan = oc.dictionary(path.parent / f"{path.name}-metadata.json")
    again = oc.load(plan)
    assert again.plan.promised.key == dataset.plan.promised.key
    for name in dataset.names:
        own, other = dataset[name], again[name]
        for part in ("label", "unit", "format", "true", "false", "required"):
            assert getattr(other.variable, part) == getattr(own.variable, part)
        assert other.values.to_pylist() == own.values.to_pylist()
        singles = [each.value for each in own.variable.missing if each.value is not None]
        assert [each.value for each in other.variable.missing][: len(singles)] == singles
        if own.variable.meanings:
            assert any("meanings of values" in note and name in note for note in told.notes)


FOREIGN = {
    "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
    "dialect": {"delimiter": ";", "skipRows": 1, "commentPrefix": "!", "quoteChar": "'"},
    "null": ["", "-"],
    "tables": [
        {
            "url": "trees.csv",
            "tableSchema": {
                "columns": [
                    {
                        "titles": {"en": ["Tree", "Number of the tree"]},
                        "datatype": "nonNegativeInteger",
                    },
                    {
                        "name": "girth",
                        "titles": "Girth",
                        "datatype": {"base": "decimal", "format": {"decimalChar": ","}},
                        "null": ["-1"],
                    },
                    {"name": "planted", "datatype": {"base": "date", "format": "d/M/yyyy"}},
                    {"name": "ill", "datatype": {"base": "boolean", "format": "Y|N"}},
                    {"name": "x", "virtual": True},
                ],
                "primaryKey": "girth",
            },
        }
    ],
}


def test_csvw_of_others_is_followed(tmp_path):
    (tmp_path / "m.json").write_text(json.dumps(FOREIGN))
    (tmp_path / "trees.csv").write_text(
        "by hand\nTree;Girth;planted;ill\n! late\n7;61,5;3/11/1987;Y\n8;-1;'';N\n9;'40';-;-\n"
    )
    trees = oc.load(oc.dictionary(tmp_path / "m.json"))
    assert trees.names == ["Tree", "girth", "planted", "ill"]
    assert trees.to_arrow().to_pylist()[0] == {
        "Tree": 7,
        "girth": 61.5,
        "planted": dt.date(1987, 11, 3),
        "ill": True,
    }
    assert trees["girth"].why(1) == "-1" and trees["planted"].why(2) == "-"
    assert trees["Tree"].variable.label == "Number of the tree"
    assert trees.plan.promised.key == ("girth",)
    for wrong, words in (
        ({"@context": "x"}, "not CSVW metadata"),
        (FOREIGN | {"tables": FOREIGN["tables"] * 2}, "describes 2 tables"),
        ({"@context": FOREIGN["@context"], "url": "x"}, "tableSchema.columns"),
    ):
        (tmp_path / "w.json").write_text(json.dumps(wrong))
        with pytest.raises(oc.OliveCrateError, match=words):
            oc.dictionary(tmp_path / "w.json")


# --- DDI-Codebook 2.5: the order and the words of the schema, for what is written

CHILDREN = {
    "codeBook": ["docDscr", "stdyDscr", "fileDscr", "dataDscr", "otherMat"],
    "stdyDscr": ["citation"],
    "citation": ["titlStmt"],
    "titlStmt": ["titl"],
    "fileDscr": ["fileTxt"],
    "fileTxt": ["fileName", "fileCont", "fileStrc", "dimensns"],
    "dimensns": ["caseQnty", "varQnty", "logRecL", "recPrCas", "recNumTot"],
    "dataDscr": ["varGrp", "var"],
    "var": [
        *("location", "labl", "imputation", "security", "embargo", "respUnit", "anlysUnit"),
        *("qstn", "valrng", "invalrng", "undocCod", "universe", "TotlResp", "sumStat", "txt"),
        *("stdCatgry", "catgryGrp", "catgry", "codInstr", "verStmt", "concept", "derivation"),
        *("varFormat", "geoMap", "catLevel", "notes"),
    ],
    "valrng": ["item", "range", "key", "notes"],
    "invalrng": ["item", "range", "key", "notes"],
    "catgry": ["catValu", "labl", "txt", "catStat", "mrow"],
}
WORDS_OF = {
    ("var", "nature"): {"nominal", "ordinal", "interval", "ratio", "percent", "other"},
    ("var", "intrvl"): {"contin", "discrete"},
    ("varFormat", "type"): {"numeric", "character"},
    ("varFormat", "category"): {"date", "time", "currency", "other"},
    ("sumStat", "type"): {"mean", "medn", "mode", "vald", "invd", "min", "max", "stdev", "other"},
    ("catStat", "type"): {"freq", "percent", "crosstab", "other"},
    ("catgry", "missing"): {"Y", "N"},
}


def check_ddi(element: ElementTree.Element) -> None:
    """Each element is known where it stands, in the schema's order, with the schema's words."""
    namespace, _, tag = element.tag[1:].partition("}")
    assert namespace == "ddi:codebook:2_5"
    children = [child.tag.partition("}")[2] for child in element]
    places = [CHILDREN[tag].index(child) for child in children] if children else []
    assert places == sorted(places)
    for key, value in element.attrib.items():
        assert value in WORDS_OF.get((tag, key), {value})
    if "ID" in element.attrib:
        assert re.fullmatch(r"[A-Za-z_][\w.-]*", element.attrib["ID"])
    for child in element:
        check_ddi(child)


@given(datasets(awkward=False), st.booleans())
def test_ddi_says_what_the_standard_can(tmp_path_factory, dataset, fixed):
    folder = tmp_path_factory.mktemp("ddi")
    path = folder / ("x.txt" if fixed else "x.csv")
    if fixed and "word" in dataset:
        dataset = dataset.keep([name for name in dataset.names if name != "word"] or ["word"])
    try:
        told = dataset.export(path, metadata="ddi")
    except oc.PlanError as error:
        assert "word" in str(error)  # a line end that no field can keep
        return
    check_ddi(ElementTree.parse(folder / f"{path.name}.ddi.xml").getroot())
    plan = oc.dictionary(folder / f"{path.name}.ddi.xml")
    for own, other in zip(dataset.variables, plan.variables, strict=True):
        lost = {"true": (), "false": (), "meaning_set": None}
        lost |= {"decimals": other.decimals} if fixed else {}
        assert other == msgspec.structs.replace(own, **lost)
    for what, has in (("words for true", "done"), ("sets of meanings", "count")):
        assert any(what in note for note in told.notes) == (has in dataset)


def test_codebooks_are_dictionaries(tmp_path):
    data = ",".join(COLUMNS) + "\n" + ",".join("" for _ in COLUMNS) + "\n"
    dataset = oc.load(
        (data + "1,2,x,A,ja,,,,\n").encode(), variables=COLUMNS, delimiter=",", decimal="."
    ).declare("count", meanings={0: "none", (None, -1): "below", (1, None): "some"})
    (tmp_path / "book.csv").write_text(dataset.codebook().to_csv(), "utf-8", newline="")
    plan = oc.dictionary(tmp_path / "book.csv")
    assert plan.variables == dataset.variables
    assert json.loads(dataset.codebook().to_json())["rows"] == 2
    assert "| 9 | span |" in dataset.codebook().to_markdown()
    assert dataset.codebook().to_pandas()["valid cells"].tolist()[:3] == [1, 1, 1]
    book = dataset.codebook("acid")
    assert book["acid"].position == 2 and book["acid"].codes[1] == ("98", "refused", 0)


WRONG = [
    ("x.doc", {}, "cannot export to .doc"),
    ("x.csv", {"missing": "blank"}, 'unknown choice "blank"'),
    ("x.csv", {"fields": []}, "fields apply only to fixed-width text"),
    ("x.txt", {"delimiter": ","}, "a delimiter applies only to"),
    ("x.txt", {"metadata": "csvw"}, "CSVW describes only delimited files"),
    ("x.csv", {"metadata": "cwsv"}, 'did you mean "csvw"'),
    ("x.arrow", {"missing": "codes"}, 'the code "n.d." is not an integer'),
    ("none/x.csv", {}, "no such folder"),
]


@pytest.mark.parametrize(("name", "options", "words"), WRONG)
def test_what_cannot_be_written_is_refused(tmp_path, name, options, words):
    dataset = oc.load(
        b"a,b\nn.d.,x\n5,y\n", variables={"a": {"type": "integer", "missing": ["n.d."]}}
    )
    with pytest.raises(oc.PlanError, match=words):
        dataset.export(tmp_path / name, **options)
    assert not list(tmp_path.iterdir())


def test_a_file_beside_an_export_is_replaced_only_if_nobody_has_edited_it(tmp_path):
    dataset = oc.load(b"a,b\n5,x\n6,y\n")
    (tmp_path / "x.plan.toml").write_text("# mine")
    told = dataset.export(tmp_path / "x.csv", metadata=["csvw", "ddi"])
    written = {Path(each).name for each in told.files}
    assert written | {"x.plan.toml"} == {each.name for each in tmp_path.iterdir()}
    with pytest.raises(oc.PlanError, match="already exists"):
        dataset.export(tmp_path / "x.csv")
    dataset.head(1).export(tmp_path / "x.csv", metadata=["csvw", "ddi"], replace=True)
    for name in sorted(written - {"x.csv"}):
        path, before = tmp_path / name, (tmp_path / name).read_bytes()
        path.write_bytes(before.replace(b"b", b"q", 1))
        with pytest.raises(oc.PlanError, match="not as an export wrote it"):
            dataset.export(tmp_path / "x.csv", metadata=["csvw", "ddi"], replace=True)
        assert (tmp_path / "x.csv").read_text().count("\n") == 2, "nothing else is written then"
        path.write_bytes(before)
    assert (tmp_path / "x.plan.toml").read_text() == "# mine"


AT_TOP = {"names": 1, "data": "2.."}


@given(datasets(awkward=False))
def test_fixed_width_and_workbooks_read_back_equal(tmp_path_factory, dataset):
    folder = tmp_path_factory.mktemp("other")
    empty = np.all([dataset[name].reasons == 1 for name in dataset.names], axis=0)
    dataset = dataset.filter(~empty)  # a blank row is no case, in a sheet or a line
    told = dataset.export(folder / "x.xlsx")
    book = {"path": folder / "x.xlsx", "sheet": "codebook"}
    again = oc.load(folder / "x.xlsx", sheet="data", range="A1:", fields=book, rows=AT_TOP)
    assert again.names == dataset.names
    for name in dataset.names:
        own, other = (each[name].values.to_pylist() for each in (dataset, again))
        if any("of which a sheet keeps 16" in note for note in told.notes):
            near = [
                isinstance(x, float) and math.isclose(x, y) for x, y in zip(own, other, strict=True)
            ]
            other = [x if same else y for x, y, same in zip(own, other, near, strict=True)]
        assert other == own
        assert again[name].reason_texts().to_pylist() == dataset[name].reason_texts().to_pylist()
        lost = {"decimals": again[name].variable.decimals, "meaning_set": None}
        assert again[name].variable == msgspec.structs.replace(dataset[name].variable, **lost)
    try:
        dataset.export(folder / "x.txt")
    except oc.PlanError as error:
        assert '"word"' in str(error)  # blanks at its ends, or a line end, that no field can keep
        return
    assert oc.load(Plan.read(folder / "x.txt.plan.toml")).equals(dataset)


FORMULAS = ["=1+1", "@sum", "+cmd|x", "-A1", "-2-3", "\tx", "=", "-"]
NO_FORMULAS = ["-5", "+49.30", "-1,5", "-1e-05", "+2.5E10", "a=b", "x-y", "", "'=1", "1+1"]


@pytest.mark.parametrize("text", [*FORMULAS, *NO_FORMULAS])
def test_texts_that_a_spreadsheet_would_work_out_are_told_and_quoted_on_request(text, tmp_path):
    source = f'id,note\n1,"{text}"\n2,plain\n'.encode()
    options = {"types": {"note": "text"}, "missing": {}, "delimiter": ",", "trim": False}
    ds = oc.load(source, rows={"names": 1}, **options)
    made = ds.export(tmp_path / "a.csv")
    told = [note for note in made.notes if "formulas in a spreadsheet" in note]
    assert len(told) == (text in FORMULAS)
    assert oc.load(oc.Plan.read(tmp_path / "a.csv.plan.toml")).equals(ds)
    quoted = ds.export(tmp_path / "q.csv", formulas="quoted")
    cells = [row.partition(",")[2] for row in (tmp_path / "q.csv").read_text().splitlines()[1:]]
    mark = "'" if text in FORMULAS else ""
    assert cells[0].strip('"') == mark + text and cells[1] == "plain"
    assert any("an apostrophe was put" in note for note in quoted.notes) == (text in FORMULAS)


def test_formulas_apply_to_delimited_text_alone(tmp_path, command):
    ds = oc.load(b"id,note\n1,=x\n2,y\n")
    with pytest.raises(oc.PlanError, match='expected "as is" or "quoted"'):
        ds.export(tmp_path / "a.csv", formulas="none")
    with pytest.raises(oc.PlanError, match="apply only to"):
        ds.export(tmp_path / "a.arrow", formulas="quoted")
    (tmp_path / "s.csv").write_text("id,note\n1,=x\n2,y\n")
    done = command("export", "s.csv", "a.csv", "--formulas", "quoted")
    assert done.returncode == 0 and "apostrophe" in done.stdout
    assert "'=x" in (tmp_path / "a.csv").read_text()


def test_numbers_are_never_quoted_and_spans_below_zero_are(tmp_path):
    rows = "".join(f"{-n / 1e7!r},-PT{n}S,{-n}\n" for n in range(1, 9))
    ds = oc.load(f"a,span,n\n{rows}".encode(), types={"span": "duration"})
    made = ds.export(tmp_path / "a.csv", formulas="quoted")
    first = (tmp_path / "a.csv").read_text().splitlines()[1].split(",")
    assert [cell[:1] for cell in first] == ["-", "'", "-"]
    assert any("8 cells (span)" in note for note in made.notes)
