"""The packed dataset: one Parquet file that any Parquet reader opens.

Each variable is a column of its natural type, null where it is missing. Where a variable has
missing cells, the reasons stand beside it as a dictionary-encoded column, and so does what stood in
cells of which the declarations do not tell it. Declarations, receipt and plan travel as JSON under
one key of the file's own metadata.
"""

from __future__ import annotations

import contextlib
import zlib
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from .. import kernels
from ..columns.column import NOTHING, Column, Columns, Unread, Withheld, told_apart
from ..dataset.model import PlainDataset
from ..dataset.receipt import Receipt
from ..declaration.converting import decoded
from ..declaration.variable import Variable
from ..errors import OliveCrateError, SourceError, nearest
from ..kernels.buffers import numpy_of, valid_cells
from ..kernels.spans import RowNumbers
from ..kernels.types import Ints
from ..plan.model import Decisions
from ..plan.ownership import bounded, packed_content, remember_plan
from ..plan.toml_read import decisions_from
from ..plan.toml_write import tables_of
from ..sources.writing import checked_target, give_up, put_in_place, temporary_beside, writing
from .parquet import AGAIN, KEY, NO_SUMS, SUM_KEY, check_seal, damaged, opened, reading, seal
from .table_shape import TableShape
from .writing_behind import WritingBehind

VERSION = 4
"""Of what is held in the metadata; files of other versions are refused."""
ROWS_A_GROUP = 1 << 18
WRONG = (msgspec.MsgspecError, ValueError, KeyError, TypeError, IndexError, zlib.error)
"""What is raised by a description that is not of the form in which it was written."""
KEPT = 20_000_000
"""Columns of no more cases are kept once they were read."""
WIDE, KEPT_OPEN = 200, 8
"""Columns beyond which open files are kept for the next ones, and how many of these."""


class Packing:
    """A packed file being written: it appears under its name only when all went well."""

    takes_repeated = True

    def __init__(self, path: Any, replace: bool) -> None:
        self.path = checked_target(path, replace)
        self._replace = replace
        self._writer: WritingBehind | None = None
        with writing(self.path):
            self._temporary = temporary_beside(self.path)

    def start(
        self, variables: tuple[Variable, ...], types: list[pa.DataType], reasons: dict[str, bool]
    ) -> None:
        """Begin, or begin anew.

        `reasons` has the variables with missing cells, and says whether any of them are withheld.
        """
        if self._writer is not None:
            with writing(self.path):
                self._writer.close()
        self.shape = TableShape(variables, types, reasons)
        self._writer = WritingBehind(self._temporary, self.shape)

    def write(self, columns: list[Column], rows: Ints | None = None) -> None:
        """Add cases; the columns are those of `start`, with their final declarations."""
        assert self._writer is not None
        table = self.shape.table(columns)
        with writing(self.path):
            self._writer.write(table)

    def finish(
        self,
        variables: tuple[Variable, ...],
        receipt: Receipt,
        plan: Decisions,
        came: RowNumbers | None,
    ) -> None:
        """Add the metadata and put the file in its place."""
        assert self._writer is not None
        metadata = {
            "version": VERSION,
            "variables": variables,
            "reasons": self.shape.reasons,
            "withheld": self.shape.withheld,
            "receipt": receipt.to_dict(),
            "plan": (tables := tables_of(plan, self.path.parent)),
            "rows": None if came is None else came.to_dict(),
        }
        with writing(self.path):
            self._writer.add_metadata({KEY: msgspec.json.encode(metadata), SUM_KEY: NO_SUMS})
            self._writer.close()
            self._writer = None
            seal(self._temporary)
            checked_target(self.path, self._replace)
            put_in_place(self._temporary, self.path)
        remember_plan(plan, self.path, packed_content(tables))

    def abandon(self) -> None:
        """Leave nothing behind; harmless after `finish`."""
        if self._writer is not None:
            with contextlib.suppress(OSError):  # what went wrong has been raised already
                self._writer.close()
            self._writer = None
        give_up(self._temporary)


def _gathered(texts: pa.Array) -> Withheld:
    """Texts out of their cells."""
    cells = np.flatnonzero(valid_cells(texts))
    return Withheld(cells, texts.drop_null())


