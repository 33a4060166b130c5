"""Values as such, and as places in a dictionary of the different ones."""

from __future__ import annotations

import pyarrow as pa


def decoded(values: pa.Array) -> pa.Array:
    """Values as such, not as places in a dictionary."""
    return values.cast(values.type.value_type) if pa.types.is_dictionary(values.type) else values


def encoded(values: pa.Array) -> pa.DictionaryArray:
    """Values as places in a dictionary of the different ones."""
    return values if pa.types.is_dictionary(values.type) else values.dictionary_encode()
