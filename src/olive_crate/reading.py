"""One pass over a source: blocks of spans in, converted blocks out.

Whoever wants the result (`load` keeps it, `pack` writes it, `draft` throws it away) hands in a
function that takes each block. Types may still widen while blocks come in, so a column's earlier
blocks can turn out to have been taken too narrowly; `stale` says which.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, cast

import msgspec
import numpy as np
import pyarrow as pa

from . import kernels
from .choosing import resolve
from .codes import MissingCode
from .convert import convert
from .convert.dates import ANY_ZONED
from .convert.finding import FIRST_MARK, NONE_YET, Finder, Found
from .convert.kinds import base, form, rule_for
from .convert.rule import MARKS, reason_of
from .declaring import called, with_heading
from .detect.names import unique_names
from .detect.settle import Settled
from .errors import PlanError, UnreadableError
from .evidence import Example
from .finders import finder_for
from .kernels.reference import Foresight, Ints, Place
from .matching import columns_of, notes_on
from .naming import ordered, plain_names
from .numerals import check_marks, is_open, look_for_proof
from .plan import Plan
from .records import delimited, fixed
from .records.delimited import Layout
from .records.fixed import Block, FixedLayout
from .records.spans import Cells
from .records.tally import Tally
from .variables import Variable
from .workers import ALONE, Workers, usual_workers

if TYPE_CHECKING:
    from .records.sheet import SheetLayout

LITTLE = 4 << 20
"""A source of fewer bytes is read on one thread."""
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
) -> None:
    """Read the source once and hand each converted block to `take`, which may keep them all.

    Raises `MarksMet` at the end if the source has to be read with other marks for numbers.
    """
    settled, plan = reading.settled, reading.settled.plan
    reading.tally = Tally()
    stop = plan.unreadable == "stop"
    doubtful = is_open(reading)

    def foresight() -> Foresight:
        """How each column will be taken; nothing is known before the first block."""
        started = any(slot.finder.rules for slot in reading.slots)
        return {slot.index: slot.finder.foresight() for slot in reading.slots} if started else {}

    with workers_for(settled) as workers:
        for spans in blocks_of(settled, reading.tally, workers, foresight, keeping):
            crew = ALONE if spans.ahead else workers
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


def final_kind(slot: Slot) -> str:
    """The type that the whole source allows."""
    finder = slot.finder
    kind = (finder.kind or finder.rule.kind) if finder.declared else finder.kind
    if base(kind) == "boolean" and not (finder.declared or finder.fixed or finder.told):
        both = 0 < finder.trues < finder.fitting
        return kind if both else "text"  # one word alone says nothing
    return kind or "text"


def is_stale(slot: Slot, block: Found) -> bool:
    """Was this block taken as something that cannot be cast to the final type?"""
    kind = final_kind(slot)
    if block.kind == kind or (block.kind == "integer" and kind == "number"):
        return False
    return block.kind != NONE_YET or block.marks


def arrow_type(slot: Slot) -> pa.DataType:
    """The Arrow type that the variable ends up with."""
    kind = final_kind(slot)
    if kind == "category":
        return pa.dictionary(pa.int32(), pa.string())
    empty = Cells(kernels.padded(b""), np.zeros(0, np.int64), np.zeros(0, np.int64))
    return convert(empty, rule_for(slot.finder.rule, kind, False)).values.type


def settled_values(slot: Slot, blocks: Sequence[Found]) -> pa.Array:
    """The values of blocks as one array of the final type; text beyond 2 GB gets wide offsets."""
    kind = arrow_type(slot)
    if not blocks:
        return pa.nulls(0, kind)
    arrays = [_as_type(block.converted.values, kind) for block in blocks]
    if pa.types.is_string(kind):
        if len(arrays) == 1 and arrays[0].type == kind:
            return arrays[0]
        return kernels.joined_texts(arrays, [block.converted.reasons for block in blocks])
    if len(arrays) == 1:
        return arrays[0]
    if pa.types.is_dictionary(kind):
        return pa.chunked_array(arrays).unify_dictionaries().combine_chunks()
    whole = _in_place(blocks, arrays)
    return pa.concat_arrays(arrays) if whole is None else whole


def _in_place(blocks: Sequence[Found], arrays: Sequence[pa.Array]) -> pa.Array | None:
    """One array of blocks that were read side by side; those before them are moved there."""
    kind = arrays[0].type
    places = [block.converted.place for block in blocks]
    first = next((at for at, place in enumerate(places) if place is not None), None)
    if first is None or not all(array.type == kind and not array.offset for array in arrays):
        return None
    begin = cast(Place, places[first])
    if begin.column.itemsize * 8 != kind.bit_width:
        return None
    end = begin.start
    for place, array, block in zip(places[first:], arrays[first:], blocks[first:], strict=True):
        same = place is not None and place.column is begin.column and place.start == end
        if not same or array is not block.converted.values:
            return None
        end += len(array)
    before = sum(len(array) for array in arrays[:first])
    if before > begin.start:
        return None
    at = low = begin.start - before
    for array in arrays[:first]:
        own = np.frombuffer(array.buffers()[1], begin.column.dtype)[: len(array)]
        begin.column[at : at + len(own)] = own
        at += len(own)
    missing = any(array.null_count for array in arrays)
    reasons = [block.converted.reasons == 0 for block in blocks] if missing else []
    valid = kernels.bitmap(np.concatenate(reasons)) if missing else None
    data = pa.py_buffer(begin.column[low:end])
    return pa.Array.from_buffers(kind, end - low, [valid, data])


def _as_type(values: pa.Array, kind: pa.DataType) -> pa.Array:
    """A block as the final type; repeated texts may stay places in a dictionary."""
    if values.type == kind:
        return values
    if pa.types.is_null(values.type):
        return pa.nulls(len(values), kind)
    repeated = pa.types.is_dictionary(values.type) and pa.types.is_string(kind)
    return values if repeated else values.cast(kind, safe=False)


def final_reasons(slot: Slot, reasons: np.ndarray) -> np.ndarray:
    """Reasons numbered by the variable's final list of missing codes."""
    table = _reason_table(slot)
    return reasons if table is None else table[reasons]


