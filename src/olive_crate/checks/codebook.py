"""The codebook: what each variable is, and what its cells hold."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..celltexts import shown
from ..columns import Column
from ..dataset import Dataset
from ..variables import Variable


class Entry(msgspec.Struct, frozen=True):
    """One variable of a codebook."""

    position: int
    variable: Variable
    valid: int
    missing: dict[str, int]
    """Cells without a value, by reason."""
    distinct: int
    smallest: str
    largest: str
    """Of text and categories, empty: `common` says more of them."""
    common: tuple[tuple[str, int], ...] = ()
    """The commonest texts with their counts; of text that is always different, none."""
    labelled: tuple[tuple[str, int], ...] = ()
    """The value labels with the number of cells that have them."""


class Codebook(msgspec.Struct, frozen=True):
    """The variables of a dataset in order."""

    entries: tuple[Entry, ...]
    rows: int

    def __iter__(self) -> Iterator[Entry]:
        return iter(self.entries)

    def __len__(self) -> int:
        return len(self.entries)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain

    def _repr_html_(self) -> str:
        from ..notebook import codebook_html

        return codebook_html(self)

    def __str__(self) -> str:
        from .booktext import codebook_text

        return codebook_text(self)


def codebook(dataset: Dataset) -> Codebook:
    """Make the codebook of a dataset."""
    entries = tuple(
        _entry(position, dataset[name]) for position, name in enumerate(dataset.names, 1)
    )
    return Codebook(entries, dataset.rows)


def _entry(position: int, column: Column) -> Entry:
    values, variable = column.values, column.variable
    plain = values.cast(values.type.value_type) if pa.types.is_dictionary(values.type) else values
    valid = len(plain) - plain.null_count
    smallest = largest = ""
    common: tuple[tuple[str, int], ...] = ()
    if variable.type in ("text", "category"):
        distinct, common = _commonest(plain)
    elif variable.type == "boolean":
        distinct = len(plain.drop_null().unique())
        common = tuple((shown(value), count) for value, count in _ranked(plain))
    else:
        distinct = int(pc.count_distinct(plain, mode="only_valid").as_py())
        if valid:
            ends = _ends(plain)
            smallest = shown(ends["min"], variable.decimals)
            largest = shown(ends["max"], variable.decimals)
    return Entry(
        position,
        variable,
        valid,
        column.reason_counts(),
        distinct,
        smallest,
        largest,
        common,
        _labelled(column, plain),
    )


def _ends(values: pa.Array) -> dict[str, Any]:
    """The smallest and the largest value. (Arrow compares durations only as numbers.)"""
    if not pa.types.is_duration(values.type):
        found: dict[str, Any] = pc.min_max(values).as_py()
        return found
    ends = pc.min_max(values.cast(pa.int64()))
    return {key: ends[key].cast(values.type).as_py() for key in ("min", "max")}


def _commonest(values: pa.Array, most: int = 3) -> tuple[int, tuple[tuple[str, int], ...]]:
    ranked = _ranked(values)
    top = tuple((str(value), count) for value, count in ranked[:most] if count > 1)
    return len(ranked), top


def _ranked(values: pa.Array) -> list[tuple[Any, int]]:
    counted = values.drop_null().value_counts()
    counts = counted.field("counts").to_numpy()
    order = np.argsort(-counts, kind="stable")
    words = counted.field("values")
    head = [(words[int(place)].as_py(), int(counts[place])) for place in order[:1000]]
    return head + [(None, int(counts[place])) for place in order[1000:]]


def _labelled(column: Column, values: pa.Array) -> tuple[tuple[str, int], ...]:
    found = []
    for label in column.variable.values:
        if label.value is not None:
            hits = pc.equal(values, pa.scalar(label.value).cast(values.type, safe=False))
        else:
            low = pc.greater_equal(values, label.from_) if label.from_ is not None else True
            high = pc.less_equal(values, label.to) if label.to is not None else True
            hits = (
                pc.and_(low, high)
                if label.from_ is not None and label.to is not None
                else (low if label.from_ is not None else high)
            )
        found.append((str(label), int(pc.sum(hits).as_py() or 0)))
    return tuple(found)
