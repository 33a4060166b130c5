"""The values of variables as sets of numbers, by which tables are held against one another.

Each value becomes 64 bits: a whole number itself wherever it is written as one, a text its hash.
Different texts have the same hash once in 2^64 pairs. Sorted, the values of a million cases are
compared with those of another million in a few hundredths of a second.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..checks.row_hashes import mixed
from ..columns.column import Column
from ..dataset.crates import Hindrance
from ..dataset.model import PlainDataset
from ..kernels import text_hashes
from ..kernels.types import Flags, Ints, Words

WHOLE = ("integer", "date")
KEY_TYPES = ("integer", "text", "category", "date", "datetime")
"""Types of which variables can be keys; measurements agree by chance only."""
GOLDEN = np.uint64(0x9E3779B97F4A7C15)
DRESS: tuple[Hindrance, ...] = ("leading zeros", "blanks", "case of letters")
"""What may keep texts apart that name the same."""
LOOKED_AT = 20_000
"""Cases that are looked through at a time for values to be shown."""


class Values(NamedTuple):
    """The values of one or several variables, together."""

    ids: Words
    """For each case with a value in all of them."""
    cases: Ints
    """Which cases these are."""
    distinct: Words
    """Sorted, each once."""
    counts: Ints
    """How many cases have each of them."""

    @property
    def is_key(self) -> bool:
        """Has every case of the dataset another value? (Cases without one are not here.)"""
        return len(self.distinct) == len(self.ids) > 0


def values_of(dataset: PlainDataset, names: Sequence[str], without: Sequence[str] = ()) -> Values:
    """The values of variables, without what `DRESS` names, as far as it is asked for."""
    made: Words | None = None
    known: Flags = np.ones(dataset.rows, bool)
    for place, name in enumerate(names):
        column = dataset.column_once(name)
        known &= column.reasons == 0
        ids = _ids(column, without)
        if len(names) > 1:
            salt = np.array([(place + 1) * int(GOLDEN) % 2**64], np.uint64)
            ids = mixed(ids, mixed(salt)[0])
        made = ids if made is None else made + ids
    assert made is not None
    cases = np.flatnonzero(known)
    chosen = made[cases]
    distinct, counts = np.unique(chosen, return_counts=True)
    return Values(chosen, cases, distinct, counts)


def _ids(column: Column, without: Sequence[str]) -> Words:
    values = column.values
    kind = values.type
    if pa.types.is_dictionary(kind):
        words = np.append(_of_texts(values.dictionary, without), np.uint64(0))
        indices = values.indices.fill_null(len(words) - 1)
        coded: Words = words[np.asarray(indices)]
        return coded
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return _of_texts(values, without)
    if pa.types.is_floating(kind):
        numbers = np.asarray(values.fill_null(0.0))
        whole = numbers.astype(np.int64)
        same = whole == numbers
        return np.where(same, whole.view(np.uint64), numbers.view(np.uint64) ^ GOLDEN)
    if pa.types.is_null(kind):
        return np.zeros(len(values), np.uint64)
    if pa.types.is_boolean(kind):
        return np.asarray(values.fill_null(False)).astype(np.uint64)
    cast = values.cast(pa.int32() if kind.bit_width == 32 else pa.int64())
    return np.asarray(cast.fill_null(0)).astype(np.int64).view(np.uint64)


def _of_texts(texts: pa.Array, without: Sequence[str]) -> Words:
    """Hashes of texts; of those that are whole numbers as they stand, the number."""
    if "blanks" in without:
        texts = pc.utf8_trim_whitespace(texts)
    if "case of letters" in without:
        texts = pc.utf8_lower(texts)
    if "leading zeros" in without:
        texts = pc.replace_substring_regex(texts, "^0+([0-9])", r"\1")
    texts = texts.fill_null("")
    ids = np.array(text_hashes(texts))
    is_whole = np.asarray(pc.match_substring_regex(texts, "^(0|-?[1-9][0-9]{0,17})$"))
    at = np.flatnonzero(is_whole)
    if len(at):
        numbers = texts.take(pa.array(at)).cast(pa.int64())
        ids[at] = np.asarray(numbers).view(np.uint64)
    return ids


def are_in(values: Words, others: Words) -> Flags:
    """Which of these values are among the others, which are sorted?"""
    if not len(others):
        return np.zeros(len(values), bool)
    at = np.minimum(np.searchsorted(others, values), len(others) - 1)
    found: Flags = others[at] == values
    return found


def met_cases(values: Values, others: Values) -> int:
    """How many cases have a value that the others have too."""
    return int(values.counts[are_in(values.distinct, others.distinct)].sum())


def unmet(
    dataset: PlainDataset, names: Sequence[str], values: Values, others: Values, most: int = 5
) -> tuple[str, ...]:
    """The first values, as texts, that the others do not have; each once."""
    found: list[int] = []
    seen: set[int] = set()
    for start in range(0, len(values.ids), LOOKED_AT):
        part = values.ids[start : start + LOOKED_AT]
        for place in np.flatnonzero(~are_in(part, others.distinct)).tolist():
            if int(part[place]) not in seen:
                seen.add(int(part[place]))
                found.append(int(values.cases[start + place]))
            if len(found) == most:
                break
        if len(found) == most:
            break
    columns = [dataset[name] for name in names]
    return tuple(", ".join(str(each.values[case].as_py()) for each in columns) for case in found)
