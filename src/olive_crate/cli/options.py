"""The options that `look`, `draft`, `pack` and `codebook` share, and what they mean as options of
the library."""

from __future__ import annotations

import functools
import inspect
import re
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

READING: dict[str, Any] = {
    "plan": Annotated[
        Path | None, typer.Option("--plan", help="Read by this plan file (TOML).", metavar="FILE")
    ],
    "layout": Annotated[
        str | None, typer.Option(help="delimited, fixed or sheet; found if not given.")
    ],
    "fields": Annotated[
        str | None,
        typer.Option(
            "--fields",  # said, since a metavar of the same letters would take its place
            help="Fixed columns: a layout table or DDI file, or NAME:1-5,NAME:6-9.",
            metavar="FIELDS",
        ),
    ],
    "headings": Annotated[
        list[str] | None,
        typer.Option(
            "--heading",
            help="What a column of the layout table holds: start=From. Repeatable.",
            metavar="PART=HEADING",
        ),
    ],
    "lines_per_case": Annotated[
        int | None, typer.Option(help="Fixed columns: lines of each case.", metavar="COUNT")
    ],
    "record_length": Annotated[
        int | None,
        typer.Option(help="Fixed columns without line ends: characters of a record."),
    ],
    "record_type": Annotated[
        str | None,
        typer.Option(help="Fixed columns: read lines of this type: 1-2=G", metavar="AT=TYPE"),
    ],
    "positions": Annotated[
        str | None, typer.Option(help="Positions count characters (default) or bytes.")
    ],
    "tabs": Annotated[
        int | None, typer.Option(help="Fixed columns: expand tabs to multiples of this.")
    ],
    "sheet": Annotated[
        str | None, typer.Option("--sheet", help="Workbook: a sheet's name or number.")
    ],
    "range": Annotated[
        str | None,
        typer.Option("--range", help="Workbook: B9:K310, B9:, B:K, a named range or table."),
    ],
    "hidden": Annotated[
        str | None, typer.Option("--hidden", help="Workbook: hidden rows and columns: skip, keep.")
    ],
    "merged": Annotated[
        str | None, typer.Option("--merged", help="Workbook: merged cells: fill, keep.")
    ],
    "encoding": Annotated[str | None, typer.Option(help="A codec name, such as cp1252.")],
    "delimiter": Annotated[
        str | None,
        typer.Option(help="Characters, or comma, tab, semicolon, pipe, space, blanks, none."),
    ],
    "quote": Annotated[str | None, typer.Option(help="A character, or none.")],
    "escape": Annotated[str | None, typer.Option(help="A character, or none.")],
    "comment": Annotated[str | None, typer.Option(help="How lines of comment begin.")],
    "trim": Annotated[
        str | None, typer.Option(help="Strip blanks around fields: yes, no, left, right.")
    ],
    "decimal": Annotated[str | None, typer.Option(help="The decimal mark.")],
    "grouping": Annotated[str | None, typer.Option(help="The digit grouping mark.")],
    "names_row": Annotated[
        str | None, typer.Option(help="Row of the names: 4, or 4,5, or none.", metavar="ROWS")
    ],
    "labels_row": Annotated[int | None, typer.Option(help="Row of the labels.", metavar="ROW")],
    "units_row": Annotated[int | None, typer.Option(help="Row of the units.", metavar="ROW")],
    "data": Annotated[
        str | None, typer.Option(help="Rows of the data: 6.. or 6..-2", metavar="FIRST..LAST")
    ],
    "repeated": Annotated[
        str | None, typer.Option(help="Headings repeated within the data: skip or keep.")
    ],
    "names": Annotated[
        str | None,
        typer.Option("--names", help="Names for the columns: id,date,acid", metavar="NAMES"),
    ],
    "plain_names": Annotated[
        int | None,
        typer.Option(
            help="Names in lower case with _, of at most this length; 0 for any.", metavar="LENGTH"
        ),
    ],
    "types": Annotated[
        list[str] | None,
        typer.Option("--type", help="NAME=TYPE, or one TYPE for all. Repeatable.", metavar="TYPE"),
    ],
    "missing": Annotated[
        list[str] | None,
        typer.Option(help="A missing code for all: -9, or 777=lost. Repeatable.", metavar="CODE"),
    ],
    "keep": Annotated[
        str | None, typer.Option(help="The variables to read: id,acid..grade", metavar="NAMES")
    ],
    "limit": Annotated[int | None, typer.Option(help="The most rows to read.", metavar="ROWS")],
    "unreadable": Annotated[
        str | None, typer.Option(help="Cells that cannot be read: report or stop.")
    ],
    "workers": Annotated[
        int | None, typer.Option(help="Threads to work with; usual: one for each processor.")
    ],
}


