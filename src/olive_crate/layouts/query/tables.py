"""What a database says of its tables: their columns, keys, types, checks and comments."""

from __future__ import annotations

import re
import warnings
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import msgspec
from msgspec.structs import replace

from ...columns.rule import SourceColumn
from ...declaration.patterns import late
from ...declaration.promises import PromisedValues, Scalar
from ...errors import LayoutError, SourceError, nearest
from ...sources.database import Session
from ..base import COUNTED, TableView
from .sql import quoted

if TYPE_CHECKING:
    from sqlalchemy import Inspector

LISTED = 200
"""Tables that are described in a list."""
NAMES_SHOWN = 6
OWN_SCHEMAS = {"information_schema", "pg_catalog", "mysql", "performance_schema", "sys", "pg_toast"}


class TableColumn(msgspec.Struct, frozen=True):
    """A column, as the database describes it."""

    name: str
    cells: SourceColumn = SourceColumn()
    type: str | None = None
    """A type to declare: `category` for an enumeration."""
    comment: str = ""
    required: bool = False
    promised: PromisedValues | None = None
    is_binary: bool = False


class Relation(msgspec.Struct, frozen=True):
    """A table, a view, or a query, ready to be read."""

    name: str
    """As the plan has it; empty for a query."""
    sql: str
    """What stands behind FROM."""
    columns: tuple[TableColumn, ...]
    key: tuple[str, ...] = ()
    comment: str = ""
    query: str = ""


def names_of(session: Session) -> list[tuple[str | None, str, str]]:
    """The schema, name and kind of every table and view; the default schema's come first."""
    with session.faults():
        inspector = _inspector(session)
        usual = inspector.default_schema_name
        schemas: list[str | None] = [None]
        if session.kind == "postgresql":
            others = (each for each in inspector.get_schema_names() if each not in OWN_SCHEMAS)
            schemas += sorted(each for each in others if each != usual)
        found: list[tuple[str | None, str, str]] = []
        for schema in schemas:
            tables = inspector.get_table_names(schema)
            views = inspector.get_view_names(schema)
            if session.kind == "postgresql":
                views += inspector.get_materialized_view_names(schema)
            found += [(schema, each, "table") for each in sorted(tables)]
            found += [(schema, each, "view") for each in sorted(views)]
    return found


def _inspector(session: Session) -> Inspector:
    import sqlalchemy as sa

    inspector: Inspector = sa.inspect(session.connection)
    return inspector


def full_name(schema: str | None, name: str) -> str:
    """A table's name as a plan has it."""
    return name if schema is None else f"{schema}.{name}"


def views_of(session: Session) -> tuple[TableView, ...]:
    """All tables and views with their rows, columns, keys and comments."""
    views = []
    for schema, name, kind in names_of(session)[:LISTED]:
        try:
            with session.attempt():
                views.append(_view(session, schema, name, kind))
        except SourceError as error:  # a view that is broken, a table that somebody drops just now
            why = f"cannot be read: {error.said or error.problem}"
            views.append(TableView(full_name(schema, name), kind, comment=why))
    return tuple(views)


def _view(session: Session, schema: str | None, name: str, kind: str) -> TableView:
    relation = described(session, schema, name)
    counted = int(
        session.first(f"SELECT count(*) FROM (SELECT 1 FROM {relation.sql} LIMIT {COUNTED + 1}) t")
    )
    return TableView(
        full_name(schema, name),
        kind,
        rows=None if counted > COUNTED else counted,
        columns=len(relation.columns),
        names=tuple(each.name for each in relation.columns[:NAMES_SHOWN]),
        key=relation.key,
        comment=relation.comment,
    )


def table_named(session: Session, wanted: str | int) -> Relation:
    """A table by its name, with its schema or without. Raises `LayoutError` with the nearest."""
    known = names_of(session)
    if isinstance(wanted, int):
        raise LayoutError(f"{session.name}: table = {wanted}: name the table of a database")
    folded = wanted.casefold()
    for fits in (
        [each for each in known if full_name(*each[:2]) == wanted],
        [each for each in known if full_name(*each[:2]).casefold() == folded],
        [each for each in known if each[1] == wanted],
        [each for each in known if f"{_usual(session)}.{each[1]}" == wanted and each[0] is None],
    ):
        if len(fits) == 1:
            return described(session, *fits[0][:2])
        if fits:
            listed = ", ".join(full_name(*each[:2]) for each in fits)
            raise LayoutError(f'{session.name}: several tables are called "{wanted}": {listed}')
    names = [full_name(*each[:2]) for each in known]
    raise LayoutError(
        f'{session.name}: there is no table "{wanted}"'
        f"{nearest(wanted, names) or '; the database has none'}"
    )


def _usual(session: Session) -> str:
    return str(_inspector(session).default_schema_name or "")


def described(session: Session, schema: str | None, name: str) -> Relation:
    """A table with all that the database says of it."""
    with session.faults(), warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of types that SQLAlchemy does not know: they are text
        inspector = _inspector(session)
        columns = inspector.get_columns(name, schema)
        key = tuple(inspector.get_pk_constraint(name, schema).get("constrained_columns") or ())
        checks = [each["sqltext"] for each in _asked(inspector.get_check_constraints, name, schema)]
        comment = dict(_asked(inspector.get_table_comment, name, schema)).get("text") or ""
    where = [quoted(each, session.kind) for each in (schema, name) if each]
    return Relation(
        full_name(schema, name),
        ".".join(where),
        tuple(_column(each, key, checks, session.kind) for each in columns),
        key,
        " ".join(comment.split()),
    )


