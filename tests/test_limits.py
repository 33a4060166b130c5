"""What files that ask for too much end in: one message with the limit, and never a lost process."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import os
import subprocess
import sys
import tarfile
import zipfile

import pytest
from sheets import book_of

import olive_crate as oc

ROWS = b"id,acid\n" + b"1,0.3\n" * 20_000
HUGE = 80 << 20
"""Above what may come out of anything, whatever the ratio."""


def zipped(data):
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.csv", data)
    return held.getvalue()


def tarred(data):
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w:gz") as archive:
        member = tarfile.TarInfo("a.csv")
        member.size = len(data)
        archive.addfile(member, io.BytesIO(data))
    return held.getvalue()


COMPRESSED = {
    "gzip": gzip.compress,
    "bzip2": bz2.compress,
    "xz": lzma.compress,
    "zip": zipped,
    "tar": tarred,
}


@pytest.mark.parametrize("kind", COMPRESSED)
def test_what_comes_out_of_a_compressed_text_has_limits(kind):
    data = COMPRESSED[kind](ROWS)
    assert len(oc.load(data)) == 20_000
    with pytest.raises(oc.SourceError, match=r'more than 100,000 bytes.*limits=\{"text": …\}'):
        oc.load(data, limits={"text": 100_000})
    assert len(oc.load(data, limits={"text": len(ROWS) + 20_000})) == 20_000


@pytest.mark.parametrize("kind", ["gzip", "bzip2", "xz", "zip"])
def test_a_bomb_is_no_text(kind):
    if kind == "bzip2":  # streams one after another, since so long a one takes long to make
        data = bz2.compress(b"1,2\n" * (HUGE // 64)) * 16
    else:
        data = COMPRESSED[kind](b"1,2\n" * (HUGE // 4))
    limit = HUGE // len(data) // 2
    with pytest.raises(oc.SourceError, match=f'inflates {limit:,} times.*"ratio"'):
        oc.load(data, limits={"ratio": limit})
    assert oc.look(data, limits={"ratio": limit}).variables[0].type == "integer"


def test_an_archive_of_too_many_files_is_refused():
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as archive:
        for number in range(30):
            archive.writestr(f"{number}.csv", b"id\n1\n")
    assert len(oc.load(held.getvalue())) == 30
    with pytest.raises(oc.SourceError, match=r'30 files.*"entries"'):
        oc.load(held.getvalue(), limits={"entries": 29})


LONG = b"x" * 3_000_000
ENDLESS = {
    "a field": b"a,b\n1,2\n3," + LONG + b"\n",
    "a quoted field": b'a,b\n1,2\n3,"' + LONG + b'"\n',
    "lines in quotes": b'a,b\n1,2\n3,"' + b"x\n" * 1_500_000 + b'"\n',
    "no end at all": b"a,b\n1,2\n3," + LONG,
    "another encoding": ("a,b\n1,2\n3," + "é" * 3_000_000 + "\n").encode("cp1252"),
}


@pytest.mark.parametrize("name", ENDLESS)
@pytest.mark.parametrize("workers", [1, 2])
def test_a_record_has_a_longest_length(name, workers, tmp_path):
    limits, path = {"record": 2_000_000}, tmp_path / "a.csv"
    path.write_bytes(ENDLESS[name])
    with pytest.raises(oc.SourceError, match=r'longer than 2,000,000 bytes.*"record"'):
        oc.load(path, limits=limits, workers=workers)
    with pytest.raises(oc.SourceError, match="longer"):
        oc.pack(path, tmp_path / "a.parquet", limits=limits, workers=workers)
    ds = oc.load(path, workers=workers)
    assert len(ds) == 2
    assert len(ds[ds.names[-1]].values[1].as_py()) >= 3_000_000 - 1


def test_a_line_of_fixed_columns_has_a_longest_length():
    data = b"1 0.3\n" + b"2" * 3_000_000 + b"\n"
    how = {"layout": "fixed", "fields": [("id", 1, 1), ("acid", 3, 5)]}
    assert len(oc.load(data, **how)) == 2
    with pytest.raises(
        oc.SourceError, match=r"row 2 is longer than 1,000,000 bytes.*record_length"
    ):
        oc.load(data, limits={"record": 1_000_000}, **how)


WIDE = {
    "the heading": b",".join(b"v%d" % i for i in range(3_000)) + b"\n",
    "a row": b"a,b\n1,2\n" + b"," * 3_000 + b"\n",
    "a row far below": b"a,b\n" + b"1,2\n" * 100_000 + b"," * 3_000 + b"\n1,2\n",
    "the only line": b",".join([b"1"] * 3_000),
}


@pytest.mark.parametrize("name", WIDE)
def test_a_record_has_a_greatest_number_of_fields(name):
    with pytest.raises(oc.SourceError, match=r'fields, more than 2,000.*delimiter.*"fields"'):
        oc.load(WIDE[name], limits={"fields": 2_000})
    oc.load(WIDE[name], limits={"fields": 4_000})


def test_limits_travel_in_a_plan(tmp_path):
    (tmp_path / "a.csv").write_bytes(WIDE["a row"])
    oc.Plan(oc.draft(b"a\n1\n").source).with_options(limits={"fields": 5_000})
    plan = oc.draft(tmp_path / "a.csv", limits={"fields": 5_000})
    plan.write(tmp_path / "a.plan.toml")
    text = (tmp_path / "a.plan.toml").read_text("utf-8")
    assert "limits = {fields = 5000}" in text, "what is usual is left out"
    assert oc.Plan.read(tmp_path / "a.plan.toml").source.limits == plan.source.limits
    tight = text.replace("fields = 5000", "fields = 5")
    (tmp_path / "b.plan.toml").write_text(tight, "utf-8")
    with pytest.raises(oc.SourceError, match="fields"):
        oc.load(oc.Plan.read(tmp_path / "b.plan.toml"))


BLANKS = " \n\t " * 1_000_000
SHEETS = {
    "blanks between rows": "<row r='1'><c r='A1'><v>1</v></c></row>" + BLANKS,
    "blanks in a row": "<row r='1'><c r='A1'><v>1</v></c>" + BLANKS + "</row>",
    "a comment": "<row r='1'><c r='A1'><v>1</v></c></row><!--" + BLANKS + "-->",
    "an attribute": "<row r='1' spans='" + BLANKS + "'><c r='A1'><v>1</v></c></row>",
}


@pytest.mark.parametrize("name", SHEETS)
def test_blanks_in_the_xml_of_a_sheet_cost_their_length(name):
    book = book_of("<sheetData>" + SHEETS[name].replace("'", '"') + "</sheetData>")
    limits = {"ratio": 100_000}
    assert oc.load(book, rows={"names": []}, limits=limits).rows == 1
    with pytest.raises(oc.SourceError, match='"record"'):
        oc.load(book, rows={"names": []}, limits=limits | {"record": 1_000_000})


@pytest.mark.parametrize(
    "page",
    [
        "<div>" * 2_000 + "<table><tr><th>a<tr><td>1</table>",
        "<table>" + "<tr><td><table>" * 2_000,
        "<b>" * 2_000 + "<p>x",
    ],
)
def test_a_page_has_a_greatest_depth(page):
    with pytest.raises(oc.SourceError, match="nested more than 1,000 deep"):
        oc.load(b"<html><body>" + page.encode())


SMALL_MEMORY = """
import resource, sys
import olive_crate as oc
oc.load(b"a,b\\n1,x\\n2,y\\n")
used = int(open("/proc/self/statm").read().split()[0]) * resource.getpagesize()
resource.setrlimit(resource.RLIMIT_AS, (used + (60 << 20),) * 2)
try:
    oc.load(sys.argv[1], workers=1)
except oc.SourceError as error:
    print(error)
"""


@pytest.mark.skipif(
    not os.path.exists("/proc/self/statm") or "SANITIZED" in os.environ,
    reason="needs limits of a process",
)
def test_too_little_memory_is_an_error_of_ours(tmp_path):
    path = tmp_path / "a.csv"
    with path.open("wb") as stream:
        stream.write(b"id,acid,text\n")
        for number in range(40):
            line = b"%d,0.25,the oil of grove %d\n" % (number, number)
            stream.write(line * 40_000)
    done = subprocess.run(
        [sys.executable, "-c", SMALL_MEMORY, str(path)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith(f"{path}: there is not enough memory for it; read it piece")
