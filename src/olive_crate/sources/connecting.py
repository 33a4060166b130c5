"""Connections to databases: what they are made with, and what may be sent to whom.

Users and passwords come from the address that the user has named, from variables of the
environment, or from where the driver itself looks (the password file of PostgreSQL). A host that
only a plan names gets no secret unless the user has named it in `OLIVE_CRATE_HOSTS`.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from ..errors import OliveCrateError, PasswordNeeded, SourceError, TargetError
from .addresses import host_of, safe_address
from .source import Source

if TYPE_CHECKING:
    from sqlalchemy import URL, Connection

USER, PASSWORD, HOSTS = "OLIVE_CRATE_USER", "OLIVE_CRATE_PASSWORD", "OLIVE_CRATE_HOSTS"
DRIVERS = {
    "sqlite": "sqlite",
    "postgresql": "postgresql+psycopg",
    "mysql": "mysql+pymysql",
    "mariadb": "mariadb+pymysql",
}
SECONDS_TO_CONNECT = 15
SECONDS_TO_WAIT = 5
"""For somebody else to end writing to an SQLite file."""
LACKING = (
    'reading databases needs further packages; install them with pip install "olive-crate[sql]"'
)


class DatabaseAddress(msgspec.Struct, frozen=True):
    """Where a database is, and whether the user has named its host himself."""

    address: str
    """With user and password, if it has them; never shown."""
    kind: str
    by_user: bool = True

    @property
    def name(self) -> str:
        """The address as it may be shown."""
        return safe_address(self.address)


class Faults:
    """What a driver or SQLAlchemy raises, as `SourceError`, without the user or the password."""

    kind: type[OliveCrateError] = SourceError
    words = "the database says"

    def __init__(self, name: str, address: str) -> None:
        self._name, self._address = name, address

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, error: Any, _: object) -> None:
        if error is None or isinstance(error, OliveCrateError) or not _is_drivers(error):
            return
        said = _said(error, self._address)
        raised = self.kind(f"{self._name}: {self.words}: {said}")
        raised.said = said
        raise raised from None


class WritingFaults(Faults):
    """What a driver or SQLAlchemy raises while writing, as `TargetError`."""

    kind = TargetError
    words = "cannot be written"


def _is_drivers(error: BaseException) -> bool:
    """Does the error come from SQLAlchemy or a driver? A damaged file may have damaged names."""
    if isinstance(error, UnicodeDecodeError):
        return True
    room = type(error).__module__.partition(".")[0]
    return room in ("sqlalchemy", "psycopg", "pymysql", "sqlite3")


def _said(error: Any, address: str) -> str:
    """The first line of a message, without what the address keeps secret."""
    inner = getattr(error, "orig", None) or error
    if type(inner).__module__.startswith("pymysql") and len(inner.args) > 1:
        text = str(inner.args[1])
    else:
        text = str(inner)
    text = " ".join(text.split("\n")[0].split())
    for secret in _secrets(address):
        text = text.replace(secret, "…")
    return text


def _secrets(address: str) -> list[str]:
    from urllib.parse import unquote, urlsplit

    parts = urlsplit(address)
    given = [parts.password, parts.username, os.environ.get(PASSWORD), os.environ.get(USER)]
    return [each for one in given if one for each in {one, unquote(one)}]


def connected(where: DatabaseAddress, source: Source, to_write: bool = False) -> Connection:
    """A connection that has not asked anything yet."""
    try:
        import sqlalchemy as sa
    except ImportError:
        raise SourceError(f"{source.name}: {LACKING}") from None
    url = _url(where, source)
    with (WritingFaults if to_write else Faults)(source.name, where.address):
        try:
            engine = sa.create_engine(
                url, poolclass=sa.pool.NullPool, **_arguments(where.kind, source.path, to_write)
            )
            with guarded(where):
                return engine.connect()
        except ImportError:
            raise SourceError(f"{source.name}: {LACKING}") from None
        except sa.exc.OperationalError as error:
            if url.password or not _asks_for_password(error.orig):
                raise
            raise PasswordNeeded(f"{source.name}: {_where_from(where)}", where.by_user) from None


def _asks_for_password(error: Any) -> bool:
    """Has the server refused the connection for want of a password?"""
    link = getattr(error, "pgconn", None)
    if link is not None:
        return bool(link.needs_password)
    return bool(error.args) and error.args[0] in NO_ACCESS


NO_ACCESS = (1045, 1698)
"""Errors of MariaDB and MySQL: access denied."""


def _where_from(where: DatabaseAddress) -> str:
    """Where a password is taken from."""
    host = host_of(where.address)
    if not where.by_user and host not in named_hosts():
        return (
            f"the database asks for a password, but only the plan names this host; set "
            f"{HOSTS}={host} to have {USER} and {PASSWORD} sent to it"
        )
    return f"the database asks for a user and a password; set {USER} and {PASSWORD}"


def _url(where: DatabaseAddress, source: Source) -> URL:
    """The address for the driver, with the user and the password that may be sent to this host."""
    from sqlalchemy.engine import make_url
    from sqlalchemy.exc import ArgumentError

    if where.kind == "sqlite":
        return make_url("sqlite://")
    try:
        url = make_url(where.address)
    except (ArgumentError, ValueError):
        raise SourceError(
            f"{source.name}: not an address of a database; one looks like "
            f"{where.kind}://host:port/database"
        ) from None
    url = url.set(drivername=DRIVERS[where.kind])
    if not url.database:
        raise SourceError(
            f"{source.name}: names no database; one looks like {where.kind}://host/mill"
        )
    if where.by_user or host_of(where.address) in named_hosts():
        user, password = os.environ.get(USER), os.environ.get(PASSWORD)
        url = url.set(username=url.username or user, password=url.password or password)
    return url


@contextlib.contextmanager
def guarded(where: DatabaseAddress) -> Iterator[None]:
    """While a host is connected to that only a plan names, no password is in the environment.

    The driver of PostgreSQL would send `PGPASSWORD` to any host; what its password file says of
    this very host may be sent.
    """
    if where.kind != "postgresql" or where.by_user or host_of(where.address) in named_hosts():
        yield
        return
    with _ENVIRONMENT:
        held = os.environ.pop("PGPASSWORD", None)
        try:
            yield
        finally:
            if held is not None:
                os.environ["PGPASSWORD"] = held


_ENVIRONMENT = threading.Lock()


def named_hosts() -> set[str]:
    """Hosts that the user has named in the environment, as `host` or `host:port`."""
    return {each.strip().lower() for each in os.environ.get(HOSTS, "").split(",") if each.strip()}


def _arguments(kind: str, path: Path | None, to_write: bool) -> dict[str, Any]:
    if kind == "sqlite":
        assert path is not None
        return {"creator": lambda: _written_file(path) if to_write else _read_only_file(path)}
    if kind == "postgresql":
        return {"connect_args": {"connect_timeout": SECONDS_TO_CONNECT}}
    return {
        "connect_args": {
            "connect_timeout": SECONDS_TO_CONNECT,
            "charset": "utf8mb4",
            "local_infile": False,
        }
    }


def _written_file(path: Path) -> Any:
    """A connection to an SQLite file that is written, or made."""
    import sqlite3

    return sqlite3.connect(
        path, timeout=SECONDS_TO_WAIT, isolation_level=None, check_same_thread=False
    )


def _read_only_file(path: Path) -> Any:
    """A connection to an SQLite file that can only be read, and can reach no other file."""
    import sqlite3
    from urllib.parse import quote

    link = sqlite3.connect(
        f"file:{quote(str(path.absolute()))}?mode=ro",
        uri=True,
        isolation_level=None,
        check_same_thread=False,
    )
    link.text_factory = lambda data: data.decode("utf-8", "replace")

    reading = {
        sqlite3.SQLITE_FUNCTION,
        sqlite3.SQLITE_PRAGMA,
        sqlite3.SQLITE_READ,
        sqlite3.SQLITE_RECURSIVE,
        sqlite3.SQLITE_SELECT,
        sqlite3.SQLITE_TRANSACTION,
    }

    def allowed(action: int, first: str | None, second: str | None, *_: object) -> int:
        if action == sqlite3.SQLITE_FUNCTION and str(second).lower() == "load_extension":
            return sqlite3.SQLITE_DENY
        return sqlite3.SQLITE_OK if action in reading else sqlite3.SQLITE_DENY

    link.set_authorizer(allowed)
    return link
