"""What the metadata file of a packed set holds, as plain values.

A packed set is a folder: Parquet files, each with rows of one source, and one metadata file that
names them. A file that the metadata does not name is no part of the set.
"""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from ..columns.search_result import SearchResult
from ..declaration.variable import Variable

METADATA = "_olive_crate.json"
STAGING = "_staging"
VERSION = 2
MOST_FOLDERS = 10_000
"""Values of variables that parts are divided by; more are refused."""


class PartsBy(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a set is divided by: its files, so many rows of each, or the values of variables."""

    kind: Literal["file", "rows", "values"] = "file"
    rows: int = 0
    names: tuple[str, ...] = ()


class Constant(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a variable is in all rows of a part: a value as text, or a reason."""

    text: str | None = None
    reason: str = ""


class Part(msgspec.Struct, omit_defaults=True):
    """One Parquet file of a set."""

    path: str
    """Within the folder."""
    rows: int
    runs: dict[str, Any] | None
    """The rows of the source, as `RowNumbers` writes them."""
    names: list[str]
    """The variables that it has a column for."""
    reasons: dict[str, str] = {}
    """The columns of reasons, by variable."""
    withheld: dict[str, str] = {}
    constants: dict[str, Constant] = {}
    """The variables by whose values the set is divided."""
    footer: str = ""
    """The checksum of the file's footer (`formats.parquet`)."""
    body: str = ""
    """That of all before it; empty where the file lies on another machine."""


class PackedSource(msgspec.Struct, omit_defaults=True):
    """One source of a set, and what came of it."""

    name: str
    address: str
    """Its path or address, where it is read again from; empty where it has none."""
    size: int | None
    changed: float | None
    fingerprint: str
    identity: str
    """A hash of the source and of the plan that it was read by."""
    rows: int
    parts: list[Part]
    results: dict[str, SearchResult]
    receipt: msgspec.Raw
    variables: list[Variable] = []
    """The variables as this file has them."""
    sheet: str = ""
    name_parts: dict[str, str] = {}
    name_types: dict[str, str] = {}
    """As what type each part of the name was written."""
    not_kept: tuple[str, ...] = ()


class Sealed(msgspec.Struct):
    """The metadata file: what is known, and its checksum."""

    version: int
    sum: str = ""
    set: msgspec.Raw = msgspec.Raw(b"")


class SetMetadata(msgspec.Struct, omit_defaults=True):
    """All that is known of a packed set."""

    variables: list[Variable]
    by: PartsBy
    plan: dict[str, Any]
    sources: list[PackedSource]
    receipt: msgspec.Raw
    """The account of all files together, without those of each."""
    rows: int
    order: list[str] = []
    """The variables that were declared or found, whether they are kept or not."""
