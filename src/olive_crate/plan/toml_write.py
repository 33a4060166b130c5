"""Plan files written: TOML out.

Writing over a plan file that is there changes only the keys that differ, so that people's comments
and order stay. The evidence of a draft is written as comments; its words come from the caller.
"""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import msgspec

from ..declaration.patterns import late
from ..declaration.variable import Variable, parts_of
from ..errors import Advice, PlanError
from ..evidence import AllowedByList, Evidence, LevelSuggested
from ..sources.writing import write_whole
from .model import Decisions, Rows
from .options import OPTIONS
from .ownership import remember_plan
from .sections import top_level
from .toml_read import MARKS, SHARED

Words = Callable[[Evidence], str]
"""Puts a piece of evidence into words."""
CONTROL = late(r"[\x00-\x08\x0a-\x1f\x7f]")
"""Characters that TOML (1.0, "Comment") does not allow in a comment."""


def tables_of(plan: Decisions, folder: Path | None = None) -> dict[str, Any]:
    """The plan as the tables of a plan file that will lie in `folder`."""
    tables = _top(plan)
    source = msgspec.to_builtins(plan.source)
    if "paths" in source:
        every = zip(plan.named_source(), plan.source.paths or (), strict=True)
        source["paths"] = [_relative(path, written, folder) for path, written in every]
    if "path" in source:
        source["path"] = portable_path(plan, folder)
    tables["source"] = source
    tables |= _layout_sections(plan, folder) | _table_section(plan, source)
    tables["rows"] = _rows_table(plan.rows)
    tables["missing"] = {"codes": _codes(plan.missing)} if plan.missing else {}
    tables["promised"] = _listed(msgspec.to_builtins(plan.promised))
    tables["settled"] = [msgspec.to_builtins(each) for each in plan.settled]
    if plan.ignored:
        tables["check"] = {"ignore": [msgspec.to_builtins(each) for each in plan.ignored]}
    tables["meaning_sets"] = {
        name: [msgspec.to_builtins(each) for each in meanings]
        for name, meanings in plan.meaning_sets.items()
    }
    tables["field"] = [msgspec.to_builtins(each) for each in plan.fields or ()]
    tables["variable"] = [_variable_table(each) for each in plan.variables]
    return {key: value for key, value in tables.items() if value not in ({}, [])}


def _top(plan: Decisions) -> dict[str, Any]:
    held = {key: getattr(plan, OPTIONS[key].field or key) for key in top_level()}
    for key, usual in (("unreadable", "report"), ("changing", "refuse"), ("on_error", "stop")):
        if held.get(key) == usual:
            del held[key]
    return _listed({key: value for key, value in held.items() if value is not None})


def _layout_sections(plan: Decisions, folder: Path | None) -> dict[str, Any]:
    """The sections of the layouts; options that several layouts have lie with the one in use."""
    found = {
        "delimited": msgspec.to_builtins(plan.delimited),
        "fixed": msgspec.to_builtins(plan.fixed),
        "sheet": msgspec.to_builtins(plan.sheet),
    }
    if plan.fixed.fields is not None:
        found["fixed"]["fields"] = _dictionary(plan, folder)
    if plan.layout != "fixed" and "fields" in found["fixed"]:
        named = found["fixed"].pop("fields")
        found = {"dictionary": {"path": named} if isinstance(named, str) else named} | found
    if plan.layout in ("query", "page", "feed", "frame"):
        del found["delimited"]
    if plan.layout in ("fixed", "sheet"):
        delimited = found["delimited"]
        shared = {key: delimited.pop(key) for key in SHARED if key in delimited}
        found[plan.layout] |= shared
    return found


def _dictionary(plan: Decisions, folder: Path | None) -> Any:
    """The dictionary, its path relative to the folder that the plan file will lie in."""
    named = plan.fixed.fields
    written = named["path"] if isinstance(named, Mapping) else named
    path = _relative(plan.from_here(written), written, folder)
    return {**named, "path": path} if isinstance(named, Mapping) else path


def _table_section(plan: Decisions, source: dict[str, Any]) -> dict[str, Any]:
    """The section of a table; the address of a server's database goes there from the source."""
    section = dict(msgspec.to_builtins(plan.table))
    if plan.layout != "query":
        marks = {key: v for key in MARKS if (v := getattr(plan.delimited, key)) is not None}
        return {"page": section | marks} if plan.layout == "page" else {}
    if "://" in source.get("path", ""):
        section = {"url": source.pop("path"), **section}
    return {"database": section}


def portable_path(plan: Decisions, folder: Path | None) -> str:
    """The source's path, relative to the folder that the plan file lies in."""
    return _relative(plan.named_source(), str(plan.source.path), folder)


