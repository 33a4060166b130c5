"""The files of a set loaded as one dataset."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence

import msgspec
import numpy as np

from ...columns.column import Column, Columns
from ...columns.outcome import joined
from ...columns.search import Settled
from ...dataset.model import PlainDataset
from ...dataset.promises import Promise
from ...dataset.receipt import Receipt
from ...declaration.promises import Promised, checkable
from ...declaration.variable import Variable
from ...evidence import FilesNotReached, Note, PromiseNotChecked
from ...kernels.spans import FILE_BITS, LAST_ROW, RowNumbers, chained
from ...plan.model import Decisions
from ...sources.sets import Files
from ...workers import ALONE, Progress, Workers, usual_workers
from ..single_pass import LITTLE
from ..source_columns import counted, part_column, repeated, source_columns, with_columns
from .combining import Combined, combine, set_receipt
from .differences import FileFound
from .one_file import FileRead, absent, file_receipt, read_file, take_again
from .survey import FAULTS, Survey, set_aside, survey

MANY = 50
"""Above so many files, each is read again on one thread: starting several costs more."""


def load_set(files: Files, plan: Decisions, progress: Progress | None = None) -> PlainDataset:
    """Read the files of a set into one dataset."""
    began = time.perf_counter()
    read = read_set(files, plan, progress)
    settle(read.reads, read.combined)
    return _dataset(read, began)


class SetRead(msgspec.Struct, eq=False):
    """The files of a set, read; types as all of them together say."""

    survey: Survey
    reads: list[FileRead]
    combined: dict[str, Combined]
    notes: list[Note]

    def receipts(self) -> list[Receipt]:
        """The account of each file."""
        outcomes = {name: each.outcome for name, each in self.combined.items()}
        return [file_receipt(read, outcomes) for read in self.reads]


def read_set(
    files: Files, plan: Decisions, progress: Progress | None = None, keeping: bool = True
) -> SetRead:
    """Find and read all files, and put together what their searches have found."""
    found = survey(files, plan, _told(progress, len(files)))
    reads, notes = read_files(found, progress, keeping)
    return SetRead(found, reads, combine_all(found, reads), notes)


def _told(progress: Progress | None, count: int) -> Callable[[int], None]:
    return lambda done: progress(done, count, "looking at files") if progress else None


def read_files(
    found: Survey, progress: Progress | None = None, keeping: bool = True
) -> tuple[list[FileRead], list[Note]]:
    """The files one after another, or small ones side by side; those that fail are noted.

    Raises what a single file would raise, unless the plan says to set such files aside.
    """
    limit, notes = found.plan.limit, list[Note]()
    if limit is not None:
        return _up_to(found, limit, progress, keeping)
    total = sum(each.source.size or 0 for each in found.files) or None
    done = [0]

    def told(file: FileFound) -> Progress | None:
        if progress is None:
            return None
        begun = done[0]
        return lambda read, _, what: progress(begun + read, total, f"{what} {file.member.name}")

    def read(file: FileFound, workers: Workers | None = None) -> FileRead | Note:
        try:
            made: FileRead | Note = read_file(found, file, told(file), None, workers, keeping)
        except FAULTS as error:
            made = set_aside(found.plan, file.member, error)
        done[0] += file.source.size or 0
        return made

    small = all(each.source.size is not None and each.source.size < LITTLE for each in found.files)
    if small and len(found.files) > 1:
        with Workers(found.plan.workers or usual_workers()) as workers:
            made = workers.each(lambda file: read(file, ALONE), found.files)
    else:
        made = [read(file) for file in found.files]
    reads = [each for each in made if isinstance(each, FileRead)]
    notes += [each for each in made if isinstance(each, Note)]
    return reads, notes


def _up_to(
    found: Survey, limit: int, progress: Progress | None, keeping: bool
) -> tuple[list[FileRead], list[Note]]:
    """As many files as it takes to have so many rows."""
    reads: list[FileRead] = []
    notes: list[Note] = []
    left = limit
    for number, file in enumerate(found.files):
        if left <= 0 and reads:
            notes.append(FilesNotReached(count=len(found.files) - number))
            break
        try:
            reads.append(read_file(found, file, progress, left, None, keeping))
            left -= reads[-1].count
        except FAULTS as error:
            notes.append(set_aside(found.plan, file.member, error))
    return reads, notes


def combine_all(found: Survey, reads: Sequence[FileRead]) -> dict[str, Combined]:
    """The type of each variable by all files that were read."""
    results = {read.file.place: read.results() for read in reads}
    shown = {
        column.variable.name: column.shown_decimals
        for read in reads
        for column in read.reading.columns
        if column.shown_decimals is not None
    }
    names = found.set.names
    made = {}
    for variable in variables_read(found, reads):
        own = {
            place: held[variable.name] for place, held in results.items() if variable.name in held
        }
        if own:
            made[variable.name] = combine(found, variable, own, names, shown.get(variable.name))
    return made


def variables_read(found: Survey, reads: Iterable[FileRead]) -> list[Variable]:
    """The variables in the order of the dataset, those that hold flags behind their own."""
    held = {each.name: each for each in found.variables}
    flags: dict[str, Variable] = {}
    for read in reads:
        for column in read.reading.columns:
            if column.variable.name not in held:
                flags[column.variable.name] = column.variable
    made = []
    for variable in found.variables:
        made.append(variable)
        beside = flags.get(f"{variable.name}_flag")
        made += [beside] if beside is not None else []
    return made


def settle(reads: Sequence[FileRead], combined: dict[str, Combined]) -> None:
    """Take what a file was taken as otherwise than all files together say once more."""
    for read in reads:
        for column in read.reading.columns:
            whole = combined[column.variable.name]
            state = whole.own[read.file.place]
            column.search.state = state
            if not isinstance(state, Settled) and whole.search.kind == "text":
                column.search.state = Settled("text")
        take_again(read, ALONE if len(reads) > MANY else None)


def _dataset(read: SetRead, began: float) -> PlainDataset:
    found, reads, combined, notes = read.survey, read.reads, read.combined, read.notes
    counts = [each.count for each in reads]
    files = read.receipts()
    own = [read.own_blocks() for read in reads]
    columns = {}
    for name, each in combined.items():
        blocks = []
        for held, count in zip(own, counts, strict=True):
            blocks += held.get(name) or ([absent(count)] if count else [])
        columns[name] = joined(each.outcome, blocks)
        for held in own:
            held.pop(name, None)
    further = list(_parts(found, reads))
    every = [*columns.values(), *further]
    rows = sum(counts)
    whole = rows_of_set(found, reads)
    promises, left = promises_of_set(found, every, whole)
    receipt = set_receipt(
        found,
        files,
        [counted(each) for each in every],
        rows,
        began,
        combined.values(),
        [*notes, *left],
    )
    receipt = msgspec.structs.replace(receipt, promises=promises)
    made = PlainDataset(
        tuple(each.variable for each in every),
        Columns({each.variable.name: each for each in every}),
        rows,
        receipt,
        found.plan,
        whole,
    )
    return with_columns(made, source_columns(found.plan, whole, receipt.source))


def _parts(found: Survey, reads: Sequence[FileRead]) -> Iterable[Column]:
    """The variables that are parts of the files' names."""
    members = [read.file.member for read in reads]
    for part in found.parts:
        column = part_column(found.plan, part, [each.parts.get(part) for each in members])
        yield repeated(column, [read.count for read in reads])


