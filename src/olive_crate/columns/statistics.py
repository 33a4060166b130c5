"""What evidence needs to know about a column, counted while its type is searched.

The search tells what it did; nothing here decides anything. Counting stops when the whole source
was seen once, so that a second pass counts nothing twice.

What is made for each column or block is never part of a cycle. `gc=False` says so: while thousands
of columns are read, the collector then has half as many objects to look at.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.patterns import late
from ..kernels.buffers import numpy_of
from ..kernels.reference.blanks import BLANK
from ..kernels.spans import Cells, SourceRows
from ..kernels.types import Ints
from .convert import FEW_TEXTS, TypedBlock
from .rule import (
    DIGIT,
    FIRST_MARK,
    MARKS,
    MISSING_MARKS,
    Converted,
    Rule,
    base,
    texts_in,
    thinkable,
    words_of,
)
from .suggestions import Scale, Watch
from .written import FIRST_WORDS, all_digits, date_kinds, is_numberlike, numberlike, written

LONGEST_MARK = max(len(mark.encode("utf-8")) for mark in MISSING_MARKS)
FEW_WORDS = 64
"""Different texts that are compared with the marks as they are."""
LOOKED_AT = 16_384
"""Texts that are looked at for marks together."""
FIRST_BYTES = np.zeros(256, bool)
FIRST_BYTES[[mark.encode("utf-8")[0] for mark in MISSING_MARKS]] = True
NONE = np.zeros(0, np.int64)
TRACKED = 1000
"""Different texts in the way of a type that are counted one by one; more are only counted."""
ROWS_KEPT = 3
"""Rows that are kept of each text in the way."""
MANY_ODD = 256
"""Once more texts than fit, and so many besides, are no numbers, a column is text by intent."""
PROBED = 256
"""Cells, spread over a block, by which a column of text is tried for what else it mostly holds."""
WIDE = late(r"[+-]?[1-9][0-9]{18,}")
WIDE_LOOKED_AT = 1000
"""Cells searched for integers beyond 64 bits once a column of integers is contradicted."""

Attempt = Callable[[Cells, str], TypedBlock]


class Obstacles(msgspec.Struct, eq=False):
    """The cells that keep a column from being of a narrower type."""

    kind: str
    fitting: int = 0
    count: int = 0
    odd: int = 0
    """Of these, how many are no number however its decimals and groups are marked."""
    texts: dict[str, tuple[int, list[int]]] = msgspec.field(default_factory=dict)
    """The texts in the way, each with its count and its first rows."""

    def add(self, cells: Cells, rows: Ints) -> None:
        """Count the texts of these cells, which stand in these rows."""
        self.count += len(rows)
        if len(rows) <= kernels.FEW:
            at: dict[str, list[int]] = {}
            texts = kernels.texts(cells.buffer, cells.starts, cells.ends)
            for place, text in enumerate(texts.to_pylist()):
                at.setdefault(text, []).append(place)
            for text, places in at.items():
                self._add_one(text, len(places), rows[places])
            return
        encoded = kernels.encoded(cells.buffer, cells.starts, cells.ends)
        assert encoded is not None  # however many differ
        index = kernels.numpy_of(encoded.indices, -1)
        counts = np.bincount(index, minlength=len(encoded.dictionary))
        for place, text in enumerate(encoded.dictionary.to_pylist()):
            known = text in self.texts or len(self.texts) < TRACKED
            first = rows[index == place] if known else rows[:0]
            self._add_one(text, int(counts[place]), first)

    def _add_one(self, text: str, count: int, rows: Ints) -> None:
        """Count one text; its first rows are kept, if it is one of the first texts."""
        self.odd += 0 if is_numberlike(text) else count
        if text not in self.texts and len(self.texts) >= TRACKED:
            return
        seen, first = self.texts.get(text, (0, []))
        if len(first) < ROWS_KEPT:
            first = (first + rows[:ROWS_KEPT].tolist())[:ROWS_KEPT]
        self.texts[text] = (seen + count, first)


class Statistics(msgspec.Struct, eq=False, gc=False):
    """Counts over the blocks of one variable."""

    counts_values: bool
    """Evidence about values is wanted; not of a declared type."""
    decimals: int = 0
    """The most decimals that were written."""
    inexact: int = 0
    """Numbers with more digits than binary64 holds."""
    wide: bool = False
    """Some integers do not fit 64 bits."""
    fitting: int = 0
    """Cells that fit the type so far."""
    taken: int = 0
    """Cells that are neither blank nor a code."""
    obstacles: Obstacles | None = None
    watch: Watch = msgspec.field(default_factory=Watch)
    scale: Scale = msgspec.field(default_factory=Scale)
    all_different: bool = False
    """Texts differ too much to be held as a dictionary."""
    text_room: int = 0
    """Bytes for each text of the next block, judged by the last; 0 where positions are needed."""
    leading_zeros: bool = False
    """Text only because its digits begin with zeros."""
    mark_counts: Ints | None = None
    """Cells with each of the well-known marks that were taken as missing; `None` for none."""
    led: int = 0
    """Texts whose leading blanks were removed."""
    led_unseen: bool = False
    """Some blocks were taken as another type: such texts in them are not counted."""
    as_written: dict[float, tuple[int, list[int]]] = {}
    """Codes that are written in cells with implied decimals: how often, and the first rows."""
    kept_counts: dict[str, int] = {}
    """Cells with each of them in blocks that were taken as text."""

    def note_trimmed(self, block: TypedBlock, cells: Cells) -> None:
        """Count the texts of a block that lose blanks before them."""
        if base(block.kind) not in ("text", "category"):
            self.led_unseen = True
            return
        led = BLANK[cells.buffer[cells.starts]] & (block.converted.reasons == 0)
        self.led += int(np.count_nonzero(led))

    def note(self, block: TypedBlock, cells: Cells, rows: SourceRows, attempt: Attempt) -> None:
        """A block was taken."""
        done = block.converted
        valid = len(done.values) - done.values.null_count
        self.decimals = max(self.decimals, done.decimals)
        self.inexact += done.inexact
        self.taken += valid + len(done.unread)
        if block.marks:
            counts = _mark_counts(done)
            self.mark_counts = counts if self.mark_counts is None else self.mark_counts + counts
        if block.kind == "text":
            self._note_texts(block, cells, rows, attempt)
        if self.counts_values and block.kind:
            kind = base(block.kind)
            reasons = done.reasons if done.values.null_count else None
            self.scale.add(kind, done.values, reasons, block.words)
            if kind in ("integer", "number"):
                self.watch.add(done.values, reasons, done.span)
            self.fitting += 0 if kind == "text" else valid

    def _note_texts(
        self, block: TypedBlock, cells: Cells, rows: SourceRows, attempt: Attempt
    ) -> None:
        """A block was taken as text."""
        values = block.converted.values
        if not self.all_different and len(values) > FEW_TEXTS:
            self.all_different = not pa.types.is_dictionary(values.type)
        if self.all_different:
            beside = self.obstacles is None and pa.types.is_string(values.type)
            self.text_room = kernels.room_for(values) if beside else 0
        if not self.counts_values:
            return
        kept = {} if block.words and MARKS.isdisjoint(block.words) else marks_in(values)
        for mark, count in kept.items():
            self.kept_counts[mark] = self.kept_counts.get(mark, 0) + count
        if self.obstacles is not None:
            self._track(cells, rows, self.obstacles, attempt)

    def note_written(self, block: TypedBlock, rows: SourceRows, rule: Rule) -> None:
        """Where decimals are implied, count the cells that are written as a code is."""
        values = block.converted.values
        if not len(values) or block.kind != "number":
            return
        for code in rule.codes:
            written = code.value
            if not isinstance(written, (int, float)) or written == 0:
                continue
            at = np.flatnonzero(numpy_of(values, np.nan) == written / 10**rule.implied)
            count, first = self.as_written.get(written, (0, []))
            if len(at):
                kept = [int(row) for row in rows[at[: ROWS_KEPT - len(first)]]]
                self.as_written[written] = (count + len(at), first + kept)

    def note_wide(self, cells: Cells, unread: Ints) -> None:
        """Integers are contradicted by these cells: are some of them integers beyond 64 bits?"""
        rest = words_of(cells.at(unread[:WIDE_LOOKED_AT]))
        self.wide = self.wide or any(map(WIDE.fullmatch, rest))

    def note_contradiction(self, kind: str) -> None:
        """A cell contradicts the kind so far, and the column becomes text."""
        if self.obstacles is None and base(kind) != "boolean":
            self.obstacles = Obstacles(kind, self.fitting)

    def note_text(self, filled: Cells, decimal: str, attempt: Attempt) -> None:
        """A column begins as text; if most of it is of another type, its obstacles are named.

        It is judged by some of the cells that hold a value.
        """
        probe = filled.at(slice(None, None, max(1, len(filled) // PROBED))).trimmed()
        if _are_words(probe):
            return
        words = texts_in(probe)
        if not DIGIT.search("".join(words)):
            return
        self.leading_zeros = all_digits(words)
        if self.leading_zeros:
            return
        if numberlike(words):
            self.obstacles = Obstacles("number")
            return
        likely = [*thinkable(words, decimal, 0.5)[1:]]
        likely += [kind for kind in written(words, mostly=True) if base(kind) != "boolean"]
        for kind in likely:
            if 2 * len(attempt(probe, kind).converted.unread) < len(probe):
                self.obstacles = Obstacles(kind)
                return

    def _track(
        self, cells: Cells, rows: SourceRows, obstacles: Obstacles, attempt: Attempt
    ) -> None:
        """Count what stands in the way in a block of text."""
        kind = "number" if obstacles.kind == "integer" else obstacles.kind
        done = attempt(cells, kind).converted
        obstacles.fitting += len(done.values) - done.values.null_count
        self.decimals = max(self.decimals, done.decimals)
        if kind == "number":
            reasons = done.reasons if done.values.null_count else None
            self.watch.add(done.values, reasons, done.span)
        if len(done.unread):
            obstacles.add(cells.at(done.unread).trimmed(), rows[done.unread])
        if obstacles.odd > obstacles.fitting + MANY_ODD:
            self.obstacles = None

    def marks_kept(self) -> dict[str, int]:
        """The well-known marks in a column that became text, with their counts."""
        met = self.marks_met()
        return dict(Counter(met) + Counter(self.kept_counts)) if met else dict(self.kept_counts)

    @property
    def holds_only_marks(self) -> bool:
        """Is there nothing else in a column that became text?"""
        return self.taken == sum(self.kept_counts.values()) and bool(self.marks_kept())

    def marks_met(self) -> dict[str, int]:
        """The well-known marks that were taken as missing, with their counts, in their order."""
        counts = self.mark_counts
        if counts is None:
            return {}
        met = counts.nonzero()[0].tolist()
        return {MISSING_MARKS[place]: int(counts[place]) for place in met}


def _are_words(cells: Cells) -> bool:
    """Do most of the cells begin with a letter, and is none of the first ones a date?"""
    lead = cells.buffer[cells.starts] | 0x20  # as a small letter
    letters = int(np.count_nonzero((lead >= ord("a")) & (lead <= ord("z"))))
    first = texts_in(cells.at(slice(FIRST_WORDS)))
    return 2 * letters > len(cells) and not any(map(date_kinds, first))


def _mark_counts(done: Converted) -> Ints:
    """How often each well-known mark stands in a block."""
    if not done.only:
        return kernels.tally(done.reasons)[FIRST_MARK:][: len(MISSING_MARKS)]
    counts = np.zeros(len(MISSING_MARKS), np.int64)
    counts[done.only - FIRST_MARK] = done.values.null_count
    return counts


def marks_in(values: pa.Array) -> Counter[str]:
    """The well-known marks among these texts, with their counts."""
    encoded = pa.types.is_dictionary(values.type)
    words = values.dictionary if encoded else values
    if len(words) <= FEW_WORDS and MARKS.isdisjoint(words.to_pylist()):
        return Counter()
    places = _marks_at(words)
    if not len(places):
        return Counter()
    if len(words) <= kernels.FEW:  # without waking up Arrow's compute functions
        every = words.to_pylist()
        found = [every[place] for place in places.tolist()]
    else:
        found = words.take(kernels.arrow(places, None, pa.int64())).to_pylist()
    if not encoded:
        return Counter(text for text in found if text in MARKS)
    at = kernels.numpy_of(values.indices, -1) + 1
    counts = np.bincount(at, minlength=len(words) + 1)[1:][places]
    pairs = zip(found, counts.tolist(), strict=True)
    return Counter({text: count for text, count in pairs if text in MARKS and count})


def _marks_at(texts: pa.Array) -> Ints:
    """Where texts stand that begin as a mark does, and are no longer."""
    if not pa.types.is_string(texts.type) or not len(texts):
        return NONE
    _, offsets, data = texts.buffers()
    if data is None or not data.size:
        return NONE
    at = np.frombuffer(offsets, np.int32)[texts.offset : texts.offset + len(texts) + 1]
    held = np.frombuffer(data, np.uint8)
    found = []
    for low in range(0, len(texts), LOOKED_AT):  # so much that memory is not asked for anew
        some = at[low : low + LOOKED_AT + 1]
        lengths = some[1:] - some[:-1]
        if lengths.min() > LONGEST_MARK:
            continue
        short = np.flatnonzero(lengths - 1 < LONGEST_MARK)
        short = short[lengths[short] > 0]
        found.append(low + short[FIRST_BYTES[held[some[short]]]])
    return np.concatenate(found) if found else NONE
