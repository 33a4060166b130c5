"""CSV on the Web metadata as a dictionary: how a file is cut, and what its columns are.

Sections named here are those of "Metadata Vocabulary for Tabular Data" (W3C, 17 December 2015).
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import unquote, urljoin

from ...declaration.csvw_terms import CONTEXT, FORMATS
from ...declaration.notation import number_or_text
from ...declaration.patterns import late
from ...declaration.variable import Variable, declared
from ...errors import PlanError, SourceError
from ...evidence import DictionaryGap, Note
from ...sources.source import Source
from .model import Dictionary, Entry

LARGEST = 64 << 20
INHERITED = ("null", "datatype", "required", "default", "separator", "lang")
INTEGERS = (
    *("integer", "long", "int", "short", "byte", "nonNegativeInteger", "positiveInteger"),
    *("nonPositiveInteger", "negativeInteger", "unsignedLong", "unsignedInt", "unsignedShort"),
    "unsignedByte",
)
KINDS = {
    **dict.fromkeys(INTEGERS, "integer"),
    **dict.fromkeys(("number", "decimal", "double", "float"), "number"),
    "boolean": "boolean",
    "date": "date",
    "time": "time",
    **dict.fromkeys(("dateTime", "datetime", "dateTimeStamp"), "datetime"),
    **dict.fromkeys(("duration", "dayTimeDuration"), "duration"),
}
BOUNDS = {"minimum": "from", "minInclusive": "from", "maximum": "to", "maxInclusive": "to"}
UNCHECKED = ("minExclusive", "maxExclusive", "length", "minLength", "maxLength")
PIECES = {
    "yyyy": "%Y",
    "MM": "%m",
    "M": "%m",
    "dd": "%d",
    "d": "%d",
    "HH": "%H",
    "mm": "%M",
    "ss": "%S",
}
PATTERN = late(r"yyyy|MM|M|dd|d|HH|mm|ss|\.S+|X+|x+|.")


def read_csvw(source: Source) -> Dictionary:
    """What the metadata say of one table.

    Raises `SourceError` for what is no CSVW metadata, `PlanError` for what cannot be followed.
    """
    name = source.name
    try:
        document = json.loads(source.head(LARGEST).decode("utf-8-sig"))
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise SourceError(f"{name}: not JSON in UTF-8: {error}") from None
    return described(document, name)


def described(document: Any, name: str) -> Dictionary:
    """What metadata say of one table. Raises as `read_csvw` does."""
    context = document.get("@context") if isinstance(document, dict) else None
    own = context[0] if isinstance(context, list) and context else context
    if own != CONTEXT:
        raise SourceError(f'{name}: JSON, but not CSVW metadata ("@context" is not "{CONTEXT}")')
    base = context[1].get("@base", "") if isinstance(context, list) and len(context) > 1 else ""
    table, inherited = _table(document, name)
    return _read(table, inherited, base, name)


def _table(document: dict[str, Any], name: str) -> tuple[dict[str, Any], dict[str, Any]]:
    """The one table that is described, with what it inherits from its group."""
    tables = document.get("tables")
    if tables is None:
        return document, {}
    described = [each for each in tables if isinstance(each, dict) and "url" in each]
    if len(described) != 1:
        urls = ", ".join(str(each["url"]) for each in described)
        raise PlanError(f"{name}: describes {len(described)} tables ({urls}); expected one")
    shared = {key: document[key] for key in (*INHERITED, "dialect") if key in document}
    return shared | described[0], shared


def _read(table: dict[str, Any], shared: dict[str, Any], base: str, name: str) -> Dictionary:
    schema = table.get("tableSchema", {})
    if not isinstance(schema, dict) or not isinstance(schema.get("columns"), list):
        raise PlanError(f"{name}: no columns under tableSchema.columns")
    above = shared | _only(table) | _only(schema)
    columns = [above | each for each in schema["columns"] if not each.get("virtual")]
    notes: list[Note] = []
    options = _dialect(table.get("dialect", {}), name)
    headed = options["rows"].get("names") != []
    entries = tuple(
        Entry(None, _variable(each, place, headed, name, notes))
        for place, each in enumerate(columns, 1)
    )
    options |= _marks(columns, name, notes)
    names = [entry.variable.name for entry in entries]
    if not headed:
        options["names"] = names
    unused = [key for key in ("foreignKeys", "rowTitles") if schema.get(key)]
    notes += [DictionaryGap(source=name, gap="left out", key=key) for key in unused]
    url = table.get("url")
    keys = schema.get("primaryKey", ())
    called = {
        each.get("name"): entry.variable.name for each, entry in zip(columns, entries, strict=True)
    }
    return Dictionary(
        entries,
        options=options,
        path=unquote(urljoin(base, url)) if isinstance(url, str) else None,
        key=tuple(called.get(key, key) for key in ([keys] if isinstance(keys, str) else keys)),
        notes=tuple(notes),
    )


def _only(table: Mapping[str, Any]) -> dict[str, Any]:
    return {key: table[key] for key in INHERITED if key in table}


def _dialect(dialect: Any, name: str) -> dict[str, Any]:
    """The options of reading that a dialect (5.9) stands for, with its defaults."""
    if not isinstance(dialect, dict):
        raise PlanError(f"{name}: dialect: expected an object, got {dialect!r}")
    skipped = int(dialect.get("skipRows", 0))
    headed = int(dialect.get("headerRowCount", 1 if dialect.get("header", True) else 0))
    if dialect.get("skipColumns"):
        raise PlanError(f"{name}: dialect: skipColumns is not supported; name the columns instead")
    trim = dialect.get("trim", dialect.get("skipInitialSpace", False))
    trims = {"true": True, "false": False, "start": "left", "end": "right"}
    if dialect.get("skipInitialSpace") and "trim" not in dialect:
        trim = "left"
    quote = dialect.get("quoteChar", '"')
    first = skipped + headed + 1
    return {
        "layout": "delimited",
        "encoding": dialect.get("encoding", "utf-8"),
        "delimiter": dialect.get("delimiter", ","),
        "quote": quote,
        "escape": None if dialect.get("doubleQuote", True) or quote is None else "\\",
        "comment": dialect.get("commentPrefix", "#") or None,
        "trim": trims.get(trim, trim) if isinstance(trim, str) else trim,
        "rows": {
            "names": list(range(skipped + 1, skipped + headed + 1)),
            "data": f"{first}..",
        },
    }


def _variable(
    column: dict[str, Any], place: int, headed: bool, name: str, notes: list[Note]
) -> Variable:
    titles = _titles(column.get("titles"))
    own = unquote(column["name"]) if isinstance(column.get("name"), str) else None
    called = own or (titles[0] if titles else f"column_{place}")
    at = f'{name}: column "{called}"'
    kind, parts = _datatype(column.get("datatype", "string"), at)
    notes += _unchecked(column.get("datatype"), name, called)
    parts["type"] = kind
    if headed and titles and called not in titles:
        parts["from"] = titles[0]
    for key, part in (("dc:description", "label"), ("schema:unitText", "unit")):
        text = column.get(key)
        text = text.get("@value") if isinstance(text, dict) else text
        if isinstance(text, str) and text:
            parts[part] = text
    if "label" not in parts and len(titles) > 1:
        parts["label"] = titles[-1]
    nulls = column.get("null", "")
    nulls = [nulls] if isinstance(nulls, str) else list(nulls)
    codes = [number_or_text(text, kind) for text in nulls if text.strip()]
    if codes:
        parts["missing"] = codes
    if column.get("required"):
        parts["required"] = True
    unused = [key for key in ("separator", "default") if column.get(key)]
    notes += [
        DictionaryGap(source=name, gap="not followed", key=key, variable=called) for key in unused
    ]
    return declared(Variable(called), parts, at)


def _titles(titles: Any) -> list[str]:
    """Titles are a text, a list, or either by language (6.4)."""
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), [])
    listed = [titles] if isinstance(titles, str) else list(titles or [])
    return [each for each in listed if isinstance(each, str)]


def _datatype(datatype: Any, at: str) -> tuple[str, dict[str, Any]]:
    """Our type of a datatype (5.11), and how its values are written."""
    described = datatype if isinstance(datatype, dict) else {"base": datatype}
    base, form = described.get("base", "string"), described.get("format")
    kind = KINDS.get(base, "text")
    parts: dict[str, Any] = {}
    if kind == "text" and isinstance(described.get("dc:format"), str):
        form = described["dc:format"]
        kind = next((each for each in ("datetime", "date", "time") if _is_of(each, form)), "text")
        return kind, {"format": form} if kind != "text" else {}
    if kind == "boolean" and isinstance(form, str):
        true, _, false = form.partition("|")
        parts = {"true": [true], "false": [false]}
    elif kind in FORMATS and isinstance(form, str):
        parts["format"] = "".join(_piece(piece, form, at) for piece in PATTERN.findall(form))
    elif base == "dateTimeStamp":
        parts["format"] = "iso%z"
    expected = {key: described[each] for each, key in BOUNDS.items() if each in described}
    if kind == "text" and isinstance(form, str):
        expected["pattern"] = form
    if expected:
        parts["promised"] = {key: _bound(value, kind) for key, value in expected.items()}
    return kind, parts


def _unchecked(datatype: Any, name: str, variable: str) -> list[Note]:
    """The parts of a datatype that are not checked."""
    described = datatype if isinstance(datatype, dict) else {}
    return [
        DictionaryGap(
            source=name,
            gap="not checked",
            key=key,
            value=str(described[key]),
            variable=variable,
        )
        for key in UNCHECKED
        if key in described
    ]


def _bound(value: Any, kind: str) -> Any:
    """A bound may be written as a number or as text."""
    return number_or_text(value, kind) if isinstance(value, str) else value


def _is_of(kind: str, form: str) -> bool:
    day, clock = any(mark in form for mark in ("%d", "%j")), "%M" in form or "%H" in form
    return {"date": day and not clock, "time": clock and not day, "datetime": day and clock}[kind]


def _piece(piece: str, form: str, at: str) -> str:
    if piece in PIECES:
        return PIECES[piece]
    if piece[:2] == ".S":
        return ".%f"
    if piece[0] in "Xx":
        return "%z"
    if piece.isalpha() and piece != "T":
        raise PlanError(f'{at}: the format "{form}" has "{piece}", which is not supported')
    return piece.replace("%", "%%")


def _marks(columns: list[dict[str, Any]], name: str, notes: list[Note]) -> dict[str, Any]:
    """The decimal and grouping marks (6.4.2), which are one for a file."""
    decimals, groups = set(), set()
    for column in columns:
        datatype = column.get("datatype")
        form = datatype.get("format") if isinstance(datatype, dict) else None
        base = datatype.get("base", "string") if isinstance(datatype, dict) else datatype
        if KINDS.get(str(base)) not in ("number", "integer"):
            continue
        marks = form if isinstance(form, dict) else {}
        if KINDS.get(str(base)) == "number":
            decimals.add(marks.get("decimalChar", "."))
        if "groupChar" in marks or (isinstance(form, str) and "," in form):
            groups.add(marks.get("groupChar", ","))
    if len(decimals) > 1:
        raise PlanError(f"{name}: columns with different decimal marks ({' '.join(decimals)})")
    if len(groups) > 1:
        notes.append(DictionaryGap(source=name, gap="several", key="groupChar"))
    found = {"decimal": decimals.pop() if decimals else "."}
    return found | {"grouping": sorted(groups)[0] if groups else None}
