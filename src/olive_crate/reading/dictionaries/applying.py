"""A plan completed by a dictionary: a table, a DDI codebook, or CSVW metadata."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from ...declaration.variable import Variable
from ...errors import PlanError
from ...plan.fields import FixedSection
from ...plan.model import Decisions, DelimitedSection, Rows, with_options
from ...plan.options import OPTIONS
from ...sources.opening import open_source
from ...sources.source import Source
from .model import Dictionary


def plan_of_dictionary(
    path: str | os.PathLike[str],
    headings: Mapping[str, str] | None = None,
    by: str = "name",
    sheet: str | int | None = None,
) -> Decisions:
    """A plan from a dictionary. See `api.reading.dictionary`."""
    given: dict[str, Any] = {"path": os.fspath(path), "by": by}
    if headings:
        given["headings"] = dict(headings)
    if sheet is not None:
        given["sheet"] = sheet
    return with_dictionary(Decisions(fixed=FixedSection(fields=given)))


def with_dictionary(plan: Decisions) -> Decisions:
    """The plan with the fields and variables of the dictionary it names, if it names one."""
    named = plan.fixed.fields
    if named is None:
        return plan
    spec = dict(named) if isinstance(named, Mapping) else {"path": named}
    by = spec.get("by", "name")
    if by not in ("name", "order"):
        raise PlanError(f'fields.by: expected "name" or "order", got {by!r}')
    path = spec["path"]
    if plan.base is not None and "://" not in path:
        path = str(plan.base / path)
    found = _read(open_source(path), spec.get("headings") or {}, spec.get("sheet"))
    return completed(plan, found, path, by)


def completed(plan: Decisions, found: Dictionary, path: str, by: str = "name") -> Decisions:
    """The plan with what a dictionary says, which was read from this path."""
    return _applied(_with_file_options(plan, found, path), found, by)


def _with_file_options(plan: Decisions, found: Dictionary, path: str) -> Decisions:
    """The plan with what the dictionary says of the data file, where the plan itself does not."""
    replace = msgspec.structs.replace
    file_options = with_options(Decisions(), found.options, OPTIONS)
    parts = {
        part: getattr(plan.delimited, part)
        if getattr(plan.delimited, part) is not None
        else getattr(file_options.delimited, part)
        for part in DelimitedSection.__struct_fields__
    }
    source = plan.source
    if source.path is None and plan.base is None and found.path and "://" not in path:
        place = found.path if "://" in found.path else str(Path(path).parent / found.path)
        source = replace(source, path=place)
    if source.encoding is None:
        source = replace(source, encoding=file_options.source.encoding)
    return replace(
        plan,
        layout=plan.layout or file_options.layout,
        delimited=DelimitedSection(**parts),
        source=source,
        rows=file_options.rows if plan.rows == Rows() else plan.rows,
        names=plan.names or file_options.names,
        promised=replace(plan.promised, key=plan.promised.key or found.key),
        notes=(*plan.notes, *found.notes),
    )


def _applied(plan: Decisions, found: Dictionary, by: str) -> Decisions:
    own = {each.name: each for each in plan.variables}
    variables = [
        _laid_over(each.variable, own.pop(each.variable.name, None)) for each in found.entries
    ]
    fields = tuple(each.field for each in found.entries if each.field is not None)
    replace = msgspec.structs.replace
    fixed = replace(
        plan.fixed,
        fields=None,
        lines_per_record=plan.fixed.lines_per_record or found.lines_per_record,
        record_length=plan.fixed.record_length or found.record_length,
    )
    if fields and len(fields) < len(found.entries):
        lacking = next(each.variable.name for each in found.entries if each.field is None)
        raise PlanError(f'fields: "{lacking}" has no positions, though others have')
    if fields:
        record = fixed.record_type
        read = {
            each.name
            for each in fields
            if each.record is None or (record is not None and each.record == record.take)
        }
        variables = [each for each in variables if each.name in read]
        plan = replace(plan, fields=fields, layout="fixed")
    elif by == "order":
        plan = replace(plan, names=tuple(each.name for each in variables))
    return replace(
        plan,
        fixed=fixed if fields else replace(fixed, lines_per_record=None, record_length=None),
        variables=(*variables, *own.values()),
        listed=True,
    )


def _laid_over(variable: Variable, own: Variable | None) -> Variable:
    """The dictionary's declaration, with what the plan itself declares over it."""
    if own is None:
        return variable
    plain = msgspec.structs.asdict(own)
    return msgspec.structs.replace(
        variable, **{part: value for part, value in plain.items() if value not in (None, ())}
    )


def _read(source: Source, headings: Mapping[str, str], sheet: str | int | None) -> Dictionary:
    if source.head(200).lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"<"):
        from .ddi import read_ddi

        return read_ddi(source)
    if source.head(200).lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"{"):
        from .csvw import read_csvw

        return read_csvw(source)
    from .table import table_dictionary

    return table_dictionary(source, headings, sheet)
