"""The decimal and the grouping mark, together, from the shapes of the numbers themselves."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from functools import lru_cache

from ...evidence import DecimalMark, GroupingMark

SPACE = "[ \u00a0\u202f]"
SHAPES = {
    "comma decimals, points group": re.compile(r"[+-]?\d{1,3}(\.\d{3})+,\d+"),
    "point decimals, commas group": re.compile(r"[+-]?\d{1,3}(,\d{3})+\.\d+"),
    "comma decimals, blanks group": re.compile(rf"[+-]?\d{{1,3}}({SPACE}\d{{3}})+,\d+"),
    "point decimals, blanks group": re.compile(rf"[+-]?\d{{1,3}}({SPACE}\d{{3}})+\.\d+"),
    "comma decimals, apostrophes group": re.compile(r"[+-]?\d{1,3}(['’]\d{3})+,\d+"),
    "point decimals, apostrophes group": re.compile(r"[+-]?\d{1,3}(['’]\d{3})+\.\d+"),
    "points group": re.compile(r"[+-]?[1-9]\d{0,2}(\.\d{3}){2,}"),
    "commas group": re.compile(r"[+-]?[1-9]\d{0,2}(,\d{3}){2,}"),
    "blanks group": re.compile(rf"[+-]?[1-9]\d{{0,2}}({SPACE}\d{{3}})+"),
    "apostrophes group": re.compile(r"[+-]?[1-9]\d{0,2}(['’]\d{3})+"),
    "either comma": re.compile(r"[+-]?[1-9]\d{0,2},\d{3}"),
    "either point": re.compile(r"[+-]?[1-9]\d{0,2}\.\d{3}"),
    "comma decimals": re.compile(r"[+-]?(\d+,\d*|,\d+)"),
    "point decimals": re.compile(r"[+-]?(\d+\.\d*|\.\d+)"),
}
GROUPS = {"points": ".", "commas": ",", "blanks": " ", "apostrophes": "'"}
DIGITS = str.maketrans("12345678", "99999999")
APART = "\x1e"
AROUND = " \u00a0\t%€$£()"


def shapes_of(columns: Iterable[Iterable[str]]) -> Counter[str]:
    """How many cells of these columns are numbers of which shape."""
    total: Counter[str] = Counter()
    for column in columns:
        total += _shapes(column)
    return total


def find_marks(
    total: Counter[str], delimiter: str
) -> tuple[DecimalMark | None, GroupingMark | None]:
    """The decimal mark and the grouping mark, from the shapes of numbers.

    A column whose numbers are all like `1,234` or `1.234` may be read either way: then both
    readings are named.
    """
    comma = sum(count for shape, count in total.items() if shape.startswith("comma decimals"))
    point = sum(count for shape, count in total.items() if shape.startswith("point decimals"))
    groups: Counter[str] = Counter(
        {
            mark: sum(n for shape, n in total.items() if shape.endswith(f"{word} group"))
            for word, mark in GROUPS.items()
        }
    )
    unclear = {",": total["either comma"], ".": total["either point"]}
    if not comma and not point and not groups.total() and not sum(unclear.values()):
        return None, None
    if comma or point:
        decimal = "," if comma > point else "."
    elif groups["."] or (groups[","] == 0 and unclear[","] > unclear["."] and delimiter != ","):
        decimal = ","
    else:
        decimal = "."
    return _evidence(decimal, comma, point, groups, unclear)


def number_form(decimal: str, grouping: str) -> re.Pattern[str]:
    """What a number looks like with these marks."""
    point = re.escape(decimal)
    groups = {"": "", " ": SPACE, "'": "['’]"}.get(grouping, re.escape(grouping))
    grouped = rf"|\d{{1,3}}({groups}\d{{3}})+" if groups else ""
    return re.compile(rf"[+-]?((\d+{grouped})({point}\d*)?|{point}\d+)")


def _shapes(column: Iterable[str]) -> Counter[str]:
    """How many cells of a column have which shape; few in a column of words count for nothing."""
    found: Counter[str] = Counter()
    filled = whole = 0
    for cell, count in _alike(column).items():
        text = cell.strip(AROUND)
        filled += count if text else 0
        if text.isdigit():
            whole += count
        elif text and (text[0].isdigit() or text[0] in "+-,."):
            if text.lstrip("+-").isdigit():
                whole += count
            elif shape := _shape(text):
                found[shape] += count
    return found if sum(found.values()) + whole >= 0.3 * filled else Counter()


def _alike(column: Iterable[str]) -> Counter[str]:
    """The cells of a column with their digits told apart no more, and how often each is there."""
    cells = list(column)
    alike = APART.join(cells).translate(DIGITS).split(APART)
    if len(alike) != len(cells):  # one of them holds the mark
        alike = [cell.translate(DIGITS) for cell in cells]
    return Counter(alike)


@lru_cache(maxsize=4096)
def _shape(text: str) -> str:
    """The first shape that a text has, empty if none; digits from 1 to 9 need not be told apart."""
    return next((shape for shape, pattern in SHAPES.items() if pattern.fullmatch(text)), "")


def _evidence(
    decimal: str, comma: int, point: int, groups: Counter[str], unclear: dict[str, int]
) -> tuple[DecimalMark, GroupingMark | None]:
    other = "." if decimal == "," else ","
    count, against = (comma, point) if decimal == "," else (point, comma)
    marks = {mark: n for mark, n in groups.items() if n and mark != decimal}
    if unclear[other] and (count or marks.get(other)):
        marks[other] = marks.get(other, 0) + unclear[other]  # not decimals, so groups
    elif unclear[other] and not count:
        marks[other] = unclear[other]
    doubtful = count + groups.total() == 0
    either = doubtful and sum(unclear.values()) > 0
    found = DecimalMark(
        value=decimal,
        unclear=unclear[decimal] if not count else 0,
        supporting=count,
        against=against,
        certain=not against and not either,
        alternatives=(other,) if against or either else (),
    )
    grouping = max(marks, key=lambda mark: marks[mark], default="")
    if not grouping:
        return found, None
    return found, GroupingMark(
        value=grouping,
        supporting=marks[grouping],
        certain=not doubtful,
        alternatives=("decimals",) if doubtful else (),
    )
