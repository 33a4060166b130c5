"""The decimal mark, from the shapes of the numbers themselves."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..evidence import Evidence

COMMA = re.compile(r"[+-]?(\d{1,3}([. \u00a0']\d{3})*|\d+)?,\d+%?")
POINT = re.compile(r"[+-]?(\d{1,3}([, \u00a0']\d{3})*|\d+)?\.\d+%?")
GROUP_LIKE = re.compile(r"[+-]?[1-9]\d{0,2}[.,]\d{3}")


def find_decimal(cells: Iterable[str]) -> Evidence | None:
    """The decimal mark; `None` where no number has one."""
    comma = point = unclear = 0
    for cell in cells:
        text = cell.strip()
        if not text or not (text[0].isdigit() or text[0] in "+-,."):
            continue
        if GROUP_LIKE.fullmatch(text):
            unclear += 1
        elif COMMA.fullmatch(text):
            comma += 1
        elif POINT.fullmatch(text):
            point += 1
    if not comma and not point:
        return None
    mark, count, against = (",", comma, point) if comma > point else (".", point, comma)
    other = "." if mark == "," else ","
    return Evidence(
        "delimited.decimal",
        mark,
        f"in {count:,} numbers looked at" + (f", but {other} in {against:,}" if against else ""),
        count,
        against,
        certain=against == 0,
        alternatives=(other,) if against or unclear else (),
    )
