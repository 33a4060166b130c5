"""A plan as Python text that does the same."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from ..declaration.codes import Meaning, MissingCode
from ..declaration.variable import Variable, parts_of
from .model import Decisions
from .options import OPTIONS


def python_text(plan: Decisions) -> str:
    """Python text that loads the plan's source with the same decisions."""
    source = "source"
    if plan.source.paths is not None:
        source = repr([str(each) for each in plan.named_source()])
    elif plan.source.path is not None:
        source = repr(str(plan.named_source()))
    arguments = [f"    {key}={value},\n" for key, value in _arguments(plan)]
    return f"import olive_crate as oc\n\nds = oc.load(\n    {source},\n{''.join(arguments)})\n"


def _arguments(plan: Decisions) -> Iterator[tuple[str, str]]:
    """Each option that the plan decides, with its value as Python writes it."""
    special = {
        "fields": _fields(plan),
        "rows": _rows(plan),
        "missing": _codes(plan.missing) if plan.missing else "",
        "promised": _promised(plan),
        "ignore": repr([msgspec.to_builtins(each) for each in plan.ignored])
        if plan.ignored
        else "",
        "meaning_sets": _meaning_sets(plan),
        "levels": "",  # a part of the variables' declarations
        "variables": _variables(plan),
        "unreadable": "" if plan.unreadable == "report" else repr(plan.unreadable),
        "on_error": "" if plan.on_error == "stop" else repr(plan.on_error),
        "changing": "" if plan.changing == "refuse" else repr(plan.changing),
    }
    for name, option in OPTIONS.items():
        text = special[name] if name in special else _written(plan, name, option.section)
        if text:
            yield name, text


def _written(plan: Decisions, name: str, section: str) -> str:
    """A value that stands by itself; empty where it is not decided."""
    holder = getattr(plan, section) if section else plan
    value = msgspec.to_builtins(getattr(holder, OPTIONS[name].field or name))
    if value is None:
        return ""
    none = value == "" and name not in ("delimiter", "decimal")
    return "None" if none else repr(_plain(value))


def _fields(plan: Decisions) -> str:
    if not plan.fields:
        return "" if plan.fixed.fields is None else repr(plan.fixed.fields)
    listed = "".join(f"        {msgspec.to_builtins(each)!r},\n" for each in plan.fields)
    return f"[\n{listed}    ]"


def _rows(plan: Decisions) -> str:
    rows = msgspec.to_builtins(plan.rows)
    return repr({key: _plain(value) for key, value in rows.items()}) if rows else ""


def _promised(plan: Decisions) -> str:
    given = {key: _plain(each) for key, each in msgspec.to_builtins(plan.promised).items()}
    return repr(given) if given else ""


def _meaning_sets(plan: Decisions) -> str:
    sets = [f"        {name!r}: {_meanings(each)},\n" for name, each in plan.meaning_sets.items()]
    return "{\n" + "".join(sets) + "    }" if sets else ""


def _variables(plan: Decisions) -> str:
    lines = [f"        {each.name!r}: {{{_parts(each)}}},\n" for each in plan.variables]
    return "{\n" + "".join(lines) + "    }" if lines else ""


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _parts(variable: Variable) -> str:
    texts = []
    for key, value in parts_of(variable).items():
        if key == "missing":
            texts.append(f'"missing": {_codes(variable.missing)}')
        elif key == "meanings" and not isinstance(value, str):
            texts.append(f'"meanings": {_meanings(variable.meanings)}')
        elif key == "promised":
            texts.append(f'"promised": {msgspec.to_builtins(value)!r}')
        else:
            texts.append(f'"{key}": {_plain(value)!r}')
    return ", ".join(texts)


def _meanings(meanings: tuple[Meaning, ...]) -> str:
    return "{" + ", ".join(f"{_key(each)}: {each.label!r}" for each in meanings) + "}"


def _key(span: MissingCode | Meaning) -> str:
    return repr(span.value if span.value is not None else (span.from_, span.to))


def _codes(codes: tuple[MissingCode, ...]) -> str:
    if any(code.reason or code.value is None for code in codes):
        return "{" + ", ".join(f"{_key(code)}: {code.reason!r}" for code in codes) + "}"
    return repr([code.value for code in codes])
