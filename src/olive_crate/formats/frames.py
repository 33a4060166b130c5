"""Datasets as pandas data frames."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from ..codes import FIRST_CODE, ValueLabel
from ..columns import Column
from ..dataset import Dataset
from ..errors import PlanError, nearest

if TYPE_CHECKING:
    import pandas

WAYS = ("null", "codes", "reasons")


def to_pandas(dataset: Dataset, missing: str = "null", labels: bool = False) -> pandas.DataFrame:
    """A data frame; see `Dataset.to_pandas`."""
    if missing not in WAYS:
        raise PlanError(f'missing: there is no way "{missing}"{nearest(missing, WAYS)}')
    try:
        import pandas as pd
    except ImportError:
        raise PlanError('pandas is not installed; install "olive-crate[pandas]"') from None
    series: dict[str, Any] = {}
    for name in dataset.names:
        column = dataset[name]
        if missing == "codes":
            series[name] = _with_codes(column)
        else:
            series[name] = (
                _labelled(column) if labels and column.variable.values else _plain(column)
            )
        if missing == "reasons" and column.reasons.any():
            series[f"{name}_reason"] = column.reason_texts().to_pandas()
    return pd.DataFrame(series)


def _plain(column: Column) -> Any:
    import pandas as pd

    nullable = {
        pa.int64(): pd.Int64Dtype(),
        pa.float64(): pd.Float64Dtype(),
        pa.bool_(): pd.BooleanDtype(),
        pa.string(): pd.StringDtype(),
        pa.large_string(): pd.StringDtype(),
    }
    return column.values.to_pandas(types_mapper=nullable.get)


def _with_codes(column: Column) -> Any:
    """Values, with the code itself where a single code was met; other cells stay null."""
    if not (column.reasons >= FIRST_CODE).any():
        return _plain(column)
    values = _plain(column)
    codes = column.variable.missing
    met = [int(number) for number in np.unique(column.reasons) if number >= FIRST_CODE]
    held = {number: codes[number - FIRST_CODE].value for number in met}
    if any(isinstance(code, str) for code in held.values()) or column.variable.type not in (
        "integer",
        "number",
    ):
        values = values.astype(object)
    elif any(isinstance(code, float) for code in held.values()):
        values = values.astype("Float64")
    for number, code in held.items():
        if code is not None:
            values[column.reasons == number] = code
    return values


def _labelled(column: Column) -> Any:
    """Values as ordered categories by their labels; values without a label show as they are."""
    import pandas as pd

    plain = column.values.to_pylist()
    labels = column.variable.values
    words = [None if value is None else _label_of(value, labels) for value in plain]
    order = [each.label for each in labels]
    order += sorted({word for word in words if word is not None and word not in order})
    ordered = column.variable.level == "ordinal"
    return pd.Series(pd.Categorical(words, categories=list(dict.fromkeys(order)), ordered=ordered))


def _label_of(value: Any, labels: tuple[ValueLabel, ...]) -> str:
    for each in labels:
        if each.value is not None:
            if each.value == value:
                return each.label
        elif not isinstance(value, str):
            low = each.from_ is None or value >= each.from_
            if low and (each.to is None or value <= each.to):
                return each.label
    return str(value)
