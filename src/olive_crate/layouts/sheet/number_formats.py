"""What a number format says: is the number a date, a time, a duration, and in which unit?

The formats are those of ECMA-376 Part 1, 18.8.30 (numFmts): built-in ones by number, others by
their code, of which the section for positive numbers is looked at.
"""

from __future__ import annotations

import re
from functools import lru_cache

from ...declaration.patterns import late
from .grid import DATE, DATETIME, DURATION, NUMBER, TIME, Format

BUILT_IN = {
    0: "General",
    1: "0",
    2: "0.00",
    3: "#,##0",
    4: "#,##0.00",
    9: "0%",
    10: "0.00%",
    11: "0.00E+00",
    12: "# ?/?",
    13: "# ??/??",
    14: "dd/mm/yyyy",
    15: "d-mmm-yy",
    16: "d-mmm",
    17: "mmm-yy",
    18: "h:mm AM/PM",
    19: "h:mm:ss AM/PM",
    20: "h:mm",
    21: "h:mm:ss",
    22: "dd/mm/yyyy h:mm",
    37: "#,##0",
    38: "#,##0",
    39: "#,##0.00",
    40: "#,##0.00",
    45: "mm:ss",
    46: "[h]:mm:ss",
    47: "mm:ss.0",
    48: "##0.0E+0",
    49: "@",
} | dict.fromkeys((*range(27, 37), *range(50, 59)), "dd/mm/yyyy")
LONGEST = 1000
"""Only so many characters of a format are examined; real formats are far shorter."""
QUOTED = late(r'"[^"]*"|\\.|_.|\*.')
ELAPSED = late(r"\[(h+|m+|s+)\]", re.IGNORECASE)
BRACKETS = late(r"\[[^\]]*\]")
CURRENCY = late(r"[€$£¥₹₺₽₪]|\b(?:EUR|USD|GBP|CHF|TRY|kr)\b")


@lru_cache(maxsize=4096)
def format_of(code: str) -> Format:
    """What this format code says."""
    section = _first_section(code[:LONGEST])
    if section.strip().lower() in ("general", "@", ""):
        return Format()
    bare = QUOTED.sub("", section)
    if ELAPSED.search(bare):
        return Format(DURATION)
    plain = BRACKETS.sub("", bare)
    lower = re.sub(r"am/pm|a/p", "p", plain, flags=re.IGNORECASE).lower()
    if not re.search(r"[0#?]", lower) or re.search(r"[dy]|h|s", lower):
        day = bool(re.search(r"[dy]", lower)) or bool(re.search(r"mmm", lower))
        clock = bool(re.search(r"[hs]", lower))
        month = "m" in lower
        if day or (month and not clock):
            return Format(DATETIME if clock else DATE)
        if clock:
            return Format(TIME)
    zeros = len(plain) if re.fullmatch(r"0{2,}", plain.strip()) else 0
    return Format(NUMBER, _unit(section, plain), _decimals(plain), zeros)


def _first_section(code: str) -> str:
    quoted = False
    for place, char in enumerate(code):
        if char == '"':
            quoted = not quoted
        elif char == ";" and not quoted and (not place or code[place - 1] != "\\"):
            return code[:place]
    return code


def _unit(section: str, plain: str) -> str:
    if "%" in plain:
        return "100 %"
    words = re.sub(r"\[\$([^\]-]*)(?:-[^\]]*)?\]", r" \1 ", section).replace('"', " ")
    match = CURRENCY.search(words.replace("\\", ""))
    return match.group() if match else ""


def _decimals(plain: str) -> int | None:
    if "E" in plain.upper() or "/" in plain or not re.search(r"[0#?]", plain):
        return None
    match = re.search(r"\.([0#?]+)", plain)
    shown = len(match[1]) if match else 0
    return shown + 2 if "%" in plain else shown
