"""A table or a query, settled: which one, what the database says of its columns, how many rows."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

import msgspec

from ...columns.rule import SourceColumn
from ...declaration.variable import Variable
from ...errors import LayoutError, PlanError
from ...evidence import Evidence, NoKeyInTable, Note, TableChosen
from ...plan.known import with_known
from ...plan.model import Decisions, Rows
from ...sources.database import Session
from ...sources.source import Source
from ..base import Preview, SourceLayout, TableView
from ..records.layout import RecordLayout
from ..text.completing import no_cells, no_delimiter
from . import sql
from .records import QueryRecords
from .tables import Relation, TableColumn, full_name, names_of, table_named


def find_query(source: Source, plan: Decisions) -> SourceLayout:
    """Complete a plan for a database. Raises `LayoutError` for a table that is not there."""
    _check_plan(source, plan)
    session = Session(source)
    evidence: list[Evidence] = []
    relation = _relation(session, plan, evidence)
    counted = f"({relation.query}\n) AS counted" if relation.query else relation.sql
    rows = int(session.first(f"SELECT count(*) FROM {counted}"))
    records = QueryRecords(session, relation, rows)
    names = plan.names or tuple(each.name for each in relation.columns)
    if len(names) != len(relation.columns):
        raise PlanError(
            f"{source.name}: {len(names)} names are given for {len(relation.columns)} columns"
        )
    layout = RecordLayout(
        records,
        tuple(each.cells for each in relation.columns),
        tuple(each.name for each in relation.columns),
        key=tuple(names.index(each) for each in relation.key if each in names),
        first=plan.rows.first or 1,
        last=plan.rows.last,
        limit=plan.limit,
    )
    complete = _complete(plan, relation, names)
    return SourceLayout(
        source,
        complete,
        layout,
        names,
        ("",) * len(names),
        tuple(each.comment for each in relation.columns),
        tuple(evidence),
        partial(_preview, source, relation, layout, rows),
    )


def _check_plan(source: Source, plan: Decisions) -> None:
    """Raise `PlanError` where a plan for text or a workbook meets a database."""
    if plan.layout not in (None, "query") or plan.fields is not None:
        raise PlanError(f'{source.name}: is a database; its layout is "query"')
    no_cells(plan, f"{source.name}: is a database", "name a table instead")
    no_delimiter(plan, f"{source.name}: is a database")
    if plan.rows.names or plan.rows.units or plan.rows.labels:
        raise PlanError(f"{source.name}: the columns of a database have names; leave rows out")
    if plan.table.table is not None and plan.table.query is not None:
        raise PlanError("give either table or query, not both")


def _relation(session: Session, plan: Decisions, evidence: list[Evidence]) -> Relation:
    """The table or query that is read."""
    if plan.table.query is not None:
        return _queried(session, sql.one_select(plan.table.query))
    if plan.table.table is not None:
        relation = table_named(session, plan.table.table)
    else:
        known = [full_name(*each[:2]) for each in names_of(session)]
        if len(known) != 1:
            listed = ", ".join(f'"{each}"' for each in known[:12])
            more = f" and {len(known) - 12} more" if len(known) > 12 else ""
            raise LayoutError(
                f"{session.name}: holds {len(known)} tables and views; name one as table, or give "
                f"a query ({listed}{more})"
                if known
                else f"{session.name}: the database holds no table"
            )
        relation = table_named(session, known[0])
        evidence.append(TableChosen(value=known[0], tables=1))
    return relation


def _queried(session: Session, query: str) -> Relation:
    """A query, with what the driver says of its columns."""
    counted = f"({query}\n) AS asked"
    described = session.described(f"SELECT * FROM {counted} LIMIT 0")
    columns = tuple(TableColumn(str(each[0]), _said(each, session)) for each in described)
    return Relation("", counted, columns, query=query)


def _said(given: Any, session: Session) -> SourceColumn:
    """The type of a column of a query, as far as the driver tells it."""
    if session.kind == "postgresql":
        found = session.driver.adapters.types.get(given[1])
        name = found.name if found is not None else ""
    elif session.kind in ("mysql", "mariadb"):
        name = MYSQL_TYPES.get(given[1], "")
    else:
        return SourceColumn()
    kind = TYPES.get(name, "")
    return SourceColumn(type=kind, typed_cells=True) if kind else SourceColumn()


TYPES = {
    **dict.fromkeys(("int2", "int4", "int8"), "integer"),
    **dict.fromkeys(("float4", "float8", "numeric"), "number"),
    "bool": "boolean",
    "date": "date",
    "timestamp": "datetime",
    "timestamptz": "zoned",
    "time": "time",
    "interval": "duration",
}
"""Types of PostgreSQL (its catalogue `pg_type`) by ours."""
MYSQL_TYPES = {
    **dict.fromkeys((1, 2, 3, 8, 9), "int8"),
    **dict.fromkeys((0, 4, 5, 246), "float8"),
    10: "date",
    12: "timestamp",
    7: "timestamp",
    11: "time",
}
"""Column types of the MySQL protocol (its field types) by those of the table above."""


def _complete(plan: Decisions, relation: Relation, names: Sequence[str]) -> Decisions:
    """The plan with what the database knows: what columns hold, and which of them are the key."""
    replace = msgspec.structs.replace
    section = plan.table
    if relation.name:
        section = replace(section, table=relation.name)
    kept = _kept(plan, relation, names)
    promised = plan.promised
    if relation.key and not promised.key and kept is not None:
        promised = replace(promised, key=kept)
    notes: tuple[Note, ...] = plan.notes
    if not relation.key and not any(isinstance(each, NoKeyInTable) for each in notes):
        notes = (*notes, NoKeyInTable(name=relation.name))
    return replace(
        plan,
        table=section,
        layout="query",
        rows=Rows(data=plan.rows.data),
        delimited=replace(plan.delimited, decimal="."),
        variables=_declared(plan, relation, names),
        promised=promised,
        notes=notes,
    )


def _kept(plan: Decisions, relation: Relation, names: Sequence[str]) -> tuple[str, ...] | None:
    """The variables that the key is made of; `None` where one of them is not kept."""
    by_heading = {heading: each.name for each in plan.variables for heading in each.headings}
    sources = dict(zip((each.name for each in relation.columns), names, strict=True))
    key = tuple(by_heading.get(sources[each], sources[each]) for each in relation.key)
    if plan.plain_names or (plan.keep is not None and not set(key) <= set(plan.keep)):
        return None
    return key


def _declared(plan: Decisions, relation: Relation, names: Sequence[str]) -> tuple[Variable, ...]:
    """The plan's declarations, with what the database says where they say nothing."""
    known = [
        {
            part: value
            for part, value in (
                ("type", column.type),
                ("required", column.required),
                ("promised", column.promised),
            )
            if value
        }
        for column in relation.columns
    ]
    return with_known(plan, names, known)


def _preview(
    source: Source, relation: Relation, layout: RecordLayout, rows: int, cases: int
) -> Preview:
    """The table, and the layout for so many cases."""
    view = TableView(
        relation.name,
        rows=rows,
        columns=len(relation.columns),
        key=relation.key,
        comment=relation.comment,
    )
    return Preview(
        source,
        msgspec.structs.replace(layout, limit=cases),
        lines=rows,
        tables=(view,) if relation.name else (),
    )