def _reason_table(slot: Slot) -> np.ndarray | None:
    marks = _marks_met(slot)
    if not marks:
        return None
    own = len(slot.variable.missing)
    table = np.arange(256, dtype=np.uint8)
    shared = len(slot.finder.rule.codes) - own
    for place in range(own, own + shared):
        table[reason_of(place)] = reason_of(place + len(marks))
    for place, mark in enumerate(marks):
        table[FIRST_MARK + MARKS.index(mark)] = reason_of(own + place)
    return table


def _marks_met(slot: Slot) -> list[str]:
    """Well-known marks that were taken as missing, in the order of the alphabet."""
    if final_kind(slot) in ("text", "category"):
        return []
    return sorted(MARKS[index] for index in np.flatnonzero(slot.finder.mark_counts))


def final_variable(slot: Slot) -> Variable:
    """The declaration as the whole source settles it."""
    variable, finder = slot.variable, slot.finder
    kind = final_kind(slot)
    own = len(variable.missing)
    marks = tuple(MissingCode(value=mark) for mark in _marks_met(slot))
    decimals = variable.decimals
    if decimals is None and kind == "number" and 0 < finder.decimals <= MOST_DECIMALS:
        decimals = finder.decimals
    if variable.decimals is None and kind == "number" and slot.decimals is not None:
        decimals = slot.decimals
    return msgspec.structs.replace(
        variable,
        type=base(kind),
        decimals=decimals,
        **_way_of_writing(variable, kind),
        missing=variable.missing + marks + finder.rule.codes[own:],
    )


def _way_of_writing(variable: Variable, kind: str) -> dict[str, Any]:
    """The parts of the declaration that say how a kind is written."""
    if kind == "zoned":
        return {"format": ANY_ZONED}
    written = form(kind)
    if written is None:
        return {}
    if base(kind) == "boolean":
        true, _, false = written.partition("|")
        return {"true": (true,), "false": (false,)}
    return {"format": written}


def problems_of(slot: Slot) -> list[tuple[str, str, Ints, pa.Array]]:
    """The problems of one variable, block by block."""
    why = _why(slot)
    return [(slot.variable.name, why, rows, texts) for rows, texts in slot.problems]
