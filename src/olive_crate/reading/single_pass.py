"""One pass over a source: blocks of cells in, converted blocks out.

Whoever wants the result (`load` keeps it, `pack` writes it, `draft` throws it away) hands in a
function that takes each block. Types may still widen while blocks come in, so a column's earlier
blocks can turn out to have been taken too narrowly; they are read once more in the end.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import nullcontext
from functools import partial
from typing import TypeVar

import msgspec

from .. import kernels
from ..columns.convert import TypedBlock
from ..columns.rule import base
from ..columns.search import TypeSearch
from ..dataset.receipt import PROBLEMS_WRITTEN
from ..errors import Advice, LayoutError, UnreadableError, with_article
from ..evidence import DecimalMark, Example, FellBack
from ..kernels.spans import listed
from ..kernels.types import Forecast, Ints
from ..layouts.base import Before, Block, Hands, SourceLayout, Tally
from ..layouts.registry import find_layout
from ..layouts.text.completing import find_marks, number_form, shapes_of
from ..layouts.text.decoding import BadByte
from ..plan.model import Decisions
from ..sources.source import Source
from ..workers import ALONE, Progress, Workers, usual_workers
from .preparing import ColumnReader, Reading

T = TypeVar("T")
LITTLE = 4 << 20
"""A source of fewer bytes is read on one thread."""
MANY = 8192
"""Rows of a block that are worth being handed out column by column."""
WEIGHT = 50
"""A text counts so many times at most, so that one that repeats does not outweigh the rest."""


def run(
    reading: Reading,
    take: Callable[[Block, list[TypedBlock]], None],
    progress: Progress | None = None,
    keeping: bool = False,
    workers: Workers | None = None,
) -> None:
    """Read the source once and hand each converted block to `take`, which may keep them all.

    The work is done by `workers`, or by as many as usual, who leave at the end. Raises
    `OtherMarksMet` if the source turns out to need other marks for numbers.
    """
    for block, typed in stream(reading, progress, keeping, workers):
        take(block, typed)
    check_marks(reading)


def stream(
    reading: Reading,
    progress: Progress | None = None,
    keeping: bool = False,
    workers: Workers | None = None,
) -> Iterator[tuple[Block, list[TypedBlock]]]:
    """Each block of the source, converted."""
    found = reading.found
    tally = reading.tally = Tally()
    stop = found.plan.unreadable == "stop"
    doubtful = is_open(reading)
    with nullcontext(workers) if workers is not None else workers_for(found) as crew:
        hands = Hands(crew, lambda: _forecast(reading), keeping, reading.asked)
        for block in found.layout.read(found.source, tally, hands):
            own = ALONE if block.early or len(block.rows) < MANY else crew
            typed = own.each(partial(_taken, block), reading.columns)
            if any(len(each.converted.unread) for each in typed):
                _note_problems(reading, block, typed, stop)
            yield block, typed
            if doubtful and reading.proof is None:
                look_for_proof(reading, block)
            if progress:
                progress(tally.bytes, found.source.size, "reading")


def _taken(block: Block, column: ColumnReader) -> TypedBlock:
    return column.search.take(block.field(column.index), block.rows)


def _forecast(reading: Reading) -> Forecast:
    """How columns will be converted; empty as long as nothing is known of any."""
    asked = {each.index: each.search.forecast() for each in reading.columns}
    return asked if any(each is not None for each in asked.values()) else {}


def workers_for(found: SourceLayout) -> Workers:
    """As many threads as the plan asks for; else as usual, and one where there is little to do."""
    size = found.source.size
    little = size is not None and size < LITTLE
    return Workers(found.plan.workers or (1 if little else usual_workers()))


def reread(reading: Reading, blocks: list[list[TypedBlock]], workers: Workers) -> None:
    """Take blocks again that were taken too narrowly before a later one widened the type."""
    stale = [
        {at for at, block in enumerate(held) if block.kind != kind and search.is_stale(block)}
        for search, held in zip((each.search for each in reading.columns), blocks, strict=True)
        for kind in (search.final_kind(),)
    ]
    last = max((max(numbers) for numbers in stale if numbers), default=-1)
    if last < 0:
        return
    for column, numbers in zip(reading.columns, stale, strict=True):
        if numbers:
            column.search.settle()
    found = reading.found
    for number, block in enumerate(
        found.layout.read(found.source, Tally(), Hands(workers, columns=reading.asked))
    ):
        for column, held, numbers in zip(reading.columns, blocks, stale, strict=True):
            if number in numbers:
                held[number] = column.search.again(block.field(column.index))
        if number == last:
            return


def _note_problems(reading: Reading, block: Block, typed: list[TypedBlock], stop: bool) -> None:
    worst: tuple[int, str] | None = None
    for column, each in zip(reading.columns, typed, strict=True):
        unread = each.converted.unread
        if not len(unread):
            continue
        texts = each.withheld.only(unread).texts
        rows = block.rows[unread]
        column.problems.append((rows, texts))
        if reading.found.layout.key:
            _name_cases(reading, block, unread)
        if stop and (worst is None or int(rows[0]) < worst[0]):
            kind = with_article(base(column.search.rule.kind))
            text = texts[0].as_py()
            worst = (int(rows[0]), f"{column.variable.name}: {text!r} is not {kind}")
    if worst:
        raise UnreadableError(
            f"{reading.found.source.name}: row {worst[0]}, {worst[1]}",
            Advice(
                "declare it a missing code, change the type, or use {}",
                'unreadable="report"',
                "--unreadable report",
            ),
        )


def _name_cases(reading: Reading, block: Block, at: Ints) -> None:
    """Note what the cases with these problems are called by the key of their source."""
    at = at[: max(0, PROBLEMS_WRITTEN - len(reading.case_names))]
    columns = []
    for index in reading.found.layout.key:
        cells = block.field(index).at(at)
        columns.append(kernels.texts(cells.buffer, cells.starts, cells.ends).to_pylist())
    named = map(", ".join, zip(*columns, strict=True))
    reading.case_names.update(zip(block.rows[at].tolist(), named, strict=False))


class OtherMarksMet(Exception):
    """The source was read with marks that it does not use throughout; these shapes were met."""

    def __init__(self, shapes: Counter[str]) -> None:
        self.shapes = shapes
        super().__init__("the decimal and grouping marks have to be found again")


def with_fallback(
    opened: Source,
    plan: Decisions,
    read: Callable[[SourceLayout], T],
    find: Callable[[Source, Decisions, Before], SourceLayout] = find_layout,
    found: SourceLayout | None = None,
    before: Before = Before(),
) -> T:
    """Find the layout and read; what the head shows wrongly is found again, each thing once.

    `found` is a layout that was found already.
    """
    while True:
        try:
            found = find(opened, plan, before) if found is None else found
            return read(found)
        except LayoutError as error:
            if plan.layout is not None or plan.fields is not None or found is None:
                raise
            if found.plan.layout != "fixed":
                raise
            fallen = FellBack(name=opened.name, why=str(error))
            plan = msgspec.structs.replace(plan, layout="delimited", notes=(*plan.notes, fallen))
        except BadByte as error:
            if plan.source.encoding is not None or error.seen_beyond_ascii or before.around:
                raise
            before = msgspec.structs.replace(before, around=error.around)
        except OtherMarksMet as error:
            before = msgspec.structs.replace(before, shapes=error.shapes)
        found = None


def check_marks(reading: Reading) -> None:
    """Raise `OtherMarksMet` if other marks make numbers of a column that these leave as text."""
    head, section = reading.found.shapes, reading.found.plan.delimited
    hindered = [each for each in reading.columns if each.search.statistics.obstacles]
    met = [each for each in hindered if _is_number_otherwise(each.search)]
    if head is None or not met:
        return
    shapes = head + shapes_of(_texts(each.search) for each in met)
    decimal, grouping = find_marks(shapes, section.delimiter or "")
    if decimal is None:
        return
    groups = section.grouping or "" if grouping is None else grouping.value
    if _is_certain(reading) and (decimal.value != section.decimal or section.grouping):
        return
    changed = (decimal.value, groups) != (section.decimal, section.grouping or "")
    if changed and _explains(met, decimal.value, groups):
        raise OtherMarksMet(shapes)


def _explains(columns: list[ColumnReader], decimal: str, grouping: str) -> bool:
    """Do these marks make a number of every cell of one of the columns?"""
    form = number_form(decimal, grouping)
    obstacles = (each.search.statistics.obstacles for each in columns)
    return any(not each.odd and all(map(form.fullmatch, each.texts)) for each in obstacles if each)


def _is_number_otherwise(search: TypeSearch) -> bool:
    obstacles = search.statistics.obstacles
    return (
        obstacles is not None
        and obstacles.count > obstacles.odd
        and obstacles.kind in ("integer", "number")
        and search.state.kind == "text"
        and not search.is_declared
    )


def _texts(search: TypeSearch) -> list[str]:
    obstacles = search.statistics.obstacles
    met = obstacles.texts if obstacles else {}
    return [text for text, (count, _) in met.items() for _ in range(min(count, WEIGHT))]


def _decimal(reading: Reading) -> DecimalMark | None:
    found = (each for each in reading.found.evidence if isinstance(each, DecimalMark))
    return next(found, None)


def _is_certain(reading: Reading) -> bool:
    """Has any number shown for certain what its decimal mark is?"""
    decimal = _decimal(reading)
    if decimal is None:
        return any(each.search.statistics.decimals for each in reading.columns)
    return decimal.certain or not _is_doubtful(decimal) or reading.proof is not None


def _is_doubtful(decimal: DecimalMark) -> bool:
    return not decimal.supporting and not decimal.against and bool(decimal.alternatives)


def is_open(reading: Reading) -> bool:
    """Does the head leave open which of two marks is the decimal one?"""
    found = reading.found
    return found.shapes is not None and any(
        not (each.supporting or each.against) and bool(each.alternatives)
        for each in found.evidence
        if isinstance(each, DecimalMark)
    )


def look_for_proof(reading: Reading, block: Block) -> None:
    """Look for a number that can be read in one way only, where the head shows none."""
    section = reading.found.plan.delimited
    proof = _proof(section.decimal or ".", section.grouping or "")
    for each in reading.columns:
        numbers = each.search.state.kind in ("number", "integer")
        if not numbers and not _is_number_otherwise(each.search):
            continue
        cells = block.field(each.index).trimmed()
        texts = kernels.texts(cells.buffer, cells.starts, cells.ends)
        for row, text in zip(listed(block.rows), texts.to_pylist(), strict=True):
            if proof.fullmatch(text) and (reading.proof is None or row < reading.proof.row):
                reading.proof = Example(row, text)
                break


def _proof(decimal: str, grouping: str) -> re.Pattern[str]:
    point = re.escape(decimal)
    ways = [rf"\d*{point}(\d{{1,2}}|\d{{4,}})", rf"(\d{{4,}}|0\d*){point}\d*"]
    if grouping:
        group = re.escape(grouping)
        ways += [rf"\d{{1,3}}({group}\d{{3}}){{2,}}", rf"\d{{1,3}}({group}\d{{3}})+{point}\d*"]
    return re.compile(rf"[+-]?({'|'.join(ways)})")
