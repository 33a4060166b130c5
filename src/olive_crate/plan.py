"""The decisions about a file, written down once.

A `Plan` is a frozen value. What it does not say is found from the file when it is loaded, and the
receipt lists what was found. Options of `look`, `draft` and `load` are the same decisions under the
same names: `with_options` turns them into a plan, and nothing else reads them.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import msgspec

from . import declaring
from .choosing import Names, resolve
from .codes import MissingCode, ValueLabel, missing_codes
from .errors import PlanError, nearest
from .expectpart import Expect, expect_part
from .fields import Field, FixedSection, fixed_part, listed_fields
from .naming import Renaming
from .rowspart import Rows, rows_part
from .sheetpart import SheetSection, sheet_part
from .variables import Variable, declared, parts_of

NAMED_DELIMITERS = {
    "comma": ",",
    "tab": "\t",
    "semicolon": ";",
    "pipe": "|",
    "space": " ",
    "blanks": "blanks",
}
LAYOUTS = ("delimited", "fixed", "sheet")
TRIMS = (True, False, "left", "right")
UNREADABLE_CHOICES = ("report", "stop")


class SourceSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where the bytes are and how they spell characters."""

    path: str | None = None
    encoding: str | None = None


class DelimitedSection(msgspec.Struct, frozen=True, omit_defaults=True):
    """How a line is cut into fields. `None` means "find it", an empty text "there is none"."""

    delimiter: str | None = None
    quote: str | None = None
    escape: str | None = None
    comment: str | None = None
    trim: bool | str | None = None
    decimal: str | None = None
    grouping: str | None = None


class Plan(msgspec.Struct, frozen=True, omit_defaults=True):
    """All decisions about reading one source, or many of the same kind."""

    source: SourceSection = SourceSection()
    delimited: DelimitedSection = DelimitedSection()
    fixed: FixedSection = FixedSection()
    sheet: SheetSection = SheetSection()
    fields: tuple[Field, ...] | None = None
    """The fields of a fixed layout."""
    rows: Rows = Rows()
    layout: str | None = None
    names: tuple[str, ...] | None = None
    """Names for the columns, where the file has none or they are to be replaced."""
    type: str | None = None
    """One type for all variables that have none of their own."""
    missing: tuple[MissingCode, ...] = ()
    keep: tuple[str, ...] | None = None
    limit: int | None = None
    unreadable: str = "report"
    workers: int | None = None
    variables: tuple[Variable, ...] = ()
    label_sets: dict[str, tuple[ValueLabel, ...]] = {}
    """Value labels that several variables share, by the name of the set."""
    expect: Expect = Expect()
    order: tuple[str, ...] | None = None
    """Variables that come first in the dataset; the others follow as in the file."""
    plain_names: bool | int | None = None
    """Headings made plain, of at most so many characters."""
    notes: tuple[str, ...] = ()
    """What had to be changed to follow the plan; not written."""
    base: Path | None = None
    """The folder that relative paths start from: the plan file's."""
    listed: bool = False
    """The variables are those of a file, so that an unknown name is a mistake."""
    evidence: tuple[Any, ...] = ()
    """What the drafted decisions rest on; not written as keys, but as comments."""

    @staticmethod
    def read(path: str | os.PathLike[str]) -> Plan:
        """Read a plan file (TOML).

        Raises `PlanError` naming the key for anything that is not a plan.
        """
        from .planfile import read_plan

        return read_plan(Path(path))

    def write(self, path: str | os.PathLike[str]) -> None:
        """Write the plan as TOML; comments of a plan file that is already there are kept."""
        from .plantext import write_plan

        write_plan(self, Path(path))

    def text(self) -> str:
        """The plan as TOML, with its evidence as comments."""
        from .plantext import plan_text

        return plan_text(self)

    def code(self) -> str:
        """Python text that makes the same plan and loads its file."""
        from .plancode import plan_code

        return plan_code(self)

    def _repr_html_(self) -> str:
        from .notebook import plan_html

        return plan_html(self)

    def variable(self, name: str) -> Variable:
        """The declaration of one variable; `PlanError` with the nearest name if there is none."""
        known = [each.name for each in self.variables]
        return self.variables[known.index(resolve(name, known)[0])]

    def declare(self, names: Names, **parts: Any) -> Plan:
        """Declare parts of one or more variables: see `Variable` for the parts.

        `names` is a name, a list, a run of neighbours (`"panel_1..panel_8"`), a pattern
        (`"panel_*"`, `"*"` for all), or what the variables are declared with
        (`{"type": "integer"}`). Parts that are not given stay as they are; one given as `None` is
        taken back, and `missing=[]` says that not even the codes for all variables count.
        `values` may be the name of a set made by `declare_set`. Raises `PlanError` for unknown
        names and parts.
        """
        return declaring.declare(self, names, parts)

    def declare_set(self, name: str, values: Any) -> Plan:
        """Declare value labels under a name, for many variables to use: `values="intensity"`."""
        return declaring.declare_set(self, name, values)

    def copy_declaration(self, source: str, to: Names, parts: Iterable[str] | None = None) -> Plan:
        """Declare other variables like this one; only these parts, or all but the label."""
        return declaring.copied(self, source, to, parts)

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Plan:
        """Take back these parts of declarations, or all of them."""
        return declaring.taken_back(self, names, parts)

    def rename(self, names: str | Renaming, new: str | None = None) -> Plan:
        """Rename one variable, those of a mapping from old to new, or all by a function.

        Raises `PlanError` where two would be called alike.
        """
        return declaring.rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Plan:
        """Put these variables first, or behind another one; the rest stays in its order."""
        return declaring.reorder(self, names, after)

    def make_names_plain(self, longest: int | None = None) -> Plan:
        """Names in lower case, with `_` for other marks, of at most so many characters.

        Headings stay as labels where there is none. Names that would be alike are told apart by a
        number, and the plan's `notes` (after the read, the receipt's) name them.
        """
        return declaring.made_plain(self, longest)

    def source_path(self) -> str | Path:
        """Where the source lies, seen from here. Raises `PlanError` if the plan names none."""
        path = self.source.path
        if path is None:
            raise PlanError("the plan names no source: give one, or set path under [source]")
        if "://" in path or self.base is None:
            return path
        return self.base / path


