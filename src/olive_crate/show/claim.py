"""The claim that a piece of evidence makes: a function to which every kind adds its words."""

from __future__ import annotations

from functools import singledispatch
from importlib import import_module

from ..evidence import Evidence

WORDS = {"sheet": "sheet_words", "sets": "set_words", "tables": "table_words"}
"""Wording loaded on first use, by the file that defines the evidence; few reads need it."""


@singledispatch
def claim_of(evidence: Evidence) -> str:
    """What the file shows, in words."""
    kind = type(evidence)
    home = WORDS.get(kind.__module__.rpartition(".")[2])
    if home is not None:
        import_module(f".{home}", __package__)
    words = claim_of.dispatch(kind)
    if words is claim_of.dispatch(object):
        raise NotImplementedError(f"no words for {kind.__name__}")
    return words(evidence)
