"""A variable before and after its cells are read: its search, and the column that results."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any, cast

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import MissingCode
from ..declaration.variable import TIMES, Variable
from ..errors import PlanError
from ..kernels.buffers import all_present
from ..kernels.reference import times
from ..kernels.types import Bytes, Pattern, Place
from ..plan.model import Decisions
from .column import NOTHING, Column, followed
from .convert import ARROW_TYPES, TypedBlock, arrow_type
from .dates import ANY_ZONED
from .declared_times import DeclaredTime
from .rule import (
    FIRST_MARK,
    MISSING_MARKS,
    UNKNOWN,
    Rule,
    SourceColumn,
    base,
    form,
    reason_of,
    rule_for,
)
from .search import Declared, Narrowed, Open, State, TypeSearch

MOST_DECIMALS = 12
"""Numbers written with more are as a machine has them, and no number of decimals is meant."""


class Outcome(msgspec.Struct, eq=False):
    """A variable as its search leaves it. Made once the blocks it is used for were taken."""

    declared: Variable
    search: TypeSearch
    kind: str
    """What the whole source allows."""
    shown_decimals: int | None = None
    """As many decimals as the number format of a sheet's column shows."""
    settled: Variable | None = None
    """What `variable` has worked out."""
    met: Sequence[str] | None = None
    """What `marks` has worked out."""

    @property
    def marks(self) -> Sequence[str]:
        """Well-known marks that were taken as missing, in alphabetical order."""
        if self.met is None:
            counts = self.search.statistics
            as_text = counts.mark_counts is None or self.kind in ("text", "category")
            self.met = () if as_text else sorted(counts.marks_met())
        return self.met

    @property
    def variable(self) -> Variable:
        """The declaration as the whole source settles it."""
        if self.settled is not None:
            return self.settled
        declared, own = self.declared, len(self.declared.missing)
        marks = tuple([MissingCode(value=mark) for mark in self.marks])
        decimals = declared.decimals
        if decimals is None and base(self.kind) == "number":
            decimals = self.shown_decimals
            written = self.search.statistics.decimals
            if decimals is None and 0 < written <= MOST_DECIMALS:
                decimals = written
        as_written = "|" in self.kind or self.kind == "zoned"
        self.settled = msgspec.structs.replace(
            declared,
            type=base(self.kind),
            decimals=decimals,
            **(writing_of(declared, self.kind) if as_written else {}),
            missing=declared.missing + marks + self.search.rule.codes[own:],
        )
        return self.settled

    @property
    def arrow_type(self) -> pa.DataType:
        """The Arrow type that the variable ends up with."""
        if self.kind in ARROW_TYPES:
            return ARROW_TYPES[self.kind]
        if self.kind == "category":
            return pa.dictionary(pa.int32(), pa.string())
        return arrow_type(rule_for(self.search.rule, self.kind, strict=False))

    def reasons(self, numbers: np.ndarray) -> np.ndarray:
        """Reasons numbered by the variable's final list of missing codes, marks among them.

        `numbers` may be changed.
        """
        own = len(self.declared.missing)
        shared = len(self.search.rule.codes) - own
        if not shared and len(self.marks) == 1:
            most = np.empty(len(numbers), np.uint8)  # NumPy takes long with one number
            most.fill(reason_of(own))
            np.minimum(numbers, most, out=numbers)
            return numbers
        table = bytearray(range(256))
        for place in range(own, own + shared):
            table[reason_of(place)] = reason_of(place + len(self.marks))
        for place, mark in enumerate(self.marks):
            table[FIRST_MARK + MISSING_MARKS.index(mark)] = reason_of(own + place)
        return np.frombuffer(bytearray(numbers.tobytes()).translate(table), np.uint8)


def writing_of(variable: Variable, kind: str) -> dict[str, Any]:
    """The parts of the declaration that say how a kind is written; none for the usual way."""
    if kind == "zoned":
        return {"format": ANY_ZONED}
    written = form(kind)
    if not written:
        return {}
    if base(kind) == "number":
        return {"unit": variable.unit or written}
    if base(kind) == "boolean":
        true, _, false = written.partition("|")
        return {"true": (true,), "false": (false,)}
    return {"format": written}


