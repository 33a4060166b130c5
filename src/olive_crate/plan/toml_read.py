"""Plan files read: TOML in, with the key named that is wrong, and the key that was meant."""

from __future__ import annotations

import hashlib
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from ..declaration.codes import meanings_from
from ..declaration.settled import settled_from
from ..declaration.variable import MeaningSets, Variable, declared
from ..errors import PlanError, nearest
from ..sources.addresses import kept_address
from .fields import listed_fields
from .model import Decisions, with_option
from .options import OPTIONS
from .ownership import bounded
from .sections import of_section, top_level

SECTIONS = (
    *(
        "source",
        "delimited",
        "fixed",
        "sheet",
        "database",
        "page",
        "rows",
        "missing",
        "dictionary",
        "promised",
        "check",
        "settled",
    ),
    *("meaning_sets", "field", "variable"),
)
MARKS = ("decimal", "grouping")
SHARED = ("comment", "trim", "decimal", "grouping")
"""Options of the delimited section that other layouts have as well, under their own heading."""


def read_decisions(
    path: Path,
    trust: tuple[str, ...] = (),
    within: Path | None = None,
    shared: MeaningSets | None = None,
) -> Decisions:
    """Read a plan file. Raises `PlanError` that names the key for anything that is not a plan.

    Unless a run of this user wrote it, it may open what lies under its folder, and what it is
    trusted with (see `sources.reach`). It may name meanings that it shares with others.
    """
    try:
        data = path.read_bytes()
        mapping = tomllib.loads(data.decode("utf-8"))
    except FileNotFoundError:
        raise PlanError(f"{path}: no such plan file") from None
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise PlanError(f"{path}: not a plan file (TOML in UTF-8)") from None
    except tomllib.TOMLDecodeError as error:
        raise PlanError(f"{path}: not valid TOML: {error}") from None
    made = decisions_from(mapping, path.parent, f"{path}: ", shared)
    origin = (str(path.absolute()), hashlib.sha256(data).hexdigest())
    return bounded(msgspec.structs.replace(made, read_from=origin), path, data, trust, within)


def decisions_from(
    mapping: Mapping[str, Any],
    base: Path | None = None,
    where: str = "",
    shared: MeaningSets | None = None,
) -> Decisions:
    """A plan from the tables of a plan file."""
    _only_known(mapping, where)
    sets = {**(shared or {})} | {
        name: meanings_from(values, f"{where}meaning_sets.{name}")
        for name, values in _section(mapping, "meaning_sets", where).items()
    }
    variables = _variables(mapping.get("variable", []), sets, where)
    plan = Decisions(base=base, meaning_sets=sets, variables=variables, listed=bool(variables))
    for name in ("source", "delimited", "fixed", "sheet"):
        plan = _with_section(plan, mapping, name, where)
    plan = _with_table(plan, mapping, where)
    plan = _with_rest(plan, mapping, where)
    for key in top_level():
        if key in mapping:
            plan = _with_key(plan, key, mapping[key], where)
    return plan


def _with_section(plan: Decisions, mapping: Mapping[str, Any], name: str, where: str) -> Decisions:
    """The plan with a section whose keys are options."""
    section, at = _section(mapping, name, where), f"{where}{name}"
    known = [*of_section(name), *(["path", "paths"] if name == "source" else [])]
    known += SHARED if name in ("fixed", "sheet") else ()
    if "block" in section and name == "sheet":
        raise PlanError(f"{at}: a plan has the sheet and range of a block, not its number")
    for key, value in section.items():
        if key not in known:
            raise PlanError(f'{at}: unknown key "{key}"{nearest(key, known)}')
        if key in ("path", "paths"):
            plan = _with_path(plan, key, value, at)
        else:
            plan = _laid_over(plan, key, value, f"{at}.{key}")
    implied = bool(section) and name in ("fixed", "sheet") and plan.layout is None
    return msgspec.structs.replace(plan, layout=name) if implied else plan


def _with_table(plan: Decisions, mapping: Mapping[str, Any], where: str) -> Decisions:
    """The plan with the table of `[database]`, which may give the source too, or of `[page]`."""
    for name, layout in (("database", "query"), ("page", "page")):
        section = dict(_section(mapping, name, where))
        if not section:
            continue
        if name == "database" and "url" in section:
            plan = _with_path(plan, "path", section.pop("url"), f"{where}database")
        known = [*of_section("table"), "url"] if name == "database" else ["table", *MARKS]
        for key, value in section.items():
            if key not in known:
                raise PlanError(f'{where}{name}: unknown key "{key}"{nearest(key, known)}')
            plan = _laid_over(plan, key, value, f"{where}{name}.{key}")
        plan = msgspec.structs.replace(plan, layout=plan.layout or layout)
    return plan


