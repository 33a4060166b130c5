"""One pass over a source: blocks of spans in, converted blocks out.

Whoever wants the result (`load` keeps it, `pack` writes it, `draft` throws it away) hands in a
function that takes each block. Types may still widen while blocks come in, so a column's earlier
blocks can turn out to have been taken too narrowly; `stale` says which.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import nullcontext
from typing import TYPE_CHECKING, cast

import msgspec
import pyarrow as pa

from .choosing import resolve
from .codes import MissingCode
from .convert.finding import Finder, Found
from .convert.kinds import base
from .declaring import called, with_heading
from .detect.names import unique_names
from .detect.settle import Settled
from .errors import PlanError, UnreadableError
from .evidence import Example
from .finders import finder_for
from .kernels.reference import Foresight, Ints
from .matching import columns_of, notes_on
from .naming import ordered, plain_names
from .numerals import check_marks, is_open, look_for_proof
from .plan import Plan
from .records import delimited, fixed
from .records.cutting import Layout
from .records.fixedspans import Block, FixedLayout
from .records.tally import Tally
from .variables import Variable
from .workers import ALONE, Workers, usual_workers

if TYPE_CHECKING:
    from .records.sheet import SheetLayout

LITTLE = 4 << 20
"""A source of fewer bytes is read on one thread."""
MANY = 8192
"""Rows of a block that are worth being handed out column by column."""
Progress = Callable[[int, int | None, str], None]
MOST_DECIMALS = 12
"""Numbers written with more are as a machine has them, and no number of decimals is meant."""
DATE_FORM = re.compile(r"([dmyhsj]{1,4}[-./: ]?){2,6}", re.IGNORECASE)


class Slot(msgspec.Struct, eq=False):
    """One column of the source on its way to a variable."""

    index: int
    variable: Variable
    finder: Finder
    problems: list[tuple[Ints, pa.Array]] = msgspec.field(default_factory=list)
    decimals: int | None = None
    """As many as the number format of a sheet's column shows."""


class Reading(msgspec.Struct, eq=False):
    """A settled source with its columns."""

    settled: Settled
    slots: list[Slot]
    not_kept: tuple[str, ...]
    notes: list[str]
    tally: Tally = msgspec.field(default_factory=Tally)
    proof: Example | None = None
    """A number that shows which of two decimal marks is the right one."""


def prepare(settled: Settled) -> Reading:
    """Match the plan's declarations to the columns. Raises `PlanError` for one without a column."""
    names, notes = unique_names(settled.headings)
    columns = columns_of(settled.plan, names, settled.headings, settled.source.name)
    notes += notes_on(settled.plan, columns, names)
    variables = _matched(settled, names, columns)
    if settled.plan.plain_names:
        variables, told = _made_plain(variables, columns, settled.plan.plain_names)
        notes += told
    notes += settled.plan.notes
    known = [each.name for each in variables]
    plan = settled.plan
    kept = resolve(plan.keep, known) if plan.keep is not None else known
    if plan.order is not None:
        kept = ordered([name for name in resolve(plan.order, known) if name in kept], kept)
    places = {name: index for index, name in enumerate(known)}
    slots = [_slot(settled, places[name], variables[places[name]]) for name in kept]
    left = tuple(name for name in known if name not in set(kept))
    return Reading(settled, slots, left, notes)


def _slot(settled: Settled, index: int, variable: Variable) -> Slot:
    layout = settled.layout
    if settled.source.workbook is not None:
        return _sheet_slot(settled.plan, cast("SheetLayout", layout), index, variable)
    field = layout.fields[index] if isinstance(layout, FixedLayout) else None
    if field is not None and field.decimals:
        if variable.type == "integer":
            raise PlanError(
                f'"{variable.name}": an integer has no decimals, but {field.decimals} are implied'
            )
        if variable.decimals is None:
            variable = msgspec.structs.replace(variable, decimals=field.decimals)
    return Slot(index, variable, finder_for(settled.plan, variable, field))


def _sheet_slot(plan: Plan, layout: SheetLayout, index: int, variable: Variable) -> Slot:
    """A column of a sheet: the kinds of its cells tell the type, its errors are missing."""
    slot = Slot(index, variable, finder_for(plan, variable, None), decimals=layout.decimals[index])
    finder = slot.finder
    known = {str(code) for code in finder.rule.codes}
    codes = tuple(MissingCode(value=text) for text in layout.errors[index] if text not in known)
    finder.rule = msgspec.structs.replace(finder.rule, codes=finder.rule.codes + codes)
    finder.rule = msgspec.structs.replace(finder.rule, cells_of_sheet=True)
    if finder.rule.true or finder.rule.false:  # a cell that is true is so whatever the words are
        both = {"true": (*finder.rule.true, "true"), "false": (*finder.rule.false, "false")}
        finder.rule = msgspec.structs.replace(finder.rule, **both)
    told = layout.kinds[index]
    if variable.type in ("date", "datetime"):
        layout.as_days.add(index)
    if finder.declared or not told:
        return slot
    finder.told = True
    finder.kind = "boolean|true|false" if told == "boolean" else told
    return slot


