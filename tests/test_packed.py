"""Save once, reopen fast, lose nothing."""

from __future__ import annotations

import gzip
import io
import json
import shutil
import subprocess
import sys
import zipfile

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import Plan
from olive_crate.formats import parquet
from olive_crate.reading import packing


def test_a_packed_dataset_comes_back_equal(demo, tmp_path):
    dataset = oc.load(Plan.read(demo / "deliveries.plan.toml"))
    dataset.pack(tmp_path / "d.parquet")
    again = oc.unpack(tmp_path / "d.parquet")
    assert again.equals(dataset)
    assert again.receipt.to_dict() == dataset.receipt.to_dict()
    assert str(again.codebook()) == str(dataset.codebook())
    plain = pq.read_table(tmp_path / "d.parquet")
    assert plain["acidity"].null_count == 70
    assert plain["acidity_reason"].to_pylist().count("sample lost") == 39
    assert "delivery_reason" not in plain.column_names
    assert oc.load(again.plan).equals(dataset)


CELL = st.sampled_from(
    [
        *("1", "2.5", "-9", "", "NA", "x", "2025-10-13", "long text, really", "yes", "no"),
        *("01/02/2025", "13/02/2025", "02/13/2025"),
    ]
)


@given(st.lists(st.tuples(CELL, CELL), min_size=1, max_size=40), st.sampled_from([1, 200, 1 << 26]))
def test_packing_a_file_is_loading_and_packing(monkeypatch, tmp_path_factory, rows, held):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "32")
    monkeypatch.setattr(packing, "HELD", held)
    path = tmp_path_factory.mktemp("pack") / "x.parquet"
    data = "a;b\n" + "".join(f'"{a}";"{b}"\n' for a, b in rows)
    options = {"delimiter": ";", "rows": {"names": 1, "data": "2.."}, "missing": [-9]}
    receipt = oc.pack(data.encode(), path, **options)
    dataset = oc.load(data.encode(), **options)
    again = oc.unpack(path)
    assert again.variables == dataset.variables
    assert again.equals(dataset)
    assert receipt.balanced and receipt.cells == dataset.receipt.cells
    assert receipt.decided == dataset.receipt.decided


TEXTS = {
    "few": lambda row: ("Picual", "Arbequina", "", "late frost")[row % 4],
    "all different": lambda row: f"lot {row}",
    "missing": lambda row: "",
    "long": lambda row: f"a remark {row % 5}" + " and more" * 40,
    "mostly few": lambda row: f"lot {row}" if row % 50 == 7 else "Picual",
}


@settings(max_examples=tries(30))
@given(
    st.lists(st.sampled_from(sorted(TEXTS)), min_size=1, max_size=4),
    st.sampled_from([1, 20_000, 1 << 26]),
    st.sampled_from([None, "text", "category"]),
)
def test_texts_may_begin_or_cease_to_repeat(monkeypatch, tmp_path_factory, runs, held, kind):
    """Texts that repeat go into the file as places in a dictionary; their type stays text."""
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "4096")
    monkeypatch.setattr(packing, "HELD", held)
    path = tmp_path_factory.mktemp("pack") / "x.parquet"
    cells = [TEXTS[run](place * 300 + row) for place, run in enumerate(runs) for row in range(300)]
    data = "id;note\n" + "".join(f"{row};{cell}\n" for row, cell in enumerate(cells))
    options = {"delimiter": ";", "types": {"note": kind} if kind else {}}
    oc.pack(data.encode(), path, rows={"names": 1, "data": "2.."}, **options)
    again = oc.unpack(path)
    assert again.equals(oc.load(data.encode(), rows={"names": 1, "data": "2.."}, **options))
    plain = pq.read_table(path)
    if any(cells):
        assert plain["note"].to_pylist() == [cell or None for cell in cells]
    if kind == "text":
        assert plain.schema.field("note").type == pa.string()
    assert oc.verify(path).is_whole


