"""Texts that would steer a terminal or a page: made visible in everything that a person reads."""

from __future__ import annotations

import json
import re

import pytest

import olive_crate as oc

STEERS = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]")
HOSTILE = (
    "na\x1b[31mme,b\x07el,\u202eecin,plain\n"
    "1,x\x1b[2Jy,\u2066w,1\n2,\x1b]0;title\x07q,\u202ev,2\n3,k\x9b31m,w\x7f,3\n"
)
NAME = "f\x1b[32mi\u202ele.csv"
COMMANDS = [
    ("look", NAME),
    ("draft", NAME),
    ("draft", NAME, "-o", "a.plan.toml"),
    ("pack", NAME, "-o", "a\x1b[1m.parquet"),
    ("codebook", NAME),
    ("codebook", NAME, "--full"),
    ("counts", NAME, "b\x07el"),
    ("counts", NAME, "no\x1b[5mthing"),
    ("summary", NAME),
    ("patterns", NAME),
    ("correlations", NAME),
    ("check", NAME),
    ("compare", NAME, NAME),
    ("trace", NAME, "b\x07el", "2"),
    ("verify", NAME),
    ("export", NAME, "o\x1b[1mut.csv"),
    ("look", "no\x1b[31mthing\u202e.csv"),
    ("look", NAME, "--encoding", "u\x1b[1mtf"),
    ("look", NAME, "--sheet", "S\x1b[1m"),
]


@pytest.mark.parametrize("arguments", COMMANDS, ids=lambda each: " ".join(each).encode().hex()[:24])
def test_no_command_prints_what_steers_a_terminal(arguments, tmp_path, here):
    (tmp_path / NAME).write_text(HOSTILE, "utf-8")
    done = here(*arguments)
    piped = arguments[0] == "draft" and "-o" not in arguments  # a plan, which stays true
    for text in (done.stderr, "" if piped else done.stdout):
        assert STEERS.findall(text) == []
    assert done.stdout or done.stderr


def test_json_stays_true(tmp_path, here):
    (tmp_path / NAME).write_text(HOSTILE, "utf-8")
    told = json.loads(here("codebook", NAME, "--json").stdout)
    assert "na\x1b[31mme" in str(told) or "na\\x1b[31mme" in str(told)
    assert oc.load(tmp_path / NAME).names[1] == "b\x07el"


def test_nothing_steers_a_page(tmp_path):
    (tmp_path / NAME).write_text(HOSTILE, "utf-8")
    ds = oc.load(tmp_path / NAME)
    values = (ds, ds.codebook(), ds.receipt, ds.counts(ds.names[1]), ds.check(), ds.summary())
    for value in (*values, oc.look(tmp_path / NAME), ds.plan):
        assert STEERS.findall(value._repr_html_()) == [], type(value).__name__
    for value in (*values[1:], oc.look(tmp_path / NAME), ds.trace(ds.names[1], 2)):
        assert STEERS.findall(str(value)) == [], type(value).__name__
