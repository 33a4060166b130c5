"""Rows of a relation as batches of texts, all from one snapshot.

Where the driver hands over Arrow arrays (ADBC, for PostgreSQL), they are taken as they are, by a
second connection that shares the snapshot of the first. Otherwise rows come through a cursor that
the server keeps, some at a time.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from ...errors import LayoutError
from ...sources.database import POSTGRESQL_SETTINGS, Session
from ..base import Tally
from ..records.layout import Batch, Wanted
from . import sql
from .tables import Relation, TableColumn
from .texts import STRING, texts_of

NOT_HELD = (pa.types.is_decimal, pa.types.is_interval, pa.types.is_binary, pa.types.is_nested)
"""Arrow types whose text Arrow does not write as it is read again."""


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
        at = wanted.first
        for texts in self._texts(columns, None if last >= self.rows else last, wanted.first - 1):
            count = min(len(texts[0]), left) if last < self.rows else len(texts[0])
            if count <= 0:
                return
            held = {index: each.slice(0, count) for index, each in zip(columns, texts, strict=True)}
            yield Batch(np.arange(at, at + count), held)
            at, left = at + count, left - count

    def _texts(
        self, columns: Sequence[int], last: int | None, skip: int
    ) -> Iterator[list[pa.StringArray]]:
        """Texts of these columns, up to the row `last`, without the first `skip`."""
        chosen = [self.relation.columns[index] for index in columns]
        if self.relation.query:
            yield from _skipping(self._of_query(columns), skip)
            return
        limit = None if last is None else last - skip
        arrow = _arrow_of(self.session) if self.session.kind == "postgresql" else None
        text = self._select(chosen, limit, skip)
        if arrow is not None:
            yield from _arrow_texts(arrow, text, self.session)
        else:
            yield from _row_texts(self.session, text, chosen)

    def _of_query(self, columns: Sequence[int]) -> Iterator[list[pa.StringArray]]:
        """A query as the user wrote it: a SELECT around it could lose its order."""
        every = list(self.relation.columns)
        for texts in _row_texts(self.session, self.relation.query, every):
            yield [texts[index] for index in columns]

    def _select(self, columns: Sequence[TableColumn], limit: int | None, skip: int) -> str:
        kind, relation = self.session.kind, self.relation
        castable = kind == "postgresql"
        names = [
            sql.quoted(each.name, kind) + ("" if each.plain or not castable else "::text")
            for each in columns
        ]
        if limit is None and skip:
            limit = self.rows - skip
        order = [sql.quoted(each, kind) for each in relation.key]
        return sql.select(names, relation.sql, order, limit, skip)


def _skipping(batches: Iterator[list[pa.StringArray]], skip: int) -> Iterator[list[pa.StringArray]]:
    for texts in batches:
        count = len(texts[0])
        if skip >= count:
            skip -= count
            continue
        yield [each.slice(skip) for each in texts]
        skip = 0


def _row_texts(
    session: Session, text: str, columns: Sequence[TableColumn]
) -> Iterator[list[pa.StringArray]]:
    """The rows that a cursor gives, turned over into columns."""
    kinds = [each.cells.type for each in columns]
    for rows in session.rows(text):
        turned = list(zip(*rows, strict=True))
        if len(turned) != len(columns):
            raise LayoutError(
                f"{session.name}: {len(turned)} columns came, where {len(columns)} were said"
            )
        yield [texts_of(each, kind) for each, kind in zip(turned, kinds, strict=True)]


def _arrow_of(session: Session) -> Any:
    """A connection whose driver gives Arrow arrays, in the same snapshot; `None` without one."""
    try:
        from adbc_driver_postgresql import dbapi
    except ImportError:
        return None
    snapshot = session.first("SELECT pg_export_snapshot()")
    with session.faults():
        link = dbapi.connect(
            session.connection.engine.url.set(drivername="postgresql").render_as_string(False)
        )
        cursor = link.cursor()
        cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        cursor.execute(f"SET TRANSACTION SNAPSHOT '{snapshot}'")
        for setting in POSTGRESQL_SETTINGS:
            cursor.execute(setting)
        cursor.close()
    return link


def _arrow_texts(link: Any, text: str, session: Session) -> Iterator[list[pa.StringArray]]:
    try:
        with session.faults():
            cursor = link.cursor()
            cursor.execute(text)
            reader = cursor.fetch_record_batch()
        while True:
            with session.faults():
                try:
                    batch = reader.read_next_batch()
                except StopIteration:
                    return
            if batch.num_rows:
                yield [_as_text(each) for each in batch.columns]
    finally:
        link.close()


def _as_text(held: pa.Array) -> pa.StringArray:
    if isinstance(held, pa.ExtensionArray):
        held = held.storage
    if pa.types.is_string(held.type):
        return held
    if any(each(held.type) for each in NOT_HELD):
        return texts_of(held.to_pylist())
    return held.cast(STRING)
