"""Every public function and method has an example in its docstring, and the examples run."""

from __future__ import annotations

import doctest
import importlib
import inspect
from pathlib import Path

import pytest

import olive_crate as oc

TEXT = b"id,acid,grade\n1,0.3,A\n2,777,B\n3,1.2,\n4,0.3,A\n"
PLACES = (
    *("api.reading", "api.dataset", "api.describing", "api.plan", "api.crate", "api.comparing"),
    *("api.pictures", "show.pictures.distributions", "show.pictures.matrices"),
    *(
        "show.pictures.findings",
        "columns.column",
        "declaration.variable",
        "errors",
        "show.progress",
    ),
)


MISSING = {777: "lost"}


def given(folder: Path, with_crate: bool) -> dict[str, object]:
    """What the page of the reference says is there."""
    folder.mkdir()
    marks = "".join(f"{n},{'n.d.' if n == 9 else n / 10}\n" for n in range(40))
    odd = "".join(f"{n},{777 if n % 30 == 0 else n % 7 / 10}\n" for n in range(200))
    texts = {
        "lab.csv": TEXT.decode(),
        "grades.csv": "grade,price\nA,3.1\nB,2.4\n",
        "marks.csv": f"id,acid\n{marks}",
        "odd.csv": f"id,acid\n{odd}",
        "fields.csv": "name,start,end\nid,1,1\nacid,3,5\n",
    }
    for name, text in texts.items():
        (folder / name).write_text(text)
    oc.pack(folder / "lab.csv", folder / "lab.parquet", missing=MISSING)
    made = {"oc": oc, "text": TEXT, "folder": folder}
    made |= {"ds": oc.load(TEXT, missing=MISSING), "plan": oc.draft(TEXT, missing=MISSING)}
    if with_crate:
        crate = oc.Crate.new(folder / "crate")
        crate.add(folder / "lab.csv", missing=MISSING)
        crate.add(folder / "grades.csv")
        made["crate"] = crate
    return made


@pytest.mark.parametrize("place", PLACES)
def test_examples_run(place, tmp_path):
    module = importlib.import_module(f"olive_crate.{place}")
    for number, test in enumerate(doctest.DocTestFinder().find(module)):
        if not test.examples:
            continue
        test.globs |= given(tmp_path / str(number), "crate" in test.docstring)
        failed = doctest.DocTestRunner(optionflags=doctest.ELLIPSIS).run(test)
        assert failed.failed == 0, test.name


PUBLIC = [getattr(oc, name) for name in oc.__all__ if inspect.isfunction(getattr(oc, name))]
PARTS_OF_OURS = ("of", "named", "slice", "taken", "equals")
"""Methods that rooms of the program use, and people seldom."""
HOMES = [f"olive_crate.{place}" for place in PLACES]
METHODS = [
    method
    for kind in (oc.Dataset, oc.Plan, oc.Crate, oc.Column)
    for name, method in inspect.getmembers(kind, inspect.isfunction)
    if not name.startswith("_") and name not in PARTS_OF_OURS and method.__module__ in HOMES
]


@pytest.mark.parametrize("function", [*PUBLIC, *METHODS], ids=lambda each: each.__qualname__)
def test_a_public_function_has_an_example(function):
    assert ">>> " in (function.__doc__ or "")