OPTIONS = (
    "layout",
    "encoding",
    *DelimitedSection.__struct_fields__,
    *FixedSection.__struct_fields__,
    *SheetSection.__struct_fields__,
    "rows",
    "names",
    "types",
    "missing",
    "label_sets",
    "variables",
    "keep",
    "order",
    "plain_names",
    "expect",
    "limit",
    "workers",
    "unreadable",
)


def with_options(plan: Plan, options: Mapping[str, Any]) -> Plan:
    """The plan with options laid over it. Raises `PlanError` for what no option can be."""
    for option in options:
        if option not in OPTIONS:
            raise PlanError(f'unknown option "{option}"{nearest(option, OPTIONS)}')
    for option in sorted(options, key=lambda each: each != "label_sets"):  # used by variables
        plan = _with_option(plan, option, options[option])
    return plan


def _with_option(plan: Plan, option: str, value: Any) -> Plan:
    replace = msgspec.structs.replace
    if option in DelimitedSection.__struct_fields__:
        section = replace(plan.delimited, **{option: delimited_part(option, value)})
        return replace(plan, delimited=section)
    if option in SheetSection.__struct_fields__:
        return replace(plan, sheet=replace(plan.sheet, **{option: sheet_part(option, value)}))
    if option in FixedSection.__struct_fields__:
        return _with_fixed(plan, option, value)
    if option == "encoding":
        return replace(plan, source=replace(plan.source, encoding=encoding_part(value)))
    if option == "rows":
        return replace(plan, rows=rows_part(value, plan.rows))
    if option == "types":
        return with_types(plan, value)
    if option == "expect":
        return replace(plan, expect=expect_part(value))
    if option == "label_sets":
        return _with_sets(plan, value)
    if option == "variables":
        return _with_variables(plan, value)
    if option == "missing":
        return replace(plan, missing=missing_codes(value, "missing"))
    return replace(plan, **{option: top_part(option, value)})


def _with_fixed(plan: Plan, option: str, value: Any) -> Plan:
    replace = msgspec.structs.replace
    if option == "fields" and not isinstance(value, (str, os.PathLike, Mapping, type(None))):
        return replace(plan, fields=listed_fields(value), layout="fixed")
    if option == "fields":
        plan = replace(plan, fields=None)
    return replace(plan, fixed=replace(plan.fixed, **{option: fixed_part(option, value)}))


