"""The options of reading: one table that everything else about them is made from.

An entry is an option's name, its type for editors and type checkers, its check, the section of a
plan that holds it, and one line of help. `look`, `draft`, `load` and `pack` take these options;
their signatures and docstrings, plan files, Python text, the command's flags and the page
`docs/options.md` are all made from the table. A new option is an entry here, a field of the section
that holds it (`model`, `rows` or `fields`), and the place that uses it.
"""

# No postponed annotations here: the table is the annotations themselves.

import os
from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Any, Literal, NamedTuple, TypedDict

import msgspec

from ..declaration.codes import missing_codes
from ..declaration.promises import promised_from
from ..declaration.variable import Variable, parts_of
from ..errors import PlanError, nearest
from . import checks, declaring
from .checks import Check, one_of, whole_number
from .fields import listed_fields, positions, record_type, table_path
from .model import Decisions
from .rows import Rows, rows_from

Apply = Callable[[Decisions, Any, str], Decisions]
Group = Literal["Text", "Fixed columns", "Workbooks", "Rows", "Variables", "The read"]
GROUPS: tuple[Group, ...] = (
    *("Text", "Fixed columns", "Workbooks", "Rows", "Variables", "The read"),
)


class Flag(NamedTuple):
    """A flag of the command for an option, or for a part of one."""

    name: str
    help: str = ""
    """Where it differs from the option's."""
    metavar: str = ""
    repeatable: bool = False
    part: str = ""
    """The part of the option that it gives."""


class Option(NamedTuple):
    """All about one option."""

    group: Group
    help: str
    check: Check | None = None
    """Gives the value that the plan holds, or raises `PlanError`."""
    section: str = ""
    """The section of a plan; empty for the top of the file."""
    default: str = "detected"
    """What happens without it, in a word or two."""
    apply: Apply | None = None
    """Puts a value into a plan, where that is more than setting one field."""
    flags: tuple[Flag, ...] = ()
    """The command's flags; without any, one that is called like the option."""
    field: str = ""
    """The field that holds it, where that has another name."""


def _rows(plan: Decisions, value: Any, at: str) -> Decisions:
    return msgspec.structs.replace(plan, rows=rows_from(value, plan.rows, at))


def _fields(plan: Decisions, value: Any, at: str) -> Decisions:
    """Fields in a list are part of the plan; a path is resolved when the source is read."""
    replace = msgspec.structs.replace
    if value is not None and not isinstance(value, (str, os.PathLike, Mapping)):
        return replace(plan, fields=listed_fields(value, at), layout="fixed")
    return replace(plan, fields=None, fixed=replace(plan.fixed, fields=table_path(value, at)))


def _types(plan: Decisions, value: Any, at: str) -> Decisions:
    if not isinstance(value, Mapping):
        return msgspec.structs.replace(plan, type=checks.type_name(value, at))
    for name, kind in value.items():
        plan = declaring.declare(plan, name, {"type": kind})
    return plan


def _missing(plan: Decisions, value: Any, at: str) -> Decisions:
    return msgspec.structs.replace(plan, missing=missing_codes(value, at))


def _promised(plan: Decisions, value: Any, at: str) -> Decisions:
    return msgspec.structs.replace(plan, promised=promised_from(value, at))


def _meaning_sets(plan: Decisions, value: Any, at: str) -> Decisions:
    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected sets of meanings by name, got {value!r}")
    for name, meanings in value.items():
        plan = declaring.declare_set(plan, name, meanings)
    return plan


def _variables(plan: Decisions, value: Any, at: str) -> Decisions:
    if isinstance(value, Mapping):
        for name, parts in value.items():
            given = parts_of(parts) if isinstance(parts, Variable) else parts
            if not isinstance(given, Mapping):
                raise PlanError(f'{at}: "{name}" needs its parts, got {parts!r}')
            plan = declaring.declare(plan, name, given)
        return plan
    if isinstance(value, Sequence) and all(isinstance(each, Variable) for each in value):
        return msgspec.structs.replace(plan, variables=tuple(value))
    raise PlanError(f"{at}: expected declarations by name, or a list of Variable")