def _relative(path: str | Path, written: str, folder: Path | None) -> str:
    if folder is None or (isinstance(path, str) and "://" in path):
        return written
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # another drive
        return str(path)


def _listed(mapping: dict[str, Any]) -> dict[str, Any]:
    """The same with lists in the place of tuples."""
    return {key: list(v) if isinstance(v, tuple) else v for key, v in mapping.items()}


def _rows_table(rows: Rows) -> dict[str, Any]:
    mapping = dict(msgspec.to_builtins(rows))
    names = mapping.get("names")
    if names is not None:
        mapping["names"] = names[0] if len(names) == 1 else list(names)
    return mapping


def _variable_table(variable: Variable) -> dict[str, Any]:
    mapping = {key: msgspec.to_builtins(value) for key, value in parts_of(variable).items()}
    if "missing" in mapping:
        mapping["missing"] = _codes(variable.missing)
    return {"name": variable.name, **_listed(mapping)}


def _codes(codes: tuple[Any, ...]) -> list[Any]:
    """Codes as short as they can be written: a bare value where there is no reason."""
    return [
        code.value if code.value is not None and not code.reason else msgspec.to_builtins(code)
        for code in codes
    ]


def plan_text(plan: Decisions, words: Words, folder: Path | None = None) -> str:
    """The plan as the text of a plan file, with its evidence as comments."""
    import tomlkit

    document = tomlkit.document()
    _lay(document, tables_of(plan, folder))
    _comment(document, plan, words)
    return tomlkit.dumps(document).lstrip("\n")


WRITTEN: dict[str, str] = {}
"""Plan files that this process brought up to date, with the SHA-256 of what it wrote."""


def write_plan(plan: Decisions, path: Path, words: Words, replace: bool = False) -> None:
    """Write a plan file, whole or not at all; keep the comments of one that is there.

    Raises `PlanError` where another file would be lost.
    """
    import tomlkit

    if path.exists() and not replace and not _is_own(plan, path):
        raise PlanError(
            f"{path}: already exists, and is not the plan file that this plan was read from, as it "
            "was then",
            Advice("use {} to overwrite it", "replace=True", "--replace"),
        )
    text = plan_text(plan, words, path.parent)
    if path.exists() and not plan.evidence:
        try:
            document = tomlkit.parse(path.read_text("utf-8"))
            _update(document, tables_of(plan, path.parent))
            text = tomlkit.dumps(document)
        except (OSError, ValueError, KeyError, TypeError):  # no plan: replaced, as asked
            pass
    data = text.encode("utf-8")
    WRITTEN[str(path.absolute())] = hashlib.sha256(data).hexdigest()
    try:
        write_whole(path, data)
    except OSError as error:
        raise PlanError(f"{path}: cannot be written: {error.strerror}") from None
    remember_plan(plan, path, data)


def _shown(match: re.Match[str]) -> str:
    """A control character as its picture in Unicode."""
    code = ord(match.group())
    return chr(0x2421 if code == 0x7F else 0x2400 + code)


def _is_own(plan: Decisions, path: Path) -> bool:
    """Is this the file that the plan was read from, and has nobody else changed it since?"""
    if plan.read_from is None or plan.read_from[0] != str(path.absolute()):
        return False
    now = hashlib.sha256(path.read_bytes()).hexdigest()
    return now in (plan.read_from[1], WRITTEN.get(plan.read_from[0]))


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


def _comment(document: Any, plan: Decisions, words: Words) -> None:
    """Lay each piece of evidence beside the key that it is about."""
    by_name = {table["name"]: table for table in document.get("variable", [])}
    commented: set[str] = set()
    for evidence in plan.evidence:
        if evidence.answered:
            continue
        text = CONTROL.sub(_shown, " ".join(words(evidence).split()))
        if evidence.variable in by_name:
            _comment_variable(by_name[evidence.variable], evidence, text, commented)
            continue
        section, _, key = evidence.about.partition(".")
        if section == "table":
            section = "database" if plan.layout == "query" else "page"
        if section == "delimited" and plan.layout in ("fixed", "sheet", "page"):
            section = plan.layout
        if section in document and not key:
            document[section].comment(text)
        elif section in document and key in document[section]:
            document[section].item(key).comment(text)


def _comment_variable(table: Any, evidence: Evidence, text: str, commented: set[str]) -> None:
    """The first piece of evidence beside the type, further ones below the variable's keys."""
    import tomlkit

    if isinstance(evidence, LevelSuggested):
        table["name"].comment(text)
    elif isinstance(evidence, AllowedByList) and "promised" in table:
        table.item("promised").comment(text)
    elif evidence.variable in commented:
        table.add(tomlkit.comment(text))
    else:
        table["type" if "type" in table else "name"].comment(text)
        commented.add(evidence.variable)