def with_types(plan: Plan, types: Any, where: str = "") -> Plan:
    """The plan with one type for all, or types by name."""
    if types is None or isinstance(types, str):
        return msgspec.structs.replace(plan, type=top_part("types", types))
    if not isinstance(types, Mapping):
        raise PlanError(f'types: expected one type or {{"name": "type"}}, got {types!r}')
    for name, kind in types.items():
        try:
            plan = plan.declare(name, type=kind)
        except PlanError as error:
            raise PlanError(f"{where}{error}") from None
    return plan


def _with_sets(plan: Plan, sets: Any) -> Plan:
    if not isinstance(sets, Mapping):
        raise PlanError(f"label_sets: expected sets of value labels by name, got {sets!r}")
    for name, values in sets.items():
        plan = plan.declare_set(name, values)
    return plan


def _with_variables(plan: Plan, variables: Any) -> Plan:
    if isinstance(variables, Mapping):
        for name, parts in variables.items():
            if isinstance(parts, Variable):
                parts = parts_of(parts)
            if not isinstance(parts, Mapping):
                raise PlanError(f'variables: "{name}" needs its parts, got {parts!r}')
            plan = plan.declare(name, **parts)
        return plan
    if isinstance(variables, Iterable) and not isinstance(variables, (str, bytes)):
        listed = tuple(variables)
        if all(isinstance(each, Variable) for each in listed):
            return msgspec.structs.replace(plan, variables=listed)
    raise PlanError("variables: expected declarations by name, or a list of Variable")


def encoding_part(value: Any, at: str = "encoding") -> str | None:
    """An encoding, checked to be one that Python has."""
    from .records.encoding import codec_name

    if value is None:
        return None
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected the name of an encoding, got {value!r}")
    try:
        codec_name(value)
    except PlanError as error:
        raise PlanError(f"{at}: {error}") from None
    return value


def delimited_part(part: str, value: Any, at: str = "") -> Any:
    """One decision of the delimited section, checked; `None` as an option means "there is none"."""
    at = at or part
    if part == "trim":
        if value is not None and value not in TRIMS:
            raise PlanError(f'{at}: expected true, false, "left" or "right", got {value!r}')
        return value
    if value is None:
        return None if part in ("delimiter", "decimal") else ""
    if not isinstance(value, str):
        raise PlanError(f"{at}: expected text, got {value!r}")
    if part == "delimiter":
        return _delimiter(value, at)
    if part == "decimal" and not (len(value) == 1 and value.isascii() and value.isprintable()):
        raise PlanError(f"{at}: expected one ASCII character, got {value!r}")
    if part != "comment" and len(value) > 1:
        raise PlanError(f"{at}: expected one character, or none, got {value!r}")
    if part in ("quote", "escape") and value and (not value.isascii() or value in "\r\n\0"):
        raise PlanError(f"{at}: expected an ASCII character, got {value!r}")
    if "\n" in value or "\r" in value:
        raise PlanError(f"{at}: cannot hold a line break")
    return value


def _delimiter(value: str, at: str) -> str:
    value = NAMED_DELIMITERS.get(value, value)
    if "\n" in value or "\r" in value:
        raise PlanError(f"{at}: cannot hold a line break")
    if len(value) > 2 and value.isalpha() and value != "blanks":
        raise PlanError(f'{at}: "{value}" is no delimiter{nearest(value, NAMED_DELIMITERS)}')
    return value


def top_part(option: str, value: Any, at: str = "") -> Any:
    """One decision that belongs to no section, checked."""
    at = at or option
    if option == "unreadable":
        if value not in UNREADABLE_CHOICES:
            raise PlanError(f'{at}: expected "report" or "stop", got {value!r}')
        return value
    if value is None:
        return None
    if option == "layout":
        if value not in LAYOUTS:
            raise PlanError(f"{at}: there is no layout {value!r}{nearest(str(value), LAYOUTS)}")
        return value
    if option == "types":
        return declared(Variable("*"), {"type": value}, "types").type
    if option == "plain_names" and isinstance(value, bool):
        return value or None
    if option in ("limit", "workers", "plain_names"):
        least = 0 if option == "limit" else 1
        if isinstance(value, bool) or not isinstance(value, int) or value < least:
            raise PlanError(f"{at}: expected a whole number from {least} up, got {value!r}")
        return value
    names = [value] if isinstance(value, str) else list(value)
    if not all(isinstance(name, str) for name in names):
        raise PlanError(f"{at}: expected names, got {value!r}")
    if option == "names" and len(set(names)) < len(names):
        twice = next(name for name in names if names.count(name) > 1)
        raise PlanError(f'{at}: "{twice}" stands there twice')
    return tuple(names)
