"""One file of a set, read: its blocks and what its searches have found.

A file is read like a single one, by a plan in which its columns have the names of the set. What
its searches find is put together with that of the other files before any column is made.
"""

from __future__ import annotations

import time

import msgspec
import numpy as np
import pyarrow as pa

from ...columns.column import reason_totals
from ...columns.convert import TypedBlock
from ...columns.outcome import Outcome
from ...columns.rule import IS_NOT_IN_FILE, UNKNOWN, Converted
from ...columns.search_result import SearchResult, result_of
from ...dataset.receipt import Receipt
from ...declaration.promises import Promised
from ...kernels.spans import RowNumbers, chained, gathered
from ...layouts.base import Block, SourceLayout
from ...plan.model import Decisions
from ...workers import Progress, Workers
from ..cell_counts import counts_of
from ..preparing import Reading, prepare
from ..receipts import receipt_of
from ..single_pass import reread, run, with_fallback, workers_for
from .differences import FileFound
from .survey import Survey, file_found, find_file


class FileRead(msgspec.Struct, eq=False):
    """A file with its converted blocks."""

    file: FileFound
    reading: Reading
    blocks: list[list[TypedBlock]]
    """By column, then by block."""
    rows: RowNumbers
    began: float

    @property
    def count(self) -> int:
        """Rows of data."""
        return self.reading.tally.parts["data"]

    def results(self) -> dict[str, SearchResult]:
        """What the searches have found, by variable."""
        return {
            each.variable.name: result_of(each.search, self.file.place)
            for each in self.reading.columns
        }

    def own_blocks(self) -> dict[str, list[TypedBlock]]:
        """The blocks by variable."""
        names = (each.variable.name for each in self.reading.columns)
        return dict(zip(names, self.blocks, strict=True))


def read_file(
    survey: Survey,
    file: FileFound,
    progress: Progress | None = None,
    limit: int | None = None,
    workers: Workers | None = None,
    keeping: bool = True,
) -> FileRead:
    """Read one file; its blocks are kept if wanted. Raises what a single file would raise."""
    if limit is not None:
        file = limited(survey, file, limit)
    before = file.found

    def read(found: SourceLayout) -> FileRead:
        now = file if found is before else _found_again(survey, file, found)
        return _read(survey, now, found, progress, limit, workers, keeping)

    return with_fallback(file.source, before.plan, read, found=before)


def limited(survey: Survey, file: FileFound, limit: int) -> FileFound:
    """The file with a layout of so many cases."""
    plan = msgspec.structs.replace(survey.plan, limit=limit)
    found = find_file(file.member, file.place, plan)
    return FileFound(file.member, file.place, file.source, found.found, file.columns)


def prepared(survey: Survey, file: FileFound, limit: int | None = None) -> Reading:
    """The columns of a file that are read, under their names in the set."""
    plan = plan_of_file(survey, file.names, file.found.plan, limit)
    found = msgspec.structs.replace(file.found, plan=plan)
    return prepare(found, file.columns, survey.errors)


def plan_of_file(
    survey: Survey, names: list[str], plan: Decisions, limit: int | None = None
) -> Decisions:
    """The plan that a file of the set is read by."""
    held = set(names)
    kept = tuple(each.name for each in survey.variables if each.name in held)
    promised = Promised()
    if survey.plan.promised.totals == "closing":
        promised = Promised(totals="closing")
    return msgspec.structs.replace(
        plan, keep=kept, order=None, plain_names=None, promised=promised, limit=limit, variables=()
    )


def _found_again(survey: Survey, file: FileFound, found: SourceLayout) -> FileFound:
    """The file by a layout found anew, under the names of the set."""
    made = file_found(file.member, file.place, file.source, found)
    shared = {each.name: each for each in survey.variables}
    columns = {
        index: msgspec.structs.replace(shared.get(own.name, own), from_=own.from_)
        for index, own in made.columns.items()
    }
    return FileFound(file.member, file.place, file.source, found, columns)


def _read(
    survey: Survey,
    file: FileFound,
    found: SourceLayout,
    progress: Progress | None,
    limit: int | None,
    workers: Workers | None,
    keeping: bool,
) -> FileRead:
    began = time.perf_counter()
    file = FileFound(file.member, file.place, file.source, found, file.columns)
    reading = prepared(survey, file, limit)
    blocks: list[list[TypedBlock]] = [[] for _ in reading.columns]
    came: list[RowNumbers] = []

    def take(block: Block, typed: list[TypedBlock]) -> None:
        if not keeping:
            return
        came.append(gathered([block.rows], reading.found.layout.rows_per_case))
        for kept, each in zip(blocks, typed, strict=True):
            kept.append(each)

    run(reading, take, progress, keeping=keeping, workers=workers)
    return FileRead(file, reading, blocks, chained(came), began)


def take_again(read: FileRead, workers: Workers | None = None) -> None:
    """Read blocks again that were taken otherwise than all files together say."""
    if workers is not None:
        reread(read.reading, read.blocks, workers)
        return
    with workers_for(read.reading.found) as own:
        reread(read.reading, read.blocks, own)


def absent(count: int) -> TypedBlock:
    """The cells of a variable that a file does not have."""
    reasons = np.full(count, IS_NOT_IN_FILE, np.uint8)
    return TypedBlock(UNKNOWN, Converted(pa.nulls(count), reasons, np.zeros(0, np.int64)))


def file_receipt(read: FileRead, outcomes: dict[str, Outcome]) -> Receipt:
    """The account of one file; its cells are those of the file's own variables."""
    counts = []
    for name, blocks in read.own_blocks().items():
        values = [each.converted.values for each in blocks]
        valid = sum(len(each) - each.null_count for each in values)
        reasons = sum((reason_totals(b.converted.reasons) for b in blocks), np.zeros(256, np.int64))
        counts.append(counts_of(outcomes[name], valid, reasons))
    receipt = receipt_of(read.reading, counts, read.count, read.began, with_variables=False)
    return msgspec.structs.replace(receipt, source=read.file.member.name)
