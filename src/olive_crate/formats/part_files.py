"""The Parquet files of one source of a packed set, while they are written.

They are written in a folder aside and get their names when the whole set is done. A set is divided
by its files, by so many rows of each, or by the values of variables, in folders `name=value`; such
a variable has no column in the files, as other engines expect it.
"""

from __future__ import annotations

import contextlib
import uuid
from collections.abc import Iterator
from typing import IO, Any
from urllib.parse import quote

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from .. import kernels
from ..columns.column import Column
from ..dataset.packed_set import MOST_FOLDERS, STAGING, Constant, Part, PartsBy
from ..dataset.receipt import Receipt
from ..declaration.values import value_text
from ..declaration.variable import Variable
from ..errors import PlanError
from ..kernels.buffers import numpy_of
from ..kernels.spans import RowNumbers, gathered
from ..kernels.types import Ints
from ..plan.model import Decisions
from ..sources.folder import Folder
from ..sources.writing import writing
from .parquet import body_sum, footer_of, sum_of
from .table_shape import TableShape, new_writer

MOST_OPEN = 200
"""Files that are written to at a time; beyond, a value gets a further file."""
LONGEST = 80
"""Characters of a source's name in those of its files."""
Key = tuple[Constant, ...]


def too_many(by: PartsBy) -> PlanError:
    """The error of more folders than are made."""
    return PlanError(
        f"parts by {', '.join(by.names)}: more than {MOST_FOLDERS:,} different values; "
        "divide by fewer variables, or by rows"
    )


class PartFiles:
    """The files of one source; a target of packing like a single packed file."""

    takes_repeated = False

    def __init__(self, folder: Folder, name: str, by: PartsBy) -> None:
        self.folder, self.by = folder, by
        stem = quote(name, safe=" ").replace("%2F", "-").replace(" ", "_")[:LONGEST]
        self.stem = f"{stem}-{uuid.uuid4().hex[:8]}"
        self.parts: list[Part] = []
        self._open: dict[Key, _Open] = {}
        self._count = 0
        self._keys: set[Key] = set()

    def start(
        self, variables: tuple[Variable, ...], types: list[pa.DataType], reasons: dict[str, bool]
    ) -> None:
        """Begin, or begin anew."""
        self.abandon()
        self.parts, self._count, self._keys = [], 0, set()
        kept = [place for place, each in enumerate(variables) if each.name not in self.by.names]
        self._kept = kept
        own, kinds = [variables[place] for place in kept], [types[place] for place in kept]
        self.shape = TableShape(own, kinds, reasons)

    def write(self, columns: list[Column], rows: Ints) -> None:
        """Add cases, each to the file that it belongs to."""
        if self.by.kind == "values":
            divided = list(_divided(columns, self.by.names))
            self._keys |= {key for key, _ in divided}
            if len(self._keys) > MOST_FOLDERS:
                raise too_many(self.by)
            for key, cases in divided:
                taken = [columns[place].taken(cases) for place in self._kept]
                self._write(key, taken, rows[cases])
            return
        own = [columns[place] for place in self._kept]
        if self.by.kind == "file":
            self._write((), own, rows)
            return
        start = 0
        while start < len(rows):
            held = self._open.get(())
            room = self.by.rows - (held.count if held else 0)
            stop = min(start + room, len(rows))
            self._write((), [each.slice(start, stop) for each in own], rows[start:stop])
            start = stop
            if self._open[()].count >= self.by.rows:
                self._close(())

    def _write(self, key: Key, columns: list[Column], rows: Ints) -> None:
        if key not in self._open:
            self._count += 1
            if len(self._open) >= MOST_OPEN:  # the one that was written to longest ago
                self._close(next(iter(self._open)))
            self._open[key] = _Open(self.folder, self._name(key), self.shape)
        held = self._open[key] = self._open.pop(key)
        held.write(self.shape.table(columns), rows)

    def _name(self, key: Key) -> str:
        """The file's name within the folder, in the folders of its values."""
        pairs = zip(self.by.names, key, strict=True) if key else ()
        folders = "".join(
            f"{quote(name, safe='')}={quote(each.text or '', safe='')}/" for name, each in pairs
        )
        again = self.by.kind == "rows" or self._count > MOST_OPEN
        number = f"-{self._count:04}" if again else ""
        reasons = "".join(f"-{quote(each.reason, safe='')}" for each in key if each.reason)
        return f"{folders}{self.stem}{number}{reasons}.parquet"

    def _close(self, key: Key) -> None:
        held = self._open.pop(key)
        held.close()
        constants = dict(zip(self.by.names, key, strict=True)) if key else {}
        runs = gathered(held.rows).to_dict()
        self.parts.append(
            Part(
                held.name,
                held.count,
                runs,
                self.shape.names,
                self.shape.reasons,
                self.shape.withheld,
                constants,
                *held.sums(),
            )
        )

    def finish(
        self,
        variables: tuple[Variable, ...],
        receipt: Receipt,
        plan: Decisions,
        came: RowNumbers | None,
    ) -> None:
        """Close the files; `parts` then says what they hold."""
        for key in list(self._open):
            self._close(key)

    def abandon(self) -> None:
        """Leave none of the open files behind; harmless after `finish`."""
        for held in self._open.values():
            held.give_up()
        for part in self.parts if self._open else ():
            self.folder.remove(f"{STAGING}/{part.path}")
        self._open.clear()


