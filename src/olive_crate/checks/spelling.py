"""Ways of writing one word: case, blanks, accents, look-alikes, slips of the pen, wrong decoding.

Rare spellings are words at one edit from a frequent one (a letter lost, added, replaced, or two
swapped): F. J. Damerau, "A technique for computer detection and correction of spelling errors",
Communications of the ACM 7 (1964) 171-176. They are found by the words that remain when one letter
is left out, which two words at one edit share.
"""

from __future__ import annotations

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator

import numpy as np

from ..declaration.patterns import late
from ..evidence import TextCount
from .findings import Finding, RowsOf
from .kinds import GarbledLetters, MixedForms, RareSpellings
from .seen import Seen, Words

WORDS_NAMED = 3
"""Words of several forms that are named."""
MOST_WORDS = 20_000
"""More different words are names or sentences, not forms of a few."""
REPEATING = 0.5
"""Words repeat where there are at most so many different ones for each cell."""
MEANT = "<>=+%#&@±≤≥"
"""Marks that change what a word says."""
SHORTEST, LONGEST = 5, 200
"""Length of words that are searched for a wrong letter: shorter words are too similar to each
other, and longer texts are sentences."""
OFTEN, TIMES = 8, 4
"""How often a word has to occur, and how many times as often as a rare spelling of it."""
RARE = 3
"""How often a rare spelling may occur."""
ALL_RARE = 0.02
"""The share of cells with rare spellings; where there are more, words are like that here."""
LOOK_ALIKES = str.maketrans(
    "АВЕЅІЈКМНОРСТХУабеѕіјкмнорстухΑΒΕΗΙΚΜΝΟΡΤΥΧΖοανυ",
    "ABESIJKMHOPCTXYabesijkmhopctyxABEHIKMNOPTYXZoavu",
)
"""Letters of other alphabets by the Latin ones that they are easily taken for."""
SUSPICIOUS = late("[ÃÂÅâ€Ð\ufffdï][\x80-\xff\u0152-\u2122\u00a0-\u00bf]|\ufffd")
"""What UTF-8 looks like in a code page of one byte a letter."""


def folded(text: str) -> str:
    """What is left of a text without case, accents, blanks, marks and look-alike letters."""
    bare = unicodedata.normalize("NFKD", text.translate(LOOK_ALIKES)).casefold()
    return "".join(char for char in bare if char.isalnum() or char in MEANT)


def look_alike(text: str) -> str:
    """The first letter of a text that looks like a letter of another alphabet; empty if none."""
    return next((char for char in text if char.translate(LOOK_ALIKES) != char), "")


def ungarbled(text: str) -> str | None:
    """What a text says that was decoded wrongly; `None` where nothing speaks for that."""
    if not SUSPICIOUS.search(text):
        return None
    for page in ("cp1252", "latin-1"):
        try:
            meant = text.encode(page).decode("utf-8")
        except UnicodeError:
            continue
        if meant != text and any(map(str.isalpha, meant)):
            return meant
    return text if "\ufffd" in text or "Ã" in text else None


def spelling_findings(seen: Seen, rows: RowsOf) -> list[Finding]:
    """Words that are written in several ways, and letters that were decoded wrongly."""
    words = seen.words
    if words is None or not len(seen.filled):
        return []
    garbled = {
        place: meant
        for place, word in enumerate(words.words)
        if not word.isascii() and (meant := ungarbled(word)) is not None
    }
    found = _garbled(seen, words, garbled, rows) if garbled else []
    if len(words.words) > REPEATING * len(seen.filled) or len(words.words) > MOST_WORDS:
        return found
    clean = [place for place in range(len(words.words)) if place not in garbled]
    mixed = _groups(words, clean)
    if mixed:
        found.append(_mixed(seen, words, mixed, rows))
    minor = {place for places in mixed for place in places}
    rare = _rare(words, [place for place in clean if place not in minor])
    if rare and sum(int(words.counts[odd]) for odd, _ in rare) <= max(
        RARE, ALL_RARE * len(seen.filled)
    ):
        found.append(_rare_finding(seen, words, rare, rows))
    return found


def garbled_headings(headings: Iterable[tuple[str, str]]) -> list[Finding]:
    """Headings that were decoded wrongly, by their variables."""
    hit = [(name, text, ungarbled(text)) for name, text in headings]
    odd = [(name, text, meant) for name, text, meant in hit if meant is not None]
    if not odd:
        return []
    return [
        GarbledLetters(
            severity="serious",
            sure=0.97,
            variables=tuple(name for name, _, _ in odd),
            count=len(odd),
            texts=tuple((text, meant) for _, text, meant in odd[:WORDS_NAMED]),
            in_heading=True,
        )
    ]


