"""Counts, figures, patterns and pairs, held against plain Python; of datasets, files and sets."""

from __future__ import annotations

import itertools
import math
import statistics
import struct
import tempfile
import zlib
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

NUMBERS = st.one_of(
    st.none(),
    st.integers(-3, 9).map(float),
    st.integers(-(10**6), 10**6).map(lambda n: n / 64),
    st.integers(0, 40).map(lambda n: 1e8 + n / 8),
)
WORDS = st.sampled_from([None, "extra virgin", "virgin", "lampante", "Ω"])
ROWS = st.lists(st.tuples(NUMBERS, NUMBERS, WORDS), min_size=2, max_size=60)
NAMES = ["acid", "peroxide", "grade"]


def text_of(rows) -> bytes:
    lines = [",".join(["lot", *NAMES])]
    for lot, cells in enumerate(rows):
        lines.append(",".join([str(lot), *("" if each is None else str(each) for each in cells)]))
    return ("\n".join(lines) + "\n").encode()


def forms(rows, folder: Path):
    """The same rows as a dataset, a packed file and a packed set of two files."""
    options = {
        "delimiter": ",",
        "rows": {"names": 1, "data": "2.."},
        "types": {"lot": "integer", "acid": "number", "peroxide": "number", "grade": "text"},
    }
    yield oc.load(text_of(rows), **options)
    oc.pack(text_of(rows), folder / "one.parquet", **options)
    yield oc.unpack(folder / "one.parquet")
    half = len(rows) // 2
    for name, some in (("a.csv", rows[:half]), ("b.csv", rows[half:])):
        (folder / name).write_bytes(text_of(some))
    oc.pack([folder / "a.csv", folder / "b.csv"], folder / "set", **options)
    yield oc.unpack(folder / "set")


def column(rows, name: str) -> list:
    return [row[NAMES.index(name)] for row in rows]


def near(one: float | None, two: float | None, scale: float = 1.0) -> bool:
    if one is None or two is None:
        return one is two
    return math.isclose(one, two, rel_tol=1e-9, abs_tol=1e-9 * scale)


@settings(max_examples=tries(15))
@given(ROWS)
def test_figures_are_those_of_the_standard_library(rows):
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            made = dataset.summary()
            for name in ("acid", "peroxide"):
                values = [each for each in column(rows, name) if each is not None]
                figures = made[name]
                assert (figures.n, figures.missing) == (len(values), len(rows) - len(values))
                if not values:
                    assert figures.mean is figures.sd is figures.median is None
                    continue
                scale = max(map(abs, values))
                assert (figures.min, figures.max) == (min(values), max(values))
                assert near(figures.mean, statistics.fmean(values), scale)
                assert near(figures.median, statistics.median(values), scale)
                sd = statistics.stdev(values) if len(values) > 1 else None
                assert near(figures.sd, sd, scale)
                low, high = np.quantile(values, (0.25, 0.75)).tolist()
                assert near(figures.q1, low, scale) and near(figures.q3, high, scale)
                assert figures.distinct == len(set(values))
                assert figures.zeros == values.count(0.0)
                assert figures.negatives == sum(value < 0 for value in values)


@settings(max_examples=tries(15))
@given(ROWS)
def test_frequencies_add_up_to_the_cases(rows):
    words = column(rows, "grade")
    met = Counter(word for word in words if word is not None)
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            made = dataset.counts("grade").to_dict()
            assert {each["value"]: each["cases"] for each in made["counts"]} == met
            assert sum(made["missing"].values()) == words.count(None)
            assert made["cases"] == len(rows) and made["answered"] == sum(met.values())
            running = 0
            for each in made["counts"]:
                running += each["cases"]
                assert near(each["share"], each["cases"] / len(rows))
                assert near(each["share_answered"], each["cases"] / sum(met.values()))
                assert near(each["running"], running / sum(met.values()))


@settings(max_examples=tries(15))
@given(ROWS, st.lists(st.integers(-50, 50), min_size=2, max_size=6, unique=True))
def test_bins_hold_each_value_between_their_edges_once(rows, edges):
    edges = sorted([*edges, -(10**9), 10**9])
    values = [each for each in column(rows, "acid") if each is not None]
    wanted = [
        sum(low <= value < high or (at == len(edges) - 2 and value == high) for value in values)
        for at, (low, high) in enumerate(itertools.pairwise(edges))
    ]
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            made = dataset.counts("acid", bins=edges).to_dict()
            assert [each["cases"] for each in made["counts"]] == wanted


@settings(max_examples=tries(15))
@given(ROWS)
def test_two_variables_crossed_count_each_pair(rows):
    pairs = Counter(
        (one, two)
        for one, two in zip(column(rows, "grade"), column(rows, "acid"), strict=True)
        if one is not None and two is not None
    )
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            made = dataset.counts("grade", by="acid").to_dict()
            table = {
                (word, number): cases
                for word, across in zip(made["down_values"], made["counts"], strict=True)
                for number, cases in zip(made["across_values"], across, strict=True)
                if cases
            }
            assert table == pairs
            assert made["total"] == len(rows)
            assert made["either_missing"] == len(rows) - sum(pairs.values())