def test_extremes_of_values_are_told_and_those_of_reasons_are_not(tmp_path):
    """Whoever filters by a value skips the groups of rows that cannot hold it."""
    rows = "".join(
        f"{row};{row % 90 / 10 if row % 7 else 'NA'};lot {row:03}\n" for row in range(500)
    )
    oc.pack(f"id;acid;lot\n{rows}".encode(), tmp_path / "x.parquet")
    group = pq.ParquetFile(tmp_path / "x.parquet").metadata.row_group(0)
    columns = [group.column(place) for place in range(group.num_columns)]
    told = {each.path_in_schema: each.statistics for each in columns}
    assert (told["id"].min, told["id"].max) == (0, 499)
    assert (told["acid"].min, told["acid"].max, told["acid"].null_count) == (0.0, 8.9, 72)
    assert (told["lot"].min, told["lot"].max) == ("lot 000", "lot 499")
    assert told["acid_reason"] is None


def test_nothing_is_left_behind_when_packing_fails(tmp_path):
    target = tmp_path / "d.parquet"
    with pytest.raises(oc.UnreadableError):
        oc.pack(b"a\n1\nx\n", target, types="integer", unreadable="stop")
    assert list(tmp_path.iterdir()) == []
    oc.pack(b"a,b\n1,2\n", target)
    before = target.read_bytes()
    with pytest.raises(oc.PlanError, match="already exists; use replace=True"):
        oc.pack(b"a,b\n3,4\n", target)
    with pytest.raises(oc.LayoutError):
        oc.pack(b'a,b\n1,"x\n', target, replace=True)
    assert target.read_bytes() == before and len(list(tmp_path.iterdir())) == 1


def test_columns_are_read_when_they_are_asked_for(demo, tmp_path):
    oc.pack(Plan.read(demo / "deliveries.plan.toml"), tmp_path / "d.parquet")
    few = oc.unpack(tmp_path / "d.parquet").keep("gross..net").head(3)
    assert few.names == ["gross", "tare", "net"]
    net = few["gross"].values.to_numpy() - few["tare"].values.to_numpy()
    assert net.tolist() == few["net"].values.to_pylist()
    table = few.to_arrow()
    assert table.schema.field("net").metadata[b"olive_crate.unit"] == b"kg"


WRITTEN = b"id,acid\n1,0.3\n2,0.4\n"


@pytest.mark.parametrize("kind", ["plain", "gzip", "zip", "stream", "file", "url"])
def test_sources_of_every_kind(tmp_path, kind):
    path = tmp_path / "d.csv"
    path.write_bytes(WRITTEN)
    source: object = path
    if kind == "gzip":
        source = gzip.compress(WRITTEN)
    elif kind == "zip":
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("inner.csv", WRITTEN)
    elif kind == "stream":
        source = io.BufferedReader(_Pipe(WRITTEN))
    elif kind == "file":
        source = path.open("rb")
    elif kind == "url":
        source = path.as_uri()
    assert oc.load(source)["acid"].values.to_pylist() == [0.3, 0.4]
    assert oc.look(path).cases[0] == ("1", "0.3")
    if kind == "file":
        source.close()


class _Pipe(io.RawIOBase):
    """Bytes that can be read only once."""

    def __init__(self, data: bytes) -> None:
        self._data = io.BytesIO(data)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: object) -> int:
        return self._data.readinto(buffer)


def bad_sources(folder):
    (folder / "picture.csv").write_bytes(b"\x89PNG\r\n" + bytes(range(256)))
    (folder / "noise.csv").write_bytes(bytes(range(256)) * 40)
    (folder / "cut.csv.gz").write_bytes(gzip.compress(b"a,b\n" * 10_000)[:-40])
    with zipfile.ZipFile(folder / "none.zip", "w") as archive:
        archive.writestr("readme.md", "1")
        archive.writestr("notes.pdf", "2")
    (folder / "empty").mkdir()
    with zipfile.ZipFile(folder / "book.xlsx", "w") as archive:
        archive.writestr("[Content_Types].xml", "<x/>")
    (folder / "deliveries.csv").write_text("a,b\n1,2\n")
    (folder / "other.parquet").write_bytes(b"PAR1 not really")
    return folder


BAD = [
    ("delivery.csv", 'no such file; did you mean "deliveries.csv"'),
    ("nowhere/x.csv", "no such folder"),
    ("empty", "no data file in this folder"),
    ("picture.csv", "this is a picture"),
    ("noise.csv", "looks like a binary file"),
    ("cut.csv.gz", "damaged or truncated"),
    ("none.zip", "the archive holds no data file"),
    ("book.xlsx", "but no workbook"),
    ("other.parquet", "open it with unpack"),
    ("s9://bucket/x.csv", "s9://bucket/x.csv"),
]


