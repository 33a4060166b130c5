"""One file of a set read into its parts: a task that can be done in any process, by itself.

A task is a plain value that says what to read, by what plan, under which names. What comes of it
is plain too: which parts were written, what the searches have found, and the account of the file.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Mapping
from typing import Any, Protocol

import msgspec
import numpy as np
import pyarrow as pa

from ...columns.column import Column
from ...columns.search_result import SearchResult, search_with, shifted
from ...dataset.packed_set import STAGING, PackedSource, Part, PartsBy
from ...declaration.variable import Variable
from ...errors import LayoutError
from ...kernels import arrow
from ...layouts.base import SourceLayout
from ...layouts.text.decoding import BadByte
from ...plan.model import Decisions
from ...sources.folder import Folder
from ...sources.sets import Files, Member
from ...workers import Progress, Workers
from ..packing import Target, streamed
from ..preparing import Reading
from ..receipts import receipt_of
from ..single_pass import OtherMarksMet, with_fallback, workers_for
from ..source_columns import file_column, file_variable, row_variable
from .differences import FileFound
from .one_file import prepared
from .ranges import ByteRange, layout_of, sliced
from .survey import Survey, file_found, find_file


class PartTarget(Target, Protocol):
    """A target that says in the end what parts it has written."""

    parts: list[Part]


NewTarget = Callable[[Folder, str, PartsBy], PartTarget]


class NamePart(msgspec.Struct, frozen=True, eq=False):
    """A part of the files' names as a variable, with what it is in one file."""

    cell: Column
    """A column of one cell."""
    text: str | None

    @property
    def variable(self) -> Variable:
        """The variable."""
        return self.cell.variable


class Task(msgspec.Struct, frozen=True):
    """What to read into parts."""

    member: Member
    place: int
    plan: Decisions
    variables: tuple[Variable, ...]
    """All that are read, under their names in the set."""
    errors: Mapping[str, tuple[str, ...]]
    folder: Folder
    by: PartsBy
    identity: str
    name_parts: tuple[NamePart, ...] = ()
    settled: Mapping[str, SearchResult] = {}
    """What all files together say of the variables, where that is settled."""
    range: ByteRange | None = None
    """Only these bytes of the file."""


def identity_of(member: Member, plan: Decisions, by: PartsBy, names: tuple[str, ...]) -> str:
    """A hash of what is read and how: with the same one, the same comes of it."""
    told = [
        repr((member.name, address_of(member), member.size, member.changed, member.sheet)),
        repr((msgspec.structs.replace(plan, notes=(), evidence=(), workers=None), by, names)),
    ]
    return hashlib.sha256("\0".join(told).encode("utf-8")).hexdigest()


def address_of(member: Member) -> str:
    """The path or address of a member; empty for what is only in memory."""
    if isinstance(member.source, str):
        return member.source
    path = getattr(member.source, "path", None)
    if path is None:
        return ""
    archived = member.source.compression in ("zip", "tar")
    return f"{path}\0{member.name}" if archived else str(path)


def relative_address(member: Member, folder: Folder) -> str:
    """The address of a member as the metadata of a set keeps it: relative to the set."""
    path, mark, inner = address_of(member).partition("\0")
    if not path or "://" in path or not folder.is_local:
        return path + mark + inner
    try:
        return os.path.relpath(path, folder.address) + mark + inner
    except ValueError:  # another drive
        return path + mark + inner


def placed_at(address: str, folder: Folder) -> str:
    """Where a kept address lies now, whatever the folder that the program runs in."""
    path, mark, inner = address.partition("\0")
    if not path or "://" in path or not folder.is_local:
        return address
    return os.path.abspath(os.path.join(folder.address, path)) + mark + inner


def do_task(
    task: Task,
    new_target: NewTarget,
    found: FileFound | None = None,
    progress: Progress | None = None,
    workers: Workers | None = None,
) -> PackedSource:
    """Read a file into its parts. Raises what a single file would raise."""
    file = found or find_file(task.member, task.place, task.plan)
    if task.range is not None:
        return _do_range(task, file, new_target, workers)
    target = new_target(task.folder, task.member.name, task.by)

    def read(layout: SourceLayout) -> PackedSource:
        now = file
        if layout is not file.found:
            now = file_found(file.member, file.place, file.source, layout)
        return _read(task, _under_names(task, now), target, progress, workers)

    try:
        return with_fallback(file.source, file.found.plan, read, found=file.found)
    finally:
        target.abandon()


