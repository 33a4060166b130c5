"""What is chosen while a source is read could as well be chosen afterwards, in any layout."""

from __future__ import annotations

import datetime as dt
import random
import tempfile
from functools import cache
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st
from test_every_layout import MAKERS, NAMES, same

import olive_crate as oc

GROWERS = ("Ana", "Bruno", "Elena", "Inés", "Ñuño")
NOTES = ("wet", "a; b", "late", None)
ROWS = 60
LAYOUTS = [each for each in MAKERS if not each.startswith(("mariadb", "postgresql"))]


def rows() -> list[tuple[Any, ...]]:
    rng = random.Random(11)
    start = dt.date(2025, 10, 6)
    return [
        (
            row + 1,
            rng.choice(GROWERS),
            None if rng.random() < 0.2 else rng.choice((rng.randrange(90) / 4, 777)),
            str(start + dt.timedelta(days=rng.randrange(60))),
            rng.choice(NOTES),
        )
        for row in range(ROWS)
    ]


@cache
def source(name: str) -> tuple[Path, dict[str, Any], oc.Dataset]:
    """A source of this layout, how it is read, and all of it."""
    path = Path(tempfile.mkdtemp()) / name
    options = MAKERS[name](path, rows())
    return path, options, oc.load(path, **options, missing={777: "sample lost"})


CODES = {777: "sample lost"}
KEPT = st.lists(st.sampled_from(NAMES), min_size=1, max_size=5, unique=True)


def in_order(whole: oc.Dataset, names: list[str]) -> list[str]:
    """These names as they stand in the source: `keep` chooses, and does not order."""
    return [name for name in whole.names if name in names]


@pytest.mark.parametrize("name", LAYOUTS)
@settings(max_examples=tries(12), deadline=None)
@given(kept=KEPT, limit=st.integers(1, ROWS + 5))
def test_variables_and_first_rows(name: str, kept: list[str], limit: int) -> None:
    path, options, whole = source(name)
    types = {each.name: each.type for each in whole.variables}
    few = oc.load(path, **options, missing=CODES, keep=kept, limit=limit, types=types)
    afterwards = whole.keep(in_order(whole, kept)).head(limit)
    assert in_order(whole, few.names) == afterwards.names
    assert same(few.keep(afterwards.names), afterwards)
    assert few.receipt.imbalances() == []


@pytest.mark.parametrize("name", LAYOUTS)
@settings(max_examples=tries(8), deadline=None)
@given(chosen=st.lists(st.sampled_from(NAMES), max_size=5, unique=True))
def test_types_that_are_declared_as_they_are_found(name: str, chosen: list[str]) -> None:
    path, options, whole = source(name)
    types = {each: whole[each].variable.type for each in chosen}
    assert same(oc.load(path, **options, missing=CODES, types=types), whole)


@pytest.mark.parametrize("name", LAYOUTS)
@settings(max_examples=tries(8), deadline=None)
@given(chosen=st.lists(st.sampled_from(NAMES), min_size=1, max_size=5, unique=True))
def test_everything_may_be_read_as_text_and_be_declared_later(name: str, chosen: list[str]) -> None:
    path, options, whole = source(name)
    texts = oc.load(path, **options, types=dict.fromkeys(chosen, "text"))
    for each in chosen:
        assert texts[each].values.type in (pa.string(), pa.large_string())
        later = texts.declare(each, type=whole[each].variable.type, missing=CODES)
        assert later[each].values.to_pylist() == whole[each].values.to_pylist(), each


@pytest.mark.parametrize("name", LAYOUTS)
@settings(max_examples=tries(8), deadline=None)
@given(least=st.floats(0, 30), grower=st.sampled_from(GROWERS))
def test_what_is_filtered_is_what_python_would_filter(name: str, least: float, grower: str) -> None:
    _, _, whole = source(name)
    found = whole.filter(f'acid >= {least!r} and grower != "{grower}"')
    acid, names = whole["acid"].values.to_pylist(), whole["grower"].values.to_pylist()
    wanted = [
        place
        for place, (each, who) in enumerate(zip(acid, names, strict=True))
        if each is not None and each >= least and who != grower
    ]
    ids = whole["id"].values.to_pylist()
    assert found["id"].values.to_pylist() == [ids[place] for place in wanted]


@pytest.mark.parametrize("name", LAYOUTS)
def test_pieces_are_the_whole_one_after_the_other(name: str) -> None:
    path, options, whole = source(name)
    types = {each.name: each.type for each in whole.variables}
    pieces = list(oc.pieces(path, rows=7, **options, missing=CODES, types=types))
    assert sum(map(len, pieces)) == len(whole)
    for each in whole.names:
        assert [v for piece in pieces for v in piece[each].values.to_pylist()] == whole[
            each
        ].values.to_pylist()


@pytest.mark.parametrize("name", LAYOUTS)
def test_a_second_time_it_is_the_same(name: str) -> None:
    path, options, whole = source(name)
    for workers in (1, 2):
        again = oc.load(path, **options, missing=CODES, workers=workers)
        assert same(again, whole)
        assert again.variables == whole.variables
        assert again.receipt.rows == whole.receipt.rows
