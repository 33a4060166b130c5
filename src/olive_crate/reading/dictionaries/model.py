"""What a dictionary says of a data file, whatever form it has."""

from __future__ import annotations

from typing import Any

import msgspec

from ...declaration.variable import Variable
from ...evidence import Note
from ...plan.fields import Field


class Entry(msgspec.Struct, frozen=True):
    """One row of a dictionary."""

    field: Field | None
    variable: Variable


class Dictionary(msgspec.Struct, frozen=True):
    """Entries in order, and what is said of the data file as a whole."""

    entries: tuple[Entry, ...]
    lines_per_record: int | None = None
    record_length: int | None = None
    options: dict[str, Any] = {}
    """How the data file is to be read, as far as the dictionary says so."""
    path: str | None = None
    """Where the data file lies, seen from the dictionary."""
    key: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()
    """What the dictionary says and cannot be followed."""
