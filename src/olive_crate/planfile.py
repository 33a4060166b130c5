"""Plan files: TOML in, TOML out.

Reading names the key that is wrong and the key that was probably meant. Writing over an existing
plan file changes only the keys that differ, so that people's comments and order stay.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

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
from .variables import LabelSets, Variable, declared, parts_of
from .writing import write_whole

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
    top = {_field(key): top_part(key, value, where + key) for key, value in given.items()}
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


def _field(key: str) -> str:
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


def plan_mapping(plan: Plan, folder: Path | None = None) -> dict[str, Any]:
    """The plan as the tables of a plan file that will lie in `folder`."""
    tables: dict[str, Any] = {}
    for key in TOP:
        value = getattr(plan, _field(key))
        if value is not None and not (key == "unreadable" and value == "report"):
            tables[key] = list(value) if isinstance(value, tuple) else value
    source = msgspec.to_builtins(plan.source)
    if "path" in source:
        source["path"] = portable_path(plan, folder)
    tables["source"] = source
    delimited = msgspec.to_builtins(plan.delimited)
    fixed = msgspec.to_builtins(plan.fixed)
    if plan.layout != "fixed" and "fields" in fixed:
        named = fixed.pop("fields")
        tables["dictionary"] = {"path": named} if isinstance(named, str) else named
    if plan.layout == "fixed":
        fixed |= {key: delimited.pop(key) for key in SHARED if key in delimited}
    sheet = msgspec.to_builtins(plan.sheet)
    if plan.layout == "sheet":
        sheet |= {key: delimited.pop(key) for key in SHARED if key in delimited}
    tables["delimited"], tables["fixed"], tables["sheet"] = delimited, fixed, sheet
    tables["rows"] = _rows_mapping(plan.rows)
    tables["missing"] = {"codes": _codes(plan.missing)} if plan.missing else {}
    tables["expect"] = {
        key: list(value) if isinstance(value, tuple) else value
        for key, value in msgspec.to_builtins(plan.expect).items()
    }
    tables["label_sets"] = {
        name: [msgspec.to_builtins(each) for each in labels]
        for name, labels in plan.label_sets.items()
    }
    tables["field"] = [msgspec.to_builtins(each) for each in plan.fields or ()]
    tables["variable"] = [_variable_mapping(each) for each in plan.variables]
    return {key: value for key, value in tables.items() if value not in ({}, [])}


def portable_path(plan: Plan, folder: Path | None) -> str:
    """The source's path, relative to the folder that the plan file lies in."""
    path = plan.source_path()
    if folder is None or (isinstance(path, str) and "://" in path):
        return str(plan.source.path)
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # another drive
        return str(path)


def _rows_mapping(rows: Rows) -> dict[str, Any]:
    mapping = dict(msgspec.to_builtins(rows))
    names = mapping.get("names")
    if names is not None:
        mapping["names"] = names[0] if len(names) == 1 else list(names)
    return mapping


def _variable_mapping(variable: Variable) -> dict[str, Any]:
    mapping = {key: msgspec.to_builtins(value) for key, value in parts_of(variable).items()}
    if "missing" in mapping:
        mapping["missing"] = _codes(variable.missing)
    listed = {key: list(v) if isinstance(v, tuple) else v for key, v in mapping.items()}
    return {"name": variable.name, **listed}


def _codes(codes: tuple[Any, ...]) -> list[Any]:
    """Codes as short as they can be written: a bare value where there is no reason."""
    return [
        code.value if code.value is not None and not code.reason else msgspec.to_builtins(code)
        for code in codes
    ]


def plan_text(plan: Plan, folder: Path | None = None) -> str:
    """The plan as the text of a plan file, with its evidence as comments."""
    import tomlkit

    document = tomlkit.document()
    _lay(document, plan_mapping(plan, folder))
    _comment(document, plan)
    return tomlkit.dumps(document).lstrip("\n")


def write_plan(plan: Plan, path: Path) -> None:
    """Write a plan file, whole or not at all; keep the comments of one that is there."""
    import tomlkit

    text = plan_text(plan, path.parent)
    if path.exists() and not plan.evidence:
        try:
            document = tomlkit.parse(path.read_text("utf-8"))
        except (OSError, ValueError):
            raise PlanError(f"{path}: exists and is not a plan file; it is left alone") from None
        _update(document, plan_mapping(plan, path.parent))
        text = tomlkit.dumps(document)
    try:
        write_whole(path, text.encode("utf-8"))
    except OSError as error:
        raise PlanError(f"{path}: cannot be written: {error.strerror}") from None


def _lay(document: Any, mapping: dict[str, Any]) -> None:
    import tomlkit

    for key, value in mapping.items():
        if key in ("variable", "field"):
            tables = tomlkit.aot()
            for each in value:
                tables.append(_toml_table(each))
            document.append(key, tables)
        elif isinstance(value, dict):
            document.append(key, _toml_table(value))
            document.add(tomlkit.nl())
        else:
            document.append(key, value)
    return


def _toml_table(mapping: dict[str, Any]) -> Any:
    import tomlkit

    table = tomlkit.table()
    for key, value in mapping.items():
        table.append(key, _toml_value(value))
    return table


def _toml_value(value: Any) -> Any:
    import tomlkit

    if isinstance(value, list):
        array = tomlkit.array()
        array.extend(_toml_value(each) for each in value)
        if len(value) > 3 and any(isinstance(each, dict) for each in value):
            array.multiline(True)
        return array
    if isinstance(value, dict):
        table = tomlkit.inline_table()
        table.update(value)
        return table
    return value


def _update(old: Any, new: dict[str, Any]) -> None:
    """Bring a parsed document to the new values; what is equal is not touched."""
    for key in [key for key in old if key not in new]:
        del old[key]
    for key, value in new.items():
        if key in ("variable", "field") and key in old:
            _update_tables(old, key, value)
        elif isinstance(value, dict) and key in old:
            _update(old[key], value)
        elif key not in old or old[key] != value:
            old[key] = _toml_table(value) if isinstance(value, dict) else _toml_value(value)


def _update_tables(document: Any, key: str, mappings: list[dict[str, Any]]) -> None:
    import tomlkit

    old = {table["name"]: table for table in document[key]}
    tables = tomlkit.aot()
    for mapping in mappings:
        table = old.get(mapping["name"])
        if table is None:
            table = _toml_table(mapping)
        else:
            _update(table, mapping)
        tables.append(table)
    document[key] = tables


def _comment(document: Any, plan: Plan) -> None:
    """Lay each piece of evidence beside the key it speaks of."""
    import tomlkit

    by_name = {table["name"]: table for table in document.get("variable", [])}
    commented = set()
    for evidence in plan.evidence:
        section, _, key = evidence.subject.partition(".")
        if section == "delimited" and plan.layout in ("fixed", "sheet"):
            section = plan.layout
        claim = " ".join(evidence.claim.split())
        if section == "level" and key in by_name:
            by_name[key]["name"].comment(claim)
        elif section == "variable" and key in by_name:
            table = by_name[key]
            if key in commented:
                table.add(tomlkit.comment(claim))
            else:
                table["type" if "type" in table else "name"].comment(claim)
                commented.add(key)
        elif section in document and not key:
            document[section].comment(claim)
        elif section in document and key in document[section]:
            document[section][key].comment(claim)
