"""The words that rows at the end of a file begin with: totals and notes, in several languages."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...declaration.patterns import late

TOTAL_WORDS = (
    *("total", "totals", "totale", "totaux", "totaal", "totalt", "total general", "sum", "sums"),
    *("summe", "gesamt", "insgesamt", "somme", "somma", "suma", "soma", "som", "razem", "celkem"),
    *("yhteensä", "mean", "means", "average", "averages", "mittelwert", "durchschnitt", "mittel"),
    *("moyenne", "moyennes", "media", "promedio", "média", "gemiddelde", "medel", "snitt"),
    *("gennemsnit", "średnia", "keskiarvo"),
)
BEFORE_TOTALS = (
    *("grand", "sub", "overall", "over-all", "all", "gran", "gesamt", "zwischen", "sous", "eind"),
)
"""What may stand before such a word, with a blank or dash between them or none."""
BEHIND_TOTALS = " :.("
LONGEST_BEHIND = 31
NOTE_WORDS = (
    "source|sources|note|notes|footnote|footnotes|remark|remarks|legend|quelle|anmerkung|"
    "anmerkungen|hinweis|fonte|nota|fuente|notas|bron|noot|källa|kilde|remarque|lähde|źródło|uwaga"
)
NOTE = late(
    rf"\W*(({NOTE_WORDS})\b\W*[:.\d]|end of (file|data|table|report)\b|©|\(c\) )", re.IGNORECASE
)
NOTE_WORD = late(rf"\W*({NOTE_WORDS})\W*", re.IGNORECASE)
IN_NOTES = (*NOTE_WORDS.split("|"), "end of ", "©", "(c) ")


def _holds(text: str, words: Sequence[str]) -> bool:
    """Does the text contain any of the words? Most do not, and need no pattern."""
    return any(map(text.lower().__contains__, words))


def is_total_word(text: str) -> bool:
    """Is this a word for a total or a mean, with at most a short remark after it?"""
    if not _holds(text, TOTAL_WORDS):
        return False
    lower = text.lower()
    first = next(at for at, char in enumerate(lower) if char.isalnum() or char == "_")
    begins = [lower[first:]]
    for before in BEFORE_TOTALS:
        if lower.startswith(before, first):
            rest = lower[first + len(before) :]
            begins += [rest, rest[1:]] if rest[:1] in (" ", "-") else [rest]
    return any(
        each.startswith(word) and _ends_total(each[len(word) :])
        for each in begins
        for word in TOTAL_WORDS
    )


def _ends_total(rest: str) -> bool:
    """Does nothing follow, or a short remark that is not a list?"""
    if not rest:
        return True
    return rest[0] in BEHIND_TOTALS and len(rest) <= LONGEST_BEHIND and not {*rest} & {",", ";"}


def begins_note(text: str) -> bool:
    """Does the text start like a note or a source, as in `Note: …` or `Source 1`?"""
    return _holds(text, IN_NOTES) and bool(NOTE.match(text))


def is_note_word(text: str) -> bool:
    """Is this only a word for a note or a source?"""
    return _holds(text, IN_NOTES) and bool(NOTE_WORD.fullmatch(text))