def reading(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options of reading; it gets them as one mapping, `options`."""

    @functools.wraps(command)
    def wrapper(**given: Any) -> None:
        raw = {name: given.pop(name) for name in READING}
        command(**given, options=library_options(raw))

    own = inspect.signature(command, eval_str=True).parameters
    keyword = inspect.Parameter.KEYWORD_ONLY
    parameters = [each.replace(kind=keyword) for name, each in own.items() if name != "options"] + [
        inspect.Parameter(name, keyword, default=None, annotation=annotation)
        for name, annotation in READING.items()
    ]
    wrapper.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    wrapper.__annotations__ = {each.name: each.annotation for each in parameters}
    return wrapper


AS_GIVEN = (
    *("layout", "encoding", "decimal", "limit", "unreadable", "workers"),
    *("range", "hidden", "merged", "lines_per_case", "record_length", "positions", "tabs"),
)
LISTED = re.compile(r"[^:,]+:\d+(-\d+)?(,[^:,]+:\d+(-\d+)?)*")


def _fixed(raw: dict[str, Any]) -> dict[str, Any]:
    """Fields and the record type, which the command writes shorter."""
    options: dict[str, Any] = {}
    text = raw["fields"]
    if text is not None and LISTED.fullmatch(text):
        options["fields"] = [_field(part) for part in text.split(",")]
    elif text is not None:
        options["fields"] = text
    if raw["headings"]:
        pairs = [each.partition("=")[::2] for each in raw["headings"]]
        options["fields"] = {"path": text or "", "headings": dict(pairs)}
    if raw["record_type"] is not None:
        place, _, kind = raw["record_type"].partition("=")
        start, _, end = place.partition("-")
        if not start.isdigit() or not (end or start).isdigit():
            raise typer.BadParameter(f"expected 1-2=TYPE, got {raw['record_type']!r}")
        options["record_type"] = {"start": int(start), "end": int(end or start), "take": kind}
    return options


def _field(text: str) -> tuple[str, int, int]:
    name, _, place = text.rpartition(":")
    start, _, end = place.partition("-")
    return name.strip(), int(start), int(end or start)


def library_options(raw: dict[str, Any]) -> dict[str, Any]:
    """The options of the command as options of the library."""
    options = {name: raw[name] for name in AS_GIVEN if raw[name] is not None}
    options |= _fixed(raw)
    if raw["sheet"] is not None:
        options["sheet"] = int(raw["sheet"]) if raw["sheet"].isdigit() else raw["sheet"]
    for name in ("delimiter", "quote", "escape", "comment", "grouping"):
        if raw[name] is not None:
            none = "" if name == "delimiter" else None
            options[name] = none if raw[name] == "none" else _unescaped(raw[name])
    if raw["trim"] is not None:
        options["trim"] = {"yes": True, "no": False}.get(raw["trim"], raw["trim"])
    rows = _rows(raw)
    if rows:
        options["rows"] = rows
    for name in ("names", "keep"):
        if raw[name] is not None:
            options[name] = [part.strip() for part in raw[name].split(",")]
    if raw["plain_names"] is not None:
        options["plain_names"] = raw["plain_names"] or True
    if raw["types"]:
        options["types"] = _types(raw["types"])
    if raw["missing"]:
        options["missing"] = [_code(text) for text in raw["missing"]]
    if raw["plan"] is not None:
        from ..plan import Plan

        options["plan"] = Plan.read(raw["plan"])
    return options


def _unescaped(text: str) -> str:
    return {"\\t": "\t", "\\s": " "}.get(text, text)


def _rows(raw: dict[str, Any]) -> dict[str, Any]:
    rows: dict[str, Any] = {}
    if raw["names_row"] is not None:
        text = raw["names_row"]
        try:
            rows["names"] = [] if text == "none" else [int(part) for part in text.split(",")]
        except ValueError:
            raise typer.BadParameter(f"expected row numbers, got {text!r}") from None
    for part in ("labels", "units"):
        if raw[f"{part}_row"] is not None:
            rows[part] = raw[f"{part}_row"]
    if raw["repeated"] is not None:
        rows["repeated"] = raw["repeated"]
    if raw["data"] is not None:
        rows["data"] = int(raw["data"]) if raw["data"].isdigit() else raw["data"]
    return rows


def _types(texts: list[str]) -> Any:
    if len(texts) == 1 and "=" not in texts[0]:
        return texts[0]
    types = {}
    for text in texts:
        name, equals, kind = text.rpartition("=")
        if not equals:
            raise typer.BadParameter(f"expected NAME=TYPE, got {text!r}")
        types[name] = kind
    return types


def _code(text: str) -> dict[str, Any]:
    """A missing code as it is typed: `-9`, `777=sample lost`, `880..889=not tested`."""
    code, _, reason = text.partition("=")
    low, dots, high = code.partition("..")
    number = _number(code)
    if dots and isinstance(_number(low), (int, float)) and isinstance(_number(high), (int, float)):
        return {"from": _number(low), "to": _number(high), "reason": reason}
    return {"value": number, "reason": reason}


def _number(text: str) -> int | float | str:
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            pass
    return text


def source_of(source: str, options: dict[str, Any]) -> Any:
    """The source that an argument means: `-` for standard input, a plan file for its source."""
    if source == "-":
        return sys.stdin.buffer
    if source.endswith(".toml") and "plan" not in options:
        from ..plan import Plan

        return Plan.read(source)
    return source