class ReadingOptions(TypedDict, total=False):
    """The options of `look`, `draft`, `load` and `pack`; each is also a key of a plan."""

    layout: Annotated[
        Literal["delimited", "fixed", "sheet"] | None,
        Option(
            "Text",
            "Layout of the records: delimited, fixed or sheet.",
            one_of("delimited", "fixed", "sheet"),
        ),
    ]
    encoding: Annotated[
        str | None,
        Option("Text", "Name of the encoding, such as cp1252.", checks.encoding, "source"),
    ]
    delimiter: Annotated[
        str | None,
        Option(
            "Text",
            "One or more characters, or comma, tab, semicolon, pipe, space, blanks, none.",
            checks.delimiter,
            "delimited",
        ),
    ]
    quote: Annotated[
        str | None,
        Option("Text", "Character around quoted fields, or none.", checks.quoting, "delimited"),
    ]
    escape: Annotated[
        str | None,
        Option(
            "Text", "Character that makes a quote literal, or none.", checks.quoting, "delimited"
        ),
    ]
    comment: Annotated[
        str | None, Option("Text", "Prefix of comment lines.", checks.comment, "delimited")
    ]
    trim: Annotated[
        bool | Literal["left", "right"] | None,
        Option(
            "Text",
            "Strip blanks around fields.",
            checks.trim,
            "delimited",
            "no, but yes for fixed columns",
            flags=(Flag("--trim", "Strip blanks around fields: yes, no, left or right."),),
        ),
    ]
    decimal: Annotated[str | None, Option("Text", "Decimal mark.", checks.decimal, "delimited")]
    grouping: Annotated[
        str | None, Option("Text", "Digit grouping mark.", checks.grouping, "delimited")
    ]
    fields: Annotated[
        str | Mapping[str, Any] | Sequence[Any] | None,
        Option(
            "Fixed columns",
            "List of fields, or the path of a layout table, DDI or CSVW file.",
            table_path,
            "fixed",
            apply=_fields,
            flags=(
                Flag("--fields", "Layout table, DDI or CSVW file, or NAME:1-5,NAME:6-9.", "FIELDS"),
                Flag(
                    "--heading",
                    "Meaning of a column of the layout table: start=From. Repeatable.",
                    "PART=HEADING",
                    True,
                    "headings",
                ),
            ),
        ),
    ]
    lines_per_record: Annotated[
        int | None,
        Option(
            "Fixed columns",
            "Lines of each record.",
            whole_number(1),
            "fixed",
            "as many as the fields need",
            flags=(Flag("--lines-per-record", metavar="COUNT"),),
        ),
    ]
    record_length: Annotated[
        int | None,
        Option(
            "Fixed columns",
            "Characters of a record, where there are no line ends.",
            whole_number(1),
            "fixed",
            flags=(Flag("--record-length", metavar="COUNT"),),
        ),
    ]
    record_type: Annotated[
        Mapping[str, Any] | None,
        Option(
            "Fixed columns",
            "Where records say their type, and the type to read.",
            record_type,
            "fixed",
            "all records",
            flags=(Flag("--record-type", "Read only records of this type: 1-2=G.", "AT=TYPE"),),
        ),
    ]
    positions: Annotated[
        Literal["characters", "bytes"] | None,
        Option(
            "Fixed columns",
            "Unit of positions: characters or bytes.",
            positions,
            "fixed",
            "characters",
        ),
    ]
    tabs: Annotated[
        int | None,
        Option(
            "Fixed columns",
            "Expand tabs to multiples of this many positions.",
            whole_number(1),
            "fixed",
            "a tab is an error",
        ),
    ]
    sheet: Annotated[
        str | int | None,
        Option("Workbooks", "Name or number of the sheet.", checks.sheet, "sheet"),
    ]
    range: Annotated[
        str | None,
        Option(
            "Workbooks",
            "B9:K310, B9:, B:K, a named range or a table.",
            checks.cell_range,
            "sheet",
        ),
    ]
    hidden: Annotated[
        Literal["keep", "skip"] | None,
        Option(
            "Workbooks",
            "Hidden rows and columns: keep or skip.",
            one_of("keep", "skip"),
            "sheet",
            "keep",
        ),
    ]
    merged: Annotated[
        Literal["keep", "fill"] | None,
        Option(
            "Workbooks",
            "Merged cells: keep the value in the first cell, or fill all of them.",
            one_of("keep", "fill"),
            "sheet",
            "keep",
        ),
    ]
    limits: Annotated[
        Mapping[str, int] | None,
        Option(
            "Workbooks",
            "Limits for untrusted workbooks: inflated, ratio, entries, strings, cells.",
            checks.limits,
            "sheet",
            "see docs/workbooks.md",
        ),
    ]
    rows: Annotated[
        Mapping[str, Any] | Rows | None,
        Option(
            "Rows",
            "Rows of the names, labels, units and data, numbered as in an editor.",
            section="rows",
            apply=_rows,
            flags=(
                Flag(
                    "--names-row", "Row of the names: 4, or 4,5, or none.", "ROWS", False, "names"
                ),
                Flag("--labels-row", "Row of the labels.", "ROW", False, "labels"),
                Flag("--units-row", "Row of the units.", "ROW", False, "units"),
                Flag("--data", "Rows of the data: 6.. or 6..-2.", "FIRST..LAST", False, "data"),
                Flag(
                    "--repeated",
                    "Headings repeated within the data: skip or keep.",
                    part="repeated",
                ),
            ),
        ),
    ]
    names: Annotated[
        Sequence[str] | None,
        Option(
            "Variables",
            "Names of the columns.",
            checks.unique_names,
            default="from the heading",
            flags=(Flag("--names", "Names of the columns: id,date,acid.", "NAMES"),),
        ),
    ]
    plain_names: Annotated[
        bool | int | None,
        Option(
            "Variables",
            "Make names plain: lower case with _, of at most this many characters.",
            checks.plain_names,
            default="as in the heading",
            flags=(
                Flag(
                    "--plain-names",
                    "Make names lower case with _, of at most LENGTH characters (0 for any).",
                    "LENGTH",
                ),
            ),
        ),
    ]
    types: Annotated[
        str | Mapping[str, str] | None,
        Option(
            "Variables",
            "Type of all variables, or types by name.",
            apply=_types,
            field="type",
            flags=(Flag("--type", "NAME=TYPE, or one TYPE for all. Repeatable.", "TYPE", True),),
        ),
    ]
    missing: Annotated[
        Any,
        Option(
            "Variables",
            "Missing codes for all variables, with their reasons.",
            section="missing",
            default="none",
            apply=_missing,
            flags=(
                Flag(
                    "--missing", "Missing code for all: -9, or 777=lost. Repeatable.", "CODE", True
                ),
            ),
        ),
    ]
    meaning_sets: Annotated[
        Mapping[str, Any] | None,
        Option(
            "Variables",
            "Meanings that several variables share, by the name of the set.",
            section="meaning_sets",
            default="none",
            apply=_meaning_sets,
        ),
    ]
    variables: Annotated[
        Mapping[str, Any] | Sequence[Variable] | None,
        Option(
            "Variables",
            "Declarations by name.",
            section="variable",
            default="none",
            apply=_variables,
        ),
    ]
    keep: Annotated[
        str | Sequence[str] | None,
        Option(
            "Variables",
            "Variables to read.",
            checks.names,
            default="all",
            flags=(Flag("--keep", "Variables to read: id,acid..grade.", "NAMES"),),
        ),
    ]
    order: Annotated[
        str | Sequence[str] | None,
        Option("Variables", "Variables to put first.", checks.names, default="as in the file"),
    ]
    promised: Annotated[
        Mapping[str, Any] | None,
        Option(
            "The read",
            "What the sender promised: rows, key, relations, totals.",
            section="promised",
            default="nothing",
            apply=_promised,
        ),
    ]
    limit: Annotated[
        int | None,
        Option(
            "The read",
            "Maximum number of rows to read.",
            whole_number(0),
            default="all",
            flags=(Flag("--limit", metavar="ROWS"),),
        ),
    ]
    unreadable: Annotated[
        Literal["report", "stop"],
        Option(
            "The read",
            "Cells that cannot be read: report them, or stop.",
            one_of("report", "stop", optional=False),
            default="report",
        ),
    ]
    workers: Annotated[
        int | None,
        Option(
            "The read",
            "Number of threads.",
            whole_number(1),
            default="one per core, at most 8",
            flags=(Flag("--workers", metavar="COUNT"),),
        ),
    ]


