"""A plan as Python text that does the same."""

from __future__ import annotations

from typing import Any

import msgspec

from .codes import MissingCode, ValueLabel
from .plan import DelimitedSection, Plan
from .planfile import TOP
from .variables import Variable, parts_of


def plan_code(plan: Plan) -> str:
    """Python text that loads the plan's source with the same decisions."""
    source = repr(str(plan.source_path())) if plan.source.path is not None else "source"
    arguments = [f"    {key}={value},\n" for key, value in _options(plan)]
    return f"import olive_crate as oc\n\nds = oc.load(\n    {source},\n{''.join(arguments)})\n"


def _options(plan: Plan) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    if plan.source.encoding is not None:
        found.append(("encoding", repr(plan.source.encoding)))
    for part in DelimitedSection.__struct_fields__:
        value = getattr(plan.delimited, part)
        if value is not None:
            found.append((part, "None" if value == "" and part != "delimiter" else repr(value)))
    fixed = msgspec.to_builtins(plan.fixed)
    found += [(key, repr(value)) for key, value in fixed.items()]
    sheet = msgspec.to_builtins(plan.sheet)
    found += [(key, repr(value)) for key, value in sheet.items()]
    if plan.fields:
        listed = "".join(f"        {msgspec.to_builtins(each)!r},\n" for each in plan.fields)
        found.append(("fields", f"[\n{listed}    ]"))
    rows = msgspec.to_builtins(plan.rows)
    if rows:
        found.append(("rows", repr({key: _plain(value) for key, value in rows.items()})))
    for key in TOP:
        value = getattr(plan, "type" if key == "types" else key)
        if value is not None and not (key == "unreadable" and value == "report"):
            found.append((key, repr(_plain(value))))
    if plan.missing:
        found.append(("missing", _codes(plan.missing)))
    expected = {key: _plain(each) for key, each in msgspec.to_builtins(plan.expect).items()}
    if expected:
        found.append(("expect", repr(expected)))
    if plan.label_sets:
        sets = "".join(
            f"        {name!r}: {_labels(each)},\n" for name, each in plan.label_sets.items()
        )
        found.append(("label_sets", "{\n" + sets + "    }"))
    if plan.variables:
        lines = "".join(f"        {each.name!r}: {{{_parts(each)}}},\n" for each in plan.variables)
        found.append(("variables", "{\n" + lines + "    }"))
    return found


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _parts(variable: Variable) -> str:
    texts = []
    for key, value in parts_of(variable).items():
        if key == "missing":
            texts.append(f'"missing": {_codes(variable.missing)}')
        elif key == "values" and not isinstance(value, str):
            texts.append(f'"values": {_labels(variable.values)}')
        elif key == "expect":
            texts.append(f'"expect": {msgspec.to_builtins(value)!r}')
        else:
            texts.append(f'"{key}": {_plain(value)!r}')
    return ", ".join(texts)


def _labels(values: tuple[ValueLabel, ...]) -> str:
    return "{" + ", ".join(f"{_key(each)}: {each.label!r}" for each in values) + "}"


def _key(span: MissingCode | ValueLabel) -> str:
    return repr(span.value if span.value is not None else (span.from_, span.to))


def _codes(codes: tuple[MissingCode, ...]) -> str:
    if any(code.reason or code.value is None for code in codes):
        return "{" + ", ".join(f"{_key(code)}: {code.reason!r}" for code in codes) + "}"
    return repr([code.value for code in codes])
