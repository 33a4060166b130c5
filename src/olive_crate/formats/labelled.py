"""Datasets with labels in place of values, for those who read no codebook."""

from __future__ import annotations

import msgspec
import numpy as np

from ..columns.cell_texts import missing_texts
from ..columns.column import Column, Columns, Unread
from ..columns.dictionary_encoding import decoded
from ..dataset.model import PlainDataset
from ..declaration.codes import FIRST_CODE, MissingCode
from ..declaration.values import value_text
from ..declaration.variable import Variable


def with_labels(dataset: PlainDataset) -> PlainDataset:
    """The dataset with texts in place of all values that have meanings; reasons stay."""
    variables: list[Variable] = []
    columns: dict[str, Column | Unread] = {}
    for each in dataset.variables:
        if not each.meanings:
            variables.append(each)
            columns[each.name] = dataset.held(each.name)
            continue
        made = _in_words(dataset[each.name])
        variables.append(made.variable)
        columns[each.name] = made
    return msgspec.structs.replace(
        dataset, variables=tuple(variables), columns=Columns(columns), parts=None
    )


def _in_words(column: Column) -> Column:
    """A column of labels, with the missing codes as texts."""
    codes, reasons = _codes_as_texts(column)
    variable = msgspec.structs.replace(
        column.variable,
        type="text",
        meanings=(),
        meaning_set=None,
        level=None,
        format=None,
        decimals=None,
        promised=None,
        missing=codes,
    )
    return Column(variable, decoded(column.labelled()), reasons, column.withheld)


def _codes_as_texts(column: Column) -> tuple[tuple[MissingCode, ...], np.ndarray]:
    """Missing codes of a text variable; a range of numbers becomes the codes that occur."""
    made: list[MissingCode] = []
    reasons = np.array(column.reasons)
    cells, texts = missing_texts(column)
    words = np.array(texts.to_pylist(), object)
    for number, code in enumerate(column.variable.missing, FIRST_CODE):
        own = column.reasons[cells] == number
        single = code.value is not None
        for word in [value_text(code.value)] if single else sorted({*words[own].tolist()}):
            reasons[cells[own & ((words == word) | single)]] = FIRST_CODE + len(made)
            made.append(MissingCode(value=word, reason=code.reason))
    return tuple(made), reasons