@pytest.mark.parametrize(("name", "message"), BAD)
def test_a_bad_source_gives_one_clear_message(tmp_path, command, name, message):
    bad_sources(tmp_path)
    source = name if "://" in name else tmp_path / name
    with pytest.raises(oc.SourceError, match=message):
        oc.load(source)
    before = sorted(tmp_path.iterdir())
    done = command("pack", source, "-o", "out.parquet")
    assert done.returncode == 1 and done.stdout == ""
    assert done.stderr.startswith("olive-crate: ") and "Traceback" not in done.stderr
    assert sorted(tmp_path.iterdir()) == before


def test_what_unpack_cannot_open(tmp_path):
    (tmp_path / "x.parquet").write_text("no")
    for name, message in [("y.parquet", "no such file"), ("x.parquet", "not a Parquet file")]:
        with pytest.raises(oc.SourceError, match=message):
            oc.unpack(tmp_path / name)


GROWERS = "id,name,score,day,mark\n" + "".join(
    f"{n},grower {n % 7},{n % 13 / 8},2025-10-{n % 28 + 1:02d},{'NA' if n % 9 == 0 else n % 5}\n"
    for n in range(400)
)


@pytest.fixture(scope="module")
def packed_forms(tmp_path_factory):
    """What was loaded, the bytes of it packed, and the folder of it packed as a set."""
    folder = tmp_path_factory.mktemp("growers")
    (folder / "a.csv").write_text(GROWERS)
    (folder / "b.csv").write_text(GROWERS)
    oc.pack(folder / "a.csv", folder / "a.parquet")
    oc.pack([folder / "a.csv", folder / "b.csv"], folder / "set")
    return oc.load(folder / "a.csv"), (folder / "a.parquet").read_bytes(), folder / "set"


DAMAGE = st.tuples(st.floats(0, 1, exclude_max=True), st.integers(1, 255))


@settings(max_examples=tries(150))
@given(DAMAGE)
def test_a_changed_byte_is_found_or_changes_nothing(packed_forms, tmp_path, damage):
    """Every byte: of the data, the heads of pages, the description, the sums themselves."""
    dataset, data, _ = packed_forms
    broken = bytearray(data)
    broken[int(damage[0] * len(data))] ^= damage[1]
    (tmp_path / "b.parquet").write_bytes(broken)
    assert not oc.verify(tmp_path / "b.parquet").is_whole
    try:
        again = oc.unpack(tmp_path / "b.parquet")
        again.to_arrow()
    except oc.SourceError as error:
        assert str(error).startswith(str(tmp_path / "b.parquet"))
        return
    assert again.rows == dataset.rows and again.names == dataset.names


@settings(max_examples=tries(40))
@given(st.floats(0, 1, exclude_max=True))
def test_a_cut_file_is_refused(packed_forms, tmp_path, share):
    data = packed_forms[1]
    (tmp_path / "b.parquet").write_bytes(data[: int(share * len(data))])
    with pytest.raises(oc.SourceError):
        oc.unpack(tmp_path / "b.parquet")


@settings(max_examples=tries(60))
@given(DAMAGE, st.integers(0, 2))
def test_a_changed_byte_of_a_set_is_found(packed_forms, tmp_path_factory, damage, which):
    folder = tmp_path_factory.mktemp("set") / "set"
    shutil.copytree(packed_forms[2], folder)
    name = sorted(each.name for each in folder.iterdir() if each.is_file())[which]
    broken = bytearray((folder / name).read_bytes())
    broken[int(damage[0] * len(broken))] ^= damage[1]
    (folder / name).write_bytes(broken)
    try:
        made = oc.verify(folder)
    except oc.SourceError as error:
        assert name == "_olive_crate.json" and name in str(error)
        return
    assert [each.name for each in made.parts if each.problem] == [name]


def test_what_is_whole_is_said_to_be(packed_forms, tmp_path, command):
    dataset, data, folder = packed_forms
    (tmp_path / "a.parquet").write_bytes(data)
    assert oc.verify(tmp_path / "a.parquet").is_whole and oc.verify(folder).is_whole
    done = command("verify", "a.parquet")
    assert done.returncode == 0 and "400 rows" in done.stdout and "whole" in done.stdout
    kept = dataset.declare("score", missing=[0]).keep(["id", "score"])
    kept.pack(tmp_path / "kept.parquet")
    assert oc.verify(tmp_path / "kept.parquet").is_whole
    (tmp_path / "a.parquet").write_bytes(data[:900] + b"x" + data[901:])
    done = command("verify", "a.parquet", "--json")
    assert done.returncode == 3 and json.loads(done.stdout)["parts"][0]["problem"]
    (tmp_path / "plain.csv").write_text(GROWERS)
    done = command("verify", "plain.csv")
    assert done.returncode == 1 and "not a packed dataset" in done.stderr


