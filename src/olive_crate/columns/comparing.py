"""A column compared with a value: which of its cells have a value for which that holds."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .. import kernels
from ..declaration.variable import Variable
from ..errors import PlanError
from ..kernels.buffers import arrow_flags, numpy_of
from ..kernels.types import Flags


def compared(variable: Variable, values: pa.Array, how: str, other: object) -> Flags:
    """A mask; false where either side is missing. Raises `PlanError` for what cannot be compared.

    Dates and times may be given as ISO 8601 text.
    """
    if pa.types.is_dictionary(values.type):
        values = values.cast(values.type.value_type)
    right = getattr(other, "values", other)
    if not isinstance(right, pa.Array):
        right = _scalar(variable, right, values.type)
    elif pa.types.is_dictionary(right.type):
        right = right.cast(right.type.value_type)
    try:
        if pa.types.is_duration(values.type):  # which Arrow compares as numbers only
            values, right = values.cast(pa.int64()), right.cast(pa.int64())
        mask = getattr(pc, how)(values, right)
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, pa.ArrowTypeError):
        name = variable.name
        raise PlanError(f'"{name}" ({variable.type}) compared with {other!r}') from None
    return numpy_of(mask, False)


def _scalar(variable: Variable, value: object, kind: pa.DataType) -> pa.Scalar:
    try:
        if isinstance(value, str) and not pa.types.is_string(kind):
            made = kernels.strings([value])[0].cast(kind)
        else:
            made = _as_scalar(value)
            if pa.types.is_temporal(kind) or pa.types.is_large_string(kind):
                made = made.cast(kind)
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, pa.ArrowTypeError, ValueError):
        made = None
    if made is None or not _of_a_kind(kind, made.type):
        raise PlanError(
            f'"{variable.name}" is of the type {variable.type}; '
            f"it cannot be compared with {value!r}"
        )
    return made


def _of_a_kind(left: pa.DataType, right: pa.DataType) -> bool:
    """True is not 1 here."""
    return bool(pa.types.is_null(right) or (left == pa.bool_()) == (right == pa.bool_()))


def _as_scalar(value: object) -> pa.Scalar:
    """A value as Arrow has it. (Arrow's own way looks for a data frame package first.)"""
    if type(value) is bool:
        return arrow_flags(np.array([value]))[0]
    if type(value) is int and abs(value) < 1 << 63:
        return kernels.whole_numbers(np.array([value], np.int64))[0]
    if type(value) is float:
        return kernels.arrow(np.array([value]), None, pa.float64())[0]
    return kernels.strings([value])[0] if type(value) is str else pa.scalar(value)
