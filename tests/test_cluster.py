"""On a cluster comes out what one process makes, whatever becomes of its workers."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time

import numpy as np
import pytest
from seasons import DELIVERIES, same, season

import olive_crate as oc

distributed = pytest.importorskip("distributed")

GROVES = ("Pago", 'Campo "alto"', "Sierra, norte", "two\nlines")


@pytest.fixture(scope="module")
def client():
    """Two worker processes on this machine."""
    with (
        distributed.LocalCluster(
            n_workers=2, threads_per_worker=1, host="127.0.0.1", dashboard_address=None
        ) as cluster,
        distributed.Client(cluster) as client,
    ):
        yield client


def large(path, rows=4000):
    """A file with quotes, line ends within them, missing marks, and a text late in a column."""
    lines = [
        f'{n},"{GROVES[n % 4].replace(chr(34), chr(34) * 2)}",{n % 90 / 10 if n % 9 else "NA"}'
        for n in range(rows)
    ]
    lines[-5] = f"{rows},Pago,lost"
    path.write_text("delivery,grove,acid\n" + "\n".join(lines) + "\n")


@pytest.mark.parametrize("size", [3000, 20_000, None])
def test_a_file_in_ranges_on_a_cluster_is_the_file(tmp_path, client, size):
    large(tmp_path / "d.csv")
    receipt = oc.pack(tmp_path / "d.csv", tmp_path / "out", cluster=client, range_bytes=size)
    whole = oc.load(tmp_path / "d.csv")
    assert receipt.balanced and receipt.cells == whole.receipt.cells
    same(whole, oc.unpack(tmp_path / "out"), rows=False)
    assert len(list((tmp_path / "out").glob("*.parquet"))) > (1 if size else 0)


def test_a_set_on_a_cluster_is_the_set_of_one_process(tmp_path, client):
    season(tmp_path / "s", 5)
    late = tmp_path / "s" / "deliveries_2025-05.csv"
    late.write_text(late.read_text() + "D9,2025-05-09,Pago,many,0.1\n")
    source = f"{tmp_path}/s/deliveries_{{year}}-{{month}}.csv"
    oc.pack(source, tmp_path / "out", cluster=client, by=["grove"])
    oc.pack(source, tmp_path / "alone", by=["grove"])
    same(oc.unpack(tmp_path / "alone"), oc.unpack(tmp_path / "out"))
    (tmp_path / "s" / "deliveries_2025-06.csv").write_text(DELIVERIES + "D1,2025-06-01,X,1,1\n")
    made = oc.pack(source, tmp_path / "out", update=True, cluster=client)
    assert made.new == ("deliveries_2025-06.csv",) and oc.unpack(tmp_path / "out").rows == 37


def test_a_worker_that_is_killed_loses_nothing(tmp_path):
    season(tmp_path / "s", 12)
    for each in (tmp_path / "s").iterdir():
        each.write_text(each.read_text() + "D,2025-01-01,Pago,1,1.5\n" * 30_000)
    with (
        distributed.LocalCluster(
            n_workers=2, threads_per_worker=1, host="127.0.0.1", dashboard_address=None
        ) as cluster,
        distributed.Client(cluster) as client,
    ):
        first = client.run(os.getpid)
        killed = []

        def kill():
            staged = tmp_path / "out" / "_staging"
            while not staged.is_dir() or len(list(staged.glob("*.parquet"))) < 2:
                time.sleep(0.01)
            victim = next(iter(first.values()))
            os.kill(victim, signal.SIGKILL)
            killed.append(victim)

        killer = threading.Thread(target=kill, daemon=True)
        killer.start()
        receipt = oc.pack(tmp_path / "s", tmp_path / "out", cluster=client)
        killer.join(10)
    assert killed and receipt.balanced and receipt.rows == 12 * 30_007
    same(oc.load(tmp_path / "s"), oc.unpack(tmp_path / "out"))
    assert len(list((tmp_path / "out").glob("*.parquet"))) == 12


def test_figures_of_a_packed_set_are_worked_out_on_the_cluster(tmp_path, client):
    season(tmp_path / "s", 4)
    late = tmp_path / "s" / "deliveries_2025-04.csv"
    late.write_text(late.read_text() + "D9,2025-04-09,,,7.25\n")
    oc.pack(f"{tmp_path}/s/*_{{year}}-{{month}}.csv", tmp_path / "out", by=["grove"])
    here, there = oc.unpack(tmp_path / "out"), oc.unpack(tmp_path / "out", cluster=client)
    assert there.counts(["grove", "month"]) == here.counts(["grove", "month"]) or str(
        there.counts(["grove", "month"])
    ) == str(here.counts(["grove", "month"]))
    assert list(there.summary()) == list(here.summary())
    assert there.codebook() == here.codebook()
    assert there.missing_patterns() == here.missing_patterns()
    for name in ("overlap", "covariances", "correlations"):
        one, other = getattr(here, name)(), getattr(there, name)()
        assert (one.n == other.n).all() and one.names == other.names
        np.testing.assert_allclose(one.values, other.values, rtol=1e-9)


@pytest.mark.parametrize(
    ("source", "cluster", "message"),
    [
        ([b"id\n1\n", b"id\n2\n"], "client", "is in memory only"),
        (None, "tcp://127.0.0.1:1", "no cluster answers"),
        (None, "nonsense", "no cluster answers"),
    ],
)
def test_what_a_cluster_cannot_do_is_told(tmp_path, client, source, cluster, message):
    season(tmp_path / "s", 2)
    where = client if cluster == "client" else cluster
    with pytest.raises(oc.OliveCrateError, match=message):
        oc.pack(source or tmp_path / "s", tmp_path / "out", cluster=where)


def test_the_command_starts_workers_of_its_own(tmp_path, command):
    season(tmp_path / "s", 3)
    made = command("pack", "s", "-o", "out", "--cluster", "local")
    assert made.returncode == 0, made.stderr
    assert "3 files" in made.stdout and oc.unpack(tmp_path / "out").rows == 21


@pytest.fixture(scope="module")
def storage():
    """A stand-in for an object store on loopback."""
    pytest.importorskip("s3fs")
    server = subprocess.Popen(
        [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", "5599"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    keys = {"AWS_ACCESS_KEY_ID": "made", "AWS_SECRET_ACCESS_KEY": "up"}
    keys |= {"AWS_ENDPOINT_URL": "http://127.0.0.1:5599", "AWS_DEFAULT_REGION": "us-east-1"}
    before = {name: os.environ.get(name) for name in keys}
    os.environ.update(keys)
    import s3fs

    try:
        for _ in range(100):
            try:
                s3fs.S3FileSystem().mkdir("mill")
                break
            except Exception:
                time.sleep(0.2)
        yield "s3://mill"
    finally:
        server.terminate()
        for name, value in before.items():
            os.environ.pop(name) if value is None else os.environ.update({name: value})


def test_a_set_goes_to_an_object_store_and_back(tmp_path, storage):
    import s3fs

    season(tmp_path / "s", 3)
    shop = s3fs.S3FileSystem()
    for each in sorted((tmp_path / "s").iterdir()):
        shop.put(str(each), f"mill/s/{each.name}")
    found = oc.files(f"{storage}/s/deliveries_{{year}}-{{month}}.csv")
    assert len(found) == 3 and found[0].size and found[0].time is not None
    receipt = oc.pack(found, f"{storage}/packed")
    assert receipt.balanced
    packed = oc.unpack(f"{storage}/packed")
    same(oc.load(found), packed)
    assert packed["month"].values.to_pylist()[-1] == "03"
    again = oc.pack(
        f"{storage}/s/deliveries_{{year}}-{{month}}.csv", f"{storage}/packed", update=True
    )
    assert again.unchanged == 3 and again.receipt is None
