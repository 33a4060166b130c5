"""What was found out about the files of a set, compared with one another."""

from __future__ import annotations

from typing import ClassVar, Literal

import msgspec

from .base import Evidence
from .notes import Note


class InFiles(msgspec.Struct, frozen=True, omit_defaults=True):
    """A value, in how many files it was found, and the first of them."""

    value: str
    count: int
    files: tuple[str, ...] = ()


class FilesDiffer(Note, frozen=True, kw_only=True):
    """Files differ in something that is settled for each of them by itself."""

    what: Literal["layout", "encoding", "delimiter", "decimal", "heading", "order", "format"]
    usual: str
    """What most files have."""
    others: tuple[InFiles, ...]
    variable: str = ""


class NotInFiles(Note, frozen=True, kw_only=True):
    """A variable that some of the files do not have: its cells are missing there."""

    name: str
    count: int
    of: int
    files: tuple[str, ...]
    """The first of the files without it, or of those with it where these are fewer."""


class FileSetAside(Note, frozen=True, kw_only=True):
    """A file that could not be read, and is not part of the dataset."""

    file: str
    why: str


class FilesLeftOut(Note, frozen=True, kw_only=True):
    """Files of other kinds in a folder or archive, which were not taken for data."""

    names: tuple[str, ...]


class EmptyFiles(Note, frozen=True, kw_only=True):
    """Files without a single row."""

    names: tuple[str, ...]


class FilesNotReached(Note, frozen=True, kw_only=True):
    """The limit was reached before these files."""

    count: int


class FilesUnlike(Evidence, frozen=True, kw_only=True):
    """Files that share few variables with most others: perhaps they do not belong to the set."""

    about: ClassVar[str] = "source.paths"
    names: tuple[str, ...]
    count: int
    shared: int
    """How many variables the first of them shares with most files."""
    of: int


class PerhapsRenamed(Evidence, frozen=True, kw_only=True):
    """A variable that is only in files without another one, whose heading is like its own."""

    about: ClassVar[str] = "variable.from"
    other: str
    """The heading that the files have which lack the variable."""
    count: int
    """How many files have the other heading."""
    files: tuple[str, ...] = ()


class TypesDiffer(Evidence, frozen=True, kw_only=True):
    """A variable whose cells are of one type in some files and of another in others."""

    about: ClassVar[str] = "variable.type"
    kinds: tuple[InFiles, ...]


class UnitsDiffer(Evidence, frozen=True, kw_only=True):
    """A variable with one unit in some files and another in others."""

    about: ClassVar[str] = "variable.unit"
    units: tuple[InFiles, ...]
