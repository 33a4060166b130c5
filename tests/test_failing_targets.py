"""What cannot be written: an error of ours that names the target, and nothing left behind."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

import olive_crate as oc

TARGETS = {
    "pack of a dataset": "ds.pack(folder / 'a.parquet')",
    "pack of a source": "oc.pack(source, folder / 'a.parquet')",
    "pack of a set": "oc.pack([source, other], folder / 'set')",
    "pack of a set as one file": "oc.pack([source, other], folder / 'set.parquet')",
    "delimited": "ds.export(folder / 'a.csv')",
    "fixed": "ds.export(folder / 'a.txt')",
    "workbook": "ds.export(folder / 'a.xlsx')",
    "arrow": "ds.export(folder / 'a.arrow')",
    "parquet": "ds.export(folder / 'a.parquet')",
    "database": "ds.export(folder / 'a.db', table='answers')",
    "plan": "oc.draft(source).write(folder / 'a.plan.toml')",
    "picture": "oc.draw_counts(ds, ['mark', 'score'], folder / 'a.png')",
}
SCRIPT = """
import json, os, resource, sys
from pathlib import Path
import olive_crate as oc
import matplotlib.figure
folder, source, other = map(Path, sys.argv[1:4])
ds = oc.load(source)
resource.setrlimit(resource.RLIMIT_FSIZE, (300, 300))
found = {}
for name, text in json.loads(sys.argv[4]).items():
    try:
        exec(text)
        found[name] = ["none", "", os.listdir(folder)]
    except BaseException as error:
        found[name] = [type(error).__name__, str(error), os.listdir(folder)]
print(json.dumps(found))
"""


@pytest.fixture(scope="module")
def refused(tmp_path_factory):
    """What each call came to, where no file may grow beyond 300 bytes."""
    if sys.platform == "win32":
        pytest.skip("needs limits of a process")
    home = tmp_path_factory.mktemp("full")
    rows = "".join(
        f"{n},{n * 7919 % 7001},grower {n % 700},{n % 97 / 8},{n % 5}\n" for n in range(3000)
    )
    for name in ("one.csv", "two.csv"):
        (home / name).write_text(f"id,lot,name,score,mark\n{rows}")
    (home / "out").mkdir()
    places = (home / "out", home / "one.csv", home / "two.csv")
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, *places, json.dumps(TARGETS)],
        capture_output=True,
        text=True,
        check=True,
    )
    return home / "out", json.loads(done.stdout), done.stderr


@pytest.mark.parametrize("target", TARGETS)
def test_a_disk_that_takes_no_more_is_told_and_leaves_nothing(refused, target):
    folder, found, _ = refused
    kind, message, left = found[target]
    assert kind == "TargetError", message
    assert str(folder) in message and "cannot be written" in message
    assert left == []


def test_nothing_is_printed_beside_the_errors(refused):
    assert "Exception ignored" not in refused[2] and "Traceback" not in refused[2]


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() == 0, reason="root may write")
@pytest.mark.parametrize("target", TARGETS)
def test_a_folder_that_may_not_be_written_to(tmp_path, demo, target):
    names: dict[str, object] = {"oc": oc, "folder": tmp_path / "out"}
    names["source"] = names["other"] = demo / "deliveries_2025.csv"
    names["ds"] = oc.load(demo / "deliveries_2025.csv")
    (tmp_path / "out").mkdir(mode=0o500)
    with pytest.raises((oc.TargetError, oc.PlanError), match="out"):
        exec(TARGETS[target], {**names, "Path": Path})
