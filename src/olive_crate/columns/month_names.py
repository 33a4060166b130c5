"""Names of months in ten languages, and dates that are written with them.

The table is our own, so that a file means the same on every machine, whatever its locale. A name
counts in full or by an abbreviation that is in use; no text here means two different months.
"""

from __future__ import annotations

import re

from ..declaration.patterns import late
from ..kernels.reference.times import MONTHS

LANGUAGES = {
    "en": "january february march april may june july august september october november december",
    "de": "januar februar märz april mai juni juli august september oktober november dezember",
    "fr": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "es": "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre "
    "diciembre",
    "it": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre "
    "dicembre",
    "pt": "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro "
    "dezembro",
    "nl": "januari februari maart april mei juni juli augustus september oktober november december",
    "sv": "januari februari mars april maj juni juli augusti september oktober november december",
    "da": "januar februar marts april maj juni juli august september oktober november december",
    "pl": "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października "
    "listopada grudnia",
}
NOMINATIVES = (
    "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad "
    "grudzień"
)
SHORT = (
    ("jan", "jän", "janv", "ene", "gen", "sty"),
    ("feb", "febr", "fév", "févr", "fev", "lut"),
    ("mar", "mär", "mrz", "mrt", "mars"),
    ("apr", "avr", "abr", "kwi"),
    ("may", "mai", "mag", "mei", "maj"),
    ("jun", "juin", "giu", "cze"),
    ("jul", "juil", "lug", "lip"),
    ("aug", "août", "ago", "sie"),
    ("sep", "sept", "set", "wrz"),
    ("oct", "okt", "ott", "out", "paź"),
    ("nov", "lis"),
    ("dec", "dez", "déc", "dic", "gru"),
)


def _numbers() -> dict[str, int]:
    lists = [*LANGUAGES.values(), NOMINATIVES]
    numbers = {name: at for names in lists for at, name in enumerate(names.split(), 1)}
    return numbers | {name: at for at, names in enumerate(SHORT, 1) for name in names}


NUMBERS = _numbers()
"""The number of the month for each of its names."""
NAME = r"(?P<b>[^\W\d_]{3,12})\.?"
DAY, YEAR, SHORT_YEAR = r"(?P<d>\d{1,2})", r"(?P<Y>\d{4})", r"(?P<y>\d{2})"
FORMS = tuple(
    late(each)
    for each in (
        rf"{DAY}(?P<s>\.? de |\. |\.|[ /-])(?:{NAME})(?P<t> de |, | |\.|[/-])"
        rf"(?:{YEAR}|{SHORT_YEAR})",
        rf"(?:{NAME})(?P<s>[ -]){DAY}(?P<t>, ?| |-){YEAR}",
        rf"{YEAR}(?P<s>[ /-])(?:{NAME})(?P<t>[ /-]){DAY}",
    )
)
WORD = late(r"[^\W\d_]{3,12}\.?")


def date_kind(text: str) -> str:
    """The kind of a date with a month's name, as `date|%d %b %Y`; empty if it is none."""
    words = "".join(char if char.isalpha() else " " for char in text.casefold()).split()
    if NUMBERS.keys().isdisjoint(words):
        return ""  # without compiling a pattern
    for place, form in enumerate(FORMS):
        match = form.fullmatch(text)
        if match is None or match["b"].casefold() not in NUMBERS:
            continue
        year = "%y" if place == 0 and match["y"] else "%Y"
        parts = (("%d", "%b", year), ("%b", "%d", year), (year, "%b", "%d"))[place]
        return f"date|{parts[0]}{match['s']}{parts[1]}{match['t']}{parts[2]}"
    return ""


def in_english(text: str) -> str:
    """A date with the month's name as the kernels know it: its three letters, without a point."""

    def known(match: re.Match[str]) -> str:
        number = NUMBERS.get(match.group().rstrip(".").casefold())
        return match.group() if number is None else MONTHS[number - 1]

    return WORD.sub(known, text)
