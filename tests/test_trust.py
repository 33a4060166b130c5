"""What plans and packed files from elsewhere may open, and what makes them one's own."""

from __future__ import annotations

import os
import shutil

import pytest

import olive_crate as oc

DATA = b"id;acid\n1;0,3\n2;0,4\n"
DICTIONARY = b"name,start,end\nid,1,2\nacid,3,5\n"


@pytest.fixture
def sent(tmp_path):
    """A folder as a stranger sent it, beside a file that is none of the stranger's business."""
    folder = tmp_path / "sent"
    (folder / "data").mkdir(parents=True)
    for name in ("data/a.csv", "data/b.csv", "own.csv"):
        (folder / name).write_bytes(DATA)
    (tmp_path / "private.csv").write_bytes(DATA)
    (tmp_path / "private").mkdir()
    (tmp_path / "private" / "c.csv").write_bytes(DATA)
    os.symlink(tmp_path / "private.csv", folder / "data" / "link.csv")
    os.symlink(tmp_path / "private", folder / "linked")
    os.symlink(folder / "own.csv", folder / "inner.csv")
    return folder


def plan_file(folder, section):
    path = folder / "sent.plan.toml"
    path.write_text(section, "utf-8")
    return path


@pytest.mark.parametrize(
    ("section", "rows"),
    [
        ('[source]\npath = "own.csv"', 2),
        ('[source]\npath = "data/../own.csv"', 2),
        ('[source]\npath = "inner.csv"', 2),
        ('[source]\npath = "data/[ab].csv"', 4),
        ('[source]\npaths = ["own.csv", "data/a.csv"]', 4),
    ],
)
def test_what_lies_under_the_folder_is_read(sent, section, rows):
    assert len(oc.load(plan_file(sent, section))) == rows


@pytest.mark.parametrize(
    ("named", "needed"),
    [
        ("../private.csv", "files"),
        ("data/../../private.csv", "files"),
        ("data/link.csv", "files"),
        ("linked/c.csv", "files"),
        ("data/*.csv", "files"),
        ("data", "files"),
        ("linked", "files"),
        ("**/*.csv", "files"),
        ("../*.csv", "files"),
        ("/etc/passwd", "files"),
        ("sqlite:////etc/mill.db", "files"),
        ("file:///etc/passwd", "files"),
        ("zip://c.csv::own.zip", "files"),
        ("zip://c.csv::http://olives.example/a.zip", "web"),
        ("http://olives.example/a.csv", "web"),
        ("HTTPS://olives.example/a.csv", "web"),
        ("s3://olives/a.csv", "web"),
        ("simplecache::file:///etc/passwd", "files"),
        ("postgresql://db.example/mill", "databases"),
        ("mysql+pymysql://db.example/mill", "databases"),
    ],
)
@pytest.mark.parametrize("key", ["path", "paths"])
def test_what_lies_elsewhere_is_refused_and_named(sent, named, needed, key, monkeypatch):
    monkeypatch.chdir(sent)
    written = f'path = "{named}"' if key == "path" else f'paths = ["own.csv", "{named}"]'
    path = plan_file(sent, f"[source]\n{written}")
    plan = oc.Plan.read(path)
    for call in (oc.load, oc.look, oc.draft, lambda given: oc.pack(given, "out.parquet")):
        with pytest.raises(oc.SourceError, match=f'none of your runs.*trust="{needed}"') as caught:
            call(plan)
        assert str(path) in str(caught.value)
    for word in {"files", "web", "databases"} - {needed}:
        with pytest.raises(oc.SourceError, match=needed):
            oc.load(path, trust=word)
    assert not (sent / "out.parquet").exists()


@pytest.mark.parametrize("named", ["../private.csv", "data/link.csv", "linked/c.csv", "data/*.csv"])
def test_trust_opens_the_door(sent, named, here):
    path = plan_file(sent, f'[source]\npath = "{named}"')
    rows = len(oc.load(path, trust="files"))
    assert rows in (2, 6)
    assert len(oc.load(oc.Plan.read(path), trust=["web", "files"])) == rows
    assert len(oc.load(oc.Plan.read(path, trust="files"))) == rows
    assert sum(map(len, oc.pieces(path, trust="files"))) == rows
    refused = here("summary", path)
    assert refused.returncode == 1
    assert refused.stderr.rstrip().endswith("--trust files")
    assert here("summary", path, "--trust", "files").returncode == 0
    assert here("compare", path, path, "--trust", "files").returncode == 0


def test_a_caller_names_what_he_likes(sent, tmp_path):
    path = plan_file(sent, '[source]\npath = "../elsewhere.csv"\n[delimited]\ndecimal = ","')
    ds = oc.load(tmp_path / "private.csv", plan=oc.Plan.read(path))
    assert ds["acid"].values.to_pylist() == [0.3, 0.4]
    assert ds.trace("acid", 3).text == "0,4"


