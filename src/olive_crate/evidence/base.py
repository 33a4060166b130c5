"""What every kind of evidence has."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any, ClassVar

import msgspec

from ..views import Worded

TYPE = "variable.type"


class Example(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something in the file, and its row."""

    row: int
    text: str
    file: str = ""
    """The file of a set."""


class TextCount(msgspec.Struct, frozen=True, omit_defaults=True):
    """A text, how often it occurs, and the first rows in which it does."""

    text: str
    count: int
    rows: tuple[int, ...] = ()
    file: str = ""
    """The file of a set that these rows are of."""


class Mend(Worded, msgspec.Struct, frozen=True, omit_defaults=True):
    """What settles a matter otherwise: parts declared of a variable, or options of the read."""

    parts: dict[str, Any]
    variable: str = ""
    """Empty where `parts` are options of the read, or declared of several variables."""
    variables: tuple[str, ...] = ()


def tag_of(name: str) -> str:
    """`DecimalMark` as `decimal-mark`."""
    return "".join(f"-{each.lower()}" if each.isupper() else each for each in name)[1:]


class Kinded(
    Worded,
    msgspec.Struct,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag=tag_of,
):
    """A value of one of many kinds, which JSON and packed files name under `kind`."""


class Evidence(Kinded, frozen=True, kw_only=True):
    """One decision that was made by looking at the file."""

    about: ClassVar[str] = ""
    """The key of a plan that holds the decision."""

    value: str = ""
    """What was decided."""
    variable: str = ""
    supporting: int | None = None
    against: int = 0
    examples: tuple[Example, ...] = ()
    alternatives: tuple[str, ...] = ()
    """What else it could be."""
    certain: bool = True
    mend: Mend | None = None
    files: tuple[str, ...] = ()
    """In a set: the first of the files that it is about; empty where it is about all of them."""
    in_files: int = 0
    """In a set: how many files it is about; 0 for all."""
    answered: bool = False
    """A later declaration has settled it, so that it is open no more."""

    def settled_as(self, alternative: str) -> dict[str, Any]:
        """The options of `load`, `draft` and `look` that decide for one of the alternatives.

        Raises `ValueError` for what is none of them.
        """
        if alternative not in self.alternatives:
            raise ValueError(f"{alternative!r} is not among {', '.join(self.alternatives)}")
        section, _, key = self.about.partition(".")
        if section == "variable":
            return {"variables": {self.variable: self._declared_as(alternative)}}
        if self.about == "rows.names":
            rows = [] if alternative == "none" else [int(row) for row in alternative.split(",")]
            return {"rows": {"names": rows}}
        if section == "rows":
            return {"rows": {"data" if ".." in alternative else key: alternative}}
        return {key or section: None if alternative == "none" else alternative}

    def _declared_as(self, alternative: str) -> dict[str, Any]:
        """The parts of a declaration: those of the mend, or a type and how it is written."""
        kind, _, written = alternative.partition(" ")
        if self.mend is not None and (alternative in self.mend.parts or self.about != TYPE):
            return dict(self.mend.parts)
        return {"type": kind, "format": written} if written else {"type": kind}


SETTLED_BY = {
    "variable.type": ("type", "format"),
    "variable.cells": ("type", "missing"),
    "variable.digits": ("type",),
    "variable.format": ("type", "format"),
    "variable.suspects": ("missing",),
    "variable.missing": ("missing",),
    "variable.level": ("level",),
}
"""The parts of a declaration that settle what evidence about a variable leaves open."""


def with_answers(
    evidence: Iterable[Evidence], names: Collection[str], parts: Mapping[str, Any]
) -> tuple[Evidence, ...]:
    """The evidence, with what these parts settle of these variables marked as answered."""
    given = {part for part, value in parts.items() if value is not None}
    return tuple(
        msgspec.structs.replace(each, answered=True)
        if each.variable in names and given.intersection(SETTLED_BY.get(each.about, ()))
        else each
        for each in evidence
    )