class _Open:
    """One file being written."""

    def __init__(self, folder: Folder, name: str, shape: TableShape) -> None:
        self.folder, self.name = folder, name
        self.stream: IO[bytes] = folder.new(f"{STAGING}/{name}")
        with writing(folder.path(name)):
            self.writer: pq.ParquetWriter = new_writer(self.stream, shape)
        self.count = 0
        self.rows: list[Ints] = []

    def write(self, table: pa.Table, rows: Ints) -> None:
        """Add rows."""
        with writing(self.folder.path(self.name)):
            self.writer.write_table(table)
        self.count += len(rows)
        self.rows.append(np.asarray(rows, np.int64))

    def close(self) -> None:
        """Complete the file."""
        with writing(self.folder.path(self.name)):
            self.writer.close()
            self.stream.close()

    def sums(self) -> tuple[str, str]:
        """The checksums of the complete file: of its footer and, on this machine, of its body."""
        name = f"{STAGING}/{self.name}"
        with self.folder.open(name) as file:
            footer = footer_of(file, self.folder.path(name))
            body = body_sum(file, len(footer)) if self.folder.is_local else ""
            return sum_of(footer), body

    def give_up(self) -> None:
        """Remove the file."""
        for each in (self.writer, self.stream):
            with contextlib.suppress(OSError):  # what went wrong has been raised already
                each.close()
        self.folder.remove(f"{STAGING}/{self.name}")


def _divided(columns: list[Column], names: tuple[str, ...]) -> Iterator[tuple[Key, Ints]]:
    """The cases of each combination of values of these variables."""
    by_name = {each.variable.name: each for each in columns}
    codes = np.zeros(len(columns[0]), np.int64)
    keys: list[Key] = [()]
    for name in names:
        column = by_name.get(name)
        if column is None:
            keys = [(*each, Constant(reason="not in file")) for each in keys]
            continue
        place, constants = _constants(column)
        codes = codes * len(constants) + place
        keys = [(*each, constant) for each in keys for constant in constants]
        different, codes = np.unique(codes, return_inverse=True)
        keys = [keys[each] for each in different.tolist()]
    order = np.argsort(codes, kind="stable")
    bounds = np.searchsorted(codes[order], np.arange(len(keys) + 1))
    for place_of, key in enumerate(keys):
        yield key, np.sort(order[bounds[place_of] : bounds[place_of + 1]])


def _text(value: Any) -> str:
    return value_text(value)


def _constants(column: Column) -> tuple[Ints, list[Constant]]:
    """For each case the place of what it has: a value, or a reason."""
    values = column.values
    encoded = values if pa.types.is_dictionary(values.type) else values.dictionary_encode()
    words: list[Any] = encoded.dictionary.to_pylist()
    made = [Constant(text=_text(each)) for each in words]
    place = numpy_of(encoded.indices).astype(np.int64)
    for number in kernels.distinct(column.reasons[column.reasons != 0]).tolist():
        hit = column.reasons == number
        place[hit] = len(made)
        made.append(Constant(reason=str(column.why(int(np.argmax(hit))))))
    return place, made or [Constant(reason="blank")]