def test_a_dictionary_from_outside_is_refused(sent, tmp_path):
    (tmp_path / "codes.csv").write_bytes(DICTIONARY)
    path = plan_file(sent, '[source]\npath = "own.csv"\n[dictionary]\npath = "../codes.csv"')
    with pytest.raises(oc.SourceError, match='trust="files"'):
        oc.Plan.read(path)
    assert oc.Plan.read(path, trust="files").source.path == "own.csv"


@pytest.mark.parametrize("words", ["file", "everything", ["files", "all"], "files,,web"])
def test_other_words_of_trust_are_refused(sent, words):
    with pytest.raises(oc.PlanError, match="trust: expected files, web, databases"):
        oc.load(plan_file(sent, '[source]\npath = "own.csv"'), trust=words)


def test_ones_own_plans_name_what_they_like(sent, tmp_path, command, monkeypatch):
    home = tmp_path / "home"
    home.mkdir()
    own = home / "own.plan.toml"
    assert command("draft", tmp_path / "private.csv", "-o", own).returncode == 0
    assert "../private.csv" in own.read_text("utf-8")
    assert len(oc.load(own)) == 2
    own.write_text(own.read_text("utf-8") + "\n# checked with the mill\n", "utf-8")
    assert len(oc.load(own)) == 2, "edited, it still names what it named"
    moved = shutil.copy(own, tmp_path / "moved.plan.toml")
    with pytest.raises(oc.SourceError, match="trust"):
        oc.load(moved)  # it has been edited, and names another file from here
    own.write_text(own.read_text("utf-8").replace("../private.csv", "/etc/passwd"), "utf-8")
    with pytest.raises(oc.SourceError, match="trust"):
        oc.load(own)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "somebody else"))
    oc.draft(tmp_path / "private.csv").write(home / "other.plan.toml")
    assert len(oc.load(home / "other.plan.toml")) == 2
    kept = (tmp_path / "somebody else" / "olive-crate" / "own-plans").read_bytes()
    assert b"private" not in kept
    assert len({*kept.split()}) == len(kept.split()) == 2


def test_a_packed_file_goes_back_to_its_source_for_its_maker_only(sent, tmp_path, monkeypatch):
    packed = tmp_path / "packed"
    packed.mkdir()
    oc.pack(tmp_path / "private.csv", packed / "a.parquet")
    oc.pack([tmp_path / "private.csv", sent / "own.csv"], packed / "set")
    for name in ("a.parquet", "set"):
        ds = oc.unpack(packed / name)
        file = {"file": ds.source_rows.files[0]} if name == "set" else {}
        assert ds.trace("acid", 2, **file).text == "0,3"
        with monkeypatch.context() as other:
            other.setenv("XDG_STATE_HOME", str(tmp_path / "somebody else"))
            foreign = oc.unpack(packed / name)
            assert foreign["acid"].values.to_pylist() == ds["acid"].values.to_pylist()
            with pytest.raises(oc.SourceError, match='trust="files"'):
                foreign.trace("acid", 2, **file)
            assert oc.unpack(packed / name, trust="files").trace("acid", 2, **file).text == "0,3"
            # what is packed again, or its plan written, is not made one's own by that
            foreign.pack(packed / "again.parquet", replace=True)
            with pytest.raises(oc.SourceError, match="trust"):
                oc.unpack(packed / "again.parquet").trace("acid", 2, **file)
            foreign.plan.write(packed / "again.plan.toml", replace=True)
            with pytest.raises(oc.SourceError, match="trust"):
                oc.load(packed / "again.plan.toml")
    with monkeypatch.context() as other:
        other.setenv("XDG_STATE_HOME", str(tmp_path / "somebody else"))
        with pytest.raises(oc.SourceError, match="trust"):
            oc.pack(None, packed / "set", update=True)
        assert oc.pack(None, packed / "set", update=True, trust="files").unchanged == 2


def test_a_state_folder_that_cannot_be_written_stops_nobody(tmp_path, monkeypatch):
    (tmp_path / "a.csv").write_bytes(DATA)
    (tmp_path / "file").write_text("no folder", "utf-8")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    (tmp_path / "plans").mkdir()
    oc.draft(tmp_path / "a.csv").write(tmp_path / "plans" / "a.plan.toml")
    with pytest.raises(oc.SourceError, match="trust"):
        oc.load(tmp_path / "plans" / "a.plan.toml")
    assert len(oc.load(tmp_path / "plans" / "a.plan.toml", trust="files")) == 2
