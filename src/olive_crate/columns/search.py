"""The type of a column, decided by the whole file.

Nothing is decided by a sample: a sample can only rule a type out, which one contradicting cell does
for good. So a search moves through states, from block to block:

    Declared      the type is declared, and how cells are written if that matters; it stays
    DeclaredTime  a date or time is declared, but not how it is written: all ways that the first
                  cells allow are tried on every block, and the one that fails least is used
    Open          no cell has held a value yet
    Narrowed      the kinds that no cell contradicts, of which the first is used; where the last one
                  is contradicted, a wider type follows (integer, number, text)
    Settled       the whole source was seen: what is read once more is taken as this

A block that was taken before the type was widened is read again in the end. What evidence needs to
know about a column is counted beside the search (`statistics`); no decision depends on it.

Kernels can convert a column while they split a block. They are asked here, once for each kind, and
what they give back is used only where it answers that very request.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa
from msgspec.structs import replace

from .. import kernels
from ..kernels.spans import Cells, SourceRows
from ..kernels.types import EarlyResult, Ints, NumbersRead, Request
from .convert import (
    MARK_REASONS,
    NO_CELLS,
    SIDE_BY_SIDE,
    TypedBlock,
    convert,
    truths_in,
    ways_of,
    with_withheld,
    without_value,
)
from .dates import are_firsts
from .declared_times import DeclaredTime, by_declared_time
from .numbers import number_request
from .rule import (
    FIRST_MARK,
    IS_UNREADABLE,
    MISSING_MARKS,
    PRESENT,
    UNKNOWN,
    Converted,
    Rule,
    base,
    impossible,
    texts_in,
    thinkable,
)
from .statistics import PROBED, Statistics
from .told_by_words import told_by_words
from .written import MONTHS_OF_YEAR, possible, written

WIDER = {"integer": "number", "boolean|1|0": "integer"}
"""What follows a contradicted type; text follows all others."""
NUMERAL_STARTS = frozenset(b"0123456789+-")
"""Bytes that words rarely begin with."""
PROBE = 64
"""Cells that are tried first: a type that fails on them is not tried on the whole block."""
FIRST = 256
"""Cells among which those are looked for."""
AT_ONCE = 4096
"""Cells of a block that is tried as a whole, since trying some of it first takes as long."""


class Declared(msgspec.Struct, frozen=True, tag=True):
    """The type is declared."""

    kind: str


class Open(msgspec.Struct, frozen=True, tag=True):
    """No cell has held a value yet."""

    kind: str = UNKNOWN


class Narrowed(msgspec.Struct, frozen=True, tag=True):
    """The kinds that nothing contradicts."""

    kind: str
    """The one that is used."""
    candidates: tuple[str, ...]
    """All of them, that one first."""
    truths: frozenset[bool] = frozenset()
    """The truth values met so far."""
    by_source: bool = False
    """The source itself says the type, as the cells of a workbook do."""
    monthly: frozenset[str] | None = None
    """Of several ways to read dates, those by which every one was the first of a month."""

    def after(self, fits: Sequence[TypedBlock]) -> Narrowed:
        """The state once a block fits these of the kinds."""
        left, truths, monthly = tuple(each.kind for each in fits), self.truths, self.monthly
        if base(left[0]) == "boolean" and len(truths) < 2:
            truths |= truths_in(fits[0].converted.values)
        if len(fits) > 1 and base(left[0]) in ("date", "datetime"):
            now = frozenset(each.kind for each in fits if are_firsts(each.converted))
            monthly = now if monthly is None else monthly & now
        if (left, truths, monthly) == (self.candidates, self.truths, self.monthly):
            return self
        return Narrowed(left[0], left, truths, self.by_source, monthly)


class Settled(msgspec.Struct, frozen=True, tag=True):
    """The whole source was seen."""

    kind: str
    candidates: tuple[str, ...] = ()
    misses: dict[str, int] = {}
    by_source: bool = False


State = Declared | DeclaredTime | Open | Narrowed | Settled


INTEGERS, TEXT = Narrowed("integer", ("integer",)), Narrowed("text", ("text",))
_Step = tuple[TypedBlock, State]
"""A block, and the state after it."""


class TypeSearch:
    """Takes the blocks of one variable in order, each as the type that fits so far."""

    def __init__(self, rule: Rule, state: State) -> None:
        self.rule, self.state = rule, state
        self.is_declared = type(state) in (Declared, DeclaredTime)
        self.statistics = Statistics(not self.is_declared)
        self._how = ways_of(rule, not self.is_declared)

    # What the whole source allows

    @property
    def misses(self) -> dict[str, int]:
        """How many cells each way of writing a declared date or time fails on."""
        return self.state.misses if isinstance(self.state, (DeclaredTime, Settled)) else {}

    @property
    def by_source(self) -> bool:
        """Does the source itself say the type?"""
        return isinstance(self.state, (Narrowed, Settled)) and self.state.by_source

    def final_kind(self) -> str:
        """The kind that the whole source allows; a single word for true or false says nothing."""
        state = self.state
        if isinstance(state, Narrowed):
            if base(state.kind) == "boolean" and not state.by_source:
                return state.kind if len(state.truths) == 2 else "text"
            if len(state.candidates) == 1:
                return state.kind
        return next(iter(self.final_candidates()), state.kind) or "text"

    def final_candidates(self) -> tuple[str, ...]:
        """The kinds that the whole source allows: of several dates, those that make a series.

        Where one of two parts is always 1, the other is the month, for which there is no other
        reading once there are more dates than a year has months.
        """
        state = self.state
        if not isinstance(state, (Narrowed, DeclaredTime, Settled)):
            return (state.kind,)
        candidates, monthly = state.candidates, getattr(state, "monthly", None) or ()
        if len(candidates) < 2:
            return candidates
        series = [each for each in candidates if each in monthly]
        if len(series) != 1:
            return candidates
        if self.statistics.fitting > MONTHS_OF_YEAR:
            return (series[0],)
        return (series[0], *(each for each in candidates if each != series[0]))

    def is_stale(self, block: TypedBlock) -> bool:
        """Was this block taken as something that cannot be cast to the final type?"""
        kind = self.final_kind()
        if block.kind == kind or (block.kind == "integer" and kind == "number"):
            return False
        return block.kind != UNKNOWN or block.marks

    def settle(self) -> None:
        """Take all that comes as what the whole source allows."""
        kind = self.final_kind()
        candidates = self.final_candidates()
        candidates = candidates if kind in candidates else (kind,)
        self.state = Settled(kind, candidates, self.misses, self.by_source)

    # Taking blocks

    def take(self, cells: Cells, rows: SourceRows) -> TypedBlock:
        """Convert a block, as the type so far or a wider one if need be."""
        state = self.state
        if type(state) is Open:
            block, self.state = self._from_open(cells)
        elif type(state) is Narrowed:
            block, self.state = self._from_narrowed(cells, state)
        elif type(state) is DeclaredTime:
            block, self.state = by_declared_time(cells, state, self._attempt, self.rule)
        else:
            block = self._attempt(cells, state.kind)
        if type(state) is not Settled:
            self.statistics.note(block, cells, rows, self._attempt)
            if self.rule.trim in (True, "left"):
                self.statistics.note_trimmed(block, cells)
            if self.rule.implied and self.rule.codes:
                self.statistics.note_written(block, rows, self.rule)
        return with_withheld(block, cells)

    def again(self, cells: Cells) -> TypedBlock:
        """A block once more, as the type in use."""
        return with_withheld(self._attempt(cells, self.state.kind), cells)

    def _from_open(self, cells: Cells) -> _Step:
        early = self._early(cells, "integer")
        if early is not None and (numbers := self._numbers(cells, early)):
            return numbers
        if len(cells) and int(cells.buffer[cells.starts[0]]) not in NUMERAL_STARTS:
            told = told_by_words(cells, self._how.rule("text"))
            if isinstance(told, TypedBlock):
                return told, TEXT if told.kind else Open()
            if told:
                return self._from_narrowed(cells, Narrowed(told[0], told))
        # where a kernel has given up, they are mostly words, and those were tried first
        if early is None and (numbers := self._numbers(cells, None)):
            return numbers
        all_of_it = len(cells) <= FIRST
        reasons, filled = without_value(cells if all_of_it else cells.at(slice(FIRST)), self.rule)
        if not all_of_it and len(filled) < PROBE:
            all_of_it = True
            reasons, filled = without_value(cells, self.rule)
        if not len(filled):
            empty = Converted(pa.nulls(len(cells)), reasons, NO_CELLS)
            marks = bool((reasons >= FIRST_MARK).any())
            return TypedBlock(UNKNOWN, empty, marks=marks), Open()
        if narrowed := self._narrowed(cells, filled[:PROBE]):
            return narrowed
        sample = cells
        if not all_of_it:
            sample = cells.at(slice(None, None, max(1, len(cells) // PROBED)))
            _, filled = without_value(sample, self.rule)
            if len(filled) < PROBE:
                sample = cells
                _, filled = without_value(sample, self.rule)
        self.statistics.note_text(sample.at(filled), self.rule.decimal, self._attempt)
        return self._attempt(cells, "text"), TEXT

    def _narrowed(self, cells: Cells, first: Ints) -> _Step | None:
        """Take the block as a type that its first cells with a value fit, if there is one."""
        probe = cells.at(first).trimmed()
        at_once = len(cells) <= AT_ONCE and self.rule.trim in (None, True)
        some, last = (cells, first[-1]) if at_once else (probe, len(probe))
        words = texts_in(probe)
        likely = thinkable(words, self.rule.decimal)
        ruled_out = impossible(words, self.rule) if likely else ()
        for kind in likely:
            if kind in ruled_out:
                continue
            block = self._attempt(some, kind)
            unread = block.converted.unread
            if not len(unread) or unread[0] > last:
                made = [block] if at_once else ()
                return self._from_narrowed(cells, Narrowed(kind, (kind,)), made)
        tried = [self._attempt(some, kind) for kind in possible(written(words), words)]
        blocks = [
            block
            for block in tried
            if not len(unread := block.converted.unread) or unread[0] > last
        ]
        if not blocks:
            return None
        kinds = tuple([block.kind for block in blocks])
        return self._from_narrowed(cells, Narrowed(kinds[0], kinds), blocks if at_once else ())

    def _numbers(self, cells: Cells, early: EarlyResult | None) -> _Step | None:
        """Take integers, or plain numerals of which one has decimals, without a search.

        A kernel may have read the cells as integers.
        """
        at, mark = 0, self.rule.decimal
        first = texts_in(cells.at(slice(1))) if early is None else []
        if "".join(first).count(mark) != 1:  # else it is hardly an integer
            read = early
            if read is None:
                probe = cells.at(slice(PROBE))
                asked = number_request(self._how.rule("integer"))
                read = kernels.read_numbers(probe.buffer, probe.starts, probe.ends, asked)
            if not (isinstance(read, NumbersRead) and read.left):
                block = self._attempt(cells, "integer", early)
                done = block.converted
                if len(done.unread) or done.values.null_count == len(cells):
                    return None
                return block, INTEGERS
            at = int((read.reasons == IS_UNREADABLE).argmax())
            first = texts_in(cells.at(slice(at, at + 1)))
        if not self._how.is_plain or "".join(first).count(mark) != 1:
            return None
        probe, asked = cells.at(slice(at, at + PROBE)), number_request(self._how.rule("number"))
        read = kernels.read_numbers(probe.buffer, probe.starts, probe.ends, asked)
        held = read.values[read.reasons == PRESENT]
        if read.left or (held == np.floor(held)).all():
            return None
        block = self._attempt(cells, "number")
        if len(held) < len(probe) and len(block.converted.unread):
            return None  # there may be others among the first cells with a value
        return self._from_narrowed(cells, Narrowed("number", ("number",)), [block])

    def _from_narrowed(
        self, cells: Cells, state: Narrowed, made: Sequence[TypedBlock] = ()
    ) -> _Step:
        """The block as the first of the kinds that it fits; it may have been `made` as these."""
        blocks = made or [self._attempt(cells, kind) for kind in state.candidates]
        fits = [each for each in blocks if not len(each.converted.unread)]
        if fits:
            goes_on = len(state.candidates) == 1 and base(state.kind) != "boolean"
            return fits[0], state if goes_on else state.after(fits)
        block = self._widened(cells, blocks[0])
        return block, Narrowed(block.kind, (block.kind,), state.truths, state.by_source)

    def _widened(self, cells: Cells, block: TypedBlock) -> TypedBlock:
        """The block as the first wider type that it fits."""
        while len(block.converted.unread):
            wider = WIDER.get(block.kind, "text")
            if wider == "number":
                self.statistics.note_wide(cells, block.converted.unread)
            if wider == "text":
                self.statistics.note_contradiction(block.kind)
            block = self._attempt(cells, wider)
        return block

    def _attempt(self, cells: Cells, kind: str, early: EarlyResult | None = None) -> TypedBlock:
        """The block as this kind; well-known marks among what is left over become missing.

        What a kernel has made of these very cells is used if it answers a request for this kind.
        """
        done = convert(cells, self._how.rule(kind), early or self._early(cells, kind))
        marked = done.worded and (
            done.only >= FIRST_MARK if done.only else bool((done.reasons >= FIRST_MARK).any())
        )
        if not len(done.unread) or kind in ("text", "category"):
            return TypedBlock(kind, done, marks=marked)
        rest = cells.at(done.unread).trimmed()
        mark = kernels.match(rest.buffer, rest.starts, rest.ends, MISSING_MARKS)
        hit = mark >= 0
        if not hit.any():
            return TypedBlock(kind, done, marks=marked)
        reasons = done.reasons.copy()
        reasons[done.unread[hit]] = MARK_REASONS[mark[hit]]
        done = replace(done, reasons=reasons, unread=done.unread[~hit], only=0)
        return TypedBlock(kind, done, marks=True)

    def _early(self, cells: Cells, kind: str) -> EarlyResult | None:
        """What a kernel has made of these cells, if it answers a request for this kind."""
        ready = cells.ready
        if ready is None:
            return None
        for asked in self._how.requests(kind):
            if asked is ready[0] or (asked == SIDE_BY_SIDE and type(asked) is type(ready[0])):
                return ready[1]
        return None

    # What kernels are asked for

    def forecast(self) -> Request | None:
        """How the next block will be taken, as far as it can be read while it is split."""
        state = self.state
        kind = "integer" if type(state) is Open else state.kind  # as most columns are
        if type(state) is DeclaredTime or (type(state) is Narrowed and len(state.candidates) > 1):
            return None
        known = self._how.requests(kind)
        asked = known[-1 if self.statistics.all_different else 0] if known else None
        room = self.statistics.text_room
        return replace(SIDE_BY_SIDE, room=room) if room and asked == SIDE_BY_SIDE else asked
