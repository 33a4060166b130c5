"""Dictionaries: what a data file holds, told by a table or a DDI codebook that lies beside it.

A table has a row for each field or variable, with whatever columns its makers gave it; well-known
headings are recognised, others are mapped by the caller. What comes out is a plan.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from .codecells import codes_of, unquoted
from .errors import PlanError, nearest
from .fields import Field, FixedSection, check_fields, field_of
from .plan import DelimitedSection, Plan, with_options
from .rowspart import Rows
from .sources import Source, open_source
from .variables import PARTS, Variable, declared

KEYS: dict[str, tuple[str, ...]] = {
    "name": ("name", "variable", "variablename", "varname", "field", "fieldname", "column", "item"),
    "from": ("heading", "originalname"),
    "start": ("start", "from", "begin", "first", "startposition", "startpos", "startcolumn"),
    "end": ("end", "to", "stop", "last", "endposition", "endpos", "endcolumn"),
    "position": ("position", "positions", "columns", "location"),
    "width": ("width", "length", "len", "size"),
    "line": ("line", "card", "deck", "linenumber", "lineofcase"),
    "record": ("recordtype", "rectype", "record"),
    "type": ("type", "datatype", "vartype", "variabletype"),
    "decimals": ("decimals", "decimalplaces", "dec", "implieddecimals"),
    "sign": ("sign",),
    "label": ("label", "description", "variablelabel", "varlabel", "question", "meaning"),
    "unit": ("unit", "units", "measurementunit"),
    "level": ("level", "levelofmeasurement", "scale"),
    "format": ("format", "dateformat"),
    "true": ("true",),
    "false": ("false",),
    "missing": ("missing", "missingcodes", "missingvalues", "missingcode"),
    "values": ("values", "valuelabels", "codes", "categories"),
}
TYPE_WORDS = {
    "number": ("number", "numeric", "num", "n", "decimal", "float", "real", "double"),
    "integer": ("integer", "int", "whole"),
    "text": ("text", "character", "char", "c", "a", "alpha", "alphanumeric", "string", "x"),
    "category": ("category", "categorical", "factor"),
    "boolean": ("boolean", "bool", "logical", "flag"),
    "date": ("date",),
    "time": ("time",),
    "datetime": ("datetime", "timestamp"),
    "duration": ("duration",),
}
WORD_TYPES = {word: kind for kind, words in TYPE_WORDS.items() for word in words}
DESCRIPTOR = re.compile(r"([FIAE])(\d+)(?:\.(\d+))?", re.IGNORECASE)
POSITION = re.compile(r"(\d+)(?:\s*(?:-|\.\.|–|to|:)\s*(\d+))?")


class Entry(msgspec.Struct, frozen=True):
    """One row of a dictionary."""

    field: Field | None
    variable: Variable


class Dictionary(msgspec.Struct, frozen=True):
    """Entries in order, and what is said of the data file as a whole."""

    entries: tuple[Entry, ...]
    lines_per_case: int | None = None
    record_length: int | None = None
    options: dict[str, Any] = {}
    """How the data file is to be read, as far as the dictionary says so."""
    path: str | None = None
    """Where the data file lies, seen from the dictionary."""
    key: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    """What the dictionary says and cannot be followed."""


def dictionary(
    path: str | os.PathLike[str],
    *,
    headings: Mapping[str, str] | None = None,
    by: str = "name",
    sheet: str | int | None = None,
) -> Plan:
    """A plan from a table of fields or variables, or from DDI-Codebook 2.5 or CSVW metadata.

    `headings` says which heading of the table holds what: `{"start": "From", "end": "To"}`; keys
    are `name`, `start`, `end`, `width`, `position`, `line`, `record`, `sign` and the parts of a
    declaration. Where the table has positions, the plan reads a fixed layout; otherwise it declares
    the variables of any file, matched `by` "name" or "order".

    Raises `PlanError` with the row of the table for what cannot be understood.
    """
    given: dict[str, Any] = {"path": os.fspath(path), "by": by}
    if headings:
        given["headings"] = dict(headings)
    if sheet is not None:
        given["sheet"] = sheet
    return with_dictionary(Plan(fixed=FixedSection(fields=given)))


def with_dictionary(plan: Plan) -> Plan:
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
    return _applied(_with_told(plan, found, path), found, by)


def _with_told(plan: Plan, found: Dictionary, path: str) -> Plan:
    """The plan with what the dictionary says of the data file; the plan's own word counts more."""
    replace = msgspec.structs.replace
    told = with_options(Plan(), found.options)
    parts = {
        part: getattr(plan.delimited, part)
        if getattr(plan.delimited, part) is not None
        else getattr(told.delimited, part)
        for part in DelimitedSection.__struct_fields__
    }
    source = plan.source
    if source.path is None and plan.base is None and found.path and "://" not in path:
        place = found.path if "://" in found.path else str(Path(path).parent / found.path)
        source = replace(source, path=place)
    if source.encoding is None:
        source = replace(source, encoding=told.source.encoding)
    return replace(
        plan,
        layout=plan.layout or told.layout,
        delimited=DelimitedSection(**parts),
        source=source,
        rows=told.rows if plan.rows == Rows() else plan.rows,
        names=plan.names or told.names,
        expect=replace(plan.expect, key=plan.expect.key or found.key),
        notes=(*plan.notes, *found.notes),
    )


