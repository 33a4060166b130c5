"""Declarations of a plan: made, copied, taken back; variables named and put in order.

`Dataset` has the same, under the same names (`redeclare.py`): there cells change as well.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any, TypeVar

import msgspec

from .choosing import Names, chosen, named, resolve
from .codes import value_labels
from .errors import PlanError, nearest
from .naming import Renaming, ordered, plain_names, renamed
from .variables import PARTS, Variable, declared, parts_of

if TYPE_CHECKING:
    from .dataset import Dataset
    from .plan import Plan

AnyOf = TypeVar("AnyOf", "Plan", "Dataset")
OWN = ("from", "label")
"""Parts that belong to one variable alone, and are not copied unless asked for."""


def declare(plan: Plan, names: Names, parts: Mapping[str, Any]) -> Plan:
    """See `Plan.declare`."""
    if plan.listed or isinstance(names, Mapping):
        wanted = chosen(names, plan.variables)
    else:
        wanted = named(names, [each.name for each in plan.variables])
    given = dict(parts)
    new = given.pop("name", None)
    if new is not None and len(wanted) > 1:
        raise PlanError("name: several variables cannot have one name")
    table = {each.name: each for each in plan.variables}
    for name in wanted:
        table[name] = declared(table.get(name, Variable(name)), given, sets=plan.label_sets)
    made = msgspec.structs.replace(plan, variables=tuple(table.values()))
    return rename(made, wanted[0], new) if new is not None else made


def declare_set(plan: Plan, name: str, values: Any) -> Plan:
    """See `Plan.declare_set`."""
    if not name:
        raise PlanError("a label set needs a name")
    labels = value_labels(values, f'label set "{name}"')
    variables = tuple(
        msgspec.structs.replace(each, values=labels) if each.label_set == name else each
        for each in plan.variables
    )
    sets = {**plan.label_sets, name: labels}
    return msgspec.structs.replace(plan, label_sets=sets, variables=variables)


def copied(target: AnyOf, source: str, to: Names, parts: Iterable[str] | None) -> AnyOf:
    """See `Plan.copy_declaration`."""
    known = [each.name for each in target.variables]
    model = target.variables[known.index(resolve(source, known)[0])]
    wanted = _parts(parts)
    held = parts_of(model)
    if wanted is None:
        wanted = [part for part in PARTS if part not in OWN]
    return target.declare(to, **{part: held.get(part) for part in wanted})


def taken_back(target: AnyOf, names: Names, parts: Iterable[str] | None) -> AnyOf:
    """See `Plan.undeclare`."""
    wanted = _parts(parts)
    if wanted is None:
        wanted = [part for part in PARTS if part != "from"]
    return target.declare(names, **dict.fromkeys(wanted))


def _parts(parts: Iterable[str] | None) -> list[str] | None:
    if parts is None:
        return None
    wanted = [parts] if isinstance(parts, str) else list(parts)
    for part in wanted:
        if part not in PARTS:
            raise PlanError(f'there is no part "{part}"{nearest(part, PARTS)}')
    return wanted


def rename(plan: Plan, names: str | Renaming, new: str | None = None) -> Plan:
    """See `Plan.rename`."""
    known = [each.name for each in plan.variables]
    if not plan.listed and not callable(names):
        plan, known = _with_all(plan, [names] if isinstance(names, str) else list(names))
    elif not plan.listed:
        raise PlanError("rename: the plan does not list the variables; draft it first")
    changes = renamed(names, new, known)
    variables = tuple(called(each, changes.get(each.name)) for each in plan.variables)
    return msgspec.structs.replace(
        plan,
        variables=variables,
        keep=_changed(plan.keep, changes),
        order=_changed(plan.order, changes),
    )


def _with_all(plan: Plan, names: list[str]) -> tuple[Plan, list[str]]:
    """The plan with a declaration for each of these names."""
    known = [each.name for each in plan.variables]
    more = tuple(Variable(name) for name in names if name not in known)
    plan = msgspec.structs.replace(plan, variables=plan.variables + more)
    return plan, [each.name for each in plan.variables]


def called(variable: Variable, name: str | None) -> Variable:
    """The variable under another name; what it is called in the file stays known."""
    if name is None:
        return variable
    return msgspec.structs.replace(
        variable, name=name, from_=None if name == variable.heading else variable.heading
    )


def _changed(names: tuple[str, ...] | None, changes: Mapping[str, str]) -> tuple[str, ...] | None:
    return None if names is None else tuple(changes.get(name, name) for name in names)


def reorder(plan: Plan, names: Names, after: str | None) -> Plan:
    """See `Plan.reorder`."""
    known = [each.name for each in plan.variables]
    if plan.listed:
        before = [*(plan.order or ()), *known]
        known = list(dict.fromkeys(before))
        order = ordered(chosen(names, plan.variables), known, after)
    elif after is None and not isinstance(names, Mapping):
        order = named(names, known)
    else:
        raise PlanError("reorder: the plan does not list the variables; draft it first")
    return msgspec.structs.replace(plan, order=tuple(order))


def made_plain(plan: Plan, longest: int | None) -> Plan:
    """See `Plan.make_names_plain`."""
    if not plan.listed:
        return msgspec.structs.replace(plan, plain_names=longest or True)
    known = [each.name for each in plan.variables]
    made, notes = plain_names(known, longest)
    changes = {old: new for old, new in zip(known, made, strict=True) if old != new}
    plan = with_plain_names(plan, changes)
    return msgspec.structs.replace(plan, notes=(*plan.notes, *notes))


def with_plain_names(plan: Plan, changes: Mapping[str, str]) -> Plan:
    """The plan with variables renamed, their headings kept as labels where there are none."""
    variables = tuple(
        with_heading(each) if each.name in changes else each for each in plan.variables
    )
    return rename(msgspec.structs.replace(plan, variables=variables), changes)


def with_heading(variable: Variable) -> Variable:
    """The variable with its heading as its label, if it has none."""
    if variable.label is not None:
        return variable
    return msgspec.structs.replace(variable, label=variable.heading)
