"""Cells of one block converted by a rule; texts here, numbers and times in files of their own."""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import FIRST_CODE
from ..kernels.buffers import no_reasons, none_missing
from ..kernels.spans import Cells
from ..kernels.types import Bytes, EarlyResult, Ints, Request, TextRequest, TextsRead
from .code_texts import words_for
from .column import NOTHING, Withheld, merged
from .dates import TIMES_OF, convert_durations, convert_times, time_request, times_type
from .numbers import convert_numbers, number_request
from .rule import (
    FIRST_MARK,
    IS_BLANK,
    IS_UNREADABLE,
    MISSING_MARKS,
    PRESENT,
    Converted,
    Rule,
    by_text,
    rule_for,
)

TRUE = ("true", "t", "yes", "y", "1")
PROBED = 1024
FEW_TEXTS = 1024
"""So many texts of a block are kept one by one."""
REPEATING, MOST_DIFFERENT = 1024, 1 << 30
"""Texts of a block are told apart at once if there are no more than so many different ones."""
SIDE_BY_SIDE = TextRequest()
"""What is asked of texts that differ too much to be told apart."""
BLANKS = " \t\n\v\f\r"
"""What is no part of a word for true or false."""
NO_CELLS = np.zeros(0, np.int64)
MARK_REASONS = np.arange(len(MISSING_MARKS), dtype=np.uint8) + FIRST_MARK
ARROW_TYPES = {"integer": pa.int64(), "number": pa.float64(), "boolean": pa.bool_()}
FALSE = ("false", "f", "no", "n", "0")


