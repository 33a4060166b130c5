"""Rows of a relation as batches of arrays, all from one snapshot.

A table of PostgreSQL is copied in binary form, of which arrays are made with no Python value for a
cell (`binary`). Otherwise rows come through a cursor that the server keeps, some at a time. One
connection is enough: a row costs the client as much as the server, and several of them would only
wait for one another.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
import pyarrow as pa

from ...errors import LayoutError
from ...sources.database import Session
from ..base import Tally
from ..records.layout import Batch, Wanted
from . import sql
from .binary import FIELDS, TEXT, batches
from .tables import Relation, TableColumn
from .texts import BINARY, array_of

ROWS_A_BATCH = 20_000
"""Rows of a batch: what a block costs apart from its rows is paid once for so many."""


class QueryRecords(msgspec.Struct, frozen=True, eq=False):
    """The rows of a table, a view or a query."""

    session: Session
    relation: Relation
    rows: int
    """As many as the database said before the read."""

    def place(self, index: int) -> str:
        """What a cell of this column is called."""
        return f'column "{self.relation.columns[index].name}"'

    def batches(self, wanted: Wanted, tally: Tally) -> Iterator[Batch]:
        """The rows asked for, numbered from 1 in the order in which they come."""
        columns = wanted.columns
        if columns is None:
            columns = tuple(range(len(self.relation.columns)))
        last = self.rows if wanted.last is None or wanted.last < 0 else wanted.last
        if wanted.limit is not None and wanted.first - 1 + wanted.limit < last:
            last, tally.stopped = wanted.first - 1 + wanted.limit, True
        tally.lines += max(0, min(last, self.rows) - wanted.first + 1)
        left = last - wanted.first + 1
        if left <= 0 and self.rows:
            return
        whole, at = last >= self.rows, wanted.first
        arrays_of = self._arrays(columns, None if whole else last, wanted.first - 1)
        for arrays in arrays_of:
            count = len(arrays[0]) if whole else min(len(arrays[0]), left)
            if count <= 0:
                return
            held = {
                index: each.slice(0, count) for index, each in zip(columns, arrays, strict=True)
            }
            yield Batch(np.arange(at, at + count), held)
            at, left = at + count, left - count

    def _arrays(
        self, columns: Sequence[int], last: int | None, skip: int
    ) -> Iterator[list[pa.Array]]:
        """Arrays of these columns, up to the row `last`, without the first `skip`."""
        chosen = [self.relation.columns[index] for index in columns]
        if self.relation.query:
            return _skipping(self._of_query(columns), skip)
        page = ""
        if last is not None or skip:
            page = sql.page((last or self.rows) - skip, skip)
        names = [sql.quoted(each.name, self.session.kind) for each in chosen]
        rest = f"FROM {self.relation.sql}{self._order()}{page}"
        if self.session.kind != "postgresql":
            return _row_arrays(self.session, f"SELECT {', '.join(names)} {rest}", chosen)
        return _copied(self.session, names, rest, f"FROM {self.relation.sql} LIMIT 0")

    def _order(self) -> str:
        """Rows come in the order of the key, if there is one."""
        order = [sql.quoted(each, self.session.kind) for each in self.relation.key]
        return f" ORDER BY {', '.join(order)}" if order else ""

    def _of_query(self, columns: Sequence[int]) -> Iterator[list[pa.Array]]:
        """A query as the user wrote it: a SELECT around it could lose its order."""
        every = list(self.relation.columns)
        for arrays in _row_arrays(self.session, self.relation.query, every):
            yield [arrays[index] for index in columns]


def _copied(
    session: Session, names: Sequence[str], rest: str, empty: str
) -> Iterator[list[pa.Array]]:
    """These columns as the server copies them; as text where their type is no known one.

    `rest` is what stands behind them in the SELECT; `empty` the same for no rows.
    """
    described = session.described(f"SELECT {', '.join(names)} {empty}")
    types = [each[1] if each[1] in FIELDS else TEXT for each in described]
    asked = [
        name if column[1] == kind else f"{name}::text"
        for name, column, kind in zip(names, described, types, strict=True)
    ]
    messages = session.copied(f"SELECT {', '.join(asked)} {rest}", ROWS_A_BATCH)
    yield from batches(messages, types)


def _skipping(batches: Iterator[list[pa.Array]], skip: int) -> Iterator[list[pa.Array]]:
    for arrays in batches:
        count = len(arrays[0])
        if skip >= count:
            skip -= count
            continue
        yield [each.slice(skip) for each in arrays]
        skip = 0


def _row_arrays(
    session: Session, text: str, columns: Sequence[TableColumn]
) -> Iterator[list[pa.Array]]:
    """The rows that a cursor gives, turned over into columns, some batches joined."""
    kinds = [BINARY if each.is_binary else each.cells.type for each in columns]
    held: list[list[pa.Array]] = []
    rows_held = 0
    for rows in session.rows(text):
        turned = list(zip(*rows, strict=True))
        if len(turned) != len(columns):
            raise LayoutError(
                f"{session.name}: {len(turned)} columns came, where {len(columns)} were said"
            )
        held.append([array_of(each, kind) for each, kind in zip(turned, kinds, strict=True)])
        rows_held += len(rows)
        if rows_held >= ROWS_A_BATCH:
            yield _joined(held)
            held, rows_held = [], 0
    if held:
        yield _joined(held)


def _joined(parts: Sequence[list[pa.Array]]) -> list[pa.Array]:
    """The same columns of several batches, as text where their types differ."""
    return [_one_type(each) for each in zip(*parts, strict=True)]


def _one_type(arrays: Sequence[pa.Array]) -> pa.Array:
    kinds = {each.type for each in arrays if each.null_count < len(each)}
    if len(kinds) == 1:
        kind = kinds.pop()
        same = [each if each.type == kind else pa.nulls(len(each), kind) for each in arrays]
        return pa.concat_arrays(same)
    return pa.concat_arrays([each.cast(pa.string()) for each in arrays])
