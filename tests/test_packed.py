"""Save once, reopen fast, lose nothing."""

from __future__ import annotations

import gzip
import io
import zipfile

import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import Plan
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
