"""A packed set: opened in an instant, its parts read as they are asked for.

Opening reads the metadata file and nothing else. A column is read part by part, with the columns
and groups of rows that are asked for; a filter on Arrow expressions is judged by the statistics of
each group before any of its cells is read.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from .. import kernels
from ..columns.column import Column, Columns, Unread, in_pieces, joined_columns, told_apart
from ..columns.dates import microseconds
from ..columns.rule import IS_NOT_IN_FILE
from ..dataset.model import PlainDataset
from ..dataset.packed_set import METADATA, VERSION, Part, Sealed, SetMetadata
from ..dataset.receipt import Receipt
from ..declaration.converting import decoded
from ..declaration.variable import Variable
from ..errors import SourceError
from ..kernels.spans import RowNumbers, chained
from ..kernels.types import Ints
from ..plan.model import Decisions
from ..plan.ownership import bounded, packed_content
from ..plan.toml_read import decisions_from
from ..sources.folder import Folder
from . import parquet
from .packed import KEPT, cells_of_file, check_version, described
from .parquet import damaged, footer_of, reading, sum_of

ARROW = {
    "integer": pa.int64(),
    "number": pa.float64(),
    "date": pa.date32(),
    "boolean": pa.bool_(),
    "category": pa.dictionary(pa.int32(), pa.string()),
    "time": pa.time64("us"),
    "datetime": pa.timestamp("us"),
    "duration": pa.duration("us"),
}


def metadata_of(folder: Folder) -> SetMetadata | None:
    """The metadata of a packed set; `None` if the folder holds none. Raises `SourceError`."""
    data = folder.read(METADATA)
    if data is None:
        return None
    name = folder.path(METADATA)
    with described(name):
        sealed = decoded(data, Sealed)
        check_version(name, sealed.version, VERSION)
        if sum_of(bytes(sealed.set)) != sealed.sum:
            raise damaged(name)
        return decoded(sealed.set, SetMetadata)


def unpack_set(
    folder: Folder, spread: Spread | None = None, trust: tuple[str, ...] = ()
) -> PlainDataset:
    """Open a packed set. Raises `SourceError` for a folder that holds none."""
    metadata = metadata_of(folder)
    if metadata is None:
        raise SourceError(f"{folder}: a folder, but not a packed set (it has no {METADATA})")
    return opened(folder, metadata, spread, trust)


def opened(
    folder: Folder,
    metadata: SetMetadata,
    spread: Spread | None = None,
    trust: tuple[str, ...] = (),
) -> PlainDataset:
    """The dataset of a set by its metadata."""
    held = parts_of(folder, metadata, spread)
    columns = Columns({each.name: held.column(each) for each in metadata.variables})
    return PlainDataset(
        tuple(metadata.variables),
        columns,
        metadata.rows,
        _receipt(metadata),
        plan_of(folder, metadata, trust),
        _source_rows(metadata),
        held,
    )


def plan_of(folder: Folder, metadata: SetMetadata, trust: tuple[str, ...] = ()) -> Decisions:
    """The plan that a set was packed by, kept to what it may open."""
    base = Path(folder.address) if folder.is_local else None
    plan = decisions_from(metadata.plan, base, f"{folder}: ")
    return bounded(plan, Path(folder.path(METADATA)), packed_content(metadata.plan), trust)


def parts_of(folder: Folder, metadata: SetMetadata, spread: Spread | None = None) -> PackedParts:
    """The files of a set."""
    parts = [part for source in metadata.sources for part in source.parts]
    return PackedParts(folder, parts, metadata.variables, spread)


def _receipt(metadata: SetMetadata) -> Receipt:
    """The account of all files; those of each are decoded when they are asked for."""
    made = Receipt.from_dict(msgspec.json.decode(metadata.receipt))
    files: Any = LazyReceipts([each.receipt for each in metadata.sources])
    return msgspec.structs.replace(made, files=files)


class LazyReceipts(Sequence[Receipt]):
    """The accounts of files, each decoded when it is asked for."""

    def __init__(self, raw: Sequence[msgspec.Raw]) -> None:
        self._raw = raw

    def __len__(self) -> int:
        return len(self._raw)

    def __getitem__(self, index: Any) -> Any:
        if isinstance(index, slice):
            return LazyReceipts(self._raw[index])
        return Receipt.from_dict(msgspec.json.decode(self._raw[index]))


def _source_rows(metadata: SetMetadata) -> RowNumbers | None:
    """The rows of the sources, in the order of the parts."""
    runs = []
    for place, source in enumerate(metadata.sources):
        for part in source.parts:
            rows = RowNumbers.from_dict(part.runs)
            if rows is None:
                return None
            runs.append(rows.of_file(place))
    made = chained(runs)
    return msgspec.structs.replace(made, files=tuple(each.name for each in metadata.sources))


class PartWork(msgspec.Struct, frozen=True):
    """Work on the pieces of some variables of one part."""

    folder: Folder
    part: Part
    variables: Sequence[Variable]
    names: tuple[str, ...]
    work: Any
    rest: tuple[Any, ...]

    def done(self) -> Any:
        """What comes of it."""
        held = PackedParts(self.folder, [self.part], self.variables)
        by_name = {each.name: each for each in self.variables}
        pieces = [held.column(by_name[name]).pieces() for name in self.names]
        return self.work(pieces, *self.rest)


Spread = Callable[[Sequence[PartWork]], list[Any]]
"""Does work on parts elsewhere."""


class PackedParts:
    """The files of a packed set, in the order of their cases."""

    def __init__(
        self,
        folder: Folder,
        parts: Sequence[Part],
        variables: Sequence[Variable],
        spread: Spread | None = None,
    ) -> None:
        self.folder, self.parts, self.variables = folder, list(parts), variables
        self.spread = spread
        self._sound: set[str] = set()
        """Parts whose footers were found to be what was written."""
        counts = np.array([each.rows for each in self.parts], np.int64)
        self.ends = np.cumsum(counts)
        self.begins = self.ends - counts

    @property
    def is_spread(self) -> bool:
        """Is work on them done by other machines?"""
        return self.spread is not None

    def over(self, names: Sequence[str], work: Any, rest: Sequence[Any]) -> list[Any]:
        """What other machines make of the pieces of these variables, a value for each part."""
        assert self.spread is not None
        own = [each for each in self.variables if each.name in set(names)]
        tasks = [
            PartWork(self.folder, part, own, tuple(names), work, tuple(rest)) for part in self.parts
        ]
        return self.spread(tasks)

    def file(self, part: Part) -> pq.ParquetFile:
        """A part, opened. Raises `SourceError` if it is gone or damaged."""
        where = self.folder.path(part.path)
        try:
            if part.path not in self._sound:
                with self.folder.open(part.path) as file:
                    if sum_of(footer_of(file, where)) != part.footer:
                        raise damaged(where)
                self._sound.add(part.path)
            return parquet.opened(
                where if self.folder.is_local else self.folder.open(part.path), where
            )
        except FileNotFoundError:
            raise SourceError(f"{where}: this part of the packed set is gone") from None

    def column(self, variable: Variable) -> Unread:
        """A column that is read when it is asked for."""

        def pieces() -> Iterator[Column]:
            nothing = True
            for part in self.parts:
                for piece in self._pieces(part, variable):
                    nothing = False
                    yield piece
            if nothing:
                yield self._absent(variable, 0)

        return Unread(
            lambda: joined_columns(variable, list(pieces())),
            pieces,
            lambda rows: self._taken(variable, rows),
            keeps=len(self.ends) == 0 or int(self.ends[-1]) <= KEPT,
        )

    def _pieces(self, part: Part, variable: Variable) -> Iterator[Column]:
        """A variable in one part, by its groups of rows."""
        if variable.name in part.constants:
            yield from in_pieces(self._constant(variable, part))
        elif variable.name not in part.names:
            yield from in_pieces(self._absent(variable, part.rows))
        else:
            file = self.file(part)
            for group in range(file.num_row_groups):
                yield self._group(file, part, variable, group)

    def _group(self, file: pq.ParquetFile, part: Part, variable: Variable, group: int) -> Column:
        beside = (part.reasons.get(variable.name), part.withheld.get(variable.name))
        names = [variable.name, *(each for each in beside if each)]
        with reading(self.folder.path(part.path)):
            table = file.read_row_group(group, columns=names, use_threads=False)
        return cells_of_file(variable, table, *beside)

    def _absent(self, variable: Variable, count: int) -> Column:
        reasons = np.full(count, IS_NOT_IN_FILE, np.uint8)
        return Column(variable, pa.nulls(count, arrow_type(variable)), reasons)

    def _constant(self, variable: Variable, part: Part) -> Column:
        """A variable by whose values the set is divided."""
        constant, kind = part.constants[variable.name], arrow_type(variable)
        if constant.text is None:
            known = {words: number for number, words in told_apart(variable).items()}
            reasons = np.full(part.rows, known.get(constant.reason, 1), np.uint8)
            return Column(variable, pa.nulls(part.rows, kind), reasons)
        one = _one(constant.text, kind)
        values = one.take(kernels.whole_numbers(np.zeros(part.rows, np.int64)))
        return Column(variable, values, np.zeros(part.rows, np.uint8))

    def _taken(self, variable: Variable, rows: Ints) -> Column:
        """Some of the cells: only the groups of rows that hold any of them are read."""
        order = np.argsort(rows, kind="stable")
        wanted, made = rows[order], list[Column]()
        for place, part in enumerate(self.parts):
            low, high = np.searchsorted(wanted, (self.begins[place], self.ends[place]))
            own, start = wanted[low:high] - self.begins[place], 0
            for count, column in self._wanted(part, variable, own) if low < high else ():
                if column is not None:
                    made.append(column.taken(own[(own >= start) & (own < start + count)] - start))
                start += count
        whole = joined_columns(variable, made) if made else self._absent(variable, 0)
        if bool((order == np.arange(len(rows))).all()):
            return whole
        back = np.empty(len(rows), np.int64)
        back[order] = np.arange(len(rows))
        return whole.taken(back)

    def _wanted(
        self, part: Part, variable: Variable, rows: Ints
    ) -> Iterator[tuple[int, Column | None]]:
        """Each group of a part with its count of rows; read only where any of them is wanted."""
        if variable.name in part.constants or variable.name not in part.names:
            for piece in self._pieces(part, variable):
                yield len(piece), piece
            return
        file, start = self.file(part), 0
        for group in range(file.num_row_groups):
            count = file.metadata.row_group(group).num_rows
            hit = bool(((rows >= start) & (rows < start + count)).any())
            yield count, self._group(file, part, variable, group) if hit else None
            start += count

    def matching(self, expression: Any) -> Ints:
        """The cases for which an Arrow expression is true, judged group by group."""
        hits = [
            self.begins[place] + self._hits(part, expression)
            for place, part in enumerate(self.parts)
            if part.rows
        ]
        return np.concatenate([np.zeros(0, np.int64), *hits])

    def _hits(self, part: Part, expression: Any) -> Ints:
        import pyarrow.dataset as ds

        projected = {"hit": expression}
        if any(each.name not in part.names for each in self.variables):
            table = self._whole(part)
            scanner = ds.Scanner.from_batches(
                table.to_batches(), schema=table.schema, columns=projected
            )
            return _true_in(scanner.to_table())
        fragment = ds.ParquetFileFormat().make_fragment(*self._located(part))
        first = np.cumsum([0, *(each.num_rows for each in fragment.row_groups)])
        found = [
            first[one.row_groups[0].id] + _true_in(one.to_table(columns=projected))
            for one in fragment.split_by_row_group(filter=expression)
        ]
        return np.concatenate([np.zeros(0, np.int64), *found])

    def _located(self, part: Part) -> tuple[str, Any]:
        """The path of a part, and the file system that it is on."""
        path = self.folder.path(part.path)
        if self.folder.is_local:
            from pyarrow.fs import LocalFileSystem

            return path, LocalFileSystem()
        import fsspec

        system, within = fsspec.core.url_to_fs(path)
        return within, system

    def _whole(self, part: Part) -> pa.Table:
        """All variables of one part, those that it lacks too."""
        columns = {
            each.name: pa.chunked_array(
                [piece.values for piece in self._pieces(part, each)], arrow_type(each)
            )
            for each in self.variables
        }
        return pa.table(columns)


def _one(text: str, kind: pa.DataType) -> pa.Array:
    """An array of one value by its text, as parts are divided by it."""
    if pa.types.is_duration(kind):
        return pa.array([microseconds(text)], pa.int64()).cast(kind)
    if pa.types.is_time(kind):
        return pa.array([dt.time.fromisoformat(text)], kind)
    if pa.types.is_timestamp(kind):
        return pa.array([dt.datetime.fromisoformat(text)], kind)
    one = pa.array([text], pa.string())
    return one.dictionary_encode() if pa.types.is_dictionary(kind) else one.cast(kind)


def _true_in(table: pa.Table) -> Ints:
    hit: Ints = np.flatnonzero(table["hit"].fill_null(False).to_numpy())
    return hit


def arrow_type(variable: Variable) -> pa.DataType:
    """The Arrow type of a variable in a packed set."""
    if variable.type == "datetime" and "%z" in (variable.format or ""):
        return pa.timestamp("us", "UTC")
    return ARROW.get(variable.type or "text", pa.string())