def _with_path(plan: Decisions, key: str, value: Any, at: str) -> Decisions:
    """The plan with its source; a path that is a pattern names a set."""
    several = key == "paths"
    texts = value if several and isinstance(value, list) else [value]
    if not texts or not all(isinstance(each, str) for each in texts):
        raise PlanError(
            f"{at}.{key}: expected {'a list of texts' if several else 'text'}, got {value!r}"
        )
    if plan.source.path is not None or plan.source.paths is not None:
        raise PlanError(f"{at}: give either path or paths, not both")
    part = tuple(map(kept_address, texts)) if several else kept_address(value)
    source = msgspec.structs.replace(plan.source, **{key: part})
    return msgspec.structs.replace(plan, source=source)


def _with_rest(plan: Decisions, mapping: Mapping[str, Any], where: str) -> Decisions:
    """The plan with the sections that have a form of their own."""
    fields = mapping.get("field")
    if fields is not None and not isinstance(fields, list):
        raise PlanError(f"{where}field: expected [[field]] tables, got {fields!r}")
    if fields:
        made = listed_fields(fields, f"{where}[[field]]")
        plan = msgspec.structs.replace(plan, fields=made, layout=plan.layout or "fixed")
    dictionary = dict(_section(mapping, "dictionary", where))
    if dictionary:
        plan = _laid_over(plan, "fields", dictionary, f"{where}dictionary")
    missing = _section(mapping, "missing", where)
    for key in missing:
        if key != "codes":
            raise PlanError(f'{where}missing: unknown key "{key}"{nearest(key, ("codes",))}')
    plan = _laid_over(plan, "missing", missing.get("codes"), f"{where}missing.codes")
    plan = _laid_over(plan, "rows", _section(mapping, "rows", where), f"{where}rows")
    promised = dict(_section(mapping, "promised", where))
    plan = _laid_over(plan, "promised", promised, f"{where}promised")
    answers = settled_from(mapping.get("settled"), f"{where}settled")
    plan = msgspec.structs.replace(plan, settled=answers)
    looked_at = _section(mapping, "check", where)
    for key in looked_at:
        if key != "ignore":
            raise PlanError(f'{where}check: unknown key "{key}"{nearest(key, ("ignore",))}')
    return _laid_over(plan, "ignore", looked_at.get("ignore"), f"{where}check.ignore")


def _laid_over(plan: Decisions, name: str, value: Any, at: str) -> Decisions:
    """The plan with one option laid over it."""
    return with_option(plan, name, OPTIONS[name], value, at)


def _with_key(plan: Decisions, key: str, value: Any, where: str) -> Decisions:
    try:
        return _laid_over(plan, key, value, where + key)
    except PlanError as error:
        if str(error).startswith(where):
            raise
        raise PlanError(f"{where}{key}: {error}") from None


def _only_known(mapping: Mapping[str, Any], where: str) -> None:
    known = (*top_level(), *SECTIONS)
    for key in mapping:
        if key not in known:
            home = _home(key)
            hint = f"; it belongs under [{home}]" if home else nearest(key, known)
            raise PlanError(f'{where}unknown key "{key}"{hint}')


def _home(key: str) -> str:
    """The section in which a misplaced key belongs."""
    homes = {section: of_section(section) for section in ("source", "delimited", "fixed", "sheet")}
    homes["source"] += ["path", "paths"]
    homes["database"] = ["url", *of_section("table")]
    homes["rows"] = ["labels", "units", "repeated", "closing", "left_out", "data"]
    return next((section for section, keys in homes.items() if key in keys), "")


def _section(mapping: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    section = mapping.get(name, {})
    if not isinstance(section, Mapping):
        raise PlanError(f"{where}{name}: expected a section [{name}], got {section!r}")
    return section


def _variables(tables: Any, sets: MeaningSets, where: str) -> tuple[Variable, ...]:
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
            raise PlanError(f'{at}: the variable "{name}" appears twice')
        parts = {key: value for key, value in table.items() if key != "name"}
        variables[name] = declared(Variable(name), parts, f'{at} "{name}"', sets)
    return tuple(variables.values())
