"""Datasets as pandas data frames."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import msgspec
import pyarrow as pa

from ..columns.cell_texts import checked_way, missing_texts
from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..declaration.codes import FIRST_CODE
from ..describe.frames import imported_pandas as _pandas

if TYPE_CHECKING:
    import pandas


def to_pandas(
    dataset: PlainDataset, missing: str = "null", labels: bool = False
) -> pandas.DataFrame:
    """A data frame; see `Dataset.to_pandas`."""
    checked_way(missing)
    pd = _pandas()
    series: dict[str, Any] = {}
    for name in dataset.names:
        column = dataset[name]
        if missing == "codes":
            series[name] = _with_codes(column)
        else:
            series[name] = (
                column.labelled().to_pandas()
                if labels and column.variable.meanings
                else _plain(column)
            )
        if missing == "reasons" and column.reasons.any():
            series[f"{name}_reason"] = column.reason_texts().to_pandas()
    made = pd.DataFrame(series)
    made.attrs["olive_crate"] = {each.name: msgspec.to_builtins(each) for each in dataset.variables}
    return made


def _plain(column: Column) -> Any:
    import pandas as pd

    nullable = {
        pa.int64(): pd.Int64Dtype(),
        pa.float64(): pd.Float64Dtype(),
        pa.bool_(): pd.BooleanDtype(),
        pa.string(): pd.StringDtype(),
        pa.large_string(): pd.StringDtype(),
    }
    values = column.values
    if pa.types.is_date32(values.type):  # seconds hold the years 1 to 9999
        values = values.cast(pa.timestamp("s"))
    return values.to_pandas(types_mapper=nullable.get)


def _with_codes(column: Column) -> Any:
    """Values, with codes back in the cells that they made missing; other cells stay null."""
    if not (column.reasons >= FIRST_CODE).any():
        return _plain(column)
    values = _plain(column)
    codes = column.variable.missing
    cells, texts = missing_texts(column)
    coded = column.reasons[cells] >= FIRST_CODE
    cells, words = cells[coded], texts.filter(pa.array(coded)).to_pylist()
    singles = [codes[number - FIRST_CODE].value for number in column.reasons[cells].tolist()]
    numeric = column.variable.type in ("integer", "number")
    back = [
        word if not numeric or isinstance(single, str) else _number(word)
        for word, single in zip(words, singles, strict=True)
    ]
    if not numeric or any(isinstance(each, str) for each in back):
        values = values.astype(object)
    elif any(isinstance(each, float) for each in back):
        values = values.astype("Float64")
    values[cells] = back
    return values


def _number(text: str) -> int | float:
    number = float(text)
    return int(number) if number.is_integer() else number
