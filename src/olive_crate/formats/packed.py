"""The packed dataset: one Parquet file that any Parquet reader opens.

Each variable is a column of its natural type, null where it is missing. Where a variable has
missing cells, the reasons stand beside it as a dictionary-encoded column. Declarations, receipt and
plan travel as JSON under one key of the file's own metadata.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from ..dataset import Column, Columns, Dataset, reason_words
from ..errors import PlanError, SourceError, nearest
from ..plan import Plan
from ..planfile import plan_from, plan_mapping
from ..receipt import Receipt
from ..variables import FIRST_CODE, Variable
from ..writing import put_in_place, temporary_beside

KEY = b"olive_crate"
VERSION = 1
ROWS_A_GROUP = 1 << 18


class Packing:
    """A packed file being written: it appears under its name only when all went well."""

    def __init__(self, path: Any, replace: bool) -> None:
        self.path = checked_target(path, replace)
        self._replace = replace
        self._writer: pq.ParquetWriter | None = None
        self._temporary = temporary_beside(self.path)

    def start(
        self, variables: tuple[Variable, ...], types: list[pa.DataType], reasons: set[str]
    ) -> None:
        """Begin, or begin anew. `reasons` names the variables that have missing cells."""
        if self._writer is not None:
            self._writer.close()
        self.variables, self.reasons = variables, reasons
        self.reason_columns = reason_columns([each.name for each in variables], reasons)
        fields = []
        for variable, kind in zip(variables, types, strict=True):
            fields.append(pa.field(variable.name, kind))
            if variable.name in reasons:
                words = pa.dictionary(pa.int16(), pa.string())
                fields.append(pa.field(self.reason_columns[variable.name], words))
        self.schema = pa.schema(fields)
        self._writer = pq.ParquetWriter(
            self._temporary, self.schema, compression="zstd", compression_level=1
        )

    def write(self, columns: list[Column]) -> None:
        """Add rows; the columns are those of `start`, with their final declarations."""
        assert self._writer is not None
        arrays: list[pa.Array] = []
        for column in columns:
            arrays.append(column.values)
            if column.variable.name in self.reasons:
                arrays.append(_reason_array(column))
        self._writer.write_table(pa.Table.from_arrays(arrays, schema=self.schema))

    def finish(self, variables: tuple[Variable, ...], receipt: Receipt, plan: Plan) -> None:
        """Add the metadata and put the file in its place."""
        assert self._writer is not None
        self._writer.add_key_value_metadata(
            {KEY: _metadata(variables, self.reason_columns, receipt, plan, self.path.parent)}
        )
        self._writer.close()
        self._writer = None
        checked_target(self.path, self._replace)
        put_in_place(self._temporary, self.path)

    def abandon(self) -> None:
        """Leave nothing behind; harmless after `finish`."""
        if self._writer is not None:
            self._writer.close()
            self._writer = None
        self._temporary.unlink(missing_ok=True)


def checked_target(path: Any, replace: bool) -> Path:
    """The file to write. Raises `PlanError` where it cannot or must not be written."""
    target = Path(path)
    if target.is_dir():
        raise PlanError(f"{target}: this is a folder; name a file in it")
    if not target.parent.is_dir():
        raise PlanError(f"{target}: there is no folder {target.parent}")
    if target.exists() and not replace:
        raise PlanError(f"{target}: exists already; say replace to write over it")
    if not os.access(target.parent, os.W_OK):
        raise PlanError(f"{target}: the folder {target.parent} cannot be written to")
    return target


def reason_columns(names: list[str], reasons: set[str]) -> dict[str, str]:
    """What the column of reasons of each variable is called."""
    taken, found = set(names), {}
    for name in names:
        if name in reasons:
            column = f"{name}_reason"
            while column in taken:
                column += "_"
            taken.add(column)
            found[name] = column
    return found


def _reason_array(column: Column) -> pa.Array:
    return column.reason_texts()


def _metadata(
    variables: tuple[Variable, ...],
    columns: Mapping[str, str],
    receipt: Receipt,
    plan: Plan,
    folder: Path,
) -> bytes:
    return msgspec.json.encode(
        {
            "version": VERSION,
            "variables": variables,
            "reasons": columns,
            "receipt": receipt.to_dict(),
            "plan": plan_mapping(plan, folder),
        }
    )


def pack_dataset(dataset: Dataset, path: Any, replace: bool = False) -> None:
    """Write a dataset that is in memory."""
    packing = Packing(path, replace)
    try:
        columns = [dataset[name] for name in dataset.names]
        reasons = {each.variable.name for each in columns if each.reasons.any()}
        packing.start(dataset.variables, [each.values.type for each in columns], reasons)
        for start in range(0, max(dataset.rows, 1), ROWS_A_GROUP):
            stop = min(start + ROWS_A_GROUP, dataset.rows)
            packing.write(
                [
                    Column(each.variable, each.values[start:stop], each.reasons[start:stop])
                    for each in columns
                ]
            )
        packing.finish(dataset.variables, dataset.receipt, dataset.plan)
    finally:
        packing.abandon()


def unpack(path: Any) -> Dataset:
    """Open a packed dataset. Columns are read when they are first asked for.

    Raises `SourceError` for a file that is not there or was not packed by Olive Crate.
    """
    target = Path(path)
    if not target.is_file():
        siblings = [each.name for each in target.parent.glob("*.parquet")]
        raise SourceError(f"{target}: no such file{nearest(target.name, siblings)}")
    try:
        file = pq.ParquetFile(target, memory_map=True)
    except (pa.ArrowInvalid, OSError) as error:
        raise SourceError(f"{target}: not a Parquet file, or damaged ({error})") from None
    held = (file.metadata.metadata or {}).get(KEY)
    if held is None:
        raise SourceError(f"{target}: a Parquet file, but not a packed dataset")
    meta = msgspec.json.decode(held)
    if meta["version"] > VERSION:
        raise SourceError(f"{target}: packed by a newer version of Olive Crate")
    variables = tuple(msgspec.convert(each, Variable) for each in meta["variables"])
    columns = Columns(
        {each.name: _later(file, each, meta["reasons"].get(each.name)) for each in variables}
    )
    plan = plan_from(meta["plan"], target.parent, f"{target}: ")
    receipt = Receipt.from_dict(meta["receipt"])
    return Dataset(variables, columns, file.metadata.num_rows, receipt, plan)


def _later(file: pq.ParquetFile, variable: Variable, reasons: str | None) -> Callable[[], Column]:
    def read() -> Column:
        values = _column(file, variable.name)
        if reasons is None:
            return Column(variable, values, np.zeros(len(values), np.uint8))
        return Column(variable, values, _numbers(variable, _column(file, reasons)))

    return read


def _column(file: pq.ParquetFile, name: str) -> pa.Array:
    found = file.read(columns=[name], use_threads=False).column(name)
    if found.num_chunks == 1:
        return found.chunk(0)
    if pa.types.is_dictionary(found.type):
        found = found.unify_dictionaries()
    joined = found.combine_chunks()
    return joined.combine_chunks() if isinstance(joined, pa.ChunkedArray) else joined


def _numbers(variable: Variable, words: pa.Array) -> np.ndarray:
    """Reasons as numbers again."""
    known = {reason_words(variable, number): number for number in (1, 2)}
    for place, code in enumerate(variable.missing):
        known.setdefault(code.why, FIRST_CODE + place)
    if not pa.types.is_dictionary(words.type):
        words = words.dictionary_encode()
    table = np.array([known[word] for word in words.dictionary.to_pylist()] + [0], np.uint8)
    numbers: np.ndarray = table[words.indices.fill_null(len(table) - 1).to_numpy()]
    return numbers
