"""What a codebook says of a variable that is not held as a whole, put together from pieces."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .. import kernels
from ..columns.cell_texts import more_decimals
from ..columns.column import reason_totals
from ..columns.dictionary_encoding import decoded
from ..columns.meanings import meaning_counts, meaning_places
from ..dataset.model import PlainDataset
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..evidence import TextCount
from .large import Figured, Pieces
from .meanings import MOST, UnexplainedValues
from .spread import over

WORDS = ("text", "category", "boolean")
"""Types of which a codebook counts the values."""


class Described(msgspec.Struct, eq=False):
    """What is known of one variable."""

    reasons: np.ndarray
    valid: int
    values: Counter[Any]
    """The values of texts and truth values."""
    low: Any
    high: Any
    meanings: list[int]
    more_decimals: int
    bare: Counter[str]
    """Values without a meaning, where others have one."""
    distinct: int = 0

    @property
    def unexplained(self) -> UnexplainedValues | None:
        """Values without a meaning; `None` if there are none."""
        if not self.bare:
            return None
        named = tuple(TextCount(text, count) for text, count in self.bare.most_common(MOST))
        return UnexplainedValues(named, len(self.bare) - len(named), self.bare.total())


def described(dataset: PlainDataset, variable: Variable, timed: pa.DataType | None) -> Described:
    """One variable by all of its pieces."""
    parts = over(dataset, [variable.name], _part)
    made = Described(
        sum((each.reasons for each in parts), np.zeros(256, np.int64)),
        sum(each.valid for each in parts),
        _added([each.values for each in parts]),
        min((each.low for each in parts if each.low is not None), default=None),
        max((each.high for each in parts if each.high is not None), default=None),
        [sum(each) for each in zip(*(part.meanings for part in parts), strict=True)],
        sum(each.more_decimals for each in parts),
        _added([each.bare for each in parts]),
    )
    if variable.type in NUMERIC or timed is not None:
        made.distinct = Figured(dataset, variable.name, timed).distinct
    else:
        made.distinct = len(made.values)
    return made


def _added(parts: Sequence[Counter[Any]]) -> Counter[Any]:
    total: Counter[Any] = Counter()
    for each in parts:
        total.update(each)
    return total


def _part(pieces: Pieces) -> Described:
    """What some pieces of a variable come to."""
    made: Described | None = None
    for piece in pieces[0]:
        variable, values, reasons = piece.variable, piece.values, piece.reasons
        if made is None:
            nothing = [0] * len(variable.meanings)
            made = Described(
                np.zeros(256, np.int64), 0, Counter(), None, None, nothing, 0, Counter()
            )
        made.reasons += reason_totals(reasons)
        made.valid += len(values) - values.null_count
        if variable.type in WORDS:
            _count(made.values, decoded(values))
        else:
            low, high = _ends(values)
            made.low = low if made.low is None else made.low if low is None else min(made.low, low)
            made.high = (
                high if made.high is None else made.high if high is None else max(made.high, high)
            )
        made.more_decimals += more_decimals(piece)
        if variable.meanings:
            counts = [count for _, count in meaning_counts(variable, values, reasons)]
            made.meanings = [a + b for a, b in zip(made.meanings, counts, strict=True)]
            places = meaning_places(variable, values, reasons)
            bare = np.flatnonzero((places < 0) & (reasons == 0))
            if len(bare):
                found: Counter[Any] = Counter()
                _count(found, decoded(values.take(kernels.whole_numbers(bare))))
                made.bare.update({value_text(value): count for value, count in found.items()})
    assert made is not None  # there is at least one piece
    return made


def _count(counter: Counter[Any], values: pa.Array) -> None:
    found = values.drop_null().value_counts()
    words, counts = found.field("values").to_pylist(), found.field("counts").to_pylist()
    for word, count in zip(words, counts, strict=True):
        counter[word] += count


def _ends(values: pa.Array) -> tuple[Any, Any]:
    """The smallest and the largest value. (Arrow compares durations only as numbers.)"""
    if pa.types.is_duration(values.type):
        ends = pc.min_max(values.cast(pa.int64()))
        return ends["min"].cast(values.type).as_py(), ends["max"].cast(values.type).as_py()
    found: dict[str, Any] = pc.min_max(values).as_py()
    return found["min"], found["max"]
