"""Dictionaries: what a data file holds, told by a table or a DDI codebook that lies beside it.

A table has a row for each field or variable, with whatever columns its makers gave it; well-known
headings are recognised, others are mapped by the caller. What comes out is a plan.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ...declaration.notation import codes_of, unquoted
from ...declaration.patterns import late
from ...declaration.variable import DECLARATION_PARTS, Variable, declared
from ...errors import Advice, PlanError, nearest
from ...plan.fields import Field, check_fields, field_of
from ...sources.source import Source
from .model import Dictionary, Entry

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
    "meanings": ("meanings", "values", "valuelabels", "codes", "categories"),
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
DESCRIPTOR = late(r"([FIAE])(\d+)(?:\.(\d+))?", re.IGNORECASE)
POSITION = late(r"(\d+)(?:\s*(?:-|\.\.|–|to|:)\s*(\d+))?")


def table_dictionary(
    source: Source, mapped: Mapping[str, str], sheet: str | int | None
) -> Dictionary:
    from ..tables import text_rows

    headings, rows = text_rows(source, {} if sheet is None else {"sheet": sheet})
    columns = _columns(headings, mapped, source.name)
    if "name" not in columns:
        raise PlanError(
            f"{source.name}: no column of names among the headings {', '.join(headings)}",
            Advice("set {}", 'headings={"name": "…"}', "--heading name=…"),
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
            raise PlanError(
                f'{name}: no column has the heading "{heading}"{nearest(heading, headings)}'
            )
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
    for key, word in (("missing", "reason"), ("meanings", "label")):
        if key in parts:
            try:
                pairs = codes_of(parts[key], kind, implied if key == "missing" else 0)
            except PlanError as error:
                raise PlanError(f'{at}: "{name}": {key}: {error}') from None
            given[key] = [span | {word: text} for span, text in pairs]
    known = {key: value for key, value in given.items() if key in DECLARATION_PARTS}
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
