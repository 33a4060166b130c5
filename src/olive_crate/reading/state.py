"""A source and its columns while they are read."""

from __future__ import annotations

import msgspec
import pyarrow as pa

from ..columns.outcome import Outcome
from ..columns.search import TypeSearch
from ..declaration.variable import Variable
from ..evidence import Example, Note
from ..kernels.types import Ints
from ..layouts.base import SourceLayout
from ..layouts.tally import Tally


class ColumnReader(msgspec.Struct, eq=False):
    """One column of the source on its way to a variable."""

    index: int
    variable: Variable
    search: TypeSearch
    shown_decimals: int | None = None
    """As many as the number format of a sheet's column shows."""
    problems: list[tuple[Ints, pa.Array]] = msgspec.field(default_factory=list)

    def outcome(self) -> Outcome:
        """What the search has settled by now."""
        return Outcome(self.variable, self.search, self.shown_decimals)


class Reading(msgspec.Struct, eq=False):
    """A source with its layout, and its columns while they are read."""

    found: SourceLayout
    columns: list[ColumnReader]
    not_kept: tuple[str, ...]
    notes: list[Note]
    tally: Tally = msgspec.field(default_factory=Tally)
    proof: Example | None = None
    """A number that shows which of two decimal marks is the right one."""
