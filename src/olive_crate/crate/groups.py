"""A CSVW table group from elsewhere (W3C, 17 December 2015, section 5.3): tables and relations."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import unquote, urljoin

from ..dataset.crates import Relation
from ..declaration.csvw_terms import CONTEXT
from ..errors import PlanError, SourceError
from ..plan.model import Decisions, SourceSection
from ..reading.dictionaries.applying import completed
from ..reading.dictionaries.csvw import described
from ..sources.addresses import is_address

LARGEST = 64 << 20


class Group(NamedTuple):
    """What a table group holds."""

    title: str
    plans: dict[str, Decisions]
    relations: tuple[Relation, ...]


def group_at(path: Path) -> Group:
    """The tables of a group, each as a plan. Raises `SourceError` for what is no table group."""
    try:
        document = json.loads(path.read_bytes()[:LARGEST].decode("utf-8-sig"))
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror}") from None
    except ValueError as error:
        raise SourceError(f"{path}: not JSON in UTF-8: {error}") from None
    tables = document.get("tables") if isinstance(document, dict) else None
    if not isinstance(tables, list) or not tables:
        raise SourceError(f"{path}: no CSVW table group (it has no tables)")
    context = document.get("@context", CONTEXT)
    base = context[1].get("@base", "") if isinstance(context, list) and len(context) > 1 else ""
    shared = {key: value for key, value in document.items() if key != "tables"}
    names = dict(_named(tables, base, path))
    plans = {}
    for table in tables:
        url = urljoin(base, table["url"])
        plans[names[url]] = _plan(shared | table, unquote(url), path)
    title = document.get("dc:title", "")
    return Group(
        title if isinstance(title, str) else "", plans, tuple(_relations(tables, base, names))
    )


def _named(tables: list[Any], base: str, path: Path) -> Iterator[tuple[str, str]]:
    """The address of each table, and a name for it."""
    taken: set[str] = set()
    for table in tables:
        if not isinstance(table, dict) or not isinstance(table.get("url"), str):
            raise PlanError(f"{path}: a table of the group has no url")
        url = urljoin(base, table["url"])
        stem = Path(unquote(url)).name.partition(".")[0].replace(" ", "_") or "table"
        name, number = stem, 2
        while name in taken:
            name, number = f"{stem}_{number}", number + 1
        taken.add(name)
        yield url, name


def _plan(table: dict[str, Any], url: str, path: Path) -> Decisions:
    """The plan of one table, as its metadata describe it."""
    source = SourceSection(path=url if is_address(url) else str(path.parent / url))
    found = described({"@context": CONTEXT} | table, str(path))
    return completed(Decisions(source=source), found, str(path))


def _relations(tables: list[Any], base: str, names: dict[str, str]) -> Iterator[Relation]:
    """Foreign keys (5.9) that refer to a table of the group by its address."""
    for table in tables:
        schema = table.get("tableSchema", {})
        for key in schema.get("foreignKeys", []) if isinstance(schema, dict) else []:
            reference = key.get("reference", {})
            to_table = names.get(urljoin(base, str(reference.get("resource", ""))))
            here, there = _columns(key), _columns(reference)
            if to_table is not None and here and len(here) == len(there):
                yield Relation(names[urljoin(base, table["url"])], here, to_table, there)


def _columns(key: dict[str, Any]) -> tuple[str, ...]:
    given = key.get("columnReference", [])
    return tuple(unquote(each) for each in ([given] if isinstance(given, str) else given))
