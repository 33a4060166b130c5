"""Levels of measurement: what is suggested follows from the values as a few lines here say it."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

FEWEST, FEW = 20, 12
"""Values that suggest anything; different ones that are ranks or categories."""
WORDS = [f"grove {letter}" for letter in "abcdefghijklmnopqrstuvwxyz"]
DRAWN: dict[str, tuple[str, Callable[[random.Random, int], str]]] = {
    "varieties": ("text", lambda rng, row: rng.choice(("Picual", "Arbequina", "Empeltre"))),
    "groves": ("text", lambda rng, row: rng.choice(WORDS)),
    "lots": ("text", lambda rng, row: f"lot {row * 7919 % 100_003}"),
    "lots_but_one": ("text", lambda rng, row: f"lot {max(row, 1)}"),
    "grades": ("integer", lambda rng, row: str(rng.randint(1, 5))),
    "twelve": ("integer", lambda rng, row: str(row % 12)),
    "thirteen": ("integer", lambda rng, row: str(row % 13)),
    "crates": ("integer", lambda rng, row: str(rng.randint(0, 60))),
    "changes": ("integer", lambda rng, row: str(rng.randint(-6, 60))),
    "rising": ("integer", lambda rng, row: str(1000 + 3 * row)),
    "falling": ("integer", lambda rng, row: str(90_000 - row)),
    "shuffled": ("integer", lambda rng, row: str(1000 + row * 7919 % 100_003)),
    "shuffled_but_one": ("integer", lambda rng, row: str(1000 + max(row, 1) * 7919 % 100_003)),
    "acid": ("number", lambda rng, row: f"{rng.uniform(0.1, 2):.2f}"),
    "balance": ("number", lambda rng, row: f"{rng.uniform(-2, 2):.3f}"),
    "days": ("date", lambda rng, row: f"2025-10-{rng.randint(1, 28):02}"),
    "clock": ("time", lambda rng, row: f"{rng.randint(0, 23):02}:{rng.randint(0, 59):02}"),
    "ripe": ("boolean", lambda rng, row: ("yes", "no")[row % 2]),
}


def meant(kind: str, texts: list[str]) -> tuple[str, str] | None:
    """The level that these values suggest, and why; `None` where they suggest nothing."""
    different = set(texts)
    if len(texts) < FEWEST:
        return None
    if kind in ("boolean", "date", "time"):
        return {"boolean": ("nominal", "truth")}.get(kind, ("interval", "moments"))
    if kind == "text":
        if len(different) <= FEW:
            return "nominal", "words"
        return ("nominal", "identifier") if len(different) == len(texts) else None
    numbers = [float(text) for text in texts]
    low, high = min(numbers), max(numbers)
    if kind == "integer" and len(different) == len(texts):
        return "nominal", "identifier"
    if low == high:
        return None
    if kind == "integer" and high - low < FEW:
        return "ordinal", "few"
    return ("ratio", "from zero") if low >= 0 else ("interval", "below zero")


def suggested(plan: oc.Plan) -> dict[str, tuple[str, str]]:
    return {
        each.variable: (each.value, each.basis)
        for each in plan.evidence
        if each.about == "variable.level"
    }


@settings(max_examples=tries(60), deadline=None)
@given(
    st.integers(0, 10**9),
    st.sampled_from([19, 20, 21, 60, 300, 1500]),
    st.sampled_from([0, 0.1, 0.6]),
    st.sampled_from([300, 5000, 1 << 20]),
    st.integers(1, 2),
)
def test_a_level_is_suggested_where_the_values_say_one(seed, rows, blank, block, workers):
    rng = random.Random(seed)
    columns = {
        name: ["" if rng.random() < blank else draw(rng, row) for row in range(rows)]
        for name, (_, draw) in DRAWN.items()
    }
    lines = [";".join(DRAWN), *map(";".join, zip(*columns.values(), strict=True))]
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("OLIVE_CRATE_BLOCK", str(block))
        plan = oc.draft("\n".join(lines).encode() + b"\n", workers=workers, delimiter=";")
    kinds = {each.name: each.type for each in plan.variables}
    wanted = {}
    for name, (kind, _) in DRAWN.items():
        filled = [text for text in columns[name] if text]
        if kinds[name] != kind:  # too little is there to tell
            assert len(set(filled)) < 2 or (kind, kinds[name]) == ("number", "integer"), name
            continue
        wanted[name] = meant(kind, filled)
    told = suggested(plan)
    got = {name: told.get(name) for name in wanted}
    assert got == wanted


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        (["yes"] * 30, None),
        (["yes", "no"] * 30, ("nominal", "truth")),
        (["Pago"] * 30, ("nominal", "words")),
        (["7"] * 30, None),
        (["7.5"] * 30, None),
        (["NA"] * 30, None),
        (["", ""] * 30, None),
        (["1", "NA"] * 30, None),
        (["1", "2", "NA"] * 30, ("ordinal", "few")),
        ([str(n % 12) for n in range(60)], ("ordinal", "few")),
        ([str(n % 13) for n in range(60)], ("ratio", "from zero")),
        ([str(n % 13 - 1) for n in range(60)], ("interval", "below zero")),
        ([*map(str, range(60)), "n.d."], None),
        ([f"{n}.5" for n in range(60)], ("ratio", "from zero")),
        ([f"{n % 9}%" for n in range(60)], ("ratio", "from zero")),
        (["0"] * 30 + ["0.5"] * 30, ("ratio", "from zero")),
        (["2025-01-01"] * 30, ("interval", "moments")),
        (["0012", "0013"] * 30, ("nominal", "words")),
    ],
)
def test_what_one_column_suggests(cells, said):
    data = "n;b\n" + "".join(f"{row};{cell}\n" for row, cell in enumerate(cells))
    assert suggested(oc.draft(data.encode(), delimiter=";")).get("b") == said


def test_nothing_is_suggested_for_what_is_declared():
    data = b"a;b\n" + b"".join(b"%d;%d\n" % (n, n % 5) for n in range(60))
    declared = {"b": {"level": "nominal"}, "a": {"type": "integer"}}
    assert suggested(oc.draft(data, variables=declared)) == {}
    assert set(suggested(oc.draft(data))) == {"a", "b"}


@pytest.mark.parametrize("rows", [19_999, 20_000, 20_001, 45_000])
@pytest.mark.parametrize("kind", ["lot {}", "{}"])
def test_of_many_values_so_many_are_compared(rows, kind):
    """The last value repeats the first: seen where all are compared, told where not all are."""
    order = [row * 7919 % 100_003 for row in range(rows - 1)]
    lines = "".join(f"1;{kind.format(each)}\n" for each in [*order, order[0]])
    plan = oc.draft(f"one;a\n{lines}".encode(), delimiter=";")
    (told,) = [each for each in plan.evidence if each.about == "variable.level"] or [None]
    if rows <= 20_000:
        assert told is None or told.basis != "identifier"
    else:
        assert (told.basis, told.count, told.whole) == ("identifier", 20_000, False)
        assert "the first 20,000 values" in str(told)
