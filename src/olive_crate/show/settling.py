"""Open points as questions in plain text: the evidence, cells in their rows, numbered answers."""

from __future__ import annotations

from collections.abc import Iterator

from ..declaration.settled import KEEP
from ..reading.settling import OpenPoint, Proposal
from .claims import claim_of
from .evidence import ABOUT, decision_of
from .mends import mend_text
from .text import WIDTH, cut, visible, wrapped

CELLS = 5
"""Cells that a question shows."""


def point_text(point: OpenPoint, width: int = WIDTH) -> str:
    """A question with its evidence and its answers, numbered from 1."""
    evidence = point.evidence
    about = evidence.variable or ABOUT[evidence.about]
    lines = wrapped(f"{visible(about)}: {visible(claim_of(evidence))}", width, "  ")
    lines += [cut(f"  {visible(line)}", width) for line in _cells(point)]
    for number, proposal in enumerate(point.proposals, 1):
        words = proposal_words(point, proposal)
        if point.readings:
            words += f"  reads {point.readings[number - 1]}"
        lines += wrapped(f"  {number}  {visible(words)}", width, "     ")
    return "\n".join(lines)


def _cells(point: OpenPoint) -> Iterator[str]:
    """Cells that the point is about, each with those beside it."""
    for case in point.cases:
        beside = ", ".join(f"{name} {text}" for name, text in case.beside.items())
        yield f"{_where(case.row, case.file)}: {case.text}" + (f"   ({beside})" if beside else "")
    if not point.cases:
        for each in point.evidence.examples[:CELLS]:
            yield f"{_where(each.row, each.file)}: {each.text}"


def _where(row: int, file: str) -> str:
    return f"row {row}" + (f" of {file}" if file else "")


def proposal_words(point: OpenPoint, proposal: Proposal) -> str:
    """An answer in words."""
    if proposal.kind == KEEP and point.about == "variable.suspects":
        return f"keep as values: {decision_of(point.evidence)}"
    if proposal.kind == KEEP:
        return f"keep it: {decision_of(point.evidence)}"
    return mend_text(proposal.mend)
