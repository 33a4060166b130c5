"""What can go wrong, told to the person who has the file in front of them.

A message says what is wrong, where (file and row, plan key) and what to do next. Callers that want
to react tell the cases apart by class; nothing is ever parsed out of a message.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    pass


class OliveCrateError(Exception):
    """The parent of every error that Olive Crate raises on purpose."""


class SourceError(OliveCrateError):
    """The source cannot be opened, or its bytes are not what they should be."""


class LayoutError(OliveCrateError):
    """The records do not lie as the plan says (a quote left open, no such row)."""


class PlanError(OliveCrateError):
    """A plan, an option or a declaration is at fault."""


class UnreadableError(OliveCrateError):
    """A cell cannot be taken as declared, and the plan says to stop at such cells."""


def nearest(name: str, known: Iterable[str]) -> str:
    """A hint that names the nearest known name, else all of them; empty if none is known."""
    from difflib import get_close_matches

    names = [str(each) for each in known]
    folded = {each.lower(): each for each in names}
    close = get_close_matches(name.lower(), folded, n=1, cutoff=0.6)
    if close:
        return f'; did you mean "{folded[close[0]]}"?'
    if not names:
        return ""
    shown = ", ".join(f'"{each}"' for each in names[:12])
    return f"; known are {shown}" + (f" and {len(names) - 12} more" if len(names) > 12 else "")


def several(count: int, what: str, many: str = "") -> str:
    """A count with its noun: `1 row`, `1,204 rows`."""
    return f"{count:,} {what if count == 1 else many or what + 's'}"


def with_article(word: str) -> str:
    """The word with `a` or `an` before it."""
    return ("an " if word[:1] in "aeiou" else "a ") + word