def _applied(plan: Plan, found: Dictionary, by: str) -> Plan:
    own = {each.name: each for each in plan.variables}
    variables = [
        _laid_over(each.variable, own.pop(each.variable.name, None)) for each in found.entries
    ]
    fields = tuple(each.field for each in found.entries if each.field is not None)
    replace = msgspec.structs.replace
    fixed = replace(
        plan.fixed,
        fields=None,
        lines_per_case=plan.fixed.lines_per_case or found.lines_per_case,
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
        fixed=fixed if fields else replace(fixed, lines_per_case=None, record_length=None),
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
        from .formats.ddi import read_ddi

        return read_ddi(source)
    if source.head(200).lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"{"):
        from .formats.csvwread import read_csvw

        return read_csvw(source)
    return _table(source, headings, sheet)


def _table(source: Source, mapped: Mapping[str, str], sheet: str | int | None) -> Dictionary:
    from .tabletext import text_rows

    headings, rows = text_rows(source, {} if sheet is None else {"sheet": sheet})
    columns = _columns(headings, mapped, source.name)
    if "name" not in columns:
        raise PlanError(
            f"{source.name}: no column of names; say which it is: "
            f'headings={{"name": …}}; the headings are {", ".join(headings)}'
        )
    entries = list(_entries(source.name, columns, rows))
    if not entries:
        raise PlanError(f"{source.name}: the table has no rows")
    check_fields([each.field for each in entries if each.field], source.name)
    return Dictionary(tuple(entries))


def _columns(headings: Sequence[str], mapped: Mapping[str, str], name: str) -> dict[str, int]:
    """Which column of the table holds which part."""
    columns: dict[str, int] = {}
    for key, heading in mapped.items():
        if key not in KEYS:
            raise PlanError(f'headings: unknown key "{key}"{nearest(key, KEYS)}')
        if heading not in headings:
            raise PlanError(f'{name}: no column is headed "{heading}"{nearest(heading, headings)}')
        columns[key] = headings.index(heading)
    plain = [re.sub(r"[\W_]+", "", heading).casefold() for heading in headings]
    for key, words in KEYS.items():
        if key in columns:
            continue
        for word in words:
            place = plain.index(word) if word in plain else -1
            if place >= 0 and place not in columns.values():
                columns[key] = place
                break
    return columns


