"""By what tables can be put together: candidate keys, and variables with values in common.

Single variables are looked through; keys of several variables only where they are promised or
named, as there are too many to try and chance makes most of them unique.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from ..dataset.crates import Candidate, Hindrance, Keys, Kind, Relation, SharedKey
from ..dataset.model import PlainDataset
from ..kernels.types import Ints
from .values import DRESS, KEY_TYPES, Values, are_in, met_cases, unmet, values_of

MATCHES = 0.5
"""The share of a variable's values that another one of another name must have to be named."""
FEW = 20
"""Variables with fewer values than this have them in common by chance: codes from 1 to 5."""
TEXTS = {"text", "category", "together"}
COVERED = {True: 0.02, False: 0.5}
"""The share of a key that another variable must meet to be named: numbers meet by chance, texts
hardly."""
MANY = 0.1
"""The share of cases with different numbers above which a variable names things."""
LOOKED_AT = 2_000
"""Values that are tried first: most pairs of variables have nothing in common."""


class _Known(NamedTuple):
    """A variable, or several, of a table."""

    table: str
    names: tuple[str, ...]
    values: Values
    type: str


def keys_of(
    tables: Mapping[str, PlainDataset], composites: Sequence[tuple[str, tuple[str, ...]]] = ()
) -> Keys:
    """Candidate keys of tables, and what they share. `composites` are keys to be tried as well."""
    known = {name: _known(name, dataset) for name, dataset in tables.items()}
    for table, names in composites:
        dataset = tables[table]
        known[table].append(_Known(table, names, values_of(dataset, names), "together"))
    candidates = [
        Candidate(each.table, each.names, tables[each.table].rows)
        for held in known.values()
        for each in held
        if each.values.is_key and len(each.values.ids) == tables[each.table].rows
    ]
    shared = [
        made
        for one, other in itertools.combinations(known, 2)
        for here, there in itertools.product(known[one], known[other])
        if (made := _shared(tables, here, there)) is not None
    ]
    shared.sort(key=lambda each: -each.matched / max(1, each.cases))
    return Keys(tuple(tables), tuple(candidates), tuple(shared))


def _known(name: str, dataset: PlainDataset) -> list[_Known]:
    found = [
        _Known(name, (each.name,), values_of(dataset, [each.name]), each.type or "text")
        for each in dataset.variables
        if (each.type or "text") in KEY_TYPES
    ]
    key = tuple(each for each in dataset.plan.promised.key if each in dataset)
    if len(key) > 1:
        found.append(_Known(name, key, values_of(dataset, key), "together"))
    return found


def _shared(tables: Mapping[str, PlainDataset], here: _Known, there: _Known) -> SharedKey | None:
    """What two variables have in common; `None` for nothing that would put tables together."""
    if len(here.names) != len(there.names):
        return None
    same_name = here.names == there.names
    if here.values.is_key or there.values.is_key:
        key, other = (here, there) if here.values.is_key else (there, here)
        met = _met(other.values, key.values)
        if same_name:
            return _made(tables, here, there) if met or _alike(tables, here, there) else None
        enough = len(other.values.distinct) >= FEW and met >= MATCHES * len(other.values.distinct)
        covers = met >= COVERED[bool({here.type, there.type} & TEXTS)] * len(key.values.distinct)
        return _made(tables, here, there) if enough and covers else None
    if not same_name or not (_names_things(here) and _names_things(there)):
        return None
    fewer, more = sorted((here.values, there.values), key=lambda each: len(each.distinct))
    enough = _met(fewer, more) >= MATCHES * len(fewer.distinct)
    return _made(tables, here, there) if enough else None


def _names_things(known: _Known) -> bool:
    """Does a variable that is no key name things all the same: by texts, or by many numbers?"""
    distinct = len(known.values.distinct)
    return distinct >= FEW and (
        known.type in TEXTS or distinct >= MANY * max(1, len(known.values.ids))
    )


def _met(one: Values, other: Values) -> int:
    """How many distinct values of one the other has; some are tried first."""
    step = max(1, len(one.distinct) // LOOKED_AT)
    if not are_in(one.distinct[::step], other.distinct).any():
        return 0
    return int(are_in(one.distinct, other.distinct).sum())


def _alike(tables: Mapping[str, PlainDataset], here: _Known, there: _Known) -> bool:
    """Would they have values in common without blanks, leading zeros, and the case of letters?"""
    if not {here.type, there.type} & TEXTS:
        return False
    return _met_without(tables, here, there, DRESS) > 0


def _made(tables: Mapping[str, PlainDataset], here: _Known, there: _Known) -> SharedKey:
    here_counts = here.values.counts[are_in(here.values.distinct, there.values.distinct)]
    there_counts = there.values.counts[are_in(there.values.distinct, here.values.distinct)]
    met, back = int(here_counts.sum()), int(there_counts.sum())
    return SharedKey(
        Relation(here.table, here.names, there.table, there.names),
        kind=_kind(here_counts, there_counts),
        cases=len(here.values.ids),
        matched=met,
        to_cases=len(there.values.ids),
        to_matched=back,
        unmatched=unmet(tables[here.table], here.names, here.values, there.values),
        to_unmatched=unmet(tables[there.table], there.names, there.values, here.values),
        types=(here.type, there.type),
        notes=tuple(_notes(tables, here, there, met)),
    )


def _kind(here: Ints, there: Ints) -> Kind:
    """How many cases of the one meet how many of the other; the cases of values that both have."""
    many_here, many_there = bool((here > 1).any()), bool((there > 1).any())
    words: dict[tuple[bool, bool], Kind] = {
        (False, False): "one to one",
        (False, True): "one to many",
        (True, False): "many to one",
        (True, True): "many to many",
    }
    return words[many_here, many_there]


def _notes(
    tables: Mapping[str, PlainDataset], here: _Known, there: _Known, met: int
) -> Iterator[Hindrance]:
    """Why values that look alike do not meet: what has to be taken off for more of them to meet."""
    if here.type != there.type:
        yield "types differ"
    if met == len(here.values.ids) or not {here.type, there.type} & TEXTS:
        return
    most = _met_without(tables, here, there, DRESS)
    if most > met:
        for each in DRESS:
            others = [other for other in DRESS if other != each]
            if _met_without(tables, here, there, others) < most:
                yield each


def _met_without(
    tables: Mapping[str, PlainDataset], here: _Known, there: _Known, without: Sequence[str]
) -> int:
    """How many cases of the one would meet one of the other without some of `DRESS`."""
    one = values_of(tables[here.table], here.names, without)
    return met_cases(one, values_of(tables[there.table], there.names, without))