def joined(outcome: Outcome, blocks: Sequence[TypedBlock], repeated: bool = False) -> Column:
    """The blocks of a variable as one column.

    With `repeated`, texts that are dictionary-encoded in all blocks stay so.
    """
    if len(blocks) == 1 and blocks[0].withheld is NOTHING:
        values = blocks[0].converted.values
        if not values.null_count and values.type == outcome.arrow_type:  # it is a column as it is
            return Column(outcome.variable, values, all_present(len(values)), NOTHING)
    reasons = [block.converted.reasons for block in blocks]
    held = NOTHING
    if any(block.withheld is not NOTHING for block in blocks):
        held = followed([(len(block.converted.reasons), block.withheld) for block in blocks])
    if not any(block.converted.values.null_count for block in blocks):
        values = joined_values(outcome.arrow_type, blocks, None, repeated)
        return Column(outcome.variable, values, all_present(sum(map(len, reasons))), held)
    numbers = np.concatenate(reasons)
    values = joined_values(outcome.arrow_type, blocks, numbers, repeated)
    if outcome.marks:
        numbers = outcome.reasons(numbers)
    return Column(outcome.variable, values, numbers, held)


def joined_values(
    kind: pa.DataType,
    blocks: Sequence[TypedBlock],
    reasons: Bytes | None = None,
    repeated: bool = False,
) -> pa.Array:
    """The values of blocks as one array of a type; text beyond 2 GB gets wide offsets.

    `reasons` are those of all the blocks, if any cell of several blocks has one. With `repeated`,
    texts that are dictionary-encoded in all blocks stay so.
    """
    if not blocks:
        return pa.nulls(0, kind)
    arrays = [
        values if values.type == kind else _as_type(values, kind)
        for values in (block.converted.values for block in blocks)
    ]
    if repeated and all(pa.types.is_dictionary(array.type) for array in arrays):
        return _one_dictionary(arrays)
    if pa.types.is_string(kind):
        if len(arrays) == 1 and arrays[0].type == kind:
            return arrays[0]
        if (whole := _texts_in_place(blocks, arrays, reasons)) is not None:
            return whole
        return kernels.joined_texts(arrays, [block.converted.reasons for block in blocks])
    if len(arrays) == 1:
        return arrays[0]
    if pa.types.is_dictionary(kind):
        return _one_dictionary(arrays)
    whole = _in_place(blocks, arrays, reasons)
    return pa.concat_arrays(arrays) if whole is None else whole


def _one_dictionary(arrays: Sequence[pa.Array]) -> pa.Array:
    return pa.chunked_array(arrays).unify_dictionaries().combine_chunks()


def _texts_in_place(
    blocks: Sequence[TypedBlock], arrays: Sequence[pa.StringArray], reasons: Bytes | None
) -> pa.StringArray | None:
    """One array of blocks whose texts were moved there one after the other."""
    begin = blocks[0].converted.place
    if begin is None or begin.start:
        return None
    end = _end_of_run(begin, blocks, arrays)
    if end is None:
        return None
    offsets = begin.column[: end + 1]
    data = arrays[-1].buffers()[2].slice(0, int(offsets[end]))
    bitmap = None if reasons is None else kernels.validity(reasons).bitmap
    return pa.StringArray.from_buffers(end, pa.py_buffer(offsets), data, bitmap)


def text_bytes(blocks: Sequence[TypedBlock]) -> float:
    """About how many bytes of text blocks have to be put together from."""
    kinds = pa.types
    size = 0.0
    for each in (block.converted.values for block in blocks):
        if kinds.is_string(each.type):
            size += each.nbytes
        elif kinds.is_dictionary(each.type):
            size += len(each) * each.dictionary.nbytes / max(1, len(each.dictionary))
    return size


def _as_type(values: pa.Array, kind: pa.DataType) -> pa.Array:
    """A block as the final type; repeated texts may stay places in a dictionary."""
    if pa.types.is_null(values.type):
        return pa.nulls(len(values), kind)
    repeated = pa.types.is_dictionary(values.type) and pa.types.is_string(kind)
    return values if repeated else values.cast(kind, safe=False)


def _in_place(
    blocks: Sequence[TypedBlock], arrays: Sequence[pa.Array], reasons: Bytes | None
) -> pa.Array | None:
    """One array of blocks that were read side by side; those before them are moved there."""
    kind = arrays[0].type
    places = [block.converted.place for block in blocks]
    first = next((at for at, place in enumerate(places) if place is not None), None)
    if first is None or not all(array.type == kind and not array.offset for array in arrays):
        return None
    begin = cast(Place, places[first])
    before = sum(len(array) for array in arrays[:first])
    end = _end_of_run(begin, blocks[first:], arrays[first:])
    if begin.column.itemsize * 8 != kind.bit_width or end is None or before > begin.start:
        return None
    low = begin.start - before
    _move(begin.column, low, arrays[:first])
    known = None if reasons is None else kernels.validity(reasons)
    return kernels.masked(begin.column[low:end], known, kind)