def rows_of_set(found: Survey, reads: Iterable[FileRead]) -> RowNumbers:
    """The rows of all files, each with its file."""
    runs = chained([read.rows.of_file(read.file.place) for read in reads])
    return msgspec.structs.replace(runs, files=tuple(found.set.names))


def promises_of_set(
    found: Survey, columns: Sequence[Column], came: RowNumbers
) -> tuple[tuple[Promise, ...], list[Note]]:
    """What was promised of all files together, held against the data."""
    variables = [each.variable for each in columns]
    given = found.plan.promised
    if given == Promised() and not any(each.required or each.promised for each in variables):
        return (), []
    return judged_promises(found.plan, variables, found.not_kept, [columns], came)


def judged_promises(
    plan: Decisions,
    variables: Sequence[Variable],
    not_kept: Sequence[str],
    pieces: Iterable[Sequence[Column]],
    came: RowNumbers | None,
) -> tuple[tuple[Promise, ...], list[Note]]:
    """What was promised, held against pieces of all columns; `came` has the rows of their cases."""
    given = plan.promised
    if given == Promised() and not any(each.required or each.promised for each in variables):
        return (), []
    from ..promises import PromiseCheck

    if given.totals == "closing":  # each file has its own
        given = msgspec.structs.replace(given, totals={})
    promised, left = checkable(given, tuple(not_kept), plan.limit is not None)
    check, begun = PromiseCheck(promised, variables, {}), 0
    for columns in pieces:
        count = len(columns[0]) if columns else 0
        cases = np.arange(begun, begun + count)
        check.add(columns, cases + 1 if came is None else came.keys(cases))
        begun += count
    notes: list[Note] = [
        PromiseNotChecked(promise=each.promise, names=each.names, lacking=each.lacking)
        for each in left
    ]
    files = came.files if came is not None else ()
    return tuple(with_file(each, files) for each in check.results()), notes


def with_file(promise: Promise, files: Sequence[str]) -> Promise:
    """A promise whose rows are those of files."""
    if not promise.rows or not files:
        return promise
    named = tuple(files[row >> FILE_BITS] for row in promise.rows)
    rows = tuple(row & LAST_ROW for row in promise.rows)
    return msgspec.structs.replace(promise, rows=rows, files=named)
