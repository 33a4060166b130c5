"""What a cell of an OpenDocument sheet holds (ODF 1.3, part 3; white space: 6.1.2)."""

from __future__ import annotations

from typing import Any

from ...declaration.patterns import late
from .grid import BOOLEAN, DATE, DATETIME, DURATION, ERROR, NUMBER, TEXT, TIME, Format
from .values import DAY_MS, duration_text

DURATION_FORM = late(r"(-)?P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,](\d+))?S)?)?")
UNEVEN = late(r"^[ \t\r\n]|[ \t\r\n]$|[\t\r\n\x01-\x03]|  ")
BLANKS = late(r"[ \t\r\n]+")
MARKS = {"s": "\x01", "tab": "\x02", "line-break": "\x03"}
"""Blanks that are elements, while a paragraph is read: XML has no such characters."""
MOST_BLANKS = 1 << 15
MEANT = str.maketrans("\x01\x02\x03", " \t\n")


def even(text: str) -> str:
    """A paragraph with its white space as it counts: runs of it are one blank, at the ends none."""
    if UNEVEN.search(text) is None:
        return text
    return BLANKS.sub(" ", text).strip(" ").translate(MEANT)


def meaning(given: dict[str, Any], shown: str, form: Format) -> tuple[int, str]:
    """The kind and text of a cell."""
    kind = given.get("value-type", "")
    formula = given.get("formula", "")
    if kind == "error":
        return ERROR, shown
    if kind in ("float", "percentage", "currency"):
        value = given.get("value", "")
        if formula.endswith(("=TRUE()", "=FALSE()")) or form.kind == BOOLEAN:
            return BOOLEAN, "true" if value not in ("0", "") else "false"
        return NUMBER, value
    if kind == "boolean":
        return BOOLEAN, given.get("boolean-value", "false")
    if kind == "date":
        text = given.get("date-value", "").rstrip("Z")
        return (DATETIME if "T" in text else DATE), text
    if kind == "time":
        return _time(given.get("time-value", ""), form)
    if kind == "string":
        return TEXT, given.get("string-value") or shown
    return (TEXT, shown) if shown else (0, "")


def _time(text: str, form: Format) -> tuple[int, str]:
    match = DURATION_FORM.fullmatch(text)
    if match is None:
        return TEXT, text
    sign, days, hours, minutes, seconds, fraction = match.groups()
    millis = (int(days or 0) * 24 + int(hours or 0)) * 3_600_000 + int(minutes or 0) * 60_000
    millis += int(seconds or 0) * 1000 + round(float(f"0.{fraction or 0}") * 1000)
    if sign or millis >= DAY_MS or form.kind == DURATION:
        return DURATION, duration_text(-millis if sign else millis)
    seconds_of_day, rest = divmod(millis, 1000)
    clock = (
        f"{seconds_of_day // 3600:02d}:{seconds_of_day // 60 % 60:02d}:{seconds_of_day % 60:02d}"
    )
    return TIME, clock + (f".{rest:03d}" if rest else "")
