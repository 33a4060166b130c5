"""Checks of texts as such: numbers and dates kept as text, orders of day and month, cut texts."""

from __future__ import annotations

import numpy as np

from .. import kernels
from ..columns.rule import Rule
from ..columns.search import Declared, TypeSearch
from ..declaration.patterns import late
from ..evidence import Mend, TextCount
from ..reading.redeclaring import cells_of
from .findings import Finding, RowsOf
from .identifiers import zeros_of_texts
from .kinds import CutTexts, KeptAsText, MixedDateOrders
from .seen import Seen, Words
from .spelling import spelling_findings

FEWEST = 5
"""With fewer texts than these nothing is said of them."""
TEXTS_NAMED, CODES_OFFERED = 4, 8
"""Texts that are named, and offered as missing codes."""
DAY_AND_MONTH = late(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d\d)\b")
LONG_ENOUGH, ENOUGH_CUT = 8, 5
"""The shortest length at which texts may have been cut, and how many have to end there."""


def text_findings(seen: Seen, rows: RowsOf) -> list[Finding]:
    """What looks wrong among the texts of one variable."""
    if seen.words is None or len(seen.filled) < FEWEST:
        return []
    if seen.taken_as is not None:
        return _kept_as_text(seen, seen.words, rows)
    zeros = zeros_of_texts(seen, rows)
    return zeros or [*spelling_findings(seen, rows), *_cut(seen, seen.words)]


def _kept_as_text(seen: Seen, words: Words, rows: RowsOf) -> list[Finding]:
    """Texts that are nearly all numbers or dates, and those that are not."""
    taken = seen.taken_as
    assert taken is not None
    odd = np.flatnonzero(~taken.good)
    if not len(odd) and seen.rows_left_out:
        return []  # a row that is no case had made them text
    swapped = _other_order(words, odd) if taken.type == "date" else None
    if swapped is not None:
        return [_mixed_orders(seen, words, odd[swapped], rows)]
    ranked = odd[np.argsort(-words.counts[odd], kind="stable")]
    hit = np.isin(words.index, odd)
    marks = [words.words[place] for place in ranked[:CODES_OFFERED]]
    codes = [mark for mark in marks if not any(map(str.isdigit, mark))]  # a digit is a value
    parts = {"type": taken.type} | ({"format": taken.format} if taken.format else {})
    named = ranked[:TEXTS_NAMED]
    return [
        KeptAsText(
            severity="serious",
            variables=(seen.name,),
            count=int(np.count_nonzero(hit)) or len(seen.filled),
            rows=rows(seen.filled[hit]),
            type=taken.type,
            share=taken.share,
            texts=tuple(TextCount(words.words[each], int(words.counts[each])) for each in named),
            others=len(ranked) - len(named),
            mend=Mend(parts | ({"missing": codes} if codes else {}), seen.name),
        )
    ]


def _other_order(words: Words, odd: np.ndarray) -> np.ndarray | None:
    """Which of the odd texts are dates with day and month the other way round, if most are."""
    parts = [DAY_AND_MONTH.match(words.words[place]) for place in odd]
    if sum(part is not None for part in parts) < max(1, 0.5 * len(odd)):
        return None
    texts = [
        "" if part is None else f"{part[4]}-{int(part[1]):02d}-{int(part[3]):02d}" for part in parts
    ]
    other = [
        "" if part is None else f"{part[4]}-{int(part[3]):02d}-{int(part[1]):02d}" for part in parts
    ]
    fits = _are_dates(texts) ^ _are_dates(other)
    return fits if fits.sum() >= 0.5 * len(odd) else None


def _are_dates(texts: list[str]) -> np.ndarray:
    rule = Rule("date", strict=True)
    taken = TypeSearch(rule, Declared("date")).take(
        cells_of(kernels.strings(texts)), np.arange(len(texts))
    )
    return np.asarray(taken.converted.reasons == 0)


def _mixed_orders(seen: Seen, words: Words, odd: np.ndarray, rows: RowsOf) -> Finding:
    hit = np.isin(words.index, odd)
    either = sum(
        int(count)
        for word, count in zip(words.words, words.counts, strict=True)
        if (part := DAY_AND_MONTH.match(word)) and max(int(part[1]), int(part[3])) <= 12
    )
    odd_places = set(odd.tolist())
    return MixedDateOrders(
        severity="serious",
        variables=(seen.name,),
        count=int(np.count_nonzero(hit)),
        rows=rows(seen.filled[hit]),
        examples=tuple(words.words[place] for place in odd[:3]),
        usual=next(w for place, w in enumerate(words.words) if place not in odd_places),
        either=either,
    )


def _cut(seen: Seen, words: Words) -> list[Finding]:
    """Far more texts of exactly the greatest length than of any length just below."""
    texts, counts = words.words, words.counts
    lengths = np.array([len(word) for word in texts])
    longest = int(lengths.max())
    if longest < LONG_ENOUGH or len(texts) < 10:
        return []
    at = np.bincount(lengths, minlength=longest + 1)
    below = at[max(0, longest - 6) : longest]
    most = int(at[longest])
    if most < ENOUGH_CUT or most < 3 * max(1, int(below.max())):
        return []
    end = [word for word, length in zip(texts, lengths.tolist(), strict=True) if length == longest]
    if sum(any(map(str.isdigit, word)) and " " not in word for word in end) > 0.5 * len(end):
        return []  # codes of one length
    if sum(" " in word for word in end) < 0.5 * len(end) and most > 0.5 * len(texts):
        return []
    if sum(any(map(str.isalpha, word)) for word in end) < 0.5 * len(end):
        return []  # times, telephone numbers
    return [
        CutTexts(
            severity="doubtful",
            sure=0.6,
            variables=(seen.name,),
            count=int(counts[lengths == longest].sum()),
            length=longest,
            texts=most,
            example=end[0],
        )
    ]
