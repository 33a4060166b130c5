"""Servers to test against, where the environment names them; and what is done alike on each."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

SERVERS = {
    kind: os.environ[variable]
    for kind, variable in (
        ("postgresql", "OLIVE_CRATE_TEST_POSTGRESQL"),
        ("mariadb", "OLIVE_CRATE_TEST_MARIADB"),
    )
    if os.environ.get(variable)
}
"""Addresses of empty databases that tests may write to."""
DRIVERS = {"postgresql": "postgresql+psycopg", "mariadb": "mariadb+pymysql"}


def engine(kind: str) -> Any:
    """A connection of the test's own, as the server's owner would have one."""
    import sqlalchemy

    rest = SERVERS[kind].partition("://")[2]
    return sqlalchemy.create_engine(f"{DRIVERS[kind]}://{rest}")


def mine(name: str) -> str:
    """A name that no other worker of the tests uses."""
    return f"{name}_{os.environ.get('PYTEST_XDIST_WORKER', 'alone')}"


def servers(names: list[str]) -> dict[str, Callable[..., dict]]:
    """A maker of a table of deliveries for each server."""

    def maker(kind: str) -> Callable[..., dict]:
        def make(_: Any, rows: list) -> dict:
            table = mine("deliveries")
            with engine(kind).begin() as link:
                link.exec_driver_sql(f"DROP TABLE IF EXISTS {table}")
                link.exec_driver_sql(
                    f"CREATE TABLE {table} (id INTEGER PRIMARY KEY, grower VARCHAR(40),"
                    " acid DOUBLE PRECISION, day DATE, note VARCHAR(40))"
                )
                text = f"INSERT INTO {table} VALUES (%s, %s, %s, %s, %s)"
                for row in rows:
                    link.exec_driver_sql(text, row)
            os.environ["OLIVE_CRATE_USER"], os.environ["OLIVE_CRATE_PASSWORD"] = login(kind)
            os.environ["OLIVE_CRATE_HOSTS"] = host(kind)
            return {"address": SERVERS[kind], "table": table}

        return make

    return {kind: maker(kind) for kind in SERVERS}


def login(kind: str) -> tuple[str, str]:
    """The user and the password in a server's address."""
    user, _, password = SERVERS[kind].partition("://")[2].partition("@")[0].partition(":")
    return user, password


def host(kind: str) -> str:
    """The host and port of a server."""
    return SERVERS[kind].partition("@")[2].partition("/")[0]
