"""Missing patterns as plain text."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..describe.patterns import Patterns
from ..errors import several
from .text import WIDTH, table

if TYPE_CHECKING:
    pass


def patterns_text(made: Patterns, width: int = WIDTH, most: int = 30) -> str:
    """A line for each pattern, with the variables that are missing in it."""
    rows = [
        [
            f"{each.count:,}",
            f"{100 * each.count / made.rows:.1f}",
            str(len(each.missing)),
            ", ".join(each.missing) or "nothing missing",
        ]
        for each in made.patterns[:most]
    ]
    lines = table(["rows", "percent", "lacking", "missing"], rows, "rrrl", width, wrap=True)
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
