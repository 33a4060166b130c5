"""Missing patterns as plain text."""

from __future__ import annotations

from ..describe.patterns import Patterns
from ..errors import several
from .text import WIDTH, table

HEADINGS = ["rows", "percent", "lacking", "missing"]


def patterns_text(made: Patterns, width: int = WIDTH, most: int = 30) -> str:
    """A line for each pattern, with the variables that are missing in it."""
    lines = table(HEADINGS, pattern_rows(made, most), "rrrl", width, wrap=True)
    left = made.patterns[most:]
    if left:
        rest = sum(each.count for each in left)
        lines.append(f"{several(len(left), 'more pattern')} in {several(rest, 'row')}")
    variables = several(len(made.names), "variable")
    lines.append(
        f"{several(made.rows, 'row')}, {variables}: {made.complete:,} complete, "
        f"{made.empty:,} with none of them"
    )
    return "\n".join(lines)


def pattern_rows(made: Patterns, most: int) -> list[list[str]]:
    """The largest patterns as rows of a table."""
    return [
        [
            f"{each.count:,}",
            f"{100 * each.count / made.rows:.1f}",
            str(len(each.missing)),
            ", ".join(each.missing) or "nothing missing",
        ]
        for each in made.patterns[:most]
    ]
