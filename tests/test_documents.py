"""Every block of every page of the documentation runs, and prints what the page says."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from documents import matches, run_page

from olive_crate.demo.walk import write_demo

ROOT = Path(__file__).parent.parent
PAGES = sorted([*(ROOT / "docs").glob("*.md"), ROOT / "README.md"], key=lambda page: page.name)


@pytest.fixture(scope="session")
def written(tmp_path_factory):
    """What `make demo` writes; each page works on a copy."""
    folder = tmp_path_factory.mktemp("demo")
    write_demo(folder)
    return folder


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_a_page_does_what_it_says(page, written, here, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    monkeypatch.delenv("COLUMNS", raising=False)
    shutil.copytree(written, tmp_path, dirs_exist_ok=True)
    run_page(page, here)


@pytest.mark.parametrize(
    ("printed", "shown", "same"),
    [
        ("a\nb\nc", "a\n...\nc", True),
        ("a\nb\nc", "a\nc", False),
        ("a\nb", "a\nb\n...", True),
        ("a\nb", "...\na", False),
    ],
)
def test_what_is_shown_may_leave_out_lines(printed, shown, same):
    assert matches(printed, shown) is same
