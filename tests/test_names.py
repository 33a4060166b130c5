"""What columns are called, and how variables are chosen, put in order and named anew."""

from __future__ import annotations

import fnmatch
import re
from collections import Counter

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

HEADINGS = st.sampled_from(
    ["acid", "Acid", "acid_2", "acid_3", "", "column_2", "column_3", "Säure, frei", "1st", "x?"]
)


def loaded(headings: list[str], **options) -> oc.Dataset:
    names = ";".join(f'"{each}"' if each else "" for each in headings)
    data = f"{names}\n{';'.join(map(str, range(len(headings))))}\n"
    return oc.load(data.encode(), delimiter=";", rows={"names": 1}, **options)


def unique(headings: list[str]) -> list[str]:
    """A heading is a name; one that came before gets the first number that makes it another."""
    names: list[str] = []
    for place, heading in enumerate(headings, 1):
        name = base = heading or f"column_{place}"
        number = 2
        while name in names or (name != heading and name in headings):
            name, number = f"{base}_{number}", number + 1
        names.append(name)
    return names


@settings(max_examples=tries(150))
@given(st.lists(HEADINGS, min_size=2, max_size=14).filter(any))
def test_each_column_has_a_name_of_its_own(headings):
    dataset = loaded(headings)
    assert dataset.names == unique(headings)
    assert [dataset[name].values[0].as_py() for name in dataset.names] == [*range(len(headings))]
    changed = [(h, n) for h, n in zip(headings, dataset.names, strict=True) if h and h != n]
    noted = [note for note in dataset.receipt.notes if isinstance(note, oc.evidence.RenamedColumn)]
    assert [(note.heading, note.name) for note in noted] == changed
    assert [each.heading for each in dataset.variables] == [
        heading or name for heading, name in zip(headings, dataset.names, strict=True)
    ]


@settings(max_examples=tries(100))
@given(st.lists(HEADINGS, min_size=2, max_size=14).filter(any), st.sampled_from([True, 4, 6, 9]))
def test_plain_names_are_plain_short_and_their_own(headings, longest):
    try:
        dataset = loaded(headings, plain_names=longest)
    except oc.PlanError as error:
        assert longest == 4 and "too short to be unique" in str(error)
        return
    assert len(set(dataset.names)) == len(headings)
    for name, heading in zip(dataset.names, unique(headings), strict=True):
        assert re.fullmatch(r"[a-z_][a-z0-9_]*", name), name
        assert longest is True or len(name) <= longest
        start = "v1" if heading[0] == "1" else heading.lower().replace("ä", "a")[:1]
        assert name.startswith(start)
    again = dataset.make_names_plain(None if longest is True else longest)
    assert again.names == dataset.names


KNOWN = ["id", "day", "acid_1", "acid_2", "acid_10", "Acid", "x[1]", "note?", "a..b"]
WANTED = st.one_of(
    st.sampled_from(KNOWN),
    st.tuples(st.sampled_from(KNOWN[:6]), st.sampled_from(KNOWN[:6])).map("..".join),
    st.sampled_from(
        ["acid_*", "a*", "?cid", "acid_?", "*", "[ad]*", "*_1*", "none*", "Day", "ids"]
    ),
)


def meant(wanted: list[str]) -> list[str] | None:
    """Which of the known names are meant, in the order in which they are; `None`: an error."""
    found: list[str] = []
    for each in wanted:
        first, dots, last = each.partition("..")
        if each in KNOWN:
            found.append(each)
        elif set(each) & set("*?["):
            followed = [name for name in KNOWN if fnmatch.fnmatchcase(name, each)]
            if not followed:
                return None
            found += followed
        elif dots and first in KNOWN and last in KNOWN:
            low, high = KNOWN.index(first), KNOWN.index(last)
            if low > high:
                return None
            found += KNOWN[low : high + 1]
        else:
            return None
    return [*dict.fromkeys(found)]


@settings(max_examples=tries(200))
@given(st.lists(WANTED, min_size=1, max_size=5))
def test_names_runs_and_patterns_choose_variables(wanted):
    dataset, chosen = loaded(KNOWN), meant(wanted)
    if chosen is None:
        for call in (dataset.keep, lambda names: loaded(KNOWN, keep=names)):
            with pytest.raises(
                oc.PlanError, match=r"there is no variable|no variable matches|comes after"
            ):
                call(wanted)
        return
    assert dataset.keep(wanted).names == loaded(KNOWN, keep=wanted).names == chosen
    rest = [name for name in KNOWN if name not in chosen]
    assert dataset.reorder(wanted).names == chosen + rest
    for after in rest[:1]:
        place = rest.index(after) + 1
        assert dataset.reorder(wanted, after=after).names == rest[:place] + chosen + rest[place:]
    if "x[1]" in chosen and len(chosen) < len(KNOWN):
        assert dataset.keep("x[1]").names == ["x[1]"]


@settings(max_examples=tries(100))
@given(
    st.dictionaries(st.sampled_from(KNOWN), st.sampled_from([*KNOWN, "new", "newer"]), max_size=4)
)
def test_no_two_variables_are_named_alike(changes):
    dataset = loaded(KNOWN)
    after = [changes.get(name, name) for name in KNOWN]
    if max(Counter(after).values()) > 1:
        with pytest.raises(oc.PlanError, match="would both be named"):
            dataset.rename(changes)
        return
    renamed = dataset.rename(changes)
    assert renamed.names == after
    assert [renamed[name].values[0].as_py() for name in after] == [*range(len(KNOWN))]
    assert dataset.names == KNOWN


def test_thousands_of_names_are_chosen_and_made_unique():
    """What took minutes while each name was compared with all others."""
    count = 12_000
    dataset = loaded(["x"] * count)
    assert dataset.names == ["x", *(f"x_{place}" for place in range(2, count + 1))]
    assert dataset.make_names_plain().names == dataset.names
    half = dataset.names[::-2]
    kept = dataset.keep(half)
    assert kept.names == half and kept[half[0]].values[0].as_py() == count - 1
    renamed = dataset.rename({name: f"y{name}" for name in dataset.names})
    assert renamed.names[-1] == f"yx_{count}"
    assert dataset.reorder(half).names[: len(half)] == half
    plan = oc.draft(b";".join([b"x"] * count) + b"\n" + b";".join([b"1"] * count) + b"\n")
    assert len(plan.declare(half, label="half").variables) == count
