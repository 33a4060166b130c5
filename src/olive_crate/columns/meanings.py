"""Values and their labels."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import Meaning
from ..declaration.values import value_text
from ..declaration.variable import Variable
from ..kernels.buffers import numpy_of
from ..kernels.types import Ints
from .dictionary_encoding import encoded


def meaning_places(variable: Variable, values: pa.Array, reasons: np.ndarray) -> Ints:
    """For each cell the place of its value's label in the declaration, or -1."""
    labels = variable.meanings
    places = np.full(len(values), -1, np.int64)
    if variable.type in ("integer", "number"):
        numbers = numpy_of(values)
        for place, label in enumerate(labels):
            if isinstance(label.value, str):
                continue
            if label.value is not None:
                hit = numbers == label.value
            else:
                low = -np.inf if label.from_ is None else label.from_
                high = np.inf if label.to is None else label.to
                hit = (numbers >= low) & (numbers <= high)
            places[hit & (places < 0)] = place
    elif labels:
        known = {str(each.value): place for place, each in enumerate(labels)}
        coded = encoded(values)
        words = [value_text(each) for each in coded.dictionary.to_pylist()]
        table = np.array([*(known.get(word, -1) for word in words), -1], np.int64)
        places = table[numpy_of(coded.indices, len(words))]
    places[reasons != 0] = -1
    return places


def meaning_counts(
    variable: Variable, values: pa.Array, reasons: np.ndarray
) -> list[tuple[Meaning, int]]:
    """The meanings with the number of cells that have them."""
    if not variable.meanings:
        return []
    places = meaning_places(variable, values, reasons)
    labels = variable.meanings
    counts = np.bincount(places[places >= 0], minlength=len(labels)).tolist()
    return list(zip(labels, counts, strict=True))


def labelled(variable: Variable, values: pa.Array, reasons: np.ndarray) -> pa.DictionaryArray:
    """Labels as an Arrow dictionary array, in the order of their declaration, then other values.

    It is ordered where the variable's level is ordinal; then values without a label stand in their
    own order before and behind the labels that they are below and above of, as far as the labels
    are of numbers.
    """
    labels, places = variable.meanings, meaning_places(variable, values, reasons)
    bare = np.flatnonzero((places < 0) & (reasons == 0))
    others = values.take(kernels.whole_numbers(bare))
    if not pa.types.is_dictionary(others.type):
        others = others.dictionary_encode()
    left = [(each, value_text(each)) for each in others.dictionary.to_pylist()]
    ends = [(_end(each), each.label) for each in labels]
    if variable.type in ("integer", "number") and variable.level == "ordinal":
        order = [word for _, word in sorted([*ends, *left], key=lambda item: item[0])]
    else:
        order = [word for _, word in ends] + sorted(word for _, word in left)
    order = list(dict.fromkeys(order))
    at = {word: index for index, word in enumerate(order)}
    table = np.array([*(at[each.label] for each in labels), 0], np.int32)
    chosen = table[places]
    if len(bare):
        own = np.array([at[word] for _, word in left], np.int32)
        chosen[bare] = own[numpy_of(others.indices)]
    return pa.DictionaryArray.from_arrays(
        kernels.arrow(chosen, reasons == 0, pa.int32()),
        kernels.strings(order),
        ordered=variable.level == "ordinal",
    )


def _end(label: Meaning) -> Any:
    """Where a label stands among numbers: at its value, or at the beginning of its range."""
    if label.value is not None:
        return label.value if not isinstance(label.value, str) else np.inf
    return -np.inf if label.from_ is None else label.from_


def meaning_of(value: Any, labels: tuple[Meaning, ...]) -> Meaning | None:
    """The meaning that a value has."""
    for each in labels:
        if each.value is not None:
            if each.value == value or str(each.value) == value_text(value):
                return each
        elif isinstance(value, (int, float)):
            low = each.from_ is None or value >= each.from_
            if low and (each.to is None or value <= each.to):
                return each
    return None