@settings(max_examples=tries(15))
@given(ROWS)
def test_patterns_and_overlap_count_each_case_once(rows):
    missing = Counter(
        tuple(name for name, cell in zip(NAMES, row, strict=True) if cell is None) for row in rows
    )
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            made = dataset.missing_patterns(NAMES).to_dict()
            found = {tuple(each["missing"]): each["count"] for each in made["patterns"]}
            assert found == missing
            assert made["complete"] == missing[()] and made["empty"] == missing[tuple(NAMES)]
            pairs = dataset.overlap(NAMES).to_dict()
            for at, one in enumerate(NAMES):
                for to, two in enumerate(NAMES):
                    both = sum(
                        a is not None and b is not None
                        for a, b in zip(column(rows, one), column(rows, two), strict=True)
                    )
                    assert pairs["n"][at][to] == both
                    assert near(pairs["values"][at][to], both / len(rows))


@settings(max_examples=tries(15))
@given(ROWS, st.sampled_from(["pairs", "complete"]))
def test_pairs_are_those_of_the_standard_library(rows, use):
    both = [row[:2] for row in rows if row[0] is not None and row[1] is not None]
    one, two = [row[0] for row in both], [row[1] for row in both]
    wanted = covariance = None
    if len(both) > 1:
        covariance = statistics.covariance(one, two)
        if len(set(one)) > 1 and len(set(two)) > 1:
            wanted = statistics.correlation(one, two)
    with tempfile.TemporaryDirectory() as folder:
        for dataset in forms(rows, Path(folder)):
            names = ["acid", "peroxide"]
            correlations = dataset.correlations(names, use=use).to_dict()
            covariances = dataset.covariances(names, use=use).to_dict()
            assert correlations["n"][0][1] == covariances["n"][0][1] == len(both)
            found = correlations["values"][0][1]
            if wanted is None:
                assert found is None or math.isnan(found)
            else:
                assert math.isclose(found, wanted, abs_tol=1e-6)
            found = covariances["values"][0][1]
            scale = max([1.0, *map(abs, one), *map(abs, two)])
            if covariance is None:
                assert found is None or math.isnan(found)
            else:
                assert near(found, covariance, scale)


PICTURES = {
    "counts": lambda ds, path: oc.draw_counts(ds, ["acid", "grade"], path),
    "counts in bins": lambda ds, path: oc.draw_counts(ds, ["acid"], path, bins=4),
    "pairs": lambda ds, path: oc.draw_pairs(ds.correlations(), path),
    "overlap": lambda ds, path: oc.draw_pairs(ds.overlap(), path),
    "patterns": lambda ds, path: oc.draw_patterns(ds.missing_patterns(), path),
}
DRAWN = [(n / 4, 9.0 - n, ("virgin", "lampante", None)[n % 3]) for n in range(30)] + [
    (None, 1.0, "virgin")
]


@pytest.mark.parametrize("picture", PICTURES)
@pytest.mark.parametrize("kind", ["png", "svg", "pdf"])
def test_a_picture_is_whole_and_holds_what_it_shows(picture, kind, tmp_path):
    dataset = oc.load(text_of(DRAWN), delimiter=",").keep(NAMES)
    path = tmp_path / f"a.{kind}"
    PICTURES[picture](dataset, path)
    data = path.read_bytes()
    if kind == "png":
        assert data[:8] == b"\x89PNG\r\n\x1a\n" and chunks(data)[-1] == b"IEND"
        assert struct.unpack(">II", data[16:24]) == (1280, 800)
    elif kind == "pdf":
        assert data[:5] == b"%PDF-" and data.rstrip().endswith(b"%%EOF")
    else:
        assert data.rstrip().endswith(b"</svg>") and b"acid" in data
    assert [each.name for each in tmp_path.iterdir()] == [path.name]


def chunks(data: bytes) -> list[bytes]:
    """The names of the chunks of a PNG, each of which is as its checksum says."""
    names, at = [], 8
    while at < len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        body = data[at + 4 : at + 8 + size]
        assert zlib.crc32(body) == int.from_bytes(data[at + 8 + size : at + 12 + size], "big")
        names.append(body[:4])
        at += 12 + size
    return names


@pytest.mark.parametrize("name", ["a.gif", "a", "none/a.png"])
def test_what_is_no_picture_is_refused(name, tmp_path):
    dataset = oc.load(text_of(DRAWN), delimiter=",")
    with pytest.raises(oc.PlanError, match=r"picture cannot be written|no such folder"):
        oc.draw_counts(dataset, ["acid"], tmp_path / name)
    assert list(tmp_path.iterdir()) == []
