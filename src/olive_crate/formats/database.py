"""Datasets as tables of databases: the values, and beside them a table of codes and meanings.

All is written or nothing. SQLite and PostgreSQL do it in one transaction; MariaDB and MySQL commit
each definition at once, so there the tables are filled under other names and put in place by one
atomic `RENAME TABLE`.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from ..dataset.taking import pieces_of
from ..declaration.codes import Meaning, MissingCode
from ..declaration.variable import Variable
from ..errors import Advice, PlanError
from ..sources.addresses import (
    database_kind,
    full_address,
    kept_address,
    remembered,
    safe_address,
)
from ..sources.connecting import DatabaseAddress, WritingFaults
from ..sources.database import writing
from .arrow import lacking_values, of_schema, schema_of, table_with

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

ROWS = 20_000
"""Cases that are written at a time."""
CODES = "_codes"
"""What the name of the table of codes and meanings ends with."""
CODE_COLUMNS = ("variable", "kind", "value", "low", "high", "words")
COMMENTED = ("postgresql", "mysql", "mariadb")
"""Databases that keep comments on columns."""


def write_table(
    dataset: PlainDataset, target: Any, table: str | None, missing: str, replace: bool
) -> tuple[tuple[str, ...], list[str]]:
    """Write a dataset as a table; the names of the tables written, and notes.

    Raises `PlanError` where no table is named, or it is there and `replace` is not set, and
    `TargetError` for whatever the database refuses; then nothing is written.
    """
    if not table:
        raise PlanError(
            f"{safe_address(str(target))}: name the table to write",
            Advice("use {}", 'table="answers"', "--to-table answers"),
        )
    where = _address(str(target))
    new_file = where.kind == "sqlite" and not Path(kept_address(where.address)).exists()
    name = where.name if where.kind != "sqlite" else kept_address(where.address)
    lacking = [] if missing == "null" else lacking_values(dataset)
    schema = schema_of(dataset, missing, lacking)
    plan = _Tables(dataset, table, schema, where.kind)
    try:
        with WritingFaults(name, where.address), writing(where) as link:
            plan.refuse_existing(link, name, replace)
            pieces = (
                of_schema(table_with(each, missing, lacking), schema)
                for each in pieces_of(dataset, ROWS)
            )
            plan.write(link, pieces)
    except BaseException:
        if new_file:
            for left in (name, f"{name}-journal"):
                with contextlib.suppress(OSError):
                    Path(left).unlink()
        raise
    return (f"{name}: {table}", f"{name}: {table}{CODES}"), _notes(dataset, missing)


def _address(text: str) -> DatabaseAddress:
    if database_kind(text) is None:
        text = f"sqlite:///{text}"
    full = full_address(remembered(text))
    return DatabaseAddress(full, database_kind(full) or "")


def _notes(dataset: PlainDataset, missing: str) -> list[str]:
    if missing != "null":
        return []
    coded = {each.name for each in dataset.variables if each.missing}
    lost = [name for name in lacking_values(dataset) if name in coded]
    if not lost:
        return []
    shown = ", ".join(lost[:4]) + (f" and {len(lost) - 4} more" if len(lost) > 4 else "")
    return [
        f"missing cells are NULL, whatever their reason ({shown}); written as reasons, a column "
        "beside each of them says why"
    ]


class _Tables:
    """The tables of a dataset in one kind of database."""

    def __init__(self, dataset: PlainDataset, table: str, schema: pa.Schema, kind: str) -> None:
        import sqlalchemy as sa

        self.kind, self.schema, self.dataset = kind, schema, dataset
        by_name = {each.name: each for each in dataset.variables}
        space, _, bare = table.rpartition(".")
        self.space = space or None
        columns = [
            sa.Column(
                each.name,
                _type(each.type, kind),
                comment=_comment(by_name.get(each.name)) if kind in COMMENTED else None,
            )
            for each in schema
        ]
        text = sa.Text()
        codes = [sa.Column(each, text) for each in CODE_COLUMNS]
        self.names = (bare, bare + CODES)
        self.metadata = sa.MetaData()
        self.tables = (
            sa.Table(self._first(bare), self.metadata, *columns, schema=self.space),
            sa.Table(self._first(bare + CODES), self.metadata, *codes, schema=self.space),
        )

    @property
    def staged(self) -> bool:
        """Are tables filled under other names first?"""
        return self.kind in ("mysql", "mariadb")

    def _first(self, name: str) -> str:
        return f"{name}_being_written" if self.staged else name

    def refuse_existing(self, link: Any, where: str, replace: bool) -> None:
        """Raise `PlanError` for a table that is there, unless it may be replaced."""
        import sqlalchemy as sa

        inspector = sa.inspect(link)
        self.there = [each for each in self.names if inspector.has_table(each, self.space)]
        views = inspector.get_view_names(self.space)
        if self.names[0] in views:
            raise PlanError(f"{where}: {self.names[0]} is a view; choose another name")
        if self.there and not replace:
            raise PlanError(
                f'{where}: the table "{self.there[0]}" is there already',
                Advice("use {} to replace it", "replace=True", "--replace"),
            )

    def write(self, link: Any, pieces: Iterator[pa.Table]) -> None:
        """Make the tables and fill them."""
        import sqlalchemy as sa

        if self.staged:
            try:
                self.metadata.drop_all(link)
                self._fill(link, pieces)
                self._put_in_place(link)
            except BaseException:
                with contextlib.suppress(Exception):
                    self.metadata.drop_all(link)
                raise
            return
        for name in self.there:
            link.execute(sa.schema.DropTable(sa.Table(name, sa.MetaData(), schema=self.space)))
        self._fill(link, pieces)

    def _fill(self, link: Any, pieces: Iterator[pa.Table]) -> None:
        self.metadata.create_all(link, checkfirst=False)
        main, codes = self.tables
        for piece in pieces:
            if piece.num_rows:
                _insert(link, main, piece, self.kind)
        rows = _code_rows(self.dataset.variables)
        if rows:
            link.execute(codes.insert(), rows)

    def _put_in_place(self, link: Any) -> None:
        """Rename the filled tables, and the ones they replace out of the way, in one step."""
        quote = link.dialect.identifier_preparer.quote
        space = f"{quote(self.space)}." if self.space else ""
        moves, olds = [], []
        for name in self.names:
            if name in self.there:
                olds.append(f"{space}{quote(name + '_replaced')}")
                moves.append(f"{space}{quote(name)} TO {olds[-1]}")
            moves.append(f"{space}{quote(self._first(name))} TO {space}{quote(name)}")
        link.exec_driver_sql(f"RENAME TABLE {', '.join(moves)}")
        for old in olds:
            link.exec_driver_sql(f"DROP TABLE {old}")


def _type(kind: pa.DataType, database: str) -> Any:
    """The type of a column in the database."""
    import sqlalchemy as sa
    from sqlalchemy.dialects import mysql, postgresql

    own = {"mysql": mysql, "mariadb": mysql}.get(database)
    if pa.types.is_dictionary(kind):
        kind = kind.value_type
    if pa.types.is_boolean(kind):
        return sa.Boolean()
    if pa.types.is_integer(kind):
        return sa.BigInteger() if database != "sqlite" else sa.Integer()
    if pa.types.is_floating(kind):
        return sa.Double()
    if pa.types.is_date(kind):
        return sa.Date()
    if pa.types.is_time(kind):
        return own.TIME(fsp=6) if own else sa.Time()
    if pa.types.is_timestamp(kind):
        return own.DATETIME(fsp=6) if own else sa.DateTime(timezone=kind.tz is not None)
    if pa.types.is_duration(kind):
        return postgresql.INTERVAL() if database == "postgresql" else sa.Text()
    return mysql.LONGTEXT() if own else sa.Text()


def _comment(variable: Variable | None) -> str | None:
    """A variable's label and unit as the comment of its column."""
    if variable is None or not (variable.label or variable.unit):
        return None
    unit = f", {variable.unit}" if variable.unit else ""
    return f"{variable.label or variable.name}{unit}"[:1000]


