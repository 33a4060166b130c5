"""Datasets as Arrow files and as Parquet without anything of our own in it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .. import kernels
from ..columns.cell_texts import missing_texts
from ..columns.column import Column
from ..columns.dictionary_encoding import decoded
from ..dataset.taking import arrow_table, pieces_of, rows_of
from ..declaration.codes import FIRST_CODE
from ..errors import Advice, PlanError, with_article
from ..kernels.buffers import arrow_flags

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset


ROWS = 1 << 18
"""Cases that are written at a time."""


def arrow_writer(dataset: PlainDataset, kind: str, missing: str) -> Callable[[Path], None]:
    """What writes the file, some rows at a time.

    Raises `PlanError` for codes that a column's type cannot hold.
    """
    lacking = [] if missing == "null" else lacking_values(dataset)
    schema = schema_of(dataset, missing, lacking)
    categories = any(each.type == "category" for each in dataset.variables)
    whole = kind != ".parquet" and categories  # an Arrow file holds one dictionary a column

    def write(path: Path) -> None:
        rows = max(dataset.rows, 1) if whole else ROWS
        pieces = (table_with(each, missing, lacking) for each in pieces_of(dataset, rows))
        if kind == ".parquet":
            import pyarrow.parquet as pq

            plain = schema.remove_metadata()
            with pq.ParquetWriter(path, plain, compression="zstd") as writer:
                for table in pieces:
                    writer.write_table(of_schema(table, plain))
            return
        with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, schema) as writer:
            for table in pieces:
                writer.write_table(of_schema(table, schema))

    return write


def lacking_values(dataset: PlainDataset) -> list[str]:
    """The variables with missing cells."""
    return [
        name
        for name in dataset.names
        if any(piece.reasons.any() for piece in dataset.column_pieces(name))
    ]


def schema_of(dataset: PlainDataset, missing: str, lacking: Sequence[str]) -> pa.Schema:
    """The schema of all pieces: integers are numbers where any code is one."""
    schema = table_with(rows_of(dataset, np.arange(min(dataset.rows, 1))), missing, lacking).schema
    if missing != "codes":
        return schema
    for name in lacking:
        kinds = {with_codes(piece).type for piece in dataset.column_pieces(name)}
        wider = [kind for kind in (pa.float64(), pa.string()) if kind in kinds]
        if wider:
            place = schema.get_field_index(name)
            schema = schema.set(place, schema.field(place).with_type(wider[0]))
    return schema


def of_schema(table: pa.Table, schema: pa.Schema) -> pa.Table:
    arrays = [
        column if column.type == field.type else column.cast(field.type)
        for column, field in zip(table.columns, schema, strict=True)
    ]
    return pa.Table.from_arrays(arrays, schema=schema)


def table_with(
    dataset: PlainDataset, missing: str, lacking: Sequence[str] | None = None
) -> pa.Table:
    """The values, with codes in the place of nulls or columns of reasons if asked for.

    `lacking` are the variables that have missing cells, of this part or of the whole.
    """
    from .table_shape import beside

    table = arrow_table(dataset)
    if missing == "null":
        return table
    if lacking is None:
        lacking = lacking_values(dataset)
    if missing == "codes":
        for name in lacking:
            place = table.schema.get_field_index(name)
            values = with_codes(dataset[name])
            field = table.schema.field(name).with_type(values.type)
            table = table.set_column(place, field, values)
        return table
    for name, called in beside(dataset.names, lacking, "reason").items():
        place = table.schema.get_field_index(name)
        table = table.add_column(place + 1, called, dataset[name].reason_texts())
    return table


def with_codes(column: Column) -> pa.Array:
    """Values, with codes back in the cells that they made missing.

    Integers become numbers where a code is one. Raises `PlanError` for a code that the variable's
    type cannot hold.
    """
    cells, texts = missing_texts(column)
    coded = column.reasons[cells] >= FIRST_CODE
    cells, words = cells[coded], texts.filter(arrow_flags(coded)).to_pylist()
    if not len(cells):
        return column.values
    kind = column.variable.type
    if kind in ("text", "category"):
        back: list[Any] = words
    else:
        back = [_number(word) for word in words]
        if kind not in ("integer", "number") or None in back:
            bad = words[back.index(None)] if None in back else words[0]
            raise PlanError(
                f'"{column.variable.name}": the code "{bad}" is not {with_article(kind or "text")}',
                Advice("export with {}", 'missing="null" or "reasons"', "--missing-as null"),
            )
    values = decoded(column.values)
    if pa.types.is_int64(values.type) and any(not each.is_integer() for each in back):
        values = values.cast(pa.float64())
    if pa.types.is_int64(values.type):
        back = [int(each) for each in back]
    mask = np.zeros(len(column), bool)
    mask[cells] = True
    if kind in ("text", "category"):
        put = kernels.strings(back)
    else:
        dtype = np.dtype(np.int64 if pa.types.is_int64(values.type) else np.float64)
        put = kernels.arrow(np.array(back, dtype), None, pa.from_numpy_dtype(dtype))
    return pc.replace_with_mask(values, arrow_flags(mask), put.cast(values.type))


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None
