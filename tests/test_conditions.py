"""Conditions in words choose the cases that they mean; they are never run as Python."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

CASES = [
    (acid, grove, day, panel)
    for acid in (0.25, 0.8, 1.5, None, "lost")
    for grove in ("Las Mañas", 'the "old" one', None)
    for day in ("2025-10-01", "2025-12-24", None)
    for panel in (0, 2, 5, 9, None)
]
"""Cases of all that can stand beside one another: values, blanks and cells with a code."""


def dataset() -> oc.Dataset:
    held = io.StringIO()
    csv.writer(held).writerows([("free acid", "grove", "day", "panel"), *CASES])
    text = held.getvalue()
    return oc.load(
        text.encode(),
        variables={
            "free acid": {"type": "number", "missing": {"lost": "sample lost"}},
            "panel": {"meanings": {0: "absent", (1, 3): "delicate", (4, 6): "medium"}},
        },
    )


WHOLE = dataset()
NUMBERS = [case[0] if isinstance(case[0], float) else None for case in CASES]
TESTS = {
    "[free acid] > 0.5": lambda case, acid: None if acid is None else acid > 0.5,
    "[free acid] <= 0.8": lambda case, acid: None if acid is None else acid <= 0.8,
    "[free acid] != 1.5": lambda case, acid: None if acid is None else acid != 1.5,
    "[free acid] in 0.3..1": lambda case, acid: None if acid is None else 0.3 <= acid <= 1,
    "[free acid] is missing": lambda case, acid: acid is None,
    '[free acid] is "sample lost"': lambda case, acid: case[0] == "lost",
    "[free acid] is not missing": lambda case, acid: acid is not None,
    "grove = 'Las Mañas'": lambda case, acid: None if case[1] is None else case[1] == "Las Mañas",
    'grove contains "old"': lambda case, acid: None if case[1] is None else "old" in case[1],
    'grove = "the ""old"" one"': lambda case, acid: (
        None if case[1] is None else case[1].startswith("the")
    ),
    'grove not starts with "the"': lambda case, acid: (
        None if case[1] is None else not case[1].startswith("the")
    ),
    "day >= 2025-11-01": lambda case, acid: None if case[2] is None else case[2] >= "2025-11-01",
    "day not in (2025-10-01)": lambda case, acid: (
        None if case[2] is None else case[2] != "2025-10-01"
    ),
    "panel = 'medium'": lambda case, acid: None if case[3] is None else 4 <= case[3] <= 6,
    "panel in ('absent', 9)": lambda case, acid: None if case[3] is None else case[3] in (0, 9),
    "panel > [free acid]": lambda case, acid: (
        None if case[3] is None or acid is None else case[3] > acid
    ),
}


def negated(one):
    return None if one is None else not one


def both(one, two):
    return False if one is False or two is False else None if None in (one, two) else True


def either(one, two):
    return negated(both(negated(one), negated(two)))


def written(tree) -> str:
    if isinstance(tree, str):
        return tree
    if tree[0] == "not":
        return f"not ({written(tree[1])})"
    return f"({written(tree[1])}) {tree[0]} ({written(tree[2])})"


def meant(tree, case, acid):
    if isinstance(tree, str):
        return TESTS[tree](case, acid)
    parts = [meant(each, case, acid) for each in tree[1:]]
    return {"not": lambda one: negated(one), "and": both, "or": either}[tree[0]](*parts)


TREES = st.recursive(
    st.sampled_from(list(TESTS)),
    lambda inner: st.one_of(
        st.tuples(st.just("not"), inner),
        st.tuples(st.sampled_from(["and", "or"]), inner, inner),
    ),
    max_leaves=8,
)


@given(TREES)
def test_the_cases_are_those_that_are_meant(tree):
    kept = [row - 2 for row in WHOLE.filter(written(tree)).source_rows]
    wanted = [
        place
        for place, (case, acid) in enumerate(zip(CASES, NUMBERS, strict=True))
        if meant(tree, case, acid) is True
    ]
    assert kept == wanted


def test_and_binds_more_tightly_than_or():
    assert len(WHOLE.filter("panel = 0 or panel = 9 and day is missing")) == len(
        WHOLE.filter("panel = 0 or (panel = 9 and day is missing)")
    )


@pytest.mark.parametrize(
    ("condition", "words"),
    [
        ("acid > 1", 'there is no variable "acid"'),
        ("panel >", "expected a number, a date, or a text in quotes at the end"),
        ("panel = delicate", 'no variable "delicate".*put a text in quotes'),
        ("panel > 'x'", "integer; it cannot be compared with 'x'"),
        ("panel = 3 day = 5", 'expected "and", "or" or the end at "day = 5"'),
        ("(panel = 3", 'expected "\\)" at the end'),
        ("grove = 'Las", "a quote that is not closed"),
        ("panel", "expected a comparison"),
        ("panel contains 'a'", "is for texts"),
        ("[free acid] is 'lost in the post'", 'unknown reason "lost in the post"'),
        ("__import__('os')", "there is no variable"),
        ("panel in 1", 'expected "\\.\\."'),
        ("panel ; day", 'an unexpected sign at "; day"'),
        ("", "expected the name of a variable at the end"),
        ("(" * 500 + "panel = 1", "brackets within one another"),
    ],
)
def test_what_cannot_be_read_is_one_message(condition, words):
    with pytest.raises(oc.PlanError, match=words):
        WHOLE.filter(condition)


def test_a_packed_set_is_filtered_alike(tmp_path):
    for name in ("a", "b"):
        (tmp_path / f"{name}.csv").write_text(f"id,acid\n1{name},0.3\n2{name},\n3{name},0.9\n")
    oc.pack([tmp_path / "a.csv", tmp_path / "b.csv"], tmp_path / "set")
    kept = oc.unpack(tmp_path / "set").filter('acid > 0.5 or id starts "2"')
    assert kept["id"].values.to_pylist() == ["2a", "3a", "2b", "3b"]


@pytest.mark.parametrize("name", ["codebook", "counts", "summary", "patterns", "check"])
def test_commands_take_a_condition(name, here, tmp_path):
    (tmp_path / "a.csv").write_text("id,acid\n" + "".join(f"{n},{n / 10}\n" for n in range(40)))
    more = ["acid"] if name == "counts" else []
    done = here(name, "a.csv", *more, "--where", "acid >= 2", "--json")
    assert done.returncode == 0, done.stderr
    assert {"codebook": '"valid": 20', "counts": '"cases": 20', "summary": '"n": 20'}.get(
        name, "{"
    ) in done.stdout
    refused = here(name, "a.csv", *more, "--where", "acidity > 2")
    assert refused.returncode == 1 and 'did you mean "acid"' in refused.stderr
