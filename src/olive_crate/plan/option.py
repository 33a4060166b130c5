"""What an option of reading is, and how those that are more than one field go into a plan."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from ..errors import PlanError
from .checks import Check

if TYPE_CHECKING:
    from .model import Decisions

Apply = Callable[["Decisions", Any, str], "Decisions"]
Group = Literal[
    "Text", "Fixed-width text", "Workbooks", "Databases and web", "Rows", "Variables", "Reading"
]
GROUPS: tuple[Group, ...] = (
    *("Text", "Fixed-width text", "Workbooks", "Databases and web", "Rows", "Variables", "Reading"),
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
    rare: bool = False
    """Left out of the short help page, although its option is a usual one."""


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
    """The field of the plan that holds it, where that is not the one of its name in the section."""


LIMITS = (
    "Limits for untrusted files: record, fields, ratio, text, inflated, entries, strings, cells."
)
COMMAND_ONLY_IN_PLANS = ("limits", "meaning_sets", "variables", "order")
"""Options that the command takes from a plan alone: they are too long for a flag."""

USUAL = (
    *("encoding", "delimiter", "decimal", "fields", "sheet", "range", "table"),
    *("rows", "types", "missing", "keep", "limit"),
)
"""The options that most files need: the command's short help page lists these."""
ROW_FLAGS = (
    Flag("--names-row", "Row of the names: 4, or 4,5, or none.", "ROWS", False, "names"),
    Flag("--labels-row", "Row of the labels.", "ROW", False, "labels", rare=True),
    Flag("--units-row", "Row of the units.", "ROW", False, "units", rare=True),
    Flag("--left-out", "Rows to leave out: 120 or 120,240.", "ROWS", False, "left_out", rare=True),
    Flag("--data", "Rows of the data: 6.. or 6..-2.", "FIRST..LAST", False, "data"),
    Flag(
        "--repeated",
        "Headings repeated within the data: skip or keep.",
        part="repeated",
        rare=True,
    ),
    Flag(
        "--closing",
        "Totals and notes at the end: skip or keep.",
        part="closing",
    ),
    Flag(
        "--groups",
        "Titles of groups within the data: skip, keep, or the name of a variable for them.",
        "NAME",
        part="groups",
        rare=True,
    ),
)
"""The flags for the parts of `rows`."""
FIELD_FLAGS = (
    Flag("--fields", "Layout table, DDI or CSVW file, or NAME:1-5,NAME:6,NAME:7-10.2.", "FIELDS"),
    Flag(
        "--heading",
        "Meaning of a column of the layout table: start=From. Repeatable.",
        "PART=HEADING",
        True,
        "headings",
        rare=True,
    ),
)
"""The flags for fields, and for what the headings of a layout table mean."""
PLAIN_FLAGS = (
    Flag(
        "--plain-names",
        "Make names lower case with _, of at most LENGTH characters (0 for any).",
        "LENGTH",
    ),
)
"""The flag for plain names."""
PROMISE_FLAGS = (
    Flag("--promised-rows", "Rows that the sender promised.", "COUNT", part="rows"),
    Flag(
        "--promised-key", "Variables that tell cases apart: id, or year,plot.", "NAMES", part="key"
    ),
)
"""The flags for the promises that are short enough for one."""

# These import what they need when they are called: the command's help needs the table alone.


def with_rows(plan: Decisions, value: Any, at: str) -> Decisions:
    """Rows by their parts, laid over those that were decided before."""
    from msgspec.structs import replace

    from .model import rows_from

    return replace(plan, rows=rows_from(value, plan.rows, at))


def with_fields(plan: Decisions, value: Any, at: str) -> Decisions:
    """Fields in a list are part of the plan; a path is resolved when the source is read."""
    from msgspec.structs import replace

    from .checks import table_path
    from .fields import listed_fields

    if value is not None and not isinstance(value, (str, os.PathLike, Mapping)):
        return replace(plan, fields=listed_fields(value, at), layout="fixed")
    return replace(plan, fields=None, fixed=replace(plan.fixed, fields=table_path(value, at)))


def with_types(plan: Decisions, value: Any, at: str) -> Decisions:
    """One type for all variables, or types by name."""
    from msgspec.structs import replace

    from . import checks, declaring

    if not isinstance(value, Mapping):
        return replace(plan, type=checks.type_name(value, at))
    for name, kind in value.items():
        plan = declaring.declare(plan, name, {"type": kind})
    return plan


def with_levels(plan: Decisions, value: Any, at: str) -> Decisions:
    """Levels of measurement by name."""
    from . import declaring

    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected levels by the names of variables, got {value!r}")
    for name, level in value.items():
        plan = declaring.declare(plan, name, {"level": level})
    return plan


def with_meaning_sets(plan: Decisions, value: Any, at: str) -> Decisions:
    """Sets of meanings by name."""
    from . import declaring

    if not isinstance(value, Mapping):
        raise PlanError(f"{at}: expected sets of meanings by name, got {value!r}")
    for name, meanings in value.items():
        plan = declaring.declare_set(plan, name, meanings)
    return plan


def with_variables(plan: Decisions, value: Any, at: str) -> Decisions:
    """Declarations by name, or a list of them."""
    from msgspec.structs import replace

    from ..declaration.variable import Variable, parts_of
    from . import declaring

    if isinstance(value, Mapping):
        for name, parts in value.items():
            given = parts_of(parts) if isinstance(parts, Variable) else parts
            if not isinstance(given, Mapping):
                raise PlanError(
                    f'{at}: "{name}": expected the parts of a declaration, got {parts!r}'
                )
            plan = declaring.declare(plan, name, given)
        return plan
    if isinstance(value, Sequence) and all(isinstance(each, Variable) for each in value):
        return replace(plan, variables=tuple(value))
    raise PlanError(f"{at}: expected declarations by name, or a list of Variable")
