"""Checks of texts: numbers and dates among them, mixed forms of one word, cut texts."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable

import numpy as np
import pyarrow as pa

from ..columns import Column, encoded
from ..convert.finding import Finder
from ..convert.kinds import base, date_kinds, form
from ..convert.rule import Rule
from ..kernels.reference import Ints
from ..plan import Plan
from ..redeclare import cells_of
from ..words import cut, several
from .findings import Finding

Rows = Callable[[Ints], tuple[int, ...]]
TEXTUAL = ("text", "category")
MOSTLY = 0.75
LOOK_ALIKES = str.maketrans(
    "АВЕЅІЈКМНОРСТХУабеѕіјкмнорстухΑΒΕΗΙΚΜΝΟΡΤΥΧΖοανυ",
    "ABESIJKMHOPCTXYabesijkmhopctyxABEHIKMNOPTYXZoavu",
)
"""Letters of other alphabets by the Latin ones that they are easily taken for."""


def text_findings(column: Column, plan: Plan, rows: Rows) -> list[Finding]:
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
    plan: Plan,
    words: list[str],
    counts: np.ndarray,
    index: Ints,
    there: Ints,
    rows: Rows,
) -> list[Finding]:
    """Texts that are nearly all numbers or dates, and those that are not."""
    name = column.variable.name
    decimal, grouping = plan.delimited.decimal or ".", plan.delimited.grouping or ""
    for kind in ("number", *_ways(words)):
        rule = Rule(base(kind), decimal, grouping, form(kind), strict=True)
        finder = Finder(rule, declared=True)
        taken = finder.take(cells_of(pa.array(words, pa.string())), np.arange(len(words)))
        good = taken.converted.reasons == 0
        share = counts[good].sum() / counts.sum()
        if share < MOSTLY or int(np.count_nonzero(good)) < 3 or _like_identifiers(words, good):
            continue
        odd = np.flatnonzero(~good)
        ranked = odd[np.argsort(-counts[odd], kind="stable")]
        listed = ", ".join(f'"{cut(words[place], 20)}" ×{counts[place]:,}' for place in ranked[:4])
        what = "numbers" if kind == "number" else f"{base(kind)}s"
        claim = f"{100 * share:.0f} % of the values are {what}"
        claim += f", the others {listed}{' …' if len(ranked) > 4 else ''}" if len(ranked) else ""
        typed = f'type="{base(kind)}"' + (f', format="{form(kind)}"' if form(kind) else "")
        codes = ", ".join(f'"{words[place]}"' for place in ranked[:8])
        mend = f'declare("{name}", {typed}{f", missing=[{codes}]" if codes else ""})'
        hit = np.isin(index, odd)
        count = int(np.count_nonzero(hit)) or len(there)
        return [Finding("kept as text", "serious", (name,), claim, count, rows(there[hit]), mend)]
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
    name: str, words: list[str], counts: np.ndarray, index: Ints, there: Ints, rows: Rows
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
    examples = []
    for places in mixed[:3]:
        ranked = sorted(places, key=lambda place: -counts[place])
        examples.append(
            " / ".join(f"{_told(words[each])} ×{counts[each]:,}" for each in ranked[:3])
        )
    claim = "; ".join(examples) + (f" and {len(mixed) - 3} more words" if len(mixed) > 3 else "")
    hit = np.isin(index, minor)
    return [
        Finding(
            "mixed forms", "doubtful", (name,), claim, int(np.count_nonzero(hit)), rows(there[hit])
        )
    ]


def _told(word: str) -> str:
    """The word, with letters named that look like others."""
    odd = [char for char in word if char.translate(LOOK_ALIKES) != char]
    shown = f'"{cut(word, 24)}"'
    if not odd:
        return shown
    return f"{shown} (with {unicodedata.name(odd[0], 'another letter').lower()})"


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
    count = int(counts[lengths == longest].sum())
    claim = f"{several(most, 'text')} of exactly {longest} characters, such as “{example}”"
    return [Finding("cut texts", "doubtful", (name,), claim, count)]
