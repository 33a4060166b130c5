"""The reading options as flags of the command, made from the table in `plan/options.py`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Annotated, Any, get_args

import typer

from ..declaration.patterns import late
from ..plan.option import COMMAND_ONLY_IN_PLANS, USUAL, Flag
from ..plan.options import OPTIONS, TYPES
from .options import trust_option

PLACE = r"[^:,]+:\d+(-\d+)?(\.\d+)?"
LISTED = late(f"{PLACE}(,{PLACE})*")
"""Fields as they are typed: `id:1-5,flag:6,acid:7-10.2`, the last with two implied decimals."""
WHOLE = (("rows", "labels"), ("rows", "units"), ("promised", "rows"))
"""Parts of options that are whole numbers."""
NONE_WORD = ("quote", "escape", "comment", "grouping", "delimiter")
"""Options for which the word `none` means that there is none."""


def flags_of(name: str) -> tuple[Flag, ...]:
    """The flags of an option: its own, or one that is called like it."""
    if name in COMMAND_ONLY_IN_PLANS:
        return ()
    return OPTIONS[name].flags or (Flag(f"--{name.replace('_', '-')}"),)


def parameter_of(flag: Flag) -> str:
    """The name of the command's parameter for a flag."""
    return flag.name.removeprefix("--").replace("-", "_")


def _choices(name: str, flag: Flag) -> str | None:
    """The values of an option that takes one of a few."""
    words = (
        []
        if flag.part
        else [each for kind in (TYPES[name], *get_args(TYPES[name])) for each in get_args(kind)]
    )
    return "|".join(words) if words and all(isinstance(each, str) for each in words) else None


def _annotation(parameter: str) -> Any:
    """The type, flags and help text of a reading parameter."""
    if parameter in OWN:
        return OWN[parameter]
    name, flag = READING[parameter]
    option = OPTIONS[name]
    plain = {int | None: int, bool | None: bool}
    kind: Any = int if (name, flag.part) in WHOLE else plain.get(TYPES[name], str)
    kind = list[kind] if flag.repeatable else kind
    default = "" if option.default in ("detected", "from the heading") else option.default
    words = flag.help or option.help
    if default and not flag.part:
        words = f"{words.removesuffix('.')} (default: {default})."
    return Annotated[
        kind | None,
        typer.Option(
            flag.name if kind is not bool else f"{flag.name}/--no{flag.name[1:]}",
            help=words,
            metavar=flag.metavar or _choices(name, flag),
            rich_help_panel=option.group,
        ),
    ]


SHORT_PAGE = {parameter_of(flag) for name in USUAL for flag in flags_of(name) if not flag.rare}
"""The parameters of reading that the short help page lists."""

READING: dict[str, tuple[str, Flag]] = {
    "plan": ("", Flag("--plan")),
    "trust": ("", Flag("--trust")),
    **{parameter_of(flag): (name, flag) for name in OPTIONS for flag in flags_of(name)},
}
"""The parameters that all reading commands have, with the option and the flag of each."""
OWN: dict[str, Any] = {
    "plan": Annotated[
        Path | None,
        typer.Option("--plan", help="Plan file (TOML) to read by.", metavar="FILE"),
    ],
    "trust": trust_option,
}
"""Reading parameters that only the command has."""


def parameters_for(used: set[str] | None) -> dict[str, Any]:
    """Parameters with their types, for the flags that are used; for all flags unless all are known.

    `None` stands for all flags.
    """
    needed = [name for name, (_, flag) in READING.items() if flag.name in (used or ())]
    every = used is None or len(needed) < len(used)
    return {name: _annotation(name) for name in (READING if every else needed)}


def library_options(raw: Mapping[str, Any]) -> dict[str, Any]:
    """The flags of the command as options of the library."""
    options: dict[str, Any] = {}
    for name in OPTIONS:
        given = {
            flag.part or name: raw[parameter_of(flag)]
            for flag in flags_of(name)
            if raw.get(parameter_of(flag)) is not None
        }
        if given:
            options[name] = PARSERS.get(name, _as_given)(name, given)
    if raw.get("trust") is not None:
        options["trust"] = raw["trust"]
    if raw.get("plan") is not None:
        from ..api.plan import Plan

        options["plan"] = Plan.read(raw["plan"], raw.get("trust") or ())
    return options


