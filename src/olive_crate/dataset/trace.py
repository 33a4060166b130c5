"""How one cell came from its source: each step as a typed value, without wording."""

from __future__ import annotations

from typing import Any

import msgspec

from ..evidence import Evidence, Kinded
from ..views import Worded


class Step(Kinded, frozen=True, kw_only=True):
    """One thing that was done to the text of a cell."""


class Trimmed(Step, frozen=True, kw_only=True):
    """Blanks around the text were left out."""

    text: str
    """What is left."""


class FlagTakenApart(Step, frozen=True, kw_only=True):
    """A flag behind the value was put into the variable beside it."""

    flag: str
    text: str


class Blank(Step, frozen=True, kw_only=True):
    """There is nothing in the cell."""


class CodeMatched(Step, frozen=True, kw_only=True):
    """The cell is a missing code."""

    code: str
    reason: str
    by_value: bool
    """It is written otherwise than the code, and matched by its value."""


class Unreadable(Step, frozen=True, kw_only=True):
    """The text is no value of the type."""

    type: str


class ReadAs(Step, frozen=True, kw_only=True):
    """The text was read as a value of this type."""

    type: str
    decimal: str = ""
    """The decimal mark, where one is written that is no point."""
    grouping: str = ""
    """The mark between groups of digits, where one is written."""
    implied: int = 0
    """Decimals that are not written."""
    format: str = ""
    """How a date or time is written."""
    unit: str = ""


class Trace(Worded, msgspec.Struct, frozen=True):
    """One cell, from the text of its row to its value."""

    variable: str
    row: int
    """The row of the source."""
    case: int
    """The row of the dataset, counted from 0."""
    source: str
    place: str
    """Which field, which positions, or which cell of a sheet."""
    raw: str
    """The row as it stands in the source."""
    start: int | None
    """Where the cell lies in it; `None` where it is not written there as it is taken."""
    end: int | None
    text: str
    """The text that was taken."""
    steps: tuple[Step, ...]
    value: Any
    """`None` where there is none."""
    reason: str
    """Why there is no value; empty where there is one."""
    named: str = ""
    """The key of the case, of a database's table: `delivery 1040`."""
    evidence: tuple[Evidence, ...] = ()
    """What the decisions about its variable rest on."""

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain
