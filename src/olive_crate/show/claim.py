"""The claim that a piece of evidence makes: a function to which every kind adds its words."""

from __future__ import annotations

from functools import singledispatch

from ..evidence import Evidence


@singledispatch
def claim_of(evidence: Evidence) -> str:
    """What the file shows, in words."""
    raise NotImplementedError(f"no words for {type(evidence).__name__}")