def _as_given(name: str, given: dict[str, Any]) -> Any:
    """A text or number as it is; marks may be named or escaped."""
    value = given[name]
    if name in NONE_WORD and value == "none":
        return "" if name == "delimiter" else None
    return {"\\t": "\t", "\\s": " "}.get(value, value) if name in NONE_WORD else value


def _names(name: str, given: dict[str, Any]) -> list[str]:
    return [part.strip() for part in given[name].split(",")]


def _names_or_file(name: str, given: dict[str, Any]) -> list[str]:
    """Names between commas, or one a line of a file: `@names.txt`."""
    if not given[name].startswith("@"):
        return _names(name, given)
    path = Path(given[name][1:])
    try:
        lines = [line.strip() for line in path.read_text("utf-8-sig").splitlines()]
    except (OSError, UnicodeDecodeError) as error:
        why = getattr(error, "strerror", None) or "it is not UTF-8 text"
        raise typer.BadParameter(f"{path}: {why}") from None
    lines = [line for line in lines if line]
    return lines if len(lines) > 1 else _names(name, {name: "".join(lines)})


def _trim(name: str, given: dict[str, Any]) -> Any:
    return {"yes": True, "no": False}.get(given[name], given[name])


def _plain_names(name: str, given: dict[str, Any]) -> int | bool:
    try:
        return int(given[name]) or True
    except ValueError:
        raise typer.BadParameter(f"expected a length, got {given[name]!r}") from None


def _fields(name: str, given: dict[str, Any]) -> Any:
    """Fields in a list, or the path of a table and what its headings mean."""
    text = given.get(name)
    if text is not None and LISTED.fullmatch(text):
        return [_field(part) for part in text.split(",")]
    if given.get("headings"):
        pairs = [each.partition("=")[::2] for each in given["headings"]]
        return {"path": text or "", "headings": dict(pairs)}
    return text


def _field(text: str) -> dict[str, Any]:
    name, _, place = text.rpartition(":")
    place, _, decimals = place.partition(".")
    start, _, end = place.partition("-")
    made = {"name": name.strip(), "start": int(start), "end": int(end or start)}
    return made | ({"decimals": int(decimals)} if decimals else {})


def _record_type(name: str, given: dict[str, Any]) -> dict[str, Any]:
    place, _, kind = given[name].partition("=")
    start, _, end = place.partition("-")
    if not start.isdigit() or not (end or start).isdigit():
        raise typer.BadParameter(f"expected 1-2=TYPE, got {given[name]!r}")
    return {"start": int(start), "end": int(end or start), "take": kind}


def _rows(name: str, given: dict[str, Any]) -> dict[str, Any]:
    rows = dict(given)
    for part in ("names", "left_out"):
        if part not in rows:
            continue
        text = rows[part]
        try:
            rows[part] = [] if text == "none" else [int(each) for each in text.split(",")]
        except ValueError:
            raise typer.BadParameter(f"expected row numbers, got {text!r}") from None
    if rows.get("data", "").isdigit():
        rows["data"] = int(rows["data"])
    return rows


def _types(name: str, given: dict[str, Any]) -> Any:
    texts = given[name]
    if len(texts) == 1 and "=" not in texts[0]:
        return texts[0]
    return _by_name(texts, "NAME=TYPE")


def _levels(name: str, given: dict[str, Any]) -> dict[str, str]:
    return _by_name(given[name], "NAME=LEVEL")


def _by_name(texts: list[str], form: str) -> dict[str, str]:
    made = {}
    for text in texts:
        variable, equals, value = text.rpartition("=")
        if not equals:
            raise typer.BadParameter(f"expected {form}, got {text!r}")
        made[variable] = value
    return made


def _promised(name: str, given: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = dict(given)
    if "key" in made:
        made["key"] = _names("key", made)
    return made


def _missing(name: str, given: dict[str, Any]) -> list[dict[str, Any]]:
    return [code_of(text) for text in given[name]]


def code_of(text: str) -> dict[str, Any]:
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


PARSERS: dict[str, Callable[[str, dict[str, Any]], Any]] = {
    "fields": _fields,
    "keep": _names,
    "keep_copy": _trim,
    "missing": _missing,
    "levels": _levels,
    "names": _names_or_file,
    "plain_names": _plain_names,
    "promised": _promised,
    "record_type": _record_type,
    "rows": _rows,
    "trim": _trim,
    "types": _types,
}
"""How the text of flags becomes the value of an option, where it is not the value itself."""
