"""How the cells of a variable are to be taken, from its declaration and the plan."""

from __future__ import annotations

import msgspec

from .codes import MissingCode
from .convert import Rule
from .convert.dates import ANY_ZONED
from .convert.finding import NONE_YET, Finder
from .errors import PlanError
from .fields import Field
from .kernels.reference import times
from .plan import Plan
from .variables import Variable


def finder_for(plan: Plan, variable: Variable, field: Field | None) -> Finder:
    """What takes the cells of a variable; `field` is its place in a fixed layout."""
    rule = Rule(
        kind=variable.type or _kind_by_field(field),
        decimal=plan.delimited.decimal or ".",
        grouping=plan.delimited.grouping or "",
        format=variable.format,
        true=variable.true,
        false=variable.false,
        codes=_codes(plan, variable),
        trim=True if field and plan.delimited.trim is None else plan.delimited.trim,
        implied=field.decimals if field else 0,
        sign=field.sign if field else None,
    )
    if variable.format is not None:
        rule = msgspec.structs.replace(rule, kind=_timed(variable))
    elif rule.kind == NONE_YET and (variable.true or variable.false):
        rule = msgspec.structs.replace(rule, kind="boolean")
    loose = variable.format is None and rule.kind in ("date", "time", "datetime")
    wanted = rule.kind if loose else NONE_YET
    return Finder(rule, declared=rule.kind != NONE_YET, wanted=wanted)


def _kind_by_field(field: Field | None) -> str:
    """The type that implied decimals or a sign elsewhere tell."""
    if field is None or not (field.decimals or field.sign):
        return NONE_YET
    return "number" if field.decimals else "integer"


def _timed(variable: Variable) -> str:
    """The type of a variable that has a format. Raises `PlanError` if they do not go together."""
    form = variable.format or ""
    if form == ANY_ZONED:
        return "datetime"
    try:
        pattern = times.compiled(form)
    except ValueError as error:
        raise PlanError(f'variable "{variable.name}": format: {error}') from None
    kind = variable.type or _kind_of(pattern)
    if (kind != "time" and not pattern.has_date) or (kind == "time" and pattern.has_date):
        raise PlanError(f'variable "{variable.name}": the format "{form}" is not one of a {kind}')
    return kind


def _kind_of(pattern: times.Pattern) -> str:
    if pattern.has_date:
        return "datetime" if pattern.has_time else "date"
    return "time"


def _codes(plan: Plan, variable: Variable) -> tuple[MissingCode, ...]:
    if not variable.codes_for_all:
        return ()
    own = {str(code) for code in variable.missing}
    return variable.missing + tuple(code for code in plan.missing if str(code) not in own)
