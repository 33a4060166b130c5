"""Tables, views and queries of databases: SQLite, PostgreSQL, MariaDB and MySQL."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ...plan.model import Decisions
    from ...sources.source import Source
    from ..base import Before, SourceLayout, TableView


def find(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a table or a query."""
    from .finding import find_query

    return find_query(source, plan)


def tables_to_choose(source: Source, plan: Decisions) -> tuple[TableView, ...]:
    """All tables and views, where there are several and the plan names none."""
    if plan.table.table is not None or plan.table.query is not None:
        return ()
    from ...sources.database import Session
    from .tables import views_of

    found = views_of(Session(source))
    return found if len(found) > 1 else ()