OPTIONS: dict[str, Option] = {
    name: annotation.__metadata__[0] for name, annotation in ReadingOptions.__annotations__.items()
}
TYPES: dict[str, Any] = {
    name: annotation.__origin__ for name, annotation in ReadingOptions.__annotations__.items()
}
"""The type of each option, for signatures and documents."""
COMMAND_ONLY_IN_PLANS = ("limits", "meaning_sets", "variables", "order", "promised")
"""Options that the command takes from a plan alone: they are too long for a flag."""


def top_level() -> list[str]:
    """The options that are keys at the top of a plan file."""
    return [name for name, option in OPTIONS.items() if not option.section]


def of_section(section: str) -> list[str]:
    """The options that are keys of a section of a plan file."""
    return [name for name, option in OPTIONS.items() if option.section == section]


def with_option(plan: Decisions, name: str, value: Any, at: str = "") -> Decisions:
    """The plan with one option laid over it. Raises `PlanError` for what it cannot be."""
    option, at = OPTIONS[name], at or name
    if option.apply is not None:
        return option.apply(plan, value, at)
    checked = value if option.check is None else option.check(value, at)
    if not option.section:
        return msgspec.structs.replace(plan, **{option.field or name: checked})
    section = msgspec.structs.replace(getattr(plan, option.section), **{name: checked})
    return msgspec.structs.replace(plan, **{option.section: section})


def with_options(plan: Decisions, options: Mapping[str, Any]) -> Decisions:
    """The plan with options laid over it. Raises `PlanError` for an unknown or wrong one."""
    for name in options:
        if name not in OPTIONS:
            raise PlanError(f'unknown option "{name}"{nearest(name, OPTIONS)}')
    for name in sorted(options, key=lambda each: each != "meaning_sets"):  # variables use them
        plan = with_option(plan, name, options[name])
    return plan


__all__ = [
    "GROUPS",
    "OPTIONS",
    "TYPES",
    "Flag",
    "Option",
    "ReadingOptions",
    "of_section",
    "top_level",
    "with_option",
    "with_options",
]