def test_a_description_that_says_what_cannot_be_is_refused(packed_forms, tmp_path):
    """Whole bytes, but not ours: each part of the description taken away or made something else."""
    table = pq.read_table(io.BytesIO(packed_forms[1]))
    told = json.loads(pq.read_metadata(io.BytesIO(packed_forms[1])).metadata[b"olive_crate"])
    strange = (None, 5, "x", [1], {"a": {"b": 1}})
    for key in ("variables", "reasons", "withheld", "receipt", "plan", "rows"):
        for value in strange:
            metadata = {b"olive_crate": json.dumps(told | {key: value}).encode()}
            metadata[parquet.SUM_KEY] = parquet.NO_SUMS
            pq.write_table(table.replace_schema_metadata(metadata), tmp_path / "b.parquet")
            parquet.seal(tmp_path / "b.parquet")
            try:
                oc.unpack(tmp_path / "b.parquet").to_arrow()
            except oc.SourceError:
                continue
            assert (key, value) in [("rows", None)]


def test_files_of_another_version_are_said_to_be(packed_forms, tmp_path):
    """Not damaged, though what another version wrote has no checksums, or other ones."""
    _, data, folder = packed_forms
    table, held = pq.read_table(io.BytesIO(data)), pq.read_metadata(io.BytesIO(data)).metadata
    for version, which in ((1, "an older"), (99, "a newer")):
        told = json.loads(held[b"olive_crate"]) | {"version": version}
        metadata = {b"olive_crate": json.dumps(told).encode()}
        pq.write_table(table.replace_schema_metadata(metadata), tmp_path / "o.parquet")
        with pytest.raises(oc.SourceError, match=f"{which} version"):
            oc.unpack(tmp_path / "o.parquet")
        shutil.copytree(folder, tmp_path / f"set{version}")
        (tmp_path / f"set{version}" / "_olive_crate.json").write_text(
            json.dumps({"version": version, "variables": [], "sources": []})
        )
        with pytest.raises(oc.SourceError, match=f"{which} version"):
            oc.unpack(tmp_path / f"set{version}")
    pq.write_table(table, tmp_path / "plain.parquet")
    with pytest.raises(oc.SourceError, match="but not a packed dataset"):
        oc.unpack(tmp_path / "plain.parquet")
    bare = {b"olive_crate": held[b"olive_crate"]}
    pq.write_table(table.replace_schema_metadata(bare), tmp_path / "bare.parquet")
    with pytest.raises(oc.SourceError, match="its checksums are gone"):
        oc.unpack(tmp_path / "bare.parquet")


THREADS = """
import sys, threading
sys.setswitchinterval(1e-6)
import olive_crate as oc
start, found = threading.Barrier(8), []

def work(number):
    start.wait()
    if number % 2:
        oc.pack([sys.argv[1], sys.argv[1]], sys.argv[3], replace=True, workers=1)
    found.append(len(oc.unpack(sys.argv[2])))

threads = [threading.Thread(target=work, args=(number,)) for number in range(8)]
for each in threads:
    each.start()
for each in threads:
    each.join()
print(sorted(found), len(oc.unpack(sys.argv[3])), oc.verify(sys.argv[3]).is_whole)
"""


@pytest.mark.parametrize("attempt", range(3))
def test_threads_open_and_pack_at_once(tmp_path, attempt):
    """What a struct is made of was found out by several threads at a time: the process ended."""
    (tmp_path / "a.csv").write_bytes(b"id;acid\n1;0,3\n2;0,4\n")
    oc.pack(tmp_path / "a.csv", tmp_path / "a.parquet")
    names = [str(tmp_path / each) for each in ("a.csv", "a.parquet", "both.parquet")]
    done = subprocess.run(
        [sys.executable, "-c", THREADS, *names], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == f"{[2] * 8} 4 True\n"
    assert sorted(each.name for each in tmp_path.iterdir()) == [
        "a.csv",
        "a.parquet",
        "both.parquet",
    ]
