"""The type of a column, decided by the whole file.

A column starts as the narrowest type that its first block allows and is widened when a later block
contradicts it. Nothing is ever decided by a sample: a sample can only rule a type out, which one
contradicting cell does for good.
"""

from __future__ import annotations

import re

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..kernels.reference import AnyWanted, Flags, Ints, WantedTexts
from ..records.spans import Cells
from ..rownumbers import Rows
from ..withheld import NOTHING, Withheld, merged
from . import convert, foreseen
from .glancing import NUMBERLIKE, all_digits, impossible, numberlike, thinkable, written
from .kinds import base, rule_for
from .levels import Scale
from .missing import found_in
from .rule import MARKS, PRESENT, Converted, Rule
from .suspects import Watch
from .text import missing

WIDER = {"integer": "number"}
NONE_YET = ""
FIRST_MARK = 200
PROBE = 64
TRACKED = 1000
MANY_ODD = 256
WIDE = re.compile(r"[+-]?[1-9][0-9]{18,}")
MARK_REASONS = np.arange(len(MARKS), dtype=np.uint8) + FIRST_MARK


class Obstacles(msgspec.Struct, eq=False):
    """The cells that keep a column from being of a narrower type."""

    kind: str
    fitting: int = 0
    count: int = 0
    odd: int = 0
    """Of these, how many are no number however its decimals and groups are marked."""
    texts: dict[str, tuple[int, list[int]]] = msgspec.field(default_factory=dict)

    def add(self, texts: pa.Array, rows: Ints) -> None:
        """Count these texts, which stand in these rows."""
        self.count += len(rows)
        if len(rows) <= kernels.FEW:  # without waking up Arrow's compute functions
            at: dict[str, list[int]] = {}
            for place, text in enumerate(texts.to_pylist()):
                at.setdefault(text, []).append(place)
            for text, places in at.items():
                self._add_one(text, len(places), rows[places])
            return
        encoded = texts.dictionary_encode()
        index = encoded.indices.to_numpy()
        counts = np.bincount(index, minlength=len(encoded.dictionary))
        for place, text in enumerate(encoded.dictionary.to_pylist()):
            known = text in self.texts or len(self.texts) < TRACKED
            first = rows[index == place] if known else rows[:0]
            self._add_one(text, int(counts[place]), first)

    def _add_one(self, text: str, count: int, rows: Ints) -> None:
        """Count one text; its first rows are kept, if it is one of the first texts."""
        self.odd += 0 if NUMBERLIKE.fullmatch(text) else count
        if text not in self.texts and len(self.texts) >= TRACKED:
            return
        seen, first = self.texts.get(text, (0, []))
        if len(first) < 3:
            first = (first + rows[:3].tolist())[:3]
        self.texts[text] = (seen + count, first)


class Found(msgspec.Struct, eq=False):
    """One block of a variable, and the type it was taken as."""

    kind: str
    converted: Converted
    marks: bool = False
    withheld: Withheld = NOTHING


