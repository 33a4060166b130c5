"""A source, or a set of files, piece by piece: datasets of equal declarations, in bounded memory.

The declarations are settled before the first piece comes: by a plan that declares all types, by a
first pass over everything, or else by the first rows. Then they are provisional: a cell further on
that does not fit is missing as unreadable, and told among the problems of its piece.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.column import Column, Columns, Withheld, joined_columns, merged
from ..columns.convert import TypedBlock
from ..columns.flags import flag_variable
from ..columns.outcome import Outcome, flag_search, joined_values, search_for
from ..columns.rule import FIRST_MARK, IS_NOT_IN_FILE, IS_UNREADABLE, MISSING_MARKS, SourceColumn
from ..dataset.model import PlainDataset
from ..dataset.receipt import Problems, Receipt
from ..declaration.promises import Promised
from ..declaration.variable import Variable
from ..errors import PlanError
from ..evidence import Note, ProvisionalTypes
from ..kernels.spans import FILE_BITS, RowNumbers, chained, gathered
from ..plan.model import Decisions
from ..sources.sets import Files, Member
from ..workers import Progress
from .loading import draft
from .preparing import source_named
from .sets.differences import FileFound
from .sets.one_file import limited, prepared
from .sets.survey import Survey, survey
from .single_pass import stream
from .source_columns import counted, part_column, source_columns, with_columns


def pieces(
    source: Any,
    plan: Decisions,
    options: Mapping[str, Any],
    rows: int,
    settle: bool = False,
    progress: Progress | None = None,
) -> Iterator[PlainDataset]:
    """Datasets of at most so many rows each, with equal declarations, one after another."""
    if isinstance(rows, bool) or not isinstance(rows, int) or rows < 1:
        raise PlanError(f"rows: expected a whole number from 1 up, got {rows!r}")
    named = source_named(source, plan, options)
    files = named.files
    if files is None:
        files = Files([Member(named.source.name, named.source, named.source.size)])
    first = rows if not settle else None
    settled, notes = _settled(files, named.plan, first, progress)
    found = survey(files, settled)
    yield from _Pieces(found, rows, notes, single=named.files is None).all(progress)


def _settled(
    files: Files, plan: Decisions, rows: int | None, progress: Progress | None
) -> tuple[Decisions, list[Note]]:
    """A plan that declares every type: by all rows, or by the first ones."""
    if plan.listed and all(each.type for each in plan.variables):
        return plan, []
    limit = rows if rows is None or plan.limit is None else min(rows, plan.limit)
    drafted = draft(files, plan, {} if limit is None else {"limit": limit}, progress)
    known = {each.name: each for each in drafted.variables}
    seen = survey(files, msgspec.structs.replace(plan, keep=None, order=None))
    for file in seen.files:
        new = [each for each in file.columns.values() if each.name not in known]
        if new:
            alone = draft(Files([file.member]), plan, {"limit": limit, "keep": None}, None)
            known |= {each.name: each for each in alone.variables if each.name not in known}
    made = msgspec.structs.replace(
        plan,
        variables=tuple(known.values()),
        keep=drafted.keep,
        limit=plan.limit,
        listed=True,
        type=None,
    )
    notes: list[Note] = [] if limit is None else [ProvisionalTypes(rows=limit)]
    return made, notes


class _Pieces:
    """Blocks of files gathered into pieces."""

    def __init__(self, found: Survey, rows: int, notes: Sequence[Note], single: bool) -> None:
        self.found, self.rows, self.notes, self.single = found, rows, notes, single
        self.outcomes: dict[str, Outcome] = {}
        for each in found.variables:
            made = self.outcomes[each.name] = self._outcome(each)
            if each.flags:
                beside = flag_variable(each)
                flags = flag_search(made.search)
                self.outcomes[beside.name] = Outcome(beside, flags, flags.final_kind())
        self.variables = {
            name: msgspec.structs.replace(each.variable, missing=each.search.rule.codes)
            for name, each in self.outcomes.items()
        }
        self.order = {each.place: index for index, each in enumerate(found.files)}
        self.parts = {
            part: part_column(found.plan, part, [e.member.parts.get(part) for e in found.files])
            for part in found.parts
        }
        self.held: list[dict[str, Column]] = []
        self.came: list[RowNumbers] = []
        self.count = 0
        self.given = False

    def _outcome(self, variable: Variable) -> Outcome:
        errors = self.found.errors.get(variable.name, ())
        search = search_for(self.found.plan, variable, SourceColumn(errors=errors))
        return Outcome(variable, search, search.final_kind())

    def all(self, progress: Progress | None) -> Iterator[PlainDataset]:
        """The pieces; at least one."""
        limit = self.found.plan.limit
        left = limit
        for file in self.found.files:
            if left is not None and left <= 0:
                break
            for block_rows in self._taken(file, left, progress):
                left = None if left is None else left - block_rows
                while self.count >= self.rows:
                    yield self._piece(self.rows)
        if self.count or not self.given:
            yield self._piece(self.count)

    def _taken(
        self, file: FileFound, limit: int | None, progress: Progress | None
    ) -> Iterator[int]:
        """Take the blocks of one file, and say how many rows each has."""
        if limit is not None:
            file = limited(self.found, file, limit)
        reading = prepared(self.found, file, limit)
        step = reading.found.layout.rows_per_case
        for block, typed in stream(reading, progress):
            count = len(block.rows)
            columns = {
                each.variable.name: self._column(each.variable.name, taken)
                for each, taken in zip(reading.columns, typed, strict=True)
            }
            for name in self.outcomes:
                if name not in columns:
                    columns[name] = self._absent(name, count)
            for part, column in self.parts.items():
                columns[part] = column.taken(np.full(count, self.order[file.place]))
            self.held.append(columns)
            self.came.append(gathered([block.rows], step).of_file(file.place))
            self.count += count
            yield count

    def _column(self, name: str, block: TypedBlock) -> Column:
        """A block as a column of the settled declaration; marks that it has no code for stay."""
        outcome, done = self.outcomes[name], block.converted
        reasons, held = done.reasons, block.withheld
        marks = np.flatnonzero(reasons >= FIRST_MARK)
        if len(marks):
            texts = [MISSING_MARKS[number - FIRST_MARK] for number in reasons[marks].tolist()]
            held = merged([held, Withheld(marks, kernels.strings(texts))])
            reasons = reasons.copy()
            reasons[marks] = IS_UNREADABLE
        values = joined_values(outcome.arrow_type, [block])
        return Column(self.variables[name], values, reasons, held)

    def _absent(self, name: str, count: int) -> Column:
        values = pa.nulls(count, self.outcomes[name].arrow_type)
        return Column(self.variables[name], values, np.full(count, IS_NOT_IN_FILE, np.uint8))

    def _piece(self, count: int) -> PlainDataset:
        """The first rows of what is held, as a dataset; the rest stays."""
        names = [*self.outcomes, *self.found.parts]
        whole = {
            name: joined_columns(self._variable(name), [held[name] for held in self.held])
            for name in names
            if self.held
        } or {name: self._absent(name, 0) for name in self.outcomes}
        rows = chained(self.came)
        files = () if self.single else tuple(self.found.set.names)
        rows = msgspec.structs.replace(rows, files=files)
        taken = {name: column.slice(0, count) for name, column in whole.items()}
        came = rows.taken(np.arange(count))
        rest = {name: column.slice(count, len(column)) for name, column in whole.items()}
        left = self.count - count
        self.held = [rest] if left else []
        self.came = [rows.taken(np.arange(count, count + left))] if left else []
        self.count, self.given = left, True
        return self._dataset(taken, count, came)

    def _variable(self, name: str) -> Variable:
        return self.variables.get(name) or self.held[0][name].variable

    def _dataset(self, columns: Mapping[str, Column], count: int, came: RowNumbers) -> PlainDataset:
        problems = _problems(columns, came)
        receipt = Receipt(
            source=self.found.set.names[0] if self.single else f"{len(self.found.set)} files",
            bytes=0,
            layout="delimited",
            encoding="",
            settings={},
            lines=count,
            parts={"data": count},
            rows=count,
            cells=tuple(map(counted, columns.values())),
            notes=(*self.notes, *self.found.notes),
            problem_count=len(problems),
            problems=problems,
        )
        made = PlainDataset(
            tuple(each.variable for each in columns.values()),
            Columns(dict(columns)),
            count,
            receipt,
            msgspec.structs.replace(self.found.plan, promised=Promised()),
            came,
        )
        return with_columns(made, source_columns(self.found.plan, came, receipt.source))


def _problems(columns: Mapping[str, Column], came: RowNumbers) -> Problems:
    """The cells of a piece that could not be read, with their files and rows."""
    parts, files = [], []
    for name, column in columns.items():
        cells = np.flatnonzero(column.reasons == IS_UNREADABLE)
        if not len(cells):
            continue
        texts, rows = column.withheld.only(cells).texts, came.at(cells)
        places = came.keys(cells) >> FILE_BITS
        for place in kernels.distinct(places).tolist():
            hit = np.flatnonzero(places == place)
            own = texts.take(kernels.whole_numbers(hit))
            parts.append((name, column.variable.type or "text", rows[hit], own))
            files.append(came.files[place] if came.files else "")
    return Problems(parts, files)
