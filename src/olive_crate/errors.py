"""Errors, worded for the person who has the file in front of them.

A message says what is wrong, where (file and row, or plan key) and what to do. The last part may
name an option: the library calls it `replace=True`, the command `--replace`. Callers tell errors
apart by their class; nothing is ever parsed out of a message.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Advice(NamedTuple):
    """What to do about an error, with `{}` for the option that does it."""

    words: str
    in_python: str
    in_command: str


class OliveCrateError(Exception):
    """The parent of every error that Olive Crate raises on purpose."""

    said = ""
    """What a database says is wrong, where it was one that refused."""

    def __init__(self, problem: str, advice: Advice | None = None) -> None:
        self.problem, self.advice = problem, advice
        message = problem
        if advice is not None:
            message += f"; {advice.words.replace('{}', advice.in_python)}"
        super().__init__(message)

    def for_command(self) -> str:
        """The message with the command's flag in place of the library's option."""
        if self.advice is None:
            return str(self)
        return f"{self.problem}; {self.advice.words.replace('{}', self.advice.in_command)}"


class SourceError(OliveCrateError):
    """The source cannot be opened, or its bytes are invalid."""


class PasswordNeeded(SourceError):
    """A database asks for a user and a password, and none was to be had."""

    def __init__(self, problem: str, may_be_asked: bool = True) -> None:
        super().__init__(problem)
        self.may_be_asked = may_be_asked
        """The user has named the host, so that what he answers may be sent to it."""


class LayoutError(OliveCrateError):
    """The records are not as the plan says (a quote left open, no such row)."""


class PlanError(OliveCrateError):
    """A plan, an option or a declaration is wrong."""


class UnreadableError(OliveCrateError):
    """A cell does not parse as declared, and the plan says to stop at such cells."""


class TargetError(OliveCrateError):
    """What is to be written cannot be, or must not be."""


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
