"""Notes: what had to be changed or left out to follow a plan, without being an error."""

from __future__ import annotations

from typing import Literal

from .base import Kinded


class Note(Kinded, frozen=True, kw_only=True):
    """Something that differs from what was asked for, without being an error."""


class RenamedColumn(Note, frozen=True, kw_only=True):
    """A second column has the same heading."""

    column: int
    heading: str
    name: str


class UnnamedColumns(Note, frozen=True, kw_only=True):
    """Columns without a heading are named by position."""

    columns: tuple[int, ...]


class FellBack(Note, frozen=True, kw_only=True):
    """Aligned columns were found, but do not hold for the whole file; it was read as delimited."""

    name: str
    why: str


class SourceChanged(Note, frozen=True, kw_only=True):
    """The file was changed while it was read."""

    name: str


class ProvisionalTypes(Note, frozen=True, kw_only=True):
    """Types were settled by the first rows only."""

    rows: int


class UndeclaredColumns(Note, frozen=True, kw_only=True):
    """Columns that the plan does not mention."""

    names: tuple[str, ...]


class MovedColumns(Note, frozen=True, kw_only=True):
    """Columns in another order than in the plan."""

    names: tuple[str, ...]


class PlainNameTaken(Note, frozen=True, kw_only=True):
    """Two headings have the same plain name."""

    heading: str
    plain: str
    other: str
    """The heading that has the plain name."""
    name: str
    """What the variable is called instead."""
    cut_to: int | None = None


class PromiseNotChecked(Note, frozen=True, kw_only=True):
    """A promise that cannot be judged by what is read."""

    promise: Literal["key", "relation", "total", "counts"]
    names: tuple[str, ...] = ()
    """The variables, or the relation, that it is about."""
    lacking: str = ""
    """The variable that is not kept; empty where only the first rows are read."""


class IncompleteRecord(Note, frozen=True, kw_only=True):
    """The last record lacks lines."""

    row: int
    lacking: int


class CutCharacters(Note, frozen=True, kw_only=True):
    """Positions counted in bytes cut characters."""

    cells: int


class DictionaryGap(Note, frozen=True, kw_only=True):
    """Something that a dictionary says and that is not followed."""

    source: str
    gap: Literal["left out", "not followed", "not checked", "several"]
    key: str
    value: str = ""
    variable: str = ""
