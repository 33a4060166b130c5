"""Whether what was packed is whole, as plain text."""

from __future__ import annotations

from ..dataset.verification import Verification
from ..errors import several
from .notes import imbalance_words
from .text import WIDTH, visible, wrapped

SHOWN = 20
"""Damaged files that are named."""


def verification_text(made: Verification, width: int = WIDTH) -> str:
    """A line of what was read, and one for each thing that is wrong."""
    damaged = [each for each in made.parts if each.problem]
    files = "" if len(made.parts) == 1 else f" in {several(len(made.parts), 'file')}"
    known = made.rows or made.is_whole
    lines = [visible(made.source) + (f": {several(made.rows, 'row')}{files}" if known else "")]
    if made.is_whole:
        lines.append("whole: every byte is as it was written, and the receipt adds up")
        return "\n".join(lines)
    if damaged:
        lines.append(f"{several(len(damaged), 'file')} damaged or gone:")
        for each in damaged[:SHOWN]:
            text = f"{visible(each.name)}: {visible(each.problem)}"
            lines += [f"  {piece}" for piece in wrapped(text, width - 2)]
        if len(damaged) > SHOWN:
            lines.append(f"  and {len(damaged) - SHOWN} more")
    if made.imbalances:
        lines.append("the receipt does not add up:")
        lines += [f"  {imbalance_words(each)}" for each in made.imbalances]
    return "\n".join(lines)