def _garbled(seen: Seen, words: Words, garbled: dict[int, str], rows: RowsOf) -> list[Finding]:
    hit = np.isin(words.index, list(garbled))
    return [
        GarbledLetters(
            severity="serious",
            sure=0.97,
            variables=(seen.name,),
            count=int(np.count_nonzero(hit)),
            rows=rows(seen.filled[hit]),
            texts=tuple(
                (words.words[place], m) for place, m in list(garbled.items())[:WORDS_NAMED]
            ),
        )
    ]


def _groups(words: Words, places: list[int]) -> list[list[int]]:
    """Words that are the same but for case, accents, blanks, marks and look-alike letters."""
    groups: dict[str, list[int]] = {}
    for place in places:
        key = folded(words.words[place])
        if key and not key.isdigit():
            groups.setdefault(key, []).append(place)
    return [places for places in groups.values() if len(places) > 1 and _one(words, places)]


def _one(words: Words, places: list[int]) -> bool:
    """Are they forms of one word? `A+` and `A-`, or `1.5 kg` and `15 kg`, are not."""
    texts = [words.words[place] for place in places]
    short = max(map(len, texts)) < 4
    if any(any(map(str.isdigit, text)) for text in texts):
        bare = {re.sub(r"[\W_]+(?!\d)|(?<!\d)[\W_]+", "", text.casefold()) for text in texts}
        if len(bare) > 1:
            return False
    marks = {re.sub(r"[\w\s]", "", text) for text in texts}
    return not short or len(marks) == 1


def _mixed(seen: Seen, words: Words, mixed: list[list[int]], rows: RowsOf) -> MixedForms:
    counts = words.counts
    minor = [
        place
        for places in mixed
        for place in places
        if place != max(places, key=counts.__getitem__)
    ]
    ways = []
    for places in mixed[:WORDS_NAMED]:
        ranked = sorted(places, key=lambda place: -counts[place])
        ways.append(tuple(TextCount(words.words[each], int(counts[each])) for each in ranked[:3]))
    hit = np.isin(words.index, minor)
    return MixedForms(
        severity="serious",
        sure=0.95,
        variables=(seen.name,),
        count=int(np.count_nonzero(hit)),
        rows=rows(seen.filled[hit]),
        words=tuple(ways),
        others=len(mixed) - len(ways),
    )


def _rare(words: Words, places: list[int]) -> list[tuple[int, int]]:
    """Rare words with the frequent ones they are at one edit from."""
    lengths = {place: len(words.words[place]) for place in places}
    often = [p for p in places if words.counts[p] >= OFTEN and SHORTEST <= lengths[p] <= LONGEST]
    if not often or len(often) == len(places):
        return []
    lacking: dict[str, list[int]] = defaultdict(list)
    for place in often:
        for rest in _one_less(words.words[place]):
            lacking[rest].append(place)
    found = []
    likely = {lengths[place] + edit for place in often for edit in (-1, 0, 1)}
    for place in places:
        count, word = int(words.counts[place]), words.words[place]
        if count > RARE or lengths[place] not in likely:
            continue
        near = {each for rest in _one_less(word) for each in lacking.get(rest, ())}
        near = {p for p in near if words.counts[p] >= TIMES * count and _slip(word, words.words[p])}
        if near:
            found.append((place, max(near, key=words.counts.__getitem__)))
    return found


def _one_less(word: str) -> Iterator[str]:
    """The word, and what remains of it without one of its letters."""
    yield word
    for at in range(len(word)):
        yield word[:at] + word[at + 1 :]


def _slip(word: str, meant: str) -> bool:
    """Is one letter lost, added or replaced, or are two swapped? Digits are no letters."""
    start = 0
    while start < min(len(word), len(meant)) and word[start] == meant[start]:
        start += 1
    end = 0
    while end < min(len(word), len(meant)) - start and word[-1 - end] == meant[-1 - end]:
        end += 1
    mine, theirs = word[start : len(word) - end], meant[start : len(meant) - end]
    if not all(map(str.isalpha, mine + theirs)):
        return False
    if len(mine) == len(theirs) == 2:
        return mine == theirs[::-1]
    last = start >= len(meant) - 1 or start >= len(word) - 1
    endings = last and len(mine) != len(theirs)  # `olive` and `olives` are two words
    return len(mine) <= 1 and len(theirs) <= 1 and not endings


def _rare_finding(
    seen: Seen, words: Words, rare: list[tuple[int, int]], rows: RowsOf
) -> RareSpellings:
    hit = np.isin(words.index, [odd for odd, _ in rare])
    return RareSpellings(
        severity="serious",
        sure=0.85,
        variables=(seen.name,),
        count=int(np.count_nonzero(hit)),
        rows=rows(seen.filled[hit]),
        pairs=tuple(
            (
                TextCount(words.words[odd], int(words.counts[odd])),
                TextCount(words.words[meant], int(words.counts[meant])),
            )
            for odd, meant in rare[:WORDS_NAMED]
        ),
        others=max(0, len(rare) - WORDS_NAMED),
    )
