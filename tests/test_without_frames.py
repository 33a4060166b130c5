"""A data frame package is never imported for what makes no data frame; it takes half a second."""

from __future__ import annotations

import os
import subprocess
import sys

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

OPERATIONS = {
    "codebook": "d.codebook()",
    "summary": "d.summary(); d.summary(names[:2], complete=True)",
    "counts": "[d.counts(name) for name in names]; d.counts(names[1:3])",
    "patterns": "d.missing_patterns()",
    "correlations": "d.correlations(); d.covariances(); d.overlap()",
    "check": "d.check()",
    "arrays": "[(d[name].to_numpy(), d[name].labelled()) for name in names]; d.to_numpy()",
    "comparison": "oc.compare(d, d)",
    "conditions": "[d[name] == 3 for name in names if d[name].variable.type == 'integer']",
    "rows": "d.filter(d[names[0]].reasons == 0).codebook()",
    "declaring": "d.declare(names[1], missing=['98', '99'])",
    "packing": "d.pack('p.parquet', replace=True); oc.verify('p.parquet')",
    "text": "d.export('e.csv', replace=True, missing='codes')",
    "workbook": "d.export('e.xlsx', replace=True)",
    "arrow": "d.to_arrow()",
    "report": "d.report('r.html', replace=True)",
}
SOURCES = ("deliveries_2025.csv", "panel_2025.xlsx", "survey.plan.toml", "packed.parquet")


@pytest.fixture(scope="module")
def watched(demo_once, tmp_path_factory):
    """The environment of a process in which a package of that name notes that it was imported."""
    folder = tmp_path_factory.mktemp("frames")
    (folder / "pandas.py").write_text(
        f"open({str(folder / 'met')!r}, 'a').write('x')\nraise ImportError\n", "utf-8"
    )
    packed = demo_once / "packed.parquet"
    oc.load(demo_once / "deliveries_2025.csv").pack(packed, replace=True)
    return folder / "met", {**os.environ, "PYTHONPATH": str(folder)}


@pytest.fixture(scope="module")
def demo_once(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo") / "d"
    made = [sys.executable, "-m", "olive_crate", "demo", str(folder)]
    subprocess.run(made, check=True, capture_output=True)
    return folder


@pytest.mark.parametrize("source", SOURCES)
def test_no_operation_looks_for_data_frames(source, watched, demo_once, tmp_path):
    met, environment = watched
    met.unlink(missing_ok=True)
    code = (
        f"import os, olive_crate as oc\npath = {str(demo_once / source)!r}\n"
        "d = oc.unpack(path) if path.endswith('.parquet') else oc.load(path)\n"
        "names = list(d.names)\n"
        f"for name, work in {OPERATIONS!r}.items():\n"
        "    exec(work)\n"
        f"    assert not os.path.exists({str(met)!r}), name\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], env=environment, cwd=tmp_path, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr


COMMANDS = [
    ("look", "mill.db"),
    ("codebook", "deliveries_2025.csv"),
    ("summary", "packed.parquet"),
    ("correlations", "packed.parquet"),
    ("patterns", "survey.plan.toml"),
    ("check", "panel_2025.xlsx"),
    ("compare", "packed.parquet", "packed.parquet"),
    ("verify", "packed.parquet"),
    ("export", "packed.parquet", "e.arrow"),
]


@pytest.mark.parametrize("arguments", COMMANDS, ids=" ".join)
def test_no_command_imports_data_frames(arguments, watched, demo_once):
    met, environment = watched
    met.unlink(missing_ok=True)
    code = "from olive_crate_command import main; main()"
    done = subprocess.run(
        [sys.executable, "-c", code, *arguments],
        env=environment,
        cwd=demo_once,
        capture_output=True,
    )
    assert done.returncode == 0, done.stderr
    assert not met.exists()


NUMBERS = st.lists(st.none() | st.integers(-(2**40), 2**40), min_size=1, max_size=40)


@given(NUMBERS, st.integers(0, 5), st.sampled_from(["int64", "double", "date32", "duration[us]"]))
def test_arrays_hold_what_a_part_of_a_table_holds(values, skipped, kind):
    days = [each if each is None or kind != "date32" else each % 40_000 for each in values]
    table = pa.table({"v": pa.array(days).cast(pa.int32() if kind == "date32" else pa.int64())})
    part = table.cast(pa.schema([("v", kind)])).slice(skipped)
    column = oc.load(part)["v"]
    told = [None if each != each else each for each in column.to_numpy().tolist()]
    assert told == part["v"].to_pylist()
    assert [None if each else 0 for each in column.is_missing()] == [
        None if each is None else 0 for each in part["v"].to_pylist()
    ]


@given(st.lists(st.none() | st.booleans(), min_size=1, max_size=40), st.integers(0, 9))
def test_truths_of_a_part_of_a_table(values, skipped):
    column = oc.load(pa.table({"v": pa.array(values, pa.bool_())}).slice(skipped))["v"]
    assert column.to_numpy().tolist() == values[skipped:]
    assert (column == True).tolist() == [each is True for each in values[skipped:]]  # noqa: E712
