"""One pass over a source: blocks of cells in, converted blocks out.

Whoever wants the result (`load` keeps it, `pack` writes it, `draft` throws it away) hands in a
function that takes each block. Types may still widen while blocks come in, so a column's earlier
blocks can turn out to have been taken too narrowly; they are read once more in the end.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext

from ..columns.block import TypedBlock
from ..columns.candidates import base
from ..errors import UnreadableError, with_article
from ..kernels.types import Forecast
from ..layouts.base import Block, Hands, SourceLayout
from ..layouts.tally import Tally
from ..workers import ALONE, Workers, usual_workers
from .decimal_mark import check_marks, is_open, look_for_proof
from .state import ColumnReader, Reading

LITTLE = 4 << 20
"""A source of fewer bytes is read on one thread."""
MANY = 8192
"""Rows of a block that are worth being handed out column by column."""
Progress = Callable[[int, int | None, str], None]


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
    found = reading.found
    tally = reading.tally = Tally()
    stop = found.plan.unreadable == "stop"
    doubtful = is_open(reading)
    with nullcontext(workers) if workers is not None else workers_for(found) as crew:
        hands = Hands(crew, lambda: _forecast(reading), keeping)
        for block in found.layout.read(found.source, tally, hands):
            own = ALONE if block.early or len(block.rows) < MANY else crew
            typed = own.each(_taker(block), reading.columns)
            _note_problems(reading, block, typed, stop)
            take(block, typed)
            if doubtful and reading.proof is None:
                look_for_proof(reading, block)
            if progress:
                progress(tally.bytes, found.source.size, "reading")
    check_marks(reading)


def _forecast(reading: Reading) -> Forecast:
    """How each column will be taken; nothing is known before the first block."""
    if not any(each.search.started for each in reading.columns):
        return {}
    return {each.index: each.search.forecast() for each in reading.columns}


def _taker(block: Block) -> Callable[[ColumnReader], TypedBlock]:
    return lambda column: column.search.take(block.field(column.index), block.rows)


def workers_for(found: SourceLayout) -> Workers:
    """As many threads as the plan asks for; else as usual, and one where there is little to do."""
    size = found.source.size
    little = size is not None and size < LITTLE
    return Workers(found.plan.workers or (1 if little else usual_workers()))


def reread(reading: Reading, blocks: list[list[TypedBlock]], workers: Workers) -> None:
    """Take blocks again that were taken too narrowly before a later one widened the type."""
    stale = [
        {number for number, block in enumerate(held) if column.search.is_stale(block)}
        for column, held in zip(reading.columns, blocks, strict=True)
    ]
    last = max((max(numbers) for numbers in stale if numbers), default=-1)
    if last < 0:
        return
    for column, numbers in zip(reading.columns, stale, strict=True):
        if numbers:
            column.search.settle()
    found = reading.found
    for number, block in enumerate(found.layout.read(found.source, Tally(), Hands(workers))):
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
        if stop and (worst is None or int(rows[0]) < worst[0]):
            kind = with_article(base(column.search.rule.kind))
            text = texts[0].as_py()
            worst = (int(rows[0]), f"{column.variable.name}: {text!r} is not {kind}")
    if worst:
        raise UnreadableError(
            f"{reading.found.source.name}: row {worst[0]}, {worst[1]}; "
            'declare it a missing code, change the type, or read with unreadable="report"'
        )
