"""What the sender promised of the data, and whether it holds: one class a kind of promise."""

from __future__ import annotations

from ..declaration.promises import Scalar
from ..evidence import Kinded


class Promise(Kinded, frozen=True, kw_only=True):
    """A promise, and whether it was kept."""

    variable: str = ""
    """Empty where it is about the dataset as a whole."""
    kept: bool
    count: int = 0
    """How many cases break it."""
    rows: tuple[int, ...] = ()
    """The first of them, by their rows in the source."""
    examples: tuple[str, ...] = ()
    """What these cases hold."""
    files: tuple[str, ...] = ()
    """In a set: the file of each of these rows."""


class RowCount(Promise, frozen=True, kw_only=True):
    """So many rows of data, or a range of them."""

    promised: int | str
    read: int


class UniqueKey(Promise, frozen=True, kw_only=True):
    """Variables whose values together differ in every case."""

    names: tuple[str, ...]


class KeptRelation(Promise, frozen=True, kw_only=True):
    """Two variables, or a variable and a number, compared."""

    relation: str


class Total(Promise, frozen=True, kw_only=True):
    """What the values of a variable add up to."""

    promised: float | int | None
    where: str = ""
    """The row of the source that holds the total, where it comes from one."""
    found: float | int


class Required(Promise, frozen=True, kw_only=True):
    """Every case has a value."""


class Within(Promise, frozen=True, kw_only=True):
    """Values between two bounds, both included."""

    low: Scalar | None = None
    high: Scalar | None = None


class AllowedValues(Promise, frozen=True, kw_only=True):
    """Only these values."""

    values: tuple[Scalar, ...]


class Pattern(Promise, frozen=True, kw_only=True):
    """Texts that follow a regular expression."""

    pattern: str


ALL_PROMISES = (
    RowCount,
    UniqueKey,
    KeptRelation,
    Total,
    Required,
    Within,
    AllowedValues,
    Pattern,
)