def pack_dataset(dataset: PlainDataset, path: Any, replace: bool = False) -> None:
    """Write a dataset that is in memory."""
    packing = Packing(path, replace)
    try:
        columns = [dataset[name] for name in dataset.names]
        reasons = {
            each.variable.name: len(each.withheld) > 0 for each in columns if each.reasons.any()
        }
        packing.start(dataset.variables, [each.values.type for each in columns], reasons)
        for start in range(0, max(dataset.rows, 1), ROWS_A_GROUP):
            stop = min(start + ROWS_A_GROUP, dataset.rows)
            packing.write([each.slice(start, stop) for each in columns])
        packing.finish(dataset.variables, dataset.receipt, dataset.plan, dataset.source_rows)
    finally:
        packing.abandon()


def unpack_file(path: Any, trust: tuple[str, ...] = ()) -> PlainDataset:
    """Open a packed dataset. Columns are read when they are first asked for.

    Raises `SourceError` for a file that is not there or was not packed by Olive Crate.
    """
    target = Path(path)
    if not target.is_file():
        siblings = [each.name for each in target.parent.glob("*.parquet")]
        raise SourceError(f"{target}: no such file{nearest(target.name, siblings)}")
    sealed = check_seal(target)
    file = opened(target, target)
    text = (file.metadata.metadata or {}).get(KEY)
    if text is None:
        raise SourceError(f"{target}: a Parquet file, but not a packed dataset")
    with described(target):
        check_version(target, decoded(text, _Version).version, VERSION)
        if sealed is None:
            raise damaged(target, "its checksums are gone")
        meta = decoded(text, PackedMetadata)
        came = RowNumbers.from_dict(meta.rows)
        receipt = Receipt.from_dict(meta.receipt)
        plan = decisions_from(meta.plan, target.parent, f"{target}: ")
        plan = bounded(plan, target, packed_content(meta.plan), trust)
    reasons, held = meta.reasons, meta.withheld
    _check_columns(target, file, [each.name for each in meta.variables], reasons, held)
    texts = [each.name for each in meta.variables if each.type == "text"]
    readers = _Readers(target, file.metadata, texts)
    columns = Columns(
        {
            each.name: _later(readers, each, reasons.get(each.name), held.get(each.name))
            for each in meta.variables
        }
    )
    return PlainDataset(meta.variables, columns, file.metadata.num_rows, receipt, plan, came)


class PackedMetadata(msgspec.Struct):
    """What a packed file says of itself beside its columns."""

    variables: tuple[Variable, ...]
    reasons: dict[str, str]
    """The columns of reasons, by variable."""
    withheld: dict[str, str]
    receipt: dict[str, Any]
    plan: dict[str, Any]
    rows: dict[str, Any] | None = None


class _Version(msgspec.Struct):
    version: int


def check_version(name: object, version: int, own: int) -> None:
    """Raise `SourceError` for what another version has packed."""
    if version != own:
        which = "a newer" if version > own else "an older"
        raise SourceError(
            f"{name}: packed by {which} version of Olive Crate; pack the source again"
        )


@contextlib.contextmanager
def described(name: object) -> Iterator[None]:
    """What is raised about a description that says what it cannot, as `SourceError`."""
    try:
        yield
    except SourceError:
        raise
    except (OliveCrateError, *WRONG) as error:
        raise SourceError(
            f"{name}: its description cannot be understood ({error}); {AGAIN}"
        ) from None


def _check_columns(
    target: Path, file: pq.ParquetFile, names: list[str], *beside: dict[str, str]
) -> None:
    """Raise `SourceError` where the description names columns that are not there."""
    there = set(file.schema_arrow.names)
    wanted = [*names, *(each for columns in beside for each in columns.values())]
    lacking = [each for each in wanted if each not in there]
    if lacking:
        raise SourceError(f'{target}: damaged: it has no column "{lacking[0]}"; {AGAIN}')


class _Readers:
    """The open files from which columns are read, each by one column at a time.

    To open one takes the longer the more columns it has. One of many columns is kept open for the
    next of them, and is then not mapped into memory.
    """

    def __init__(self, path: Path, metadata: pq.FileMetaData, texts: list[str]) -> None:
        self.path, self.metadata = path, metadata
        self._texts = texts
        self._plain: list[pq.ParquetFile] = []
        self._encoded: list[pq.ParquetFile] = []

    @cached_property
    def repeated(self) -> frozenset[str]:
        """Texts that the file holds as places in dictionaries: they take few bytes a cell."""
        places = {name: place for place, name in enumerate(self.metadata.schema.names)}
        groups = [self.metadata.row_group(each) for each in range(self.metadata.num_row_groups)]
        return frozenset(
            name
            for name in self._texts
            if _repeats([group.column(places[name]) for group in groups])
        )

    @contextlib.contextmanager
    def reader(self, encoded: bool) -> Iterator[pq.ParquetFile]:
        """A file for one column alone; `encoded`: texts are places in dictionaries."""
        idle, texts = (self._encoded, self._texts) if encoded else (self._plain, [])
        wide = self.metadata.num_columns > WIDE
        try:
            file = idle.pop()
        except IndexError:
            file = opened(self.path, self.path, texts, self.metadata, mapped=not wide)
        try:
            yield file
        finally:
            if wide and len(idle) < KEPT_OPEN:
                idle.append(file)