def _end_of_run(
    begin: Place, blocks: Sequence[TypedBlock], arrays: Sequence[pa.Array]
) -> int | None:
    """Where blocks end that follow each other in one array; `None` if they do not."""
    end = begin.start
    for block, array in zip(blocks, arrays, strict=True):
        place = block.converted.place
        beside = place is not None and place.column is begin.column and place.start == end
        if not beside or array is not block.converted.values:
            return None
        end += len(array)
    return end


def _move(column: np.ndarray, at: int, arrays: Sequence[pa.Array]) -> None:
    """Copy arrays to their place in the whole column."""
    for array in arrays:
        own = np.frombuffer(array.buffers()[1], column.dtype)[: len(array)]
        column[at : at + len(own)] = own
        at += len(own)


NOTHING_KNOWN = SourceColumn()


def search_for(plan: Decisions, variable: Variable, column: SourceColumn) -> TypeSearch:
    """The search for the type of a variable, where this column holds its cells."""
    implied = "number" if column.implied_decimals else "integer" if column.sign else UNKNOWN
    codes, marks = plan.missing, plan.delimited
    if variable.missing or column.errors or not variable.codes_for_all:
        codes = _codes(plan, variable, column.errors)
    elif (
        column == NOTHING_KNOWN
        and not (variable.type or variable.true or variable.false or variable.flags)
        and variable.format is None
    ):  # nothing is declared of how its cells are to be taken
        shared = _shared_rule(marks.decimal or ".", marks.grouping or "", codes, marks.trim)
        return TypeSearch(shared, Open())
    rule = Rule(
        kind=variable.type or implied,
        decimal=marks.decimal or ".",
        grouping=marks.grouping or "",
        format=variable.format,
        true=variable.true,
        false=variable.false,
        codes=codes,
        trim=True if column.padded and marks.trim is None else marks.trim,
        implied=column.implied_decimals,
        sign=column.sign,
        flags=variable.flags,
        typed_cells=column.typed_cells,
    )
    if variable.format is not None:
        rule = msgspec.structs.replace(rule, kind=_timed(variable))
    elif rule.kind == UNKNOWN and (variable.true or variable.false):
        rule = msgspec.structs.replace(rule, kind="boolean")
    if column.typed_cells and (rule.true or rule.false):  # a true cell is so whatever the words are
        both = {"true": (*rule.true, "true"), "false": (*rule.false, "false")}
        rule = msgspec.structs.replace(rule, **both)
    is_open = rule.kind == UNKNOWN and not column.type
    return TypeSearch(rule, Open() if is_open else _first_state(rule, variable, column))


@lru_cache(maxsize=32)
def _shared_rule(
    decimal: str, grouping: str, codes: tuple[MissingCode, ...], trim: bool | str | None
) -> Rule:
    """The rule of all variables of which nothing is declared."""
    return Rule(kind=UNKNOWN, decimal=decimal, grouping=grouping, codes=codes, trim=trim)


def flag_search(search: TypeSearch) -> TypeSearch:
    """The search of the variable that holds the flags of another one."""
    rule = Rule(kind="category", flags=search.rule.flags, takes_flag=True, trim=True)
    return TypeSearch(rule, Declared("category"))


def _first_state(rule: Rule, variable: Variable, column: SourceColumn) -> State:
    if rule.kind in TIMES and variable.format is None:
        return DeclaredTime(rule.kind)
    if rule.kind != UNKNOWN:
        return Declared(rule.kind)
    kind = "boolean|true|false" if column.type == "boolean" else column.type
    return Narrowed(kind, (kind,), by_source=True)


def _timed(variable: Variable) -> str:
    """The type of a variable that has a format. Raises `PlanError` if they do not go together."""
    form = variable.format or ""
    if form == ANY_ZONED:
        return "datetime"
    try:
        pattern = times.compiled(form)
    except ValueError as error:
        raise PlanError(f'variable "{variable.name}": format: {error}') from None
    kind = variable.type or _type_of(pattern)
    if (kind != "time" and not pattern.has_date) or (kind == "time" and pattern.has_date):
        raise PlanError(
            f'variable "{variable.name}": the format "{form}" does not describe a {kind}'
        )
    return kind


def _type_of(pattern: Pattern) -> str:
    if pattern.has_date:
        return "datetime" if pattern.has_time else "date"
    return "time"


def _codes(plan: Decisions, variable: Variable, errors: tuple[str, ...]) -> tuple[MissingCode, ...]:
    """The variable's own codes, those for all variables, and the source's errors."""
    codes: tuple[MissingCode, ...] = ()
    if variable.codes_for_all:
        own = {str(code) for code in variable.missing}
        codes = variable.missing + tuple(code for code in plan.missing if str(code) not in own)
    known = {str(code) for code in codes}
    return codes + tuple(MissingCode(value=text) for text in errors if text not in known)
