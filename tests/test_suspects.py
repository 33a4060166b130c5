"""Numbers that look like missing codes: which are pointed at, held to the rule as Python says it.

The numbers that people use as codes are looked for. One is pointed at if it occurs at least twice
among at least twenty values, and stands apart from all others by half the width of their range, or
is negative where no other is. Codes that are half of all values are none. Nothing is applied.
"""

from __future__ import annotations

import random
from collections import Counter

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

CODES = (-9, -8, -99, 77, 88, 97, 98, 99, 777, 888, 999, 9999, 99.9, -999)
OTHERS = (-1, 55, 90, 100, 500, 1000, 99.5)
"""Numbers that nobody uses as a code: they may stand apart as well."""


def meant(numbers: list[float]) -> dict[float, int]:
    """The numbers that may be codes, with their counts."""
    usual = [number for number in numbers if number not in CODES]
    if not usual or len(numbers) < 20:
        return {}
    low, high = min(usual), max(usual)
    unit = high - low or max(1, abs(high))
    found = {}
    for code, count in Counter(number for number in numbers if number in CODES).items():
        away = max(low - code, code - high) / unit
        if count >= 2 and (away >= 0.5 or (code < 0 <= low and away > 0)):
            found[code] = count
    return found if 2 * sum(found.values()) < len(numbers) else {}


def pointed_at(told: oc.Plan | oc.Receipt) -> dict[str, dict[float, int]]:
    return {
        each.variable: {one.value: one.count for one in each.suspects}
        for each in (told.evidence if isinstance(told, oc.Plan) else told.decided)
        if each.about == "variable.suspects"
    }


@st.composite
def columns(draw: st.DrawFn) -> list[float]:
    """Numbers of some range, among them some that are used as codes."""
    rng = random.Random(draw(st.integers(0, 10**9)))
    low, width = draw(st.sampled_from([(0, 5), (1, 9), (0, 100), (-5, 10), (-50, 300), (3, 0)]))
    places = draw(st.sampled_from([0, 0, 1]))
    share = draw(st.sampled_from([0.02, 0.1, 0.45, 0.6]))
    chosen = draw(st.lists(st.sampled_from([*CODES, *OTHERS]), max_size=3))
    return [
        rng.choice(chosen)
        if chosen and rng.random() < share
        else round(low + rng.random() * width, places)
        for _ in range(draw(st.sampled_from([19, 20, 40, 400])))
    ]


def table(numbers: dict[str, list[float]]) -> bytes:
    rows = zip(*numbers.values(), strict=True)
    return "\n".join(
        [";".join(numbers), *(";".join(f"{n:g}" for n in row) for row in rows), ""]
    ).encode()


@settings(max_examples=tries(200), deadline=None)
@given(columns(), st.sampled_from([64, 700, 1 << 20]), st.integers(1, 2))
def test_numbers_that_stand_apart_are_pointed_at(numbers, block, workers):
    data = table({"row": [*range(len(numbers))], "panel": numbers})
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("OLIVE_CRATE_BLOCK", str(block))
        dataset = oc.load(
            data, workers=workers, delimiter=";", variables={"row": {"type": "integer"}}
        )
    assert pointed_at(dataset.receipt).get("panel", {}) == meant(numbers)
    assert dataset["panel"].values.to_pylist() == numbers  # nothing was applied


@settings(max_examples=tries(40), deadline=None)
@given(columns())
def test_what_is_offered_makes_them_missing(numbers):
    data = table({"row": [*range(len(numbers))], "panel": numbers})
    told = [e for e in oc.load(data).receipt.decided if e.about == "variable.suspects"]
    wanted = meant(numbers)
    assert bool(told) == bool(wanted)
    for each in told:
        declared = oc.load(data).declare("panel", **each.mend.parts)["panel"]
        assert declared.reason_counts() == {f"{code:g}": count for code, count in wanted.items()}
        kept = [None if number in wanted else number for number in numbers]
        assert declared.values.to_pylist() == kept


def test_codes_that_variables_share_say_so():
    usual = [n % 6 for n in range(60)]
    with_nine = [99 if n % 10 == 3 else value for n, value in enumerate(usual)]
    with_eight = [88 if n % 10 == 4 else value for n, value in enumerate(usual)]
    both = [88 if n % 10 == 5 else value for n, value in enumerate(with_nine)]
    data = table({"a": with_nine, "b": with_eight, "c": both, "d": usual})
    told = {e.variable: e for e in oc.draft(data).evidence if e.about == "variable.suspects"}
    assert {name: each.also for name, each in told.items()} == {
        "a": ("c",),
        "b": ("c",),
        "c": ("a", "b"),
    }
    assert (told["a"].low, told["a"].high) == (0, 5)
    assert "88 occurs 6 times, 99 occurs 6 times" in str(told["c"])
    declared = oc.load(data, missing={88: "refused", 99: "lost"})
    assert pointed_at(declared.receipt) == {}
    assert declared["c"].reason_counts() == {"refused": 6, "lost": 6}


@pytest.mark.parametrize(
    "declared", [{"missing": [99]}, {"type": "integer"}, {"missing": [{"from": 90, "to": 99}]}]
)
def test_declared_codes_are_not_pointed_at(declared):
    numbers = [99 if n % 10 == 3 else n % 6 for n in range(60)]
    plan = oc.draft(table({"a": numbers, "b": numbers}), variables={"a": declared})
    assert set(pointed_at(plan)) == {"b"}
