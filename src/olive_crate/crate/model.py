"""`crate.toml`, read and written: tables, relations, and the codes that tables share."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

import msgspec

from ..dataset.crates import Relation
from ..declaration.codes import Meaning, MissingCode, meanings_from, missing_codes
from ..declaration.converting import converted
from ..declaration.patterns import late
from ..errors import PlanError, SourceError, nearest
from ..sources.writing import write_whole

FILE = "crate.toml"
NAME = late(r"[^\W_][\w.-]*")
"""Names that can be those of files on every system."""
KEYS = ("title", "keep", "tables", "relations", "meaning_sets", "missing")
KEPT = 1
"""Earlier packed datasets of each table that are kept, if nothing is said."""


class Entry(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A table of a crate: where its parts lie in the folder."""

    plan: str
    packed: str = ""
    earlier: tuple[str, ...] = ()
    """Earlier packed datasets, the last one first."""


class CrateFile(msgspec.Struct, frozen=True):
    """What `crate.toml` says."""

    title: str = ""
    keep: int = KEPT
    tables: dict[str, Entry] = {}
    relations: tuple[Relation, ...] = ()
    meaning_sets: dict[str, tuple[Meaning, ...]] = {}
    """Meanings that plans of the tables can name."""
    missing: tuple[MissingCode, ...] = ()
    """Missing codes of all tables."""


def read_crate(path: Path) -> CrateFile:
    """Read `crate.toml`. Raises `PlanError` naming the key, `SourceError` where there is none."""
    try:
        mapping = tomllib.loads(path.read_bytes().decode("utf-8"))
    except FileNotFoundError:
        raise SourceError(f"{path.parent}: no crate (there is no {FILE} in it)") from None
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror}") from None
    except ValueError as error:
        raise PlanError(f"{path}: not valid TOML: {error}") from None
    for key in mapping:
        if key not in KEYS:
            raise PlanError(f'{path}: unknown key "{key}"{nearest(key, KEYS)}')
    given_tables = _converted(mapping.get("tables", {}), dict[str, Any], f"{path}: tables")
    tables = {}
    for name, each in given_tables.items():
        check_name(name, f"{path}: tables")
        entry = tables[name] = _converted(each, Entry, f"{path}: tables.{name}")
        for part in (entry.plan, entry.packed, *entry.earlier):
            _inside(part, f"{path}: tables.{name}")
    given = mapping.get("relations", [])
    if not isinstance(given, list):
        raise PlanError(f"{path}: relations: expected [[relations]] tables, got {given!r}")
    missing = mapping.get("missing", {})
    sets = mapping.get("meaning_sets", {})
    if not isinstance(missing, dict) or not isinstance(sets, dict):
        raise PlanError(f"{path}: missing and meaning_sets are sections")
    return CrateFile(
        title=_converted(mapping.get("title", ""), str, f"{path}: title"),
        keep=_converted(mapping.get("keep", KEPT), int, f"{path}: keep"),
        tables=tables,
        relations=tuple(_relation(each, f"{path}: relations") for each in given),
        meaning_sets={
            name: meanings_from(each, f"{path}: meaning_sets.{name}") for name, each in sets.items()
        },
        missing=missing_codes(missing.get("codes"), f"{path}: missing.codes"),
    )


def _converted(value: Any, kind: Any, at: str) -> Any:
    try:
        return converted(value, kind)
    except msgspec.ValidationError as error:
        text = str(error).replace("`", "").replace(" - at $.", ", in ")
        raise PlanError(f"{at}: {text[0].lower()}{text[1:]}") from None


def check_name(name: str, at: str = "name") -> str:
    """A table's name. Raises `PlanError` for what cannot be one."""
    if not NAME.fullmatch(name):
        raise PlanError(f'{at}: "{name}" cannot be a table\'s name; use letters, digits, - and _')
    return name


def _inside(path: str, at: str) -> None:
    """Raise `PlanError` for a path that leads out of the crate's folder."""
    parts = path.replace("\\", "/").split("/")
    if path.startswith(("/", "\\")) or ".." in parts or ":" in parts[0]:
        raise PlanError(f'{at}: "{path}" leads out of the crate\'s folder')


def _relation(given: Any, at: str) -> Relation:
    """`{from = {table = "answers", variables = ["grower"]}, to = {…}}`."""
    ends = []
    for key in ("from", "to"):
        end = given.get(key) if isinstance(given, dict) else None
        names = end.get("variables") if isinstance(end, dict) else None
        names = [names] if isinstance(names, str) else names
        table = end.get("table") if isinstance(end, dict) else None
        if not isinstance(table, str) or not isinstance(names, list) or not names:
            raise PlanError(f"{at}: expected {key} = {{table = …, variables = […]}}, got {given!r}")
        ends.append((table, tuple(map(str, names))))
    return relation_of(*ends[0], *ends[1], at)


def relation_of(
    table: str, variables: tuple[str, ...], to_table: str, to_variables: tuple[str, ...], at: str
) -> Relation:
    """A relation. Raises `PlanError` unless both ends have as many variables."""
    if len(variables) != len(to_variables):
        raise PlanError(f"{at}: {table} and {to_table} are related by unequal numbers of variables")
    return Relation(table, variables, to_table, to_variables)


def write_crate(path: Path, crate: CrateFile) -> None:
    """Write `crate.toml` as a whole; comments of one that is there stay, as far as they can."""
    import tomlkit

    text = path.read_text("utf-8") if path.exists() else ""
    document = tomlkit.parse(text)
    _set(document, "title", crate.title, "")
    _set(document, "keep", crate.keep, KEPT)
    tables = document.get("tables")
    if tables is None:
        tables = tomlkit.table(is_super_table=True)
        document["tables"] = tables
    for name in [each for each in tables if each not in crate.tables]:
        del tables[name]
    for name, entry in crate.tables.items():
        if name not in tables:
            tables[name] = tomlkit.table()
        for part in Entry.__struct_fields__:
            value = getattr(entry, part)
            _set(tables[name], part, list(value) if isinstance(value, tuple) else value, "", [])
    if crate.relations != _relations_in(document):
        document.pop("relations", None)
        if crate.relations:
            document["relations"] = _listed_relations(crate.relations)
    write_whole(path, tomlkit.dumps(document).encode("utf-8"))


def _relations_in(document: Any) -> tuple[Relation, ...]:
    given = document.get("relations")
    return tuple(_relation(each, "relations") for each in given.unwrap()) if given else ()


def _listed_relations(relations: tuple[Relation, ...]) -> Any:
    import tomlkit

    listed = tomlkit.aot()
    for each in relations:
        made = tomlkit.table()
        for key, table, names in (
            ("from", each.table, each.variables),
            ("to", each.to_table, each.to_variables),
        ):
            end = tomlkit.inline_table()
            end["table"], end["variables"] = table, list(names)
            made[key] = end
        listed.append(made)
    return listed


def _set(table: Any, key: str, value: Any, *usual: Any) -> None:
    """Put a value into a table of the document, or take it out where it is the usual one."""
    if value in usual:
        if key in table:
            del table[key]
    elif table.get(key) != value:
        table[key] = value
