"""Databases, read only: one connection, one transaction, one snapshot for the whole of a read.

An SQLite file is opened so that it cannot be written to or made; a server is asked for a read-only
transaction in which every query sees the same state.
"""

from __future__ import annotations

import contextlib
import weakref
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import SourceError
from .addresses import database_kind, full_address, kept_address
from .connecting import DatabaseAddress, Faults, connected
from .source import Source, stamp_of

if TYPE_CHECKING:
    from sqlalchemy import Connection

POSTGRESQL_SETTINGS = (
    "SET TIME ZONE 'UTC'",
    "SET datestyle TO 'ISO'",
    "SET intervalstyle TO 'iso_8601'",
    "SET client_encoding TO 'UTF8'",
)
"""So that dates, times and spans come as ISO 8601 writes them, and texts in one encoding."""
AS_TEXT = (
    *("int2", "int4", "int8", "float4", "float8", "numeric", "date", "time", "timetz"),
    *("timestamp", "timestamptz", "interval"),
)
"""Types of PostgreSQL whose text our own readers take."""
STILL_SENDING = 1
"""libpq's `PQTRANS_ACTIVE`: a command is in progress."""
ROWS_A_FETCH = 500
"""Rows that are held as Python values at a time: so few that they stay in the processor's cache."""


def database_source(address: str, by_user: bool = True) -> Source:
    """The source of an address such as `sqlite:///mill.db` or `postgresql://host/mill`."""
    full = full_address(address)
    kind = database_kind(full) or ""
    if kind == "sqlite":
        return sqlite_source(Path(full.partition("://")[2].partition("?")[0].removeprefix("/")))
    where = DatabaseAddress(full, kind, by_user)
    return Source(where.name, None, None, _no_bytes, form="database", database=where)


def sqlite_source(path: Path) -> Source:
    """The source of an SQLite file. Raises `SourceError` for a file that is none, or not there."""
    from .opening import SQLITE, open_path

    raw = open_path(path)
    if raw.head(len(SQLITE)) != SQLITE and raw.size:
        raise SourceError(f"{path}: not an SQLite database")
    where = DatabaseAddress(f"sqlite:///{path}", "sqlite")
    return Source(
        str(path),
        path,
        raw.size,
        raw.open,
        stamp=stamp_of(path),
        form="database",
        database=where,
    )


def _no_bytes() -> Any:
    raise SourceError("a database has no bytes to read; name a table of it")


