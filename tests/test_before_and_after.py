"""What is declared in a plan before reading is what is declared of the dataset after it."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

ROWS = [
    f"{n};{777 if n % 7 == 3 else n % 5};{'x' if n % 6 == 1 else f'0.{n % 9}'};"
    f"{('Pago', 'Campo', 'lost')[n % 3]};{('yes', 'no')[n % 2]};2025-10-{n % 28 + 1:02}"
    for n in range(40)
]
DATA = "\n".join(["Delivery No.;Crates;Acid %;Grove;Ripe?;Day", *ROWS, ""]).encode()
NAMES = ["Delivery No.", "Crates", "Acid %", "Grove", "Ripe?", "Day"]
PARTS: list[dict[str, Any]] = [
    {"label": "Of the harvest"},
    {"label": None},
    {"unit": "kg"},
    {"level": "nominal"},
    {"missing": [777]},
    {"missing": {"lost": "was lost", 777: "not counted"}},
    {"missing": [{"from": 700, "to": 800, "reason": "not counted"}]},
    {"type": "text"},
    {"meanings": {0: "none", 1: "one"}},
    {"required": True},
]


@st.composite
def steps(draw: st.DrawFn) -> list[tuple[str, tuple[Any, ...], dict[str, Any]]]:
    """Calls that both a plan and a dataset have, with names as they are by then."""
    names, made = [*NAMES], []
    for number in range(draw(st.integers(1, 6))):
        kind = draw(st.sampled_from(["rename", "reorder", "declare", "labels", "undeclare"]))
        if kind == "rename":
            old, new = draw(st.sampled_from(names)), f"new {number}"
            names[names.index(old)] = new
            made.append(("rename", (old, new), {}))
        elif kind == "reorder":
            some = draw(st.lists(st.sampled_from(names), min_size=1, max_size=3, unique=True))
            rest = [name for name in names if name not in some]
            after = draw(st.sampled_from([None, *rest]))
            place = 0 if after is None else rest.index(after) + 1
            names = [*rest[:place], *some, *rest[place:]]
            made.append(("reorder", (some,), {} if after is None else {"after": after}))
        elif kind == "declare":
            some = draw(st.lists(st.sampled_from(names), min_size=1, max_size=3, unique=True))
            made.append(("declare", (some,), draw(st.sampled_from(PARTS))))
        elif kind == "labels":
            labels = st.dictionaries(st.sampled_from(names), st.sampled_from(["One", "Two"]))
            made.append(("declare_labels", (draw(labels),), {}))
        else:
            some = draw(st.lists(st.sampled_from(names), min_size=1, max_size=2, unique=True))
            made.append(("undeclare", (some, ["label", "unit", "missing"]), {}))
    return made


def told(call: Any, *given: Any, **parts: Any) -> tuple[Any, str]:
    """What a call returns, or the kind of error that it raises."""
    try:
        return call(*given, **parts), ""
    except oc.OliveCrateError as error:
        return None, type(error).__name__


@settings(max_examples=tries(120), deadline=None)
@given(steps())
def test_a_plan_reads_what_a_dataset_becomes(calls):
    dataset, plan = oc.load(DATA), oc.draft(DATA)
    for name, given_, parts in calls:
        after, wrong = told(getattr(dataset, name), *given_, **parts)
        before, so_too = told(getattr(plan, name), *given_, **parts)
        assert wrong == so_too, (name, given_, parts)
        if wrong:
            continue
        dataset, plan = after, before
    assert dataset.names == [each.name for each in oc.load(DATA, plan=plan).variables]
    for made in (oc.load(DATA, plan=dataset.plan), oc.load(DATA, plan=plan)):
        assert made.names == dataset.names
        for one, other in zip(made.variables, dataset.variables, strict=True):
            assert (one.label, one.unit, one.level, one.type) == (
                other.label,
                other.unit,
                other.level,
                other.type,
            ), one.name
            mine, theirs = made[one.name], dataset[one.name]
            assert mine.values.equals(theirs.values), one.name
            assert mine.reason_counts() == theirs.reason_counts(), one.name
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "harvest.plan.toml"
        plan.write(path)
        again = oc.Plan.read(path)
    assert oc.load(DATA, plan=again).equals(oc.load(DATA, plan=plan))
