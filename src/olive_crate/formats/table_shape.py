"""How the variables of a dataset lie in the columns of a Parquet file.

A variable is a column of its type. Beside it stands a column with the reasons of its missing cells,
where it has any, and one with what stood in cells whose declaration does not tell it.
"""

from __future__ import annotations

import base64
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from .. import kernels
from ..columns.column import Column, Withheld
from ..declaration.variable import Variable

LOOKED_AT = 4096
"""First cases that tell how a column is encoded."""
BATCH, WIDE = 1 << 13, 128
"""Cells encoded at once. Larger batches are faster, but pages end only between batches, so columns
of more than `WIDE` bytes a cell use the default."""


class TableShape:
    """The columns of a file for variables of these types."""

    def __init__(
        self, variables: Sequence[Variable], types: Sequence[pa.DataType], missing: dict[str, bool]
    ) -> None:
        """`missing` has the variables with missing cells, and whether any of them are withheld."""
        names = [each.name for each in variables]
        known = {name: held for name, held in missing.items() if name in set(names)}
        self.names = names
        self.reasons = beside(names, known, "reason")
        held = [name for name, withheld in known.items() if withheld]
        self.withheld = beside([*names, *self.reasons.values()], held, "withheld")
        fields = []
        for variable, kind in zip(variables, types, strict=True):
            fields.append(pa.field(variable.name, kind))
            if variable.name in self.reasons:
                words = pa.dictionary(pa.int16(), pa.string())
                fields.append(pa.field(self.reasons[variable.name], words))
            if variable.name in self.withheld:
                fields.append(pa.field(self.withheld[variable.name], pa.string()))
        self.schema = pa.schema(fields)

    def table(self, columns: Sequence[Column]) -> pa.Table:
        """The columns as a table of this shape."""
        arrays: list[pa.Array] = []
        for column in columns:
            arrays.append(column.values)
            if column.variable.name in self.reasons:
                arrays.append(column.reason_texts())
            if column.variable.name in self.withheld:
                arrays.append(_spread(column.withheld, len(column)))
        return pa.Table.from_arrays(arrays, names=self.schema.names)


def new_writer(where: Any, shape: TableShape, first: pa.Table | None = None) -> pq.ParquetWriter:
    """A Parquet file being written, compressed as all of ours are.

    Columns of whole numbers or moments that hardly repeat in the first cases are written as
    differences (Parquet's DELTA_BINARY_PACKED): a dictionary of them is built in vain, and takes
    several times as long. Dictionary-encoded text columns are written as they are; the stored
    schema still says text. Reason columns get no minimum and maximum: nobody filters by them.
    """
    schema = shape.schema if first is None else _with_dictionaries(shape.schema, first.schema)
    differences = [] if first is None else [n for n in schema.names if _hardly_repeats(first, n)]
    apart = set(differences)
    others = [name for name in schema.names if name not in apart]
    aside = {*shape.reasons.values(), *shape.withheld.values()}
    writer = pq.ParquetWriter(
        where,
        schema,
        compression="zstd",
        compression_level=1,
        write_page_checksum=True,
        use_dictionary=others if differences else True,
        column_encoding=dict.fromkeys(differences, "DELTA_BINARY_PACKED") or None,
        write_statistics=[name for name in schema.names if name not in aside] or True,
        write_batch_size=BATCH if first is None or _widest(first) <= WIDE else None,
        store_schema=False,
    )
    told = base64.b64encode(shape.schema.serialize().to_pybytes())
    writer.add_key_value_metadata({b"ARROW:schema": told})
    return writer


def written_as(table: pa.Table, schema: pa.Schema) -> pa.Table:
    """The table with its text columns encoded as the writer expects them."""
    for place, (own, wanted) in enumerate(zip(table.schema, schema, strict=True)):
        if own.type != wanted.type:
            values = table.column(place)
            if pa.types.is_dictionary(wanted.type) and not pa.types.is_dictionary(own.type):
                values = values.dictionary_encode()
            table = table.set_column(place, wanted, values.cast(wanted.type))
    return table


def _with_dictionaries(schema: pa.Schema, first: pa.Schema) -> pa.Schema:
    """The schema with the dictionary types of the first table."""
    fields = zip(schema, first.types, strict=True)
    repeat = pa.types.is_dictionary
    return pa.schema([field.with_type(came) if repeat(came) else field for field, came in fields])


def _widest(table: pa.Table) -> float:
    """Bytes per cell of the widest column."""
    widest = max((int(each.nbytes) for each in table.columns), default=0)
    return float(widest / max(1, table.num_rows))


def _hardly_repeats(table: pa.Table, name: str) -> bool:
    kind = table.schema.field(name).type
    if not (pa.types.is_integer(kind) or pa.types.is_temporal(kind)) or pa.types.is_duration(kind):
        return False
    some = table.column(name).slice(0, LOOKED_AT)
    return len(some) == LOOKED_AT and len(some.unique()) > LOOKED_AT // 2


def beside(taken: Iterable[str], names: Iterable[str], what: str) -> dict[str, str]:
    """What the column that stands beside each variable is called."""
    used, found = set(taken), {}
    for name in names:
        column = f"{name}_{what}"
        while column in used:
            column += "_"
        used.add(column)
        found[name] = column
    return found


def _spread(withheld: Withheld, count: int) -> pa.Array:
    """Texts in their cells, null elsewhere."""
    place = np.full(count, len(withheld), np.int64)
    place[withheld.cells] = np.arange(len(withheld))
    known = kernels.arrow(place, place < len(withheld), pa.int64())
    return withheld.texts.take(known)
