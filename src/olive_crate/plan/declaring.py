"""Declarations of a plan: made, copied, taken back; variables named and put in order.

Datasets have the same, under the same names (`reading/redeclaring.py`): there cells change as well.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

import msgspec

from ..declaration.codes import meanings_from
from ..declaration.ignored import Ignored
from ..declaration.settled import Settled
from ..declaration.variable import DECLARATION_PARTS, Variable, declared, parts_of
from ..errors import PlanError, nearest
from ..evidence import with_answers
from .model import Decisions
from .naming import Renaming, ordered, plain_names, renamed
from .selecting import Names, chosen, named, resolve

P = TypeVar("P", bound=Decisions)
A = TypeVar("A", Settled, Ignored)
OWN = ("from", "label")
"""Parts that belong to one variable alone, and are not copied unless asked for."""


def declare(plan: P, names: Names, parts: Mapping[str, Any]) -> P:
    """See `Plan.declare`."""
    if plan.listed or isinstance(names, Mapping):
        wanted = chosen(names, plan.variables)
    else:
        wanted = named(names, [each.name for each in plan.variables])
    given = dict(parts)
    new = given.pop("name", None)
    if new is not None and len(wanted) > 1:
        raise PlanError("name: several variables cannot share a name")
    table = {each.name: each for each in plan.variables}
    for name in wanted:
        table[name] = declared(table.get(name, Variable(name)), given, sets=plan.meaning_sets)
    evidence = with_answers(plan.evidence, wanted, given)
    made = msgspec.structs.replace(plan, variables=tuple(table.values()), evidence=evidence)
    return rename(made, wanted[0], new) if new is not None else made


def declare_labels(plan: P, labels: Mapping[str, str]) -> P:
    """The plan with a label for each of these variables."""
    table = {each.name: each for each in plan.variables}
    for name, label in labels.items():
        old = table.get(name, Variable(name))
        table[name] = declared(old, {"label": label}, sets=plan.meaning_sets)
    return msgspec.structs.replace(plan, variables=tuple(table.values()))


def declare_set(plan: P, name: str, meanings: Any) -> P:
    """See `Plan.declare_set`."""
    if not name:
        raise PlanError("a set of meanings needs a name")
    made = meanings_from(meanings, f'meaning set "{name}"')
    variables = tuple(
        msgspec.structs.replace(each, meanings=made) if each.meaning_set == name else each
        for each in plan.variables
    )
    sets = {**plan.meaning_sets, name: made}
    return msgspec.structs.replace(plan, meaning_sets=sets, variables=variables)


def parts_like(
    variables: Sequence[Variable], like: str, parts: Iterable[str] | None
) -> dict[str, Any]:
    """The declaration of the variable `like`, to declare others by; `None` takes a part back."""
    known = [each.name for each in variables]
    model = variables[known.index(resolve(like, known)[0])]
    wanted = _parts(parts)
    if wanted is None:
        wanted = [part for part in DECLARATION_PARTS if part not in OWN]
    held = parts_of(model)
    return {part: held.get(part) for part in wanted}


def parts_taken_back(parts: Iterable[str] | None) -> dict[str, Any]:
    """Parts to declare as `None`: these, or all of them."""
    wanted = _parts(parts)
    if wanted is None:
        wanted = [part for part in DECLARATION_PARTS if part != "from"]
    return dict.fromkeys(wanted)


def _parts(parts: Iterable[str] | None) -> list[str] | None:
    if parts is None:
        return None
    wanted = [parts] if isinstance(parts, str) else list(parts)
    for part in wanted:
        if part not in DECLARATION_PARTS:
            raise PlanError(f'there is no part "{part}"{nearest(part, DECLARATION_PARTS)}')
    return wanted


def rename(plan: P, names: str | Renaming, new: str | None = None) -> P:
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
        settled=_moved(plan.settled, changes),
        ignored=_moved(plan.ignored, changes),
    )


def _moved(about: tuple[A, ...], changes: Mapping[str, str]) -> tuple[A, ...]:
    """What is said about variables, under their new names."""
    return tuple(
        msgspec.structs.replace(each, variable=changes.get(each.variable, each.variable))
        for each in about
    )


def _with_all(plan: P, names: list[str]) -> tuple[P, list[str]]:
    """The plan with a declaration for each of these names."""
    known = {each.name for each in plan.variables}
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


def reorder(plan: P, names: Names, after: str | None) -> P:
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


def made_plain(plan: P, longest: int | None) -> P:
    """See `Plan.make_names_plain`."""
    if not plan.listed:
        return msgspec.structs.replace(plan, plain_names=longest or True)
    known = [each.name for each in plan.variables]
    made, notes = plain_names(known, longest)
    changes = {old: new for old, new in zip(known, made, strict=True) if old != new}
    plan = with_plain_names(plan, changes)
    return msgspec.structs.replace(plan, notes=(*plan.notes, *notes))


def with_plain_names(plan: P, changes: Mapping[str, str]) -> P:
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