class RangeFailed(Exception):
    """A range of bytes cannot be read by itself: the file must be read as a whole."""


def _do_range(
    task: Task, file: FileFound, new_target: NewTarget, workers: Workers | None
) -> PackedSource:
    """Read a range of a file into its parts. Raises `RangeFailed`."""
    part = task.range
    assert part is not None
    layout = layout_of(file.found.layout, part)
    if layout is None:
        raise RangeFailed
    replace = msgspec.structs.replace
    found = replace(file.found, source=sliced(file.source, part), layout=layout)
    target = new_target(task.folder, f"{task.member.name}-{part.start}", task.by)
    own = _under_names(task, replace(file, found=found))
    try:
        made = _read(task, own, target, None, workers)
    except (BadByte, OtherMarksMet, LayoutError):
        raise RangeFailed from None
    finally:
        target.abandon()
    receipt = msgspec.json.decode(made.receipt)
    if part.lines is not None and receipt["lines"] != part.lines:
        for each in made.parts:
            task.folder.remove(f"{STAGING}/{each.path}")
        raise RangeFailed
    return made


def _under_names(task: Task, file: FileFound) -> FileFound:
    """The file with its columns declared as those of the set."""
    shared = {each.name: each for each in task.variables}
    columns = {
        index: msgspec.structs.replace(shared.get(own.name, own), from_=own.from_)
        for index, own in file.columns.items()
    }
    return FileFound(file.member, file.place, file.source, file.found, columns)


def _read(
    task: Task,
    file: FileFound,
    target: PartTarget,
    progress: Progress | None,
    workers: Workers | None,
) -> PackedSource:
    import time

    began = time.perf_counter()
    alone = Survey(task.plan, [file], task.variables, (), Files([]), [], [], dict(task.errors))
    reading = prepared(alone, file)
    for column in reading.columns:
        whole = task.settled.get(column.variable.name)
        if whole is not None:
            column.search = search_with(column.search.rule, whole)
    further, before = _further(task), 0 if task.range is None else task.range.row
    if workers is None:
        with workers_for(reading.found) as own:
            sink = streamed(reading, target, progress, own, further, before)
    else:
        sink = streamed(reading, target, progress, workers, further, before)
    if task.range is not None:
        _shift(reading, task.range)
    receipt = receipt_of(reading, sink.counts(), sink.rows, began, with_variables=False)
    receipt = msgspec.structs.replace(receipt, source=task.member.name)
    variables = tuple(each.outcome().variable for each in reading.columns)
    target.finish(variables, receipt, reading.found.plan, None)
    return PackedSource(
        name=task.member.name,
        address=relative_address(task.member, task.folder),
        size=task.member.size,
        changed=task.member.changed,
        fingerprint=receipt.fingerprint,
        identity=task.identity,
        rows=sink.rows,
        parts=target.parts,
        results={name: shifted(each, before) for name, each in sink.results().items()},
        receipt=msgspec.Raw(msgspec.json.encode(receipt.to_dict())),
        variables=[each.variable for each in reading.columns],
        sheet=task.member.sheet,
        name_parts=dict(task.member.parts),
        name_types={each.variable.name: each.variable.type or "text" for each in task.name_parts},
    )


def _shift(reading: Reading, part: ByteRange) -> None:
    """Rows of a range as those of its file."""
    tally, before = reading.tally, part.row
    for column in reading.columns:
        column.problems[:] = [(np.asarray(rows) + before, texts) for rows, texts in column.problems]
    for rows in (tally.short, tally.skipped_rows, tally.blank_rows, tally.repeated):
        rows.first[:] = [row + before for row in rows.first]
    tally.surplus[:] = [(row + before, text) for row, text in tally.surplus]
    tally.offsets[:] = [(row + before, at + part.start) for row, at in tally.offsets]


def _further(task: Task) -> Callable[[Any], list[Column]]:
    """Columns that do not come from cells: parts of the name, the file, the row."""
    plan = task.plan

    def columns(rows: Any) -> list[Column]:
        count = len(rows)
        same = np.zeros(count, np.int64)
        made = [each.cell.taken(same) for each in task.name_parts]
        if plan.file_as is not None:
            made.append(file_column(file_variable(plan), [task.member.name], same))
        if plan.row_as is not None:
            numbers = arrow(np.asarray(rows, np.int64), None, pa.int64())
            made.append(Column(row_variable(plan), numbers, np.zeros(count, np.uint8)))
        return made

    return columns