def convert(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Convert the cells of one variable in a block of rows.

    `early` is what a kernel has made of these very cells by this rule while it split the block.
    """
    if rule.flags:
        from .flags import flags_alone, without_flags

        cells = (flags_alone if rule.takes_flag else without_flags)(cells, rule.flags)
    if rule.kind in ("integer", "number"):
        return convert_numbers(cells, rule, early)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        return convert_times(cells, rule, early)
    if rule.kind == "duration":
        return convert_durations(cells, rule)
    if rule.kind == "boolean":
        return convert_booleans(cells, rule, early)
    return convert_text(cells, rule, early)


def request_for(rule: Rule) -> Request | None:
    """What this rule asks of a kernel, where one can convert cells while it splits a block."""
    if rule.flags:
        return None
    if rule.kind in ("integer", "number"):
        return None if rule.sign else number_request(rule)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        return time_request(rule)
    if rule.kind in ("text", "category"):
        return text_request(rule)
    return TextRequest(REPEATING) if rule.kind == "boolean" else None


class Ways:
    """How cells are taken as one kind or another, and what kernels are asked for, by one rule.

    Variables of which nothing is declared share one of these.
    """

    def __init__(self, rule: Rule, strict: bool) -> None:
        self._rule, self._strict = rule, strict
        declared = (rule.codes, rule.sign, rule.flags, rule.takes_flag, rule.implied, rule.unit)
        self.is_plain = not any(declared) and rule.decimal != rule.grouping
        """Nothing but numerals as they are usually written can be a number."""
        self._rules: dict[str, Rule] = {}
        self._requests: dict[str, tuple[Request, ...]] = {}

    def rule(self, kind: str) -> Rule:
        """How cells are taken as this kind."""
        rule = self._rules.get(kind)
        if rule is None:
            rule = rule_for(self._rule, kind, self._strict)
            rule = self._rules[kind] = msgspec.structs.replace(rule, early=True)
        return rule

    def requests(self, kind: str) -> tuple[Request, ...]:
        """What a kernel may be asked for, the usual one first; nothing where it cannot do it."""
        known = self._requests.get(kind)
        if known is None:
            request = request_for(self.rule(kind))
            plain = (SIDE_BY_SIDE,) if isinstance(request, TextRequest) else ()
            known = self._requests[kind] = () if request is None else (request, *plain)
        return known


@lru_cache(maxsize=64)
def ways_of(rule: Rule, strict: bool) -> Ways:
    """The same for the same rule."""
    return Ways(rule, strict)


def arrow_type(rule: Rule) -> pa.DataType:
    """The Arrow type of what cells are converted to by this rule."""
    if rule.kind in TIMES_OF:
        return times_type(rule)
    return ARROW_TYPES.get(rule.kind, pa.string())


class TypedBlock(msgspec.Struct, eq=False, gc=False):
    """One block of a variable, and the kind it was taken as."""

    kind: str
    converted: Converted
    marks: bool = False
    """Well-known marks were taken as missing."""
    withheld: Withheld = NOTHING
    words: tuple[str, ...] = ()
    """The different texts, where they are known to be few."""


def with_withheld(block: TypedBlock, cells: Cells) -> TypedBlock:
    """The block with the text of cells of which the declaration does not tell it."""
    done = block.converted
    if not len(done.unread):
        block.withheld = done.ranged
        return block
    rest = cells.at(done.unread)
    left = Withheld(done.unread, kernels.texts(rest.buffer, rest.starts, rest.ends))
    block.withheld = merged([done.ranged, left])
    return block


def convert_text(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Take cells as `text` or `category`, just as they are written."""
    if isinstance(early, TextsRead):
        reasons = early.blank.view(np.uint8)
        values = early.codes if early.texts is None else early.texts
    else:
        cells = cells.trimmed(rule.trim)
        reasons, values = missing(cells, rule), None
        if rule.kind != "category" and rule.early and len(cells) > FEW_TEXTS:
            asked = text_request(rule)
            values = _repeating(cells, reasons, asked.most if asked else REPEATING)
    if rule.kind == "category" and values is None:
        values = kernels.encoded(cells.buffer, cells.starts, cells.ends, reasons)
    if values is None:
        values = kernels.texts(cells.buffer, cells.starts, cells.ends, reasons)
    return Converted(values, reasons, NO_CELLS)


def text_request(rule: Rule) -> TextRequest | None:
    """What can be read ahead: text without codes, from which no blanks are taken."""
    if rule.codes or rule.trim not in (None, False):
        return None
    most = MOST_DIFFERENT if rule.kind == "category" else REPEATING if rule.early else 0
    return TextRequest(most)


def _repeating(cells: Cells, reasons: np.ndarray, most: int) -> pa.DictionaryArray | None:
    """The cells as places among the different texts, where these are few; judged by the first."""
    starts, ends = cells.starts, cells.ends
    head = (cells.buffer, starts[:PROBED], ends[:PROBED], reasons[:PROBED])
    probe = kernels.encoded(*head)
    if probe is None or len(probe.dictionary) > PROBED // 8:
        return None
    return kernels.encoded(cells.buffer, starts, ends, reasons, most)


def missing(cells: Cells, rule: Rule) -> np.ndarray:
    """The reasons of cells that are blank or a code; 0 for all others."""
    blank = kernels.blank(cells.buffer, cells.starts, cells.ends)
    reasons = blank.view(np.uint8)  # IS_BLANK is 1
    if rule.codes:
        code = by_text(cells.trimmed(), rule.codes)
        reasons = np.where(code >= 0, FIRST_CODE + code, reasons).astype(np.uint8)
    return reasons


def without_value(cells: Cells, rule: Rule) -> tuple[Bytes, Ints]:
    """The reasons of cells without a value, marks too, and the indices of those that hold one."""
    reasons = missing(cells.trimmed(rule.trim), rule)
    filled = np.flatnonzero(reasons == PRESENT)
    held = (cells if len(filled) == len(cells) else cells.at(filled)).trimmed()
    mark = kernels.match(held.buffer, held.starts, held.ends, MISSING_MARKS)
    hit = mark >= 0
    if not hit.any():
        return reasons, filled
    reasons[filled[hit]] = MARK_REASONS[mark[hit]]
    return reasons, filled[~hit]


def convert_booleans(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Take cells as `boolean`, by the words declared for true and false, without regard to case.

    Each different text is looked at once.
    """
    if isinstance(early, TextsRead) and early.codes is not None:
        texts, blank = early.codes, early.blank.view(np.uint8)
    else:
        cells, blank = cells.trimmed(), no_reasons(0)
        texts = kernels.encoded(cells.buffer, cells.starts, cells.ends)
        assert texts is not None  # however many differ
    is_true, why = _meant([word.strip(BLANKS) for word in texts.dictionary.to_pylist()], rule)
    index = np.frombuffer(texts.indices.buffers()[1], np.int32)[: len(texts)]
    if none_missing(blank):
        why.pop()
    else:
        index = np.where(blank == PRESENT, index, len(why) - 1)
    true, reasons, unread = np.array(is_true)[index], no_reasons(len(texts)), NO_CELLS
    if any(why):
        reasons = np.array(why, np.uint8)[index]
        if IS_UNREADABLE in why:
            unread = np.flatnonzero(reasons == IS_UNREADABLE)
    validity = kernels.validity(reasons)
    values = pa.Array.from_buffers(
        pa.bool_(), len(texts), [validity.bitmap, kernels.bitmap(true)], validity.missing
    )
    return Converted(values, reasons, unread, worded=max(why, default=0) > IS_UNREADABLE)


def _meant(words: list[str], rule: Rule) -> tuple[list[bool], list[int]]:
    """Which words mean true, and the reasons of the others; one more of each, for a blank cell."""
    true = {word.casefold() for word in rule.true or TRUE}
    false = {word.casefold() for word in rule.false or FALSE}
    missing_words = dict(zip(*words_for(rule.codes), strict=True))
    is_true, why = [], []
    for word in words:
        plain, reason = word.casefold(), missing_words.get(word, IS_UNREADABLE)
        if not word:
            reason = IS_BLANK
        elif plain in true or plain in false:  # unless that is declared to be missing
            reason = reason if IS_UNREADABLE < reason < FIRST_MARK else PRESENT
        is_true.append(plain in true and not reason)
        why.append(reason)
    return [*is_true, False], [*why, IS_BLANK]


def truths_in(values: pa.BooleanArray) -> frozenset[bool]:
    """The truth values among these."""
    true, valid = values.true_count, len(values) - values.null_count
    return frozenset([True] * (true > 0) + [False] * (true < valid))