def _entries(
    name: str, columns: Mapping[str, int], rows: Sequence[tuple[int, Sequence[str]]]
) -> Iterator[Entry]:
    positioned = bool({"start", "width", "position"} & set(columns))
    behind: dict[tuple[str | None, int], int] = {}
    for number, cells in rows:
        at = f"{name}: row {number}"
        parts = {
            key: cells[place].strip() for key, place in columns.items() if cells[place].strip()
        }
        if not parts:
            continue
        called = parts.pop("name", "")
        if not called:
            raise PlanError(f"{at}: the name is blank")
        field = None
        if positioned:
            field = _field(called, parts, behind, at)
            behind[field.record, field.line] = field.end
        yield Entry(field, _variable(called, parts, field, at))


def _field(
    name: str, parts: Mapping[str, str], behind: Mapping[tuple[str | None, int], int], at: str
) -> Field:
    table: dict[str, Any] = {"name": name, "record": parts.get("record")}
    for key in ("start", "end", "width", "line", "decimals"):
        if key in parts:
            table[key] = _whole(parts[key], f"{at}: {key}")
    if "position" in parts and "start" not in table:
        match = POSITION.fullmatch(parts["position"])
        if not match:
            raise PlanError(f'{at}: position: expected "6-10", got {parts["position"]!r}')
        table["start"], table["end"] = int(match[1]), int(match[2] or match[1])
        if "width" in table and match[2] is None:
            del table["end"]
    descriptor = DESCRIPTOR.fullmatch(parts.get("type", "")) or DESCRIPTOR.fullmatch(
        parts.get("format", "")
    )
    if descriptor:
        table.setdefault("decimals", int(descriptor[3] or 0))
        if "width" not in table and "end" not in table:
            table["width"] = int(descriptor[2])
    if "sign" in parts:
        table["sign"] = parts["sign"].casefold()
    place = (table.get("record"), table.get("line") or 1)
    return field_of(table, behind.get(place, 0) + 1, at)


def _whole(text: str, at: str) -> int:
    try:
        number = float(text)
        if number != int(number):
            raise ValueError
    except (ValueError, OverflowError):
        raise PlanError(f"{at}: expected a whole number, got {text!r}") from None
    return int(number)


def _variable(name: str, parts: Mapping[str, str], field: Field | None, at: str) -> Variable:
    given: dict[str, Any] = {
        key: parts[key] for key in ("from", "label", "unit", "format") if key in parts
    }
    if "format" in given and (DESCRIPTOR.fullmatch(given["format"]) or "%" not in given["format"]):
        del given["format"]
    for key in ("true", "false"):
        if key in parts:
            given[key] = [unquoted(word) for word in parts[key].split(";")]
    if "level" in parts:
        given["level"] = parts["level"].casefold()
    kind = _type(parts.get("type", ""), parts.get("format", ""), at)
    implied = field.decimals if field else 0
    if kind == "integer" and implied:
        kind = "number"
    if kind:
        given["type"] = kind
    if "decimals" in parts:
        given["decimals"] = _whole(parts["decimals"], f"{at}: decimals")
    if "missing" in parts:
        given["missing"] = [
            span | {"reason": word} for span, word in codes_of(parts["missing"], kind, implied)
        ]
    if "values" in parts:
        given["values"] = [span | {"label": word} for span, word in codes_of(parts["values"], kind)]
    known = {key: value for key, value in given.items() if key in PARTS}
    return declared(Variable(name), known, f'{at}: "{name}"')


def _type(word: str, form: str, at: str) -> str | None:
    if not word and not form:
        return None
    for text in (word, form):
        descriptor = DESCRIPTOR.fullmatch(text)
        if descriptor:
            letter = descriptor[1].upper()
            return {"A": "text", "I": "integer"}.get(letter, "number")
    if not word:
        return None
    plain = word.casefold()
    if plain in WORD_TYPES:
        return WORD_TYPES[plain]
    raise PlanError(f'{at}: type: unknown type "{word}"{nearest(plain, TYPE_WORDS)}')
