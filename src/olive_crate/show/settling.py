"""Open points as questions in plain text: the evidence, cells in their rows, numbered answers."""

from __future__ import annotations

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
    for each in evidence.examples[:CELLS]:
        where = f"row {each.row}" + (f" of {visible(each.file)}" if each.file else "")
        lines.append(cut(f"  {where}: {visible(each.text)}", width))
    for number, proposal in enumerate(point.proposals, 1):
        lines += wrapped(f"  {number}  {visible(proposal_words(point, proposal))}", width, "     ")
    return "\n".join(lines)


def proposal_words(point: OpenPoint, proposal: Proposal) -> str:
    """An answer in words."""
    if proposal.kind == KEEP and point.about == "variable.suspects":
        return f"keep as values: {decision_of(point.evidence)}"
    if proposal.kind == KEEP:
        return f"keep it: {decision_of(point.evidence)}"
    return mend_text(proposal.mend)
