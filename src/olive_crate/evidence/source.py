"""Evidence about a source, its encoding, and how its lines are cut into fields."""

from __future__ import annotations

from typing import ClassVar, Literal

import msgspec

from .base import Evidence


class EmptySource(Evidence, frozen=True, kw_only=True):
    """There is nothing to read."""

    about: ClassVar[str] = "source"


EncodingBasis = Literal["mark", "zeros", "ascii", "utf-8", "characters"]


class EncodingFound(Evidence, frozen=True, kw_only=True):
    """How the bytes spell characters."""

    about: ClassVar[str] = "source.encoding"
    basis: EncodingBasis
    """A byte-order mark, zero bytes between characters, nothing but ASCII, valid UTF-8, or the
    characters beyond ASCII."""
    characters: int = 0
    """Characters beyond ASCII that were looked at."""


class AlignedColumns(Evidence, frozen=True, kw_only=True):
    """Text aligned by blanks is read as fixed columns."""

    about: ClassVar[str] = "layout"
    rows: int


class Rival(msgspec.Struct, frozen=True):
    """Another delimiter that cuts rows alike."""

    delimiter: str
    fields: int
    share: float
    """The share of rows that have so many fields."""


class DelimiterFound(Evidence, frozen=True, kw_only=True):
    """What separates the fields; an empty value for a single column."""

    about: ClassVar[str] = "delimited.delimiter"
    rows: int
    fields: int = 1
    rivals: tuple[Rival, ...] = ()


class QuoteFound(Evidence, frozen=True, kw_only=True):
    """What fields are quoted by, where it is not the usual quote."""

    about: ClassVar[str] = "delimited.quote"


class EscapeFound(Evidence, frozen=True, kw_only=True):
    """What makes quotes literal."""

    about: ClassVar[str] = "delimited.escape"


class BlanksFollow(Evidence, frozen=True, kw_only=True):
    """Blanks follow the delimiter nearly everywhere, and are trimmed."""

    about: ClassVar[str] = "delimited.trim"
    delimiter: str


class CommentFound(Evidence, frozen=True, kw_only=True):
    """How lines of comment begin."""

    about: ClassVar[str] = "delimited.comment"


class DecimalMark(Evidence, frozen=True, kw_only=True):
    """What stands before decimals."""

    about: ClassVar[str] = "delimited.decimal"
    unclear: int = 0
    """Numbers such as `1,234`, in which the mark may as well group digits."""
    declared_grouping: str = ""
    """The mark that is declared to group digits, where that decides it."""
    proven: bool = False
    """The example can be read in one way only."""


class GroupingMark(Evidence, frozen=True, kw_only=True):
    """What groups digits."""

    about: ClassVar[str] = "delimited.grouping"
    proven: bool = False
