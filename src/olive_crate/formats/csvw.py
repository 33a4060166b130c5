"""CSV on the Web: metadata for an exported file.

"Metadata Vocabulary for Tabular Data" and "Model for Tabular Data and Metadata on the Web", W3C
Recommendations of 17 December 2015. Sections named here are those of the first.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from ..columns.cell_texts import missing_texts
from ..columns.column import Column
from ..columns.dates import ANY_ZONED
from ..declaration.csvw_terms import CONTEXT, FORMATS
from ..declaration.variable import Variable
from ..kernels.buffers import arrow_flags
from ..show.text import name_list

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

TYPES = {
    "integer": "integer",
    "number": "double",
    "text": "string",
    "category": "string",
    "boolean": "boolean",
    "date": "date",
    "time": "time",
    "datetime": "dateTime",
    "duration": "duration",
}


def csvw_text(
    dataset: PlainDataset, url: str, marks: tuple[str, str], encoding: str, missing: str
) -> tuple[str, list[str]]:
    """Metadata for a delimited file of this name as JSON, and what it cannot carry."""
    table, notes = csvw_table(dataset, url, marks, encoding, missing)
    return json.dumps({"@context": CONTEXT} | table, ensure_ascii=False, indent=2) + "\n", notes


def csvw_table(
    dataset: PlainDataset, url: str, marks: tuple[str, str], encoding: str, missing: str
) -> tuple[dict[str, Any], list[str]]:
    """The description of a table (section 5.4), and what it cannot carry."""
    columns, unstorable = [], _Unstorable()
    for name in dataset.names:
        column = dataset[name]
        described = _column(column, missing, unstorable)
        if marks[1] != "." and column.variable.type == "number":
            kind = described["datatype"]
            base = {"base": kind} if isinstance(kind, str) else kind
            described["datatype"] = {**base, "format": {"decimalChar": marks[1]}}  # 6.4.2
        columns.append(described)
        if missing == "reasons" and column.reasons.any():
            columns.append({"titles": f"{name}_reason", "datatype": "string"})
    schema: dict[str, Any] = {"columns": columns}
    key = [name for name in dataset.plan.promised.key if name in dataset.names]
    if key:
        schema["primaryKey"] = [column_word(name) for name in key]
    table = {
        "url": quote(url),
        "dialect": {
            "encoding": encoding,
            "delimiter": marks[0],
            "quoteChar": '"',
            "doubleQuote": True,
            "header": True,
            "skipBlankRows": False,
            "trim": False,
        },
        "tableSchema": schema,
    }
    return table, unstorable.notes()


class _Unstorable:
    """What the standard has no place for, gathered over all variables."""

    def __init__(self) -> None:
        self._names: dict[str, list[str]] = {}

    def add(self, what: str, name: str) -> None:
        """One variable has something of this kind."""
        self._names.setdefault(what, []).append(name)

    def notes(self) -> list[str]:
        """One note for each kind."""
        return [
            f"CSVW cannot store {what} ({name_list(names)}); kept in the plan"
            for what, names in self._names.items()
        ]


def _column(column: Column, missing: str, unstorable: _Unstorable) -> dict[str, Any]:
    """One column (section 5.6). Labels and units are annotations (5.8) of shared vocabularies."""
    variable = column.variable
    made: dict[str, Any] = {"name": column_word(variable.name), "titles": variable.name}
    if variable.label:
        made["dc:description"] = variable.label
    if variable.unit:
        made["schema:unitText"] = variable.unit
    made["datatype"] = _expecting(_datatype(variable), variable)
    nulls = _nulls(column) if missing == "codes" else [""]
    if nulls != [""]:
        made["null"] = nulls
    if variable.required:
        made["required"] = True
    for what, there in (
        ("reasons of missing codes", any(code.reason for code in variable.missing)),
        ("ranges of missing codes", any(code.value is None for code in variable.missing)),
        ("meanings of values", bool(variable.meanings)),
        ("level of measurement", variable.level is not None),
        ("decimals to show", variable.decimals is not None),
        ("allowed values", variable.promised is not None and bool(variable.promised.allowed)),
        ("categories as a type", variable.type == "category"),
    ):
        if there:
            unstorable.add(what, variable.name)
    return made


def column_word(name: str) -> str:
    """A name that URI templates can hold (5.1.3 and RFC 6570, 2.3)."""
    word = quote(name, safe="")
    for mark in "-~":
        word = word.replace(mark, f"%{ord(mark):02X}")
    return f"%5F{word[1:]}" if word.startswith("_") else word


def _datatype(variable: Variable) -> Any:
    kind = variable.type or "text"
    if kind == "datetime" and variable.format == ANY_ZONED:
        return "dateTimeStamp"
    if kind == "boolean" and (variable.true or variable.false):
        true, false = (variable.true or ("true",))[0], (variable.false or ("false",))[0]
        return {"base": "boolean", "format": f"{true}|{false}"}
    if variable.format is not None and variable.format in FORMATS.get(kind, {}):
        return {"base": TYPES[kind], "format": FORMATS[kind][variable.format]}
    if variable.format is not None:
        return {"base": "string", "dc:format": variable.format}
    return TYPES[kind]


def _expecting(datatype: Any, variable: Variable) -> Any:
    """The datatype with bounds (5.11.2) and patterns (6.4.3) that values are expected to keep."""
    expect = variable.promised
    if expect is None:
        return datatype
    made = {"base": datatype} if isinstance(datatype, str) else dict(datatype)
    for key, bound in (("minimum", expect.from_), ("maximum", expect.to)):
        if bound is not None:
            made[key] = bound
    if expect.pattern is not None and variable.type == "text":
        made["format"] = expect.pattern
    return made


def _nulls(column: Column) -> list[str]:
    """Texts that stand for no value (5.7): codes that can be met, and those of ranges that are."""
    singles = [str(code.value) for code in column.variable.missing if code.value is not None]
    cells, texts = missing_texts(column)
    met = texts.filter(arrow_flags(column.reasons[cells] > 2)).unique().to_pylist()
    return list(dict.fromkeys(["", *singles, *met]))
