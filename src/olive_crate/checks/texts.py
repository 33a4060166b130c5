"""Checks of texts: numbers and dates among them, mixed forms of one word, cut texts."""

from __future__ import annotations

import unicodedata

import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..columns.rule import Rule, base, date_kinds, form
from ..columns.search import Declared, TypeSearch
from ..evidence import Mend, TextCount
from ..kernels.types import Ints
from ..plan.model import Decisions
from ..reading.redeclaring import cells_of
from .findings import CutTexts, Finding, KeptAsText, MixedForms, RowsOf

TEXTUAL = ("text", "category")
MOSTLY = 0.75
"""The share of values that have to be numbers or dates to be worth pointing at."""
TEXTS_NAMED, CODES_OFFERED, WORDS_NAMED = 4, 8, 3
"""Texts that are named, offered as missing codes, and named as words of several forms."""
LOOK_ALIKES = str.maketrans(
    "АВЕЅІЈКМНОРСТХУабеѕіјкмнорстухΑΒΕΗΙΚΜΝΟΡΤΥΧΖοανυ",
    "ABESIJKMHOPCTXYabesijkmhopctyxABEHIKMNOPTYXZoavu",
)
"""Letters of other alphabets by the Latin ones that they are easily taken for."""


def text_findings(column: Column, plan: Decisions, rows: RowsOf) -> list[Finding]:
    """What looks wrong among the texts of one variable."""
    if column.variable.type not in TEXTUAL:
        return []
    there = np.flatnonzero(column.reasons == 0)
    if len(there) < 5:
        return []
    values = column.values.drop_null()
    coded = encoded(values)
    words: list[str] = coded.dictionary.to_pylist()
    index = coded.indices.to_numpy(zero_copy_only=False)
    counts = np.bincount(index, minlength=len(words))
    name = column.variable.name
    kept = _kept_as_text(column, plan, words, counts, index, there, rows)
    if kept:
        return kept
    return [*_mixed(name, words, counts, index, there, rows), *_cut(name, words, counts)]


def _kept_as_text(
    column: Column,
    plan: Decisions,
    words: list[str],
    counts: np.ndarray,
    index: Ints,
    there: Ints,
    rows: RowsOf,
) -> list[Finding]:
    """Texts that are nearly all numbers or dates, and those that are not."""
    name = column.variable.name
    decimal, grouping = plan.delimited.decimal or ".", plan.delimited.grouping or ""
    for kind in ("number", *_ways(words)):
        rule = Rule(base(kind), decimal, grouping, form(kind), strict=True)
        search = TypeSearch(rule, Declared(rule.kind))
        taken = search.take(cells_of(pa.array(words, pa.string())), np.arange(len(words)))
        good = taken.converted.reasons == 0
        share = counts[good].sum() / counts.sum()
        if share < MOSTLY or int(np.count_nonzero(good)) < 3 or _like_identifiers(words, good):
            continue
        odd = np.flatnonzero(~good)
        ranked = odd[np.argsort(-counts[odd], kind="stable")]
        hit = np.isin(index, odd)
        codes = [words[place] for place in ranked[:CODES_OFFERED]]
        parts = {"type": base(kind)} | ({"format": form(kind)} if form(kind) else {})
        named = ranked[:TEXTS_NAMED]
        return [
            KeptAsText(
                severity="serious",
                variables=(name,),
                count=int(np.count_nonzero(hit)) or len(there),
                rows=rows(there[hit]),
                type=base(kind),
                share=float(share),
                texts=tuple(TextCount(words[each], int(counts[each])) for each in named),
                others=len(ranked) - len(named),
                mend=Mend(parts | ({"missing": codes} if codes else {}), name),
            )
        ]
    return []


def _ways(words: list[str]) -> list[str]:
    """Ways of writing dates that some of the words follow."""
    found: list[str] = ["date"]
    for word in words[:20]:
        found += [kind for kind in date_kinds(word) if kind not in found]
    return found[:4]


def _like_identifiers(words: list[str], good: np.ndarray) -> bool:
    """Digits of one length, or with zeros in front: a number only by its looks."""
    numbers = [word for word, fits in zip(words, good, strict=True) if fits]
    digits = [word for word in numbers if word.isdigit()]
    if len(digits) < len(numbers):
        return False
    padded = any(word[0] == "0" and len(word) > 1 for word in digits)
    return padded or (len({len(word) for word in digits}) == 1 and len(digits[0]) > 2)


def folded(text: str) -> str:
    """What is left of a text without case, accents, blanks, marks and look-alike letters."""
    bare = unicodedata.normalize("NFKD", text.translate(LOOK_ALIKES)).casefold()
    return "".join(char for char in bare if char.isalnum())


def _mixed(
    name: str, words: list[str], counts: np.ndarray, index: Ints, there: Ints, rows: RowsOf
) -> list[Finding]:
    """One word written in several ways, where words repeat."""
    if len(words) > 0.5 * len(there) or len(words) > 20_000:
        return []
    groups: dict[str, list[int]] = {}
    for place, word in enumerate(words):
        key = folded(word)
        if key and not key.isdigit():
            groups.setdefault(key, []).append(place)
    mixed = [places for places in groups.values() if len(places) > 1]
    if not mixed:
        return []
    minor = [
        place
        for places in mixed
        for place in places
        if place != max(places, key=counts.__getitem__)
    ]
    ways = []
    for places in mixed[:WORDS_NAMED]:
        ranked = sorted(places, key=lambda place: -counts[place])
        ways.append(tuple(TextCount(words[each], int(counts[each])) for each in ranked[:3]))
    hit = np.isin(index, minor)
    return [
        MixedForms(
            severity="doubtful",
            variables=(name,),
            count=int(np.count_nonzero(hit)),
            rows=rows(there[hit]),
            words=tuple(ways),
            others=len(mixed) - len(ways),
        )
    ]


def look_alike(text: str) -> str:
    """The first letter of a text that looks like a letter of another alphabet; empty if none."""
    return next((char for char in text if char.translate(LOOK_ALIKES) != char), "")


def _cut(name: str, words: list[str], counts: np.ndarray) -> list[Finding]:
    """Far more texts of exactly the greatest length than of any length just below."""
    lengths = np.array([len(word) for word in words])
    longest = int(lengths.max())
    if longest < 8 or len(words) < 10:
        return []
    at = np.bincount(lengths, minlength=longest + 1)
    below = at[max(0, longest - 6) : longest]
    most = int(at[longest])
    if most < 5 or most < 3 * max(1, int(below.max())):
        return []
    if most > 0.9 * len(words) and sum(" " in word for word in words) < 0.8 * len(words):
        return []  # codes of one length
    example = next(word for word in words if len(word) == longest)
    return [
        CutTexts(
            severity="doubtful",
            variables=(name,),
            count=int(counts[lengths == longest].sum()),
            length=longest,
            texts=most,
            example=example,
        )
    ]
