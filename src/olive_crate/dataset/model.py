"""Columns, what is declared of them, and the account of how they came in, as a plain value.

Every room below `api` takes and gives this. `api.Dataset` is what users see of it: the same value
with methods. Whatever is declared of a variable, and why each of its cells is missing, goes along
with every operation.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Protocol

import msgspec

from ..columns.column import Column, Columns, Unread, in_pieces
from ..declaration.variable import Variable
from ..errors import PlanError, nearest
from ..kernels.spans import RowNumbers
from ..kernels.types import Ints
from ..plan.model import Decisions
from .receipt import Receipt


class PartsHeld(Protocol):
    """The files of a packed set."""

    @property
    def is_spread(self) -> bool:
        """Is work on them done by other machines?"""

    def over(self, names: Sequence[str], work: Any, rest: Sequence[Any]) -> list[Any]:
        """What other machines make of the pieces of these variables, group by group."""

    def matching(self, expression: Any) -> Ints:
        """The cases for which an Arrow expression on the variables is true."""


class PlainDataset(msgspec.Struct, frozen=True, eq=False):
    """Variables in order, their columns, the receipt of the read, and the plan it followed."""

    variables: tuple[Variable, ...]
    columns: Mapping[str, Column]
    rows: int
    receipt: Receipt
    plan: Decisions
    source_rows: RowNumbers | None = None
    """The row of the source that each case came from; `None` where that was not kept."""
    parts: PartsHeld | None = None
    """The files of a packed set that it was opened from, all of its cases."""

    @property
    def names(self) -> list[str]:
        """The names of the variables, in order."""
        return [each.name for each in self.variables]

    def __len__(self) -> int:
        return self.rows

    def __getitem__(self, name: str) -> Column:
        """One variable's column. Raises `PlanError` with the nearest name if there is none."""
        self._known(name)
        return self.columns[name]

    def __contains__(self, name: object) -> bool:
        return name in self.columns

    def __repr__(self) -> str:
        return f"<Dataset {self.rows} rows, {len(self.variables)} variables>"

    def column_pieces(self, name: str) -> Iterator[Column]:
        """One variable's column, some rows at a time: what is packed is not read as a whole."""
        self._known(name)
        if isinstance(self.columns, Columns):
            return self.columns.pieces(name)
        return in_pieces(self.columns[name])

    def column_once(self, name: str) -> Column:
        """One variable's column, for one use: what is packed is read and not kept."""
        held = self.held(name)
        return held if isinstance(held, Column) else held.once()

    def held(self, name: str) -> Column | Unread:
        """One variable's column, still unread if it is."""
        columns = self.columns
        return columns.held(name) if isinstance(columns, Columns) else columns[name]

    def _known(self, name: str) -> None:
        if name not in self.columns:
            raise PlanError(f'there is no variable "{name}"{nearest(name, self.names)}')