class Finder(msgspec.Struct, eq=False):
    """Takes the blocks of one variable in order and knows the type so far."""

    rule: Rule
    declared: bool
    told: bool = False
    """The type is told by the source, not found; it is widened all the same."""
    wanted: str = NONE_YET
    """The declared type of dates and times of which no way of writing is declared."""
    misses: dict[str, int] = msgspec.field(default_factory=dict)
    kind: str = NONE_YET
    alive: tuple[str, ...] = ()
    """Kinds that nothing has contradicted yet, where several are possible; `kind` is the first."""
    fixed: bool = False
    """The type is known from an earlier pass; nothing is looked into further."""
    decimals: int = 0
    inexact: int = 0
    wide: bool = False
    fitting: int = 0
    taken: int = 0
    """Cells that are neither blank nor a code."""
    obstacles: Obstacles | None = None
    watch: Watch = msgspec.field(default_factory=Watch)
    trues: int = 0
    scale: Scale = msgspec.field(default_factory=Scale)
    many: bool = False
    """Texts are too different to be told apart."""
    zeros: bool = False
    """Text only because its digits begin with zeros."""
    padded: list[int] = msgspec.field(default_factory=list)
    rules: dict[str, Rule] = msgspec.field(default_factory=dict)
    expected: dict[str, AnyWanted | None] = msgspec.field(default_factory=dict)
    """What kernels will be asked for by these rules."""
    mark_counts: np.ndarray = msgspec.field(default_factory=lambda: np.zeros(len(MARKS), np.int64))

    def take(self, cells: Cells, rows: Rows) -> Found:
        """Convert a block, as the type so far or a wider one if need be."""
        if self.wanted and not self.fixed:
            found = self._as_wanted(cells)
        elif self.declared or self.fixed:
            found = self._attempt(cells, self.kind or self.rule.kind)
        elif self.kind == NONE_YET:
            found = self._first(cells, rows)
        elif len(self.alive) > 1:
            found = self._survivor(cells, rows)
        else:
            found = self._attempt(cells, self.kind)
            while len(found.converted.unread):
                found = self._widened(cells, rows, found)
        self._note(found, cells, rows)
        return _withholding(found, cells)

    def foresight(self) -> AnyWanted | None:
        """How the next block will be taken, as far as it can be read ahead."""
        if (self.wanted and not self.fixed) or len(self.alive) > 1:
            return None
        kind = self.kind or self.rule.kind
        if kind not in self.rules:
            return None
        if kind not in self.expected:
            self.expected[kind] = foreseen(self.rules[kind])
        found = self.expected[kind]
        return WantedTexts() if self.many and isinstance(found, WantedTexts) else found

    def again(self, cells: Cells) -> Found:
        """A block once more, as the type that the whole file has settled."""
        return _withholding(self._attempt(cells, self.kind or self.rule.kind), cells)

    def _attempt(self, cells: Cells, kind: str) -> Found:
        """The block as this type; well-known marks among what is left over become missing."""
        rule = self.rules.get(kind)
        if rule is None:
            rule = rule_for(self.rule, kind, not self.declared)
            rule = msgspec.structs.replace(rule, early=True)
            self.rules[kind] = rule
        done = convert(cells, rule)
        if not len(done.unread) or kind in ("text", "category"):
            return Found(kind, done)
        mark = found_in(cells.at(done.unread).trimmed(), MARKS)
        hit = mark >= 0
        if not hit.any():
            return Found(kind, done)
        reasons = done.reasons.copy()
        reasons[done.unread[hit]] = MARK_REASONS[mark[hit]]
        done = done._replace(reasons=reasons, unread=done.unread[~hit])
        return Found(kind, done, marks=True)

    def _first(self, cells: Cells, rows: Rows) -> Found:
        """The first block that holds anything."""
        nothing, filled = self._nothing(cells)
        if not len(filled):
            return nothing
        probe = cells.at(filled[:PROBE])
        ruled_out = impossible(probe, self.rule)
        for kind in thinkable(probe, self.rule.decimal):
            if kind in ruled_out or len(self._attempt(probe, kind).converted.unread):
                continue
            found = self._attempt(cells, kind)
            while len(found.converted.unread):
                found = self._widened(cells, rows, found)
            self.kind = found.kind
            return found
        self.alive = tuple(
            kind for kind in written(probe) if not len(self._attempt(probe, kind).converted.unread)
        )
        if self.alive:
            return self._survivor(cells, rows)
        self.kind = "text"
        self._suspect(cells, rows, filled)
        return self._attempt(cells, "text")

    def _survivor(self, cells: Cells, rows: Rows) -> Found:
        """The block as the first kind that neither it nor any block before contradicts."""
        tried = [self._attempt(cells, kind) for kind in self.alive]
        fits = [each for each in tried if not len(each.converted.unread)]
        if not fits:
            self.alive = ()
            return self._widened(cells, rows, tried[0])
        self.alive = tuple(each.kind for each in fits)
        self.kind = fits[0].kind
        return fits[0]

    def _as_wanted(self, cells: Cells) -> Found:
        """A declared date or time, in the way of writing that most of its cells follow."""
        if not self.misses:
            _, filled = self._nothing(cells)
            if not len(filled):
                return self._attempt(cells, self.wanted)
            self.misses = dict.fromkeys(self._ways(cells.at(filled[:PROBE])), 0)
        tried = {kind: self._attempt(cells, kind) for kind in self.misses}
        for kind, found in tried.items():
            self.misses[kind] += len(found.converted.unread)
        least = min(self.misses.values())
        self.alive = tuple(kind for kind, count in self.misses.items() if count == least)
        self.kind = self.alive[0]
        return tried[self.kind]

    def _ways(self, probe: Cells) -> list[str]:
        """ISO 8601, unless few cells follow it and more follow another way."""

        def left(kind: str) -> int:
            return len(self._attempt(probe, kind).converted.unread)

        if 2 * left(self.wanted) <= len(probe):
            return [self.wanted]
        others = [kind for kind in written(probe, packed=True) if base(kind) == self.wanted]
        return [kind for kind in others if 2 * left(kind) <= len(probe)] or [self.wanted]

    def _nothing(self, cells: Cells) -> tuple[Found, Ints]:
        """The block taken as holding no value, and the indices of cells that hold one."""
        reasons = missing(cells.trimmed(self.rule.trim), self.rule)
        filled = np.flatnonzero(reasons == PRESENT)
        mark = found_in(cells.at(filled).trimmed(), MARKS)
        hit = mark >= 0
        reasons[filled[hit]] = MARK_REASONS[mark[hit]]
        empty = Converted(pa.nulls(len(cells)), reasons, np.zeros(0, np.int64))
        return Found(NONE_YET, empty, marks=bool(hit.any())), filled[~hit]

    def _widened(self, cells: Cells, rows: Rows, found: Found) -> Found:
        """The next wider type, and why."""
        wider = WIDER.get(found.kind, "text")
        if wider == "number" and self._are_wide(cells, found.converted.unread):
            self.wide = True
        if wider == "text":
            if self.obstacles is None and base(found.kind) != "boolean":
                self.obstacles = Obstacles(found.kind, self.fitting)
            self.kind = "text"
            return self._attempt(cells, "text")
        self.kind = wider
        return self._attempt(cells, wider)

    def _are_wide(self, cells: Cells, unread: Ints) -> bool:
        """Are there integers among these, which only do not fit 64 bits?"""
        rest = cells.at(unread).trimmed()
        texts = kernels.texts(rest.buffer, rest.starts, rest.ends)
        return any(WIDE.fullmatch(text) for text in texts[:TRACKED].to_pylist())

    def _suspect(self, cells: Cells, rows: Rows, filled: Ints) -> None:
        """Is a column of text mostly of another type? Then its obstacles are worth naming."""
        step = max(1, len(filled) // (4 * PROBE))
        probe = cells.at(filled[::step])
        self.zeros = all_digits(probe)
        if self.zeros:
            return
        if numberlike(probe):
            self.obstacles = Obstacles("number")
            return
        for kind in thinkable(probe, self.rule.decimal, 0.5)[1:]:
            left = len(self._attempt(probe, kind).converted.unread)
            if left * 2 < len(probe):
                self.obstacles = Obstacles(kind)
                return
        for kind in written(probe):
            left = len(self._attempt(probe, kind).converted.unread)
            if left * 2 < len(probe) and base(kind) != "boolean":
                self.obstacles = Obstacles(kind)
                return

    def _note(self, found: Found, cells: Cells, rows: Rows) -> None:
        done = found.converted
        valid = len(done.values) - done.values.null_count
        present = _present(done)
        if done.decimals > self.decimals:
            self.decimals = done.decimals
        self.inexact += done.inexact
        self.taken += valid + len(done.unread)
        if found.marks:
            self.mark_counts += np.bincount(
                done.reasons[done.reasons >= FIRST_MARK] - FIRST_MARK, minlength=len(MARKS)
            )
        if found.kind == "text" and not self.many:
            self.many = len(done.values) > 0 and not pa.types.is_dictionary(done.values.type)
        if self.fixed or self.declared:
            return
        kind = base(found.kind)
        if found.kind != NONE_YET:
            self.scale.add(kind, done.values, present)
        if kind in ("integer", "number"):
            self.watch.add(done.values, present, done.span)
        elif kind == "boolean":
            self.trues += done.values.true_count
        if found.kind == "text" and self.obstacles is not None:
            self._track(cells, rows, self.obstacles)
        elif found.kind not in ("text", NONE_YET):
            self.fitting += valid

    def _track(self, cells: Cells, rows: Rows, obstacles: Obstacles) -> None:
        kind = "number" if obstacles.kind == "integer" else obstacles.kind
        done = self._attempt(cells, kind).converted
        obstacles.fitting += len(done.values) - done.values.null_count
        self.decimals = max(self.decimals, done.decimals)
        if kind == "number":
            self.watch.add(done.values, _present(done), done.span)
        if len(done.unread):
            rest = cells.at(done.unread).trimmed()
            texts = kernels.texts(rest.buffer, rest.starts, rest.ends)
            obstacles.add(texts, rows[done.unread])
        if obstacles.odd > obstacles.fitting + MANY_ODD:
            self.obstacles = None


def _withholding(found: Found, cells: Cells) -> Found:
    """The block with what stood in cells of which the declaration does not tell it."""
    done = found.converted
    if not len(done.unread):
        found.withheld = done.ranged
        return found
    rest = cells.at(done.unread)
    left = Withheld(done.unread, kernels.texts(rest.buffer, rest.starts, rest.ends))
    found.withheld = merged([done.ranged, left])
    return found


def _present(done: Converted) -> Flags | None:
    """Which cells have a value; `None` if all have."""
    return done.reasons == PRESENT if done.values.null_count else None
