"""Plan files written: TOML out.

Writing over an existing plan file changes only the keys that differ, so that people's comments and
order stay.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import msgspec

from .errors import PlanError
from .plan import Plan
from .planfile import SHARED, TOP, field_of_key
from .rowspart import Rows
from .variables import Variable, parts_of
from .writing import write_whole


def plan_mapping(plan: Plan, folder: Path | None = None) -> dict[str, Any]:
    """The plan as the tables of a plan file that will lie in `folder`."""
    tables: dict[str, Any] = {}
    for key in TOP:
        value = getattr(plan, field_of_key(key))
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
