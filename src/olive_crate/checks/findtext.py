"""Findings as plain text."""

from __future__ import annotations

from ..words import WIDTH, cut, several, visible, wrapped
from .findings import Findings

SIGNS = {"serious": "!", "doubtful": "?", "note": "-"}


def findings_text(findings: Findings, width: int = WIDTH, most: int = 200) -> str:
    """A paragraph for each finding: what, where, and what would mend it."""
    if not len(findings):
        return "nothing found"
    lines = []
    for each in findings[:most]:
        lines += wrapped(f"{SIGNS[each.severity]} {visible(str(each))}", width, "    ")
        if each.mend:
            lines.append(cut(f"    to mend: {each.mend}", width))
    if len(findings) > most:
        lines.append(f"and {several(len(findings) - most, 'more finding')}")
    counts = [(severity, sum(each.severity == severity for each in findings)) for severity in SIGNS]
    told = ", ".join(f"{count} {severity}" for severity, count in counts if count)
    return "\n".join([*lines, "", f"{several(len(findings), 'finding')}: {told}"])
