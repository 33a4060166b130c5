"""Texts of many lines in quoted fields (RFC 4180, section 2), wherever a sample cuts them."""

from __future__ import annotations

import random

import pytest
from conftest import tries
from hypothesis import given, settings
from hypothesis import strategies as st

import olive_crate as oc

WORDS = {
    "words": ["olive", "grove", "the mill"],
    "commas": ["oil, virgin", "grove;", "late\tfrost"],
    "quotes": ['said ""yes""', "olive"],
    "everything": ['""', '""late"" frost', "oil, virgin", "grove;", "the mill | it", "2,5"],
    "records": ['12,report 3,""late', 'frost"",7', "olive"],
}


def paragraphs(words: list[str], lines: int, seed: int) -> str:
    chosen = random.Random(seed)
    return "\n".join(" ".join(chosen.choices(words, k=6)) for _ in range(lines))


def report(words: list[str], lines: int, rows: int, delimiter: str, end: str) -> tuple[bytes, list]:
    """A file of numbers, short texts and long ones, and the long ones."""
    bodies = [paragraphs(words, lines, seed).replace("\n", end) for seed in range(rows)]
    made = [delimiter.join(("id", "title", "body", "net"))]
    made += [
        delimiter.join((str(at), f"report {at}", f'"{body}"', str(at % 7)))
        for at, body in enumerate(bodies)
    ]
    return (end.join(made) + end).encode(), [each.replace('""', '"') for each in bodies]


@pytest.mark.parametrize("words", WORDS)
@pytest.mark.parametrize("lines", [1, 2, 3, 20, 101, 150, 1_000, 5_000])
def test_a_text_of_any_length_stays_in_its_field(words, lines):
    rows = max(6, min(60, 40_000 // lines))
    data, bodies = report(WORDS[words], lines, rows, ",", "\n")
    ds = oc.load(data)
    assert ds.names == ["id", "title", "body", "net"]
    assert ds["body"].values.to_pylist() == bodies
    assert ds["net"].values.to_pylist() == [at % 7 for at in range(rows)]
    assert ds.receipt.balanced


@given(
    words=st.sampled_from(sorted(WORDS)),
    lines=st.integers(1, 400),
    rows=st.integers(3, 40),
    delimiter=st.sampled_from([",", ";", "\t", "|"]),
    end=st.sampled_from(["\n", "\r\n"]),
)
@settings(max_examples=tries(40))
def test_long_texts_with_every_delimiter(words, lines, rows, delimiter, end):
    data, bodies = report(WORDS[words], lines, rows, delimiter, end)
    ds = oc.load(data)
    assert ds.names == ["id", "title", "body", "net"]
    assert ds["body"].values.to_pylist() == bodies
    assert ds.receipt.balanced