def _asked(ask: Any, name: str, schema: str | None) -> Any:
    """What an inspector says; nothing where this kind of database, or a view, has no such thing."""
    from sqlalchemy.exc import SQLAlchemyError

    try:
        return ask(name, schema)
    except (NotImplementedError, SQLAlchemyError):
        return ()


def _column(given: Any, key: Sequence[str], checks: Sequence[str], kind: str) -> TableColumn:
    name, made = given["name"], given["type"]
    cells, declared, allowed = _typed(made, kind)
    promised = checked_values(name, checks)
    if allowed and promised is None:
        promised = PromisedValues(allowed=allowed)
    return TableColumn(
        name,
        cells,
        declared,
        " ".join((given.get("comment") or "").split()),
        required=given.get("nullable") is False or name in key,
        promised=promised,
        is_binary=type(made).__name__ in ("BLOB", "BYTEA", "LONGBLOB", "MEDIUMBLOB", "TINYBLOB"),
    )


def _typed(made: Any, kind: str) -> tuple[SourceColumn, str | None, tuple[str, ...]]:
    """What a type of the database says: of the cells, to declare, values allowed."""
    import sqlalchemy as sa

    types = sa.types
    typed = SourceColumn(typed_cells=True)
    if isinstance(made, types.Enum):
        return typed, "category", tuple(made.enums or ())
    if getattr(made, "display_width", None) == 1:  # as BOOLEAN is kept by MariaDB
        return replace(typed, type="boolean|1|0"), None, ()
    if isinstance(made, types.Boolean):
        return replace(typed, type="boolean"), None, ()
    if isinstance(made, types.Integer):
        return replace(typed, type="integer"), None, ()
    if isinstance(made, (types.Numeric, types.Float)):
        scale = getattr(made, "scale", None)
        whole = scale == 0 and kind != "sqlite"
        decimals = scale if isinstance(scale, int) and 0 < scale <= 12 else None
        number = replace(typed, type="integer" if whole else "number", shown_decimals=decimals)
        return number, None, ()
    if isinstance(made, types.DateTime):
        zoned = bool(getattr(made, "timezone", False))
        return replace(typed, type="zoned" if zoned else "datetime"), None, ()
    if isinstance(made, types.Date):
        return replace(typed, type="date"), None, ()
    if isinstance(made, types.Time):
        return replace(typed, type="time"), None, ()
    if isinstance(made, types.Interval) or type(made).__name__ == "INTERVAL":
        return replace(typed, type="duration"), None, ()
    return SourceColumn(), None, ()


IN_LIST = late(
    r"""\(*\s*(?P<name>[\w"`.]+|\(\w+\))(?:::[\w\s]+?)?\s*\)*(?:::[\w\s]+?)?\s+
    in\s*\((?P<list>[^()]*)\)\s*\)*""",
    re.IGNORECASE | re.VERBOSE,
)
ANY_LIST = late(
    r"""\(*\s*(?P<name>[\w"`]+)\s*\)*(?:::[\w\s]+?)?\s*=\s*any\s*\(\(*
    array\[(?P<list>[^\]]*)\]\)*(?:::[\w\s]+\[\])?\)*""",
    re.IGNORECASE | re.VERBOSE,
)
BETWEEN = late(
    r"""\(*\s*(?P<name>[\w"`]+)\s*\)*\s+between\s+(?P<low>-?[\d.]+)\s+and\s+
    (?P<high>-?[\d.]+)\s*\)*""",
    re.IGNORECASE | re.VERBOSE,
)
BOUND = late(
    r"""\(*\s*(?P<name>[\w"`]+)\s*\)*(?:::[\w\s]+?)?\s*(?P<how>>=|<=)\s*\(*(?P<value>-?[\d.]+)
    \)*(?:::[\w\s]+)?\s*\)*""",
    re.VERBOSE,
)
ITEM = late(r"\s*(?:'((?:[^']|'')*)'|(-?\d+(?:\.\d+)?))(?:::[\w\s]+)?\s*(?:,|$)")


def checked_values(name: str, checks: Sequence[str]) -> PromisedValues | None:
    """What plain CHECK constraints allow a column to hold; others are left to the database."""
    for text in checks:
        for pattern in (IN_LIST, ANY_LIST):
            match = pattern.fullmatch(text.strip())
            if match and _bare(match["name"]) == name:
                values = _items(match["list"])
                if values:
                    return PromisedValues(allowed=values)
        bounds = _bounds(name, text)
        if bounds:
            return PromisedValues(from_=bounds.get(">="), to=bounds.get("<="))
    return None


def _bare(name: str) -> str:
    return name.strip('()"`')


def _items(text: str) -> tuple[Scalar, ...]:
    """The values of a list, or nothing where one of them is no plain value."""
    found: list[Scalar] = []
    at = 0
    while at < len(text):
        match = ITEM.match(text, at)
        if match is None or match.end() == at:
            return ()
        found.append(match[1].replace("''", "'") if match[1] is not None else _number(match[2]))
        at = match.end()
    return tuple(found)


def _bounds(name: str, text: str) -> dict[str, Scalar]:
    """Bounds of a column in `acid >= 0 AND acid <= 10` or `acid BETWEEN 0 AND 10`."""
    text = text.strip()
    between = BETWEEN.fullmatch(text)
    if between and _bare(between["name"]) == name:
        return {">=": _number(between["low"]), "<=": _number(between["high"])}
    found: dict[str, Scalar] = {}
    for part in re.split(r"\band\b", text, flags=re.IGNORECASE):
        match = BOUND.fullmatch(part.strip())
        if match is None or _bare(match["name"]) != name:
            return {}
        found[match["how"]] = _number(match["value"])
    return found


def _number(text: str) -> Scalar:
    return int(text) if re.fullmatch(r"-?\d+", text) else float(text)
