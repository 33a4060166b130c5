"""Relations between tables: every value of some variables occurs in those of another table."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..dataset.crates import Relation, RelationState
from ..dataset.model import PlainDataset
from ..errors import PlanError, nearest
from .values import met_cases, unmet, values_of


def checked(
    relations: Iterable[Relation], table: Callable[[str], PlainDataset | None]
) -> tuple[RelationState, ...]:
    """Whether each relation holds; `table` gives a dataset, or nothing where there is none."""
    return tuple(_state(each, table) for each in relations)


def _state(relation: Relation, table: Callable[[str], PlainDataset | None]) -> RelationState:
    here, there = table(relation.table), table(relation.to_table)
    for name, dataset in ((relation.table, here), (relation.to_table, there)):
        if dataset is None:
            return RelationState(relation, False, why=f"{name} has no packed dataset")
    assert here is not None and there is not None
    for name, dataset, variables in (
        (relation.table, here, relation.variables),
        (relation.to_table, there, relation.to_variables),
    ):
        gone = [each for each in variables if each not in dataset]
        if gone:
            return RelationState(relation, False, why=f"{name} has no variable {gone[0]}")
    own, other = values_of(here, relation.variables), values_of(there, relation.to_variables)
    doubled = int((other.counts > 1).sum())
    unmatched = len(own.ids) - met_cases(own, other)
    return RelationState(
        relation,
        kept=not unmatched and not doubled,
        cases=len(own.ids),
        unmatched=unmatched,
        examples=unmet(here, relation.variables, own, other) if unmatched else (),
        doubled=doubled,
    )


def check_relation(relation: Relation, table: Callable[[str], PlainDataset | None]) -> None:
    """Raise `PlanError` for a relation between variables that are not there."""
    for name, variables in (
        (relation.table, relation.variables),
        (relation.to_table, relation.to_variables),
    ):
        dataset = table(name)
        for each in variables if dataset is not None else ():
            assert dataset is not None
            if each not in dataset:
                raise PlanError(
                    f'{name}: there is no variable "{each}"{nearest(each, dataset.names)}'
                )