class Session:
    """A connection in a read-only transaction. It ends with the last thing that holds it."""

    def __init__(self, source: Source) -> None:
        assert source.database is not None
        self.where, self.path = source.database, source.path
        self.kind, self.name = self.where.kind, source.name
        self.connection = connected(self.where, source)
        self._end = weakref.finalize(self, _closed, self.connection)
        with self.faults():
            _begin(self.connection, self.kind)

    def close(self) -> None:
        """End the transaction and the connection."""
        self._end()

    def faults(self) -> Faults:
        """Turns what the driver raises into `SourceError`."""
        return Faults(self.name, self.where.address)

    @contextlib.contextmanager
    def attempt(self) -> Iterator[None]:
        """Queries one of which may fail without the transaction being lost."""
        if self.kind != "postgresql":
            yield
            return
        self.driver.execute("SAVEPOINT attempt")
        try:
            yield
        except BaseException:
            self.driver.execute("ROLLBACK TO SAVEPOINT attempt")
            raise
        self.driver.execute("RELEASE SAVEPOINT attempt")

    def first(self, sql: str, values: Sequence[Any] = ()) -> Any:
        """The first value of the first row."""
        row = self.first_row(sql, values)
        return None if row is None else row[0]

    def first_row(self, sql: str, values: Sequence[Any] = ()) -> Any:
        """The first row; `None` where there is none."""
        with self.faults():
            cursor = self.driver.cursor()
            try:
                cursor.execute(sql, tuple(values)) if values else cursor.execute(sql)
                return cursor.fetchone()
            finally:
                cursor.close()

    @property
    def driver(self) -> Any:
        """The driver's own connection."""
        return self.connection.connection.driver_connection

    def copied(self, sql: str, count: int) -> Iterator[tuple[bytearray, list[int]]]:
        """The rows of a query as PostgreSQL copies them in binary form: so many messages at a time,
        one behind the other, and their lengths.
        """
        from .copying import copied

        with self.faults():
            yield from copied(self.driver, f"COPY ({sql}) TO STDOUT (FORMAT binary)", count)

    def described(self, sql: str) -> list[Any]:
        """What the driver says of the columns of a query."""
        with self.faults():
            cursor = self.driver.cursor()
            try:
                cursor.execute(sql)
                return list(cursor.description or ())
            finally:
                cursor.close()

    def rows(self, sql: str, values: Sequence[Any] = ()) -> Iterator[list[Any]]:
        """The rows of a query, so many at a time; the server keeps the rest."""
        with self.faults():
            cursor = self._streaming()
            try:
                with self._as_it_comes():
                    cursor.execute(sql, tuple(values)) if values else cursor.execute(sql)
            except BaseException:
                cursor.close()
                raise
        try:
            while True:
                with self.faults(), self._as_it_comes():
                    held = cursor.fetchmany(ROWS_A_FETCH)
                if not held:
                    return
                yield held
        finally:
            cursor.close()

    @contextlib.contextmanager
    def _as_it_comes(self) -> Iterator[None]:
        """Values as the server sends them, which saves making Python objects of them first."""
        part = {"sqlite": "text_factory", "postgresql": ""}.get(self.kind, "decoders")
        if not part:
            yield
            return
        usual = getattr(self.driver, part)
        setattr(self.driver, part, bytes if part == "text_factory" else {})
        try:
            yield
        finally:
            setattr(self.driver, part, usual)

    def _streaming(self) -> Any:
        if self.kind == "postgresql":
            cursor = self.driver.cursor(name="olive_crate")
            _as_text(cursor)
            return cursor
        if self.kind in ("mysql", "mariadb"):
            from pymysql.cursors import SSCursor

            return self.driver.cursor(SSCursor)
        return self.driver.cursor()


@contextlib.contextmanager
def writing(where: DatabaseAddress) -> Iterator[Connection]:
    """A connection in a transaction that is kept if all goes well, and taken back if not."""
    source = Source(where.name, _file_of(where), None, _no_bytes, form="database", database=where)
    connection = connected(where, source, to_write=True)
    try:
        if where.kind == "postgresql":
            connection.exec_driver_sql("SET TIME ZONE 'UTC'")
        elif where.kind == "sqlite":
            connection.exec_driver_sql("BEGIN IMMEDIATE")
        else:
            connection.exec_driver_sql("SET time_zone = '+00:00'")
        yield connection
        if where.kind == "sqlite":
            connection.exec_driver_sql("COMMIT")
        connection.commit()
    finally:
        _closed(connection)


def _file_of(where: DatabaseAddress) -> Path | None:
    return Path(kept_address(where.address)) if where.kind == "sqlite" else None


def _begin(connection: Connection, kind: str) -> None:
    """Begin the transaction in which everything is read."""
    if kind == "postgresql":
        connection.execution_options(isolation_level="REPEATABLE READ", postgresql_readonly=True)
        for setting in POSTGRESQL_SETTINGS:
            connection.exec_driver_sql(setting)
    elif kind == "sqlite":
        connection.exec_driver_sql("BEGIN")
        connection.exec_driver_sql("SELECT count(*) FROM sqlite_master").close()
    else:
        connection.exec_driver_sql("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        connection.exec_driver_sql("SET time_zone = '+00:00'")
        connection.exec_driver_sql("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")


def _as_text(cursor: Any) -> None:
    """Values that would only be made Python objects of to be written again come as text."""
    from psycopg.types.string import TextLoader

    for name in AS_TEXT:
        cursor.adapters.register_loader(name, TextLoader)


def _closed(connection: Connection) -> None:
    """Close a connection; one that the server has closed already is as good."""
    with contextlib.suppress(Exception):
        wire = getattr(connection.connection.driver_connection, "pgconn", None)
        if wire is not None and wire.transaction_status == STILL_SENDING:
            connection.invalidate()  # it would not take the end of the transaction
        connection.close()
        connection.engine.dispose()
