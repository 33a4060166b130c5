"""Values shown by their labels."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pyarrow as pa

from .celltexts import shown
from .codes import ValueLabel
from .kernels import reference as kernels

if TYPE_CHECKING:
    from .columns import Column


def labelled(column: Column) -> pa.DictionaryArray:
    """Labels as an Arrow dictionary array, in the order of their declaration, then other values.

    It is ordered where the variable's level is ordinal.
    """
    values = column.values
    if not pa.types.is_dictionary(values.type):
        values = values.dictionary_encode()
    labels = column.variable.values
    words = [label_of(each, labels) for each in values.dictionary.to_pylist()]
    order = [each.label for each in labels]
    others = [
        (value, word)
        for value, word in zip(values.dictionary.to_pylist(), words, strict=True)
        if word not in order
    ]
    order = list(dict.fromkeys(order + [word for _, word in sorted(others, key=_sortable)]))
    place = {word: index for index, word in enumerate(order)}
    new = [place[word] for word in words]
    indices = values.indices.to_numpy(zero_copy_only=False)
    import numpy as np

    present = column.reasons == 0
    table = np.array([*new, 0], np.int32)
    chosen = table[np.where(present, np.nan_to_num(indices), len(new)).astype(np.int64)]
    return pa.DictionaryArray.from_arrays(
        kernels.arrow(chosen, present, pa.int32()),
        kernels.strings(order),
        ordered=column.variable.level == "ordinal",
    )


def _sortable(item: tuple[Any, str]) -> tuple[bool, Any]:
    value, word = item
    number = isinstance(value, (int, float))
    return not number, value if number else word


def label_of(value: Any, labels: tuple[ValueLabel, ...]) -> str:
    """The label of one value; the value itself as text where it has none."""
    found = label_for(value, labels)
    return shown(value) if found is None else found.label


def label_for(value: Any, labels: tuple[ValueLabel, ...]) -> ValueLabel | None:
    """The value label that a value has."""
    for each in labels:
        if each.value is not None:
            if each.value == value or str(each.value) == value:
                return each
        elif isinstance(value, (int, float)):
            low = each.from_ is None or value >= each.from_
            if low and (each.to is None or value <= each.to):
                return each
    return None