def _later(
    readers: _Readers, variable: Variable, reasons: str | None, withheld: str | None
) -> Unread:
    names = [name for name in (variable.name, reasons, withheld) if name is not None]
    is_text = variable.type == "text"

    def column(arrays: dict[str, pa.Array]) -> Column:
        return _cells(variable, arrays, reasons, withheld)

    def read() -> Column:
        repeated = is_text and variable.name in readers.repeated
        with readers.reader(repeated) as own, reading(readers.path):
            first = {variable.name: _column(own, variable.name, repeated)}
            return column(first | {name: _column(own, name) for name in names[1:]})

    def pieces() -> Iterator[Column]:
        """By groups of rows; texts stay encoded by their dictionaries, as the file has them."""
        with readers.reader(is_text) as own:
            for group in range(own.num_row_groups):
                with reading(readers.path):
                    table = own.read_row_group(group, columns=names, use_threads=False)
                yield column({name: _joined(table.column(name)) for name in names})
        if not readers.metadata.num_row_groups:
            yield read()

    return Unread(read, pieces, keeps=readers.metadata.num_rows <= KEPT)


def _cells(
    variable: Variable, arrays: dict[str, pa.Array], reasons: str | None, withheld: str | None
) -> Column:
    """A variable from its own column and those beside it."""
    values = arrays[variable.name]
    if reasons is None:
        return Column(variable, values, np.zeros(len(values), np.uint8))
    numbers = _numbers(variable, arrays[reasons])
    held = _gathered(arrays[withheld]) if withheld else NOTHING
    return Column(variable, values, numbers, held)


def cells_of_file(
    variable: Variable, table: pa.Table, reasons: str | None, withheld: str | None
) -> Column:
    """A variable from the columns of a table read from a file."""
    arrays = {name: _joined(table.column(name)) for name in table.column_names}
    return _cells(variable, arrays, reasons, withheld)


def _column(file: pq.ParquetFile, name: str, repeated: bool = False) -> pa.Array:
    found = file.read(columns=[name], use_threads=False).column(name)
    return _texts(found.chunks) if repeated else _joined(found)


def _repeats(chunks: list[pq.ColumnChunkMetaData]) -> bool:
    size = sum(chunk.total_uncompressed_size for chunk in chunks)
    count = sum(chunk.num_values for chunk in chunks)
    return count > 0 and size < 3 * count and all(chunk.has_dictionary_page for chunk in chunks)


def _texts(chunks: list[pa.Array]) -> pa.Array:
    """Texts that are places in dictionaries as such."""
    missing = [
        (~valid_cells(chunk)).view(np.uint8) if chunk.null_count else np.zeros(len(chunk), np.uint8)
        for chunk in chunks
    ]
    return kernels.joined_texts(chunks, missing) if chunks else kernels.strings([])


def _joined(found: pa.ChunkedArray) -> pa.Array:
    if found.num_chunks == 1:
        return found.chunk(0)
    if pa.types.is_dictionary(found.type):
        found = found.unify_dictionaries()
    joined = found.combine_chunks()
    return joined.combine_chunks() if isinstance(joined, pa.ChunkedArray) else joined


def _numbers(variable: Variable, words: pa.Array) -> np.ndarray:
    """Reasons as numbers again."""
    known = {word: number for number, word in told_apart(variable).items()}
    if not pa.types.is_dictionary(words.type):
        words = words.dictionary_encode()
    met = words.dictionary.to_pylist()
    strange = [word for word in met if word not in known]
    if strange:
        raise SourceError(
            f'"{variable.name}": damaged: no reason is called "{strange[0]}"; {AGAIN}'
        )
    table = np.array([known[word] for word in met] + [0], np.uint8)
    numbers: np.ndarray = table[numpy_of(words.indices, len(table) - 1)]
    return numbers
