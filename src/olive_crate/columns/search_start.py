"""Where the search for a variable's type starts: from its declaration, the plan, and the layout."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from ..declaration.codes import MissingCode
from ..declaration.variable import TIMES, Variable
from ..errors import PlanError
from ..kernels.reference import times
from ..kernels.types import Pattern
from ..plan.model import Decisions
from .dates import ANY_ZONED
from .rule import Rule
from .search import UNKNOWN, Declared, DeclaredTime, Narrowed, Open, State, TypeSearch


class SourceColumn(NamedTuple):
    """What a layout knows of a column before its cells are read."""

    implied_decimals: int = 0
    """Decimals of numbers in which no decimal mark is written."""
    sign: str | None = None
    """`trailing` or `overpunched`, where the sign does not stand in front."""
    padded: bool = False
    """Cells are filled up with blanks."""
    type: str = ""
    """The type that the source itself says; it is widened where cells contradict it."""
    typed_cells: bool = False
    """Dates and times of the source's own kind come as ISO 8601, whatever the format."""
    errors: tuple[str, ...] = ()
    """Texts that the source has in place of a value, such as `#N/A`."""
    shown_decimals: int | None = None
    """As many decimals as the source shows."""


def search_for(plan: Decisions, variable: Variable, column: SourceColumn) -> TypeSearch:
    """The search for the type of a variable, where this column holds its cells."""
    rule = Rule(
        kind=variable.type or _type_by_column(column),
        decimal=plan.delimited.decimal or ".",
        grouping=plan.delimited.grouping or "",
        format=variable.format,
        true=variable.true,
        false=variable.false,
        codes=_codes(plan, variable, column.errors),
        trim=True if column.padded and plan.delimited.trim is None else plan.delimited.trim,
        implied=column.implied_decimals,
        sign=column.sign,
        typed_cells=column.typed_cells,
    )
    if variable.format is not None:
        rule = msgspec.structs.replace(rule, kind=_timed(variable))
    elif rule.kind == UNKNOWN and (variable.true or variable.false):
        rule = msgspec.structs.replace(rule, kind="boolean")
    if column.typed_cells and (rule.true or rule.false):  # a true cell is so whatever the words are
        both = {"true": (*rule.true, "true"), "false": (*rule.false, "false")}
        rule = msgspec.structs.replace(rule, **both)
    return TypeSearch(rule, _first_state(rule, variable, column))


def _first_state(rule: Rule, variable: Variable, column: SourceColumn) -> State:
    if rule.kind in TIMES and variable.format is None:
        return DeclaredTime(rule.kind)
    if rule.kind != UNKNOWN:
        return Declared(rule.kind)
    if column.type:
        kind = "boolean|true|false" if column.type == "boolean" else column.type
        return Narrowed((kind,), by_source=True)
    return Open()


def _type_by_column(column: SourceColumn) -> str:
    """The type that implied decimals or a sign elsewhere tell."""
    if column.implied_decimals:
        return "number"
    return "integer" if column.sign else UNKNOWN


def _timed(variable: Variable) -> str:
    """The type of a variable that has a format. Raises `PlanError` if they do not go together."""
    form = variable.format or ""
    if form == ANY_ZONED:
        return "datetime"
    try:
        pattern = times.compiled(form)
    except ValueError as error:
        raise PlanError(f'variable "{variable.name}": format: {error}') from None
    kind = variable.type or _type_of(pattern)
    if (kind != "time" and not pattern.has_date) or (kind == "time" and pattern.has_date):
        raise PlanError(
            f'variable "{variable.name}": the format "{form}" does not describe a {kind}'
        )
    return kind


def _type_of(pattern: Pattern) -> str:
    if pattern.has_date:
        return "datetime" if pattern.has_time else "date"
    return "time"


def _codes(plan: Decisions, variable: Variable, errors: tuple[str, ...]) -> tuple[MissingCode, ...]:
    """The variable's own codes, those for all variables, and the source's errors."""
    codes: tuple[MissingCode, ...] = ()
    if variable.codes_for_all:
        own = {str(code) for code in variable.missing}
        codes = variable.missing + tuple(code for code in plan.missing if str(code) not in own)
    known = {str(code) for code in codes}
    return codes + tuple(MissingCode(value=text) for text in errors if text not in known)
