"""All kinds of evidence and notes, for what is written down and read again."""

from __future__ import annotations

from typing import Any

from . import fixed, notes, rows, sets, sheet, source, tables, variables
from .base import Evidence
from .notes import Note

FILES = (source, rows, variables, notes, fixed, sheet, tables, sets)


def _kinds(base: type) -> tuple[Any, ...]:
    """The classes of a base, each once, in the order of the files that they stand in."""
    own = [
        each
        for file in FILES
        for each in vars(file).values()
        if isinstance(each, type) and issubclass(each, base) and each.__module__ == file.__name__
    ]
    return tuple(each for each in own if each is not base)


ALL_EVIDENCE = _kinds(Evidence)
ALL_NOTES = _kinds(Note)