def _matched(
    settled: Settled, names: Sequence[str], by_column: dict[int, Variable]
) -> list[Variable]:
    """A declaration for each column: the plan's, or what heading, labels and units say."""
    variables = []
    for index, name in enumerate(names):
        declared = by_column.get(index) or Variable(name)
        heading = settled.headings[index] or name
        variables.append(
            msgspec.structs.replace(
                declared,
                from_=declared.from_ or (heading if heading != declared.name else None),
                type=declared.type or settled.plan.type,
                label=declared.label or settled.labels[index] or None,
                unit=declared.unit or _bare(settled.units[index]) or None,
            )
        )
    seen: set[str] = set()
    for variable in variables:
        if variable.name in seen:
            raise PlanError(f'two columns would be called "{variable.name}"; rename one')
        seen.add(variable.name)
    return variables


def _made_plain(
    variables: Sequence[Variable], by_column: dict[int, Variable], longest: bool | int
) -> tuple[list[Variable], list[str]]:
    """Variables under plain names, apart from those that the plan itself names."""
    own = [each.name for index, each in enumerate(variables) if index in by_column]
    free = [each for index, each in enumerate(variables) if index not in by_column]
    made, notes = plain_names([*own, *(each.heading for each in free)], _longest(longest))
    names = dict(zip([id(each) for each in free], made[len(own) :], strict=True))
    return [
        called(with_heading(each), names[id(each)])
        if names.get(id(each), each.name) != each.name
        else each
        for each in variables
    ], notes


def _longest(longest: bool | int) -> int | None:
    return None if longest is True else int(longest)


def _bare(unit: str) -> str:
    """A unit without the brackets around it; a form of dates (`dd.mm.yyyy`) is not a unit."""
    wrapped = len(unit) > 2 and (unit[0], unit[-1]) in {("(", ")"), ("[", "]")}
    bare = unit[1:-1].strip() if wrapped else unit
    return "" if DATE_FORM.fullmatch(bare) else bare


def blocks_of(
    settled: Settled,
    tally: Tally | None = None,
    workers: Workers = ALONE,
    foresight: Callable[[], Foresight] = dict,
    keeping: bool = False,
) -> Iterator[Block]:
    """The data of a source, block after block; `tally` accounts for every line."""
    if settled.source.workbook is not None:
        from .records import sheet

        return sheet.read_blocks(cast("SheetLayout", settled.layout), tally or Tally())
    if isinstance(settled.layout, FixedLayout):
        ways = (tally, workers, foresight, keeping)
        return fixed.read_blocks(settled.source, settled.layout, *ways)
    layout = cast(Layout, settled.layout)
    return delimited.read_blocks(settled.source, layout, tally, workers, foresight, keeping)


def run(
    reading: Reading,
    take: Callable[[Block, list[Found]], None],
    progress: Progress | None = None,
    keeping: bool = False,
    workers: Workers | None = None,
) -> None:
    """Read the source once and hand each converted block to `take`, which may keep them all.

    The work is done by `workers`, or by as many as usual, who leave at the end. Raises `MarksMet`
    if the source turns out to need other marks for numbers.
    """
    settled, plan = reading.settled, reading.settled.plan
    reading.tally = Tally()
    stop = plan.unreadable == "stop"
    doubtful = is_open(reading)

    def foresight() -> Foresight:
        """How each column will be taken; nothing is known before the first block."""
        started = any(slot.finder.rules for slot in reading.slots)
        return {slot.index: slot.finder.foresight() for slot in reading.slots} if started else {}

    with nullcontext(workers) if workers is not None else workers_for(settled) as hands:
        for spans in blocks_of(settled, reading.tally, hands, foresight, keeping):
            crew = ALONE if spans.ahead or len(spans.rows) < MANY else hands
            found = crew.each(_taker(spans), reading.slots)
            _note_problems(reading, spans, found, stop)
            take(spans, found)
            if doubtful and reading.proof is None:
                look_for_proof(reading, spans)
            if progress:
                progress(reading.tally.bytes, settled.source.size, "reading")
    check_marks(reading)


def _taker(spans: Block) -> Callable[[Slot], Found]:
    return lambda slot: slot.finder.take(spans.field(slot.index), spans.rows)


def workers_for(settled: Settled) -> Workers:
    """As many threads as the plan asks for; else as usual, and one where there is little to do."""
    size = settled.source.size
    little = size is not None and size < LITTLE
    return Workers(settled.plan.workers or (1 if little else usual_workers()))


def _note_problems(reading: Reading, spans: Block, found: list[Found], stop: bool) -> None:
    worst: tuple[int, str] | None = None
    for slot, block in zip(reading.slots, found, strict=True):
        unread = block.converted.unread
        if not len(unread):
            continue
        texts = block.withheld.only(unread).texts
        rows = spans.rows[unread]
        slot.problems.append((rows, texts))
        if stop and (worst is None or int(rows[0]) < worst[0]):
            worst = (int(rows[0]), f"{slot.variable.name}: {texts[0].as_py()!r} {_why(slot)}")
    if worst:
        raise UnreadableError(
            f"{reading.settled.source.name}: row {worst[0]}, {worst[1]}; "
            'declare it a missing code, change the type, or read with unreadable="report"'
        )


def _why(slot: Slot) -> str:
    return f"is not {article(base(slot.finder.rule.kind))}"


def article(word: str) -> str:
    """The word with `a` or `an` before it."""
    return ("an " if word[0] in "aeiou" else "a ") + word


def problems_of(slot: Slot) -> list[tuple[str, str, Ints, pa.Array]]:
    """The problems of one variable, block by block."""
    why = _why(slot)
    return [(slot.variable.name, why, rows, texts) for rows, texts in slot.problems]
