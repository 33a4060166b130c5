"""Plan files read: TOML in, with the key named that is wrong, and the key that was meant."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from .codes import missing_codes, value_labels
from .errors import PlanError, nearest
from .expectpart import expect_part
from .fields import FixedSection, fixed_part, listed_fields
from .plan import (
    DelimitedSection,
    Plan,
    SourceSection,
    delimited_part,
    encoding_part,
    top_part,
    with_types,
)
from .rowspart import Rows, rows_part
from .sheetpart import SheetSection, sheet_part
from .variables import LabelSets, Variable, declared

TOP = (
    "layout",
    "names",
    "types",
    "plain_names",
    "keep",
    "order",
    "limit",
    "workers",
    "unreadable",
)
SECTIONS = (
    "source",
    "delimited",
    "fixed",
    "sheet",
    "rows",
    "missing",
    "dictionary",
    "expect",
    "label_sets",
    "field",
    "variable",
)
SHARED = ("comment", "trim", "decimal", "grouping")
"""Parts of the delimited section that a fixed layout has as well, under its own heading."""


def read_plan(path: Path) -> Plan:
    """Read a plan file."""
    try:
        with path.open("rb") as stream:
            mapping = tomllib.load(stream)
    except FileNotFoundError:
        raise PlanError(f"{path}: no such plan file") from None
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise PlanError(f"{path}: not a plan file: plans are TOML in UTF-8") from None
    except tomllib.TOMLDecodeError as error:
        raise PlanError(f"{path}: not valid TOML: {error}") from None
    return plan_from(mapping, path.parent, f"{path}: ")


def plan_from(mapping: Mapping[str, Any], base: Path | None = None, where: str = "") -> Plan:
    """A plan from the tables of a plan file."""
    known = (*TOP, *SECTIONS)
    for key in mapping:
        if key not in known:
            hint = f"; it belongs under {_home(key)}" if _home(key) else nearest(key, known)
            raise PlanError(f'{where}unknown key "{key}"{hint}')
    sets = {
        name: value_labels(values, f"{where}label_sets.{name}")
        for name, values in _section(mapping, "label_sets", where).items()
    }
    variables = _variables(mapping.get("variable", []), sets, where)
    given = {key: mapping[key] for key in TOP if key in mapping}
    types = given.pop("types") if isinstance(given.get("types"), Mapping) else {}
    top = {field_of_key(key): top_part(key, value, where + key) for key, value in given.items()}
    fixed = dict(_section(mapping, "fixed", where))
    delimited = dict(_section(mapping, "delimited", where))
    sheet = dict(_section(mapping, "sheet", where))
    shared = {key: part.pop(key) for key in SHARED for part in (fixed, sheet) if key in part}
    named = dict(_section(mapping, "dictionary", where))
    told = {"fields": fixed_part("fields", named, f"{where}dictionary")} if named else {}
    fields = mapping.get("field")
    if fields is not None and not isinstance(fields, list):
        raise PlanError(f"{where}field: expected [[field]] tables, got {fields!r}")
    if (fixed or fields or sheet) and top.get("layout") is None:
        top["layout"] = "sheet" if sheet else "fixed"
    plan = Plan(
        fixed=_fixed(fixed | told, where),
        sheet=_sheet(sheet, where),
        fields=listed_fields(fields, f"{where}[[field]]") if fields else None,
        source=_source(_section(mapping, "source", where), where),
        delimited=_delimited(delimited | shared, where),
        rows=rows_part(_section(mapping, "rows", where), Rows(), f"{where}rows"),
        missing=_missing(_section(mapping, "missing", where), where),
        variables=variables,
        label_sets=sets,
        expect=expect_part(dict(_section(mapping, "expect", where)), f"{where}expect"),
        base=base,
        listed=bool(variables),
        **top,
    )
    return with_types(plan, types, f"{where}types: ") if types else plan


def field_of_key(key: str) -> str:
    return "type" if key == "types" else key


def _home(key: str) -> str:
    """The section in which a misplaced key belongs."""
    homes = {
        "source": SourceSection.__struct_fields__,
        "delimited": DelimitedSection.__struct_fields__,
        "fixed": FixedSection.__struct_fields__,
        "sheet": SheetSection.__struct_fields__,
        "rows": tuple(field for field in Rows.__struct_fields__ if field != "names"),
    }
    return next((f"[{section}]" for section, keys in homes.items() if key in keys), "")


def _section(mapping: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    section = mapping.get(name, {})
    if not isinstance(section, Mapping):
        raise PlanError(f"{where}{name}: expected a section [{name}], got {section!r}")
    return section


def _only_known(section: Mapping[str, Any], known: tuple[str, ...], at: str) -> None:
    for key in section:
        if key not in known:
            raise PlanError(f'{at}: unknown key "{key}"{nearest(key, known)}')


def _source(section: Mapping[str, Any], where: str) -> SourceSection:
    at = f"{where}source"
    _only_known(section, SourceSection.__struct_fields__, at)
    path = section.get("path")
    if path is not None and not isinstance(path, str):
        raise PlanError(f"{at}.path: expected text, got {path!r}")
    return SourceSection(path, encoding_part(section.get("encoding"), f"{at}.encoding"))


def _delimited(section: Mapping[str, Any], where: str) -> DelimitedSection:
    at = f"{where}delimited"
    _only_known(section, DelimitedSection.__struct_fields__, at)
    return DelimitedSection(
        **{part: delimited_part(part, value, f"{at}.{part}") for part, value in section.items()}
    )


def _fixed(section: Mapping[str, Any], where: str) -> FixedSection:
    at = f"{where}fixed"
    _only_known(section, (*FixedSection.__struct_fields__, *SHARED), at)
    return FixedSection(
        **{part: fixed_part(part, value, f"{at}.{part}") for part, value in section.items()}
    )


def _sheet(section: Mapping[str, Any], where: str) -> SheetSection:
    at = f"{where}sheet"
    _only_known(section, (*SheetSection.__struct_fields__, *SHARED), at)
    return SheetSection(
        **{part: sheet_part(part, value, f"{at}.{part}") for part, value in section.items()}
    )


def _missing(section: Mapping[str, Any], where: str) -> tuple[Any, ...]:
    at = f"{where}missing"
    _only_known(section, ("codes",), at)
    return missing_codes(section.get("codes"), f"{at}.codes")


def _variables(tables: Any, sets: LabelSets, where: str) -> tuple[Variable, ...]:
    if not isinstance(tables, list):
        raise PlanError(f"{where}variable: expected [[variable]] tables, got {tables!r}")
    variables: dict[str, Variable] = {}
    for number, table in enumerate(tables, 1):
        at = f"{where}[[variable]] {number}"
        if not isinstance(table, Mapping):
            raise PlanError(f"{at}: expected a table, got {table!r}")
        name = table.get("name")
        if not isinstance(name, str) or not name:
            raise PlanError(f"{at}: every variable needs a name")
        if name in variables:
            raise PlanError(f'{at}: there is a variable "{name}" already')
        parts = {key: value for key, value in table.items() if key != "name"}
        variables[name] = declared(Variable(name), parts, f'{at} "{name}"', sets)
    return tuple(variables.values())