def _insert(link: Any, table: Any, piece: pa.Table, kind: str) -> None:
    """Put some rows into a table by the driver's fastest way that all drivers share."""
    columns = [_values(each, kind) for each in piece.columns]
    preparer = link.dialect.identifier_preparer
    names = [preparer.quote_identifier(each) for each in piece.column_names]
    where = preparer.format_table(table)
    driver = link.connection.driver_connection
    rows = list(zip(*columns, strict=True))
    if kind == "postgresql":
        with (
            driver.cursor() as cursor,
            cursor.copy(f"COPY {where} ({', '.join(names)}) FROM STDIN") as copy,
        ):
            for row in rows:
                copy.write_row(row)
        return
    mark = "?" if kind == "sqlite" else "%s"
    if mark == "%s":
        names = [each.replace("%", "%%") for each in names]
    text = f"INSERT INTO {where} ({', '.join(names)}) VALUES ({', '.join([mark] * len(names))})"
    cursor = driver.cursor()
    cursor.executemany(text, rows)
    cursor.close()


def _values(column: pa.ChunkedArray, kind: str) -> Sequence[Any]:
    """The values of a column as the driver takes them."""
    values: list[Any] = column.to_pylist()
    held = column.type
    if pa.types.is_floating(held) and kind in ("mysql", "mariadb"):
        return [None if each is None or not np.isfinite(each) else each for each in values]
    if pa.types.is_duration(held) and kind != "postgresql":
        from ..declaration.values import duration_text

        return [None if each is None else duration_text(each) for each in values]
    timed = pa.types.is_date(held) or pa.types.is_temporal(held)
    if kind == "sqlite" and timed and not pa.types.is_duration(held):
        return [None if each is None else each.isoformat() for each in values]
    if kind in ("mysql", "mariadb") and pa.types.is_timestamp(held) and held.tz:
        return [None if each is None else each.replace(tzinfo=None) for each in values]
    return values


def _code_rows(variables: Sequence[Variable]) -> list[dict[str, Any]]:
    """What is declared of variables, a row for each label, unit, code and meaning."""
    rows = []
    for each in variables:
        said = (("label", each.label), ("unit", each.unit), ("level", each.level))
        rows += [_code_row(each.name, kind, words) for kind, words in said if words]
        rows += [_of_code(each.name, "missing code", one, one.why) for one in each.missing]
        rows += [_of_code(each.name, "meaning", one, one.label) for one in each.meanings]
    return rows


def _of_code(name: str, kind: str, code: MissingCode | Meaning, words: str) -> dict[str, Any]:
    return _code_row(name, kind, words, code.value, code.from_, code.to)


def _code_row(
    name: str, kind: str, words: str, value: Any = None, low: Any = None, high: Any = None
) -> dict[str, Any]:
    cells = (name, kind, _text(value), _text(low), _text(high), words)
    return dict(zip(CODE_COLUMNS, cells, strict=True))


def _text(value: Any) -> str | None:
    return None if value is None else str(value)
