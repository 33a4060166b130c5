"""The commands that documents show print what the documents say they print."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from olive_crate.demo.walk import write_demo

DOCS = Path(__file__).parent.parent / "docs"
BLOCK = re.compile(r"^```console\n(.*?)^```", re.MULTILINE | re.DOTALL)


@pytest.mark.parametrize("page", ["checks.md", "databases.md", "web.md"])
def test_commands_print_what_the_page_says(page, command, tmp_path):
    write_demo(tmp_path)
    shown = 0
    for block in BLOCK.findall((DOCS / page).read_text("utf-8")):
        for part in re.split(r"^\$ olive-crate ", block, flags=re.MULTILINE)[1:]:
            line, _, expected = part.partition("\n")
            if expected.strip():
                import shlex

                done = command(*shlex.split(line))
                assert done.stdout.rstrip() == expected.rstrip(), line
                shown += 1
    assert shown
