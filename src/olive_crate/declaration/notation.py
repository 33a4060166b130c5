"""Missing codes and meanings in one cell of a table: `777=sample lost; 880..889=not tested`.

Written and read in the same notation. What holds one of the marks stands in double quotes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..errors import PlanError
from .codes import Meaning, MissingCode
from .patterns import late
from .values import value_text
from .variable import Variable

QUOTED = r'"(?:[^"]|"")*"'
APART = late(rf"(?:{QUOTED}|[^;|\n\"])+|\"")
BY_COMMA = late(rf"(?:{QUOTED}|[^,\"])+|\"")
PAIR = late(rf"\s*({QUOTED}|[^=\"]*?)\s*(?:=\s*({QUOTED}|[^\"]*?))?\s*")
ANOTHER = late(r",\s*[^\s,=]+\s*=")
"""A comma and a further code within the words of one."""
END = r"(-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?)"
CODE_RANGE = late(rf"{END}?\s*(?:\.\.|–| to )\s*{END}?")


def codes_text(variable: Variable) -> str:
    """The missing codes with their reasons."""
    return "; ".join(_pair(code, code.reason) for code in variable.missing)


def meanings_text(variable: Variable) -> str:
    """The meanings."""
    return "; ".join(_pair(each, each.label) for each in variable.meanings)


def _pair(code: MissingCode | Meaning, words: str) -> str:
    if code.value is not None:
        span = value_text(code.value)
    else:
        span = f"{'' if code.from_ is None else value_text(code.from_)}.."
        span += "" if code.to is None else value_text(code.to)
    return f"{_quoted(span)}={_quoted(words)}" if words else _quoted(span)


def _quoted(text: str) -> str:
    """Quoted where a mark would be taken for one that parts codes."""
    if any(mark in text for mark in ';|="\n,') or text != text.strip():
        return '"' + text.replace('"', '""') + '"'
    return text


def codes_of(text: str, kind: str | None, implied: int = 0) -> list[tuple[dict[str, Any], str]]:
    """Codes as they are written in a cell: `777=sample lost; 880..889=not tested`, or `-9, -8`.

    What holds one of the marks between them stands in double quotes. Raises `PlanError` for what
    may be read in two ways.
    """
    found: list[tuple[dict[str, Any], str]] = []
    for code, word in _pairs(text):
        span = CODE_RANGE.fullmatch(code)
        ends = _ends(span.groups(), implied) if span else {}
        if ends:
            found.append((ends, word))
        else:
            value = code if implied else number_or_text(code, kind)
            found.append(({"value": value}, word))
    return found


def _ends(texts: Sequence[str | None], implied: int) -> dict[str, Any]:
    """The ends of a range, of which one may be open."""
    ends: dict[str, Any] = {}
    for key, text in zip(("from", "to"), texts, strict=True):
        number = None if text is None else number_or_text(text, "number")
        if isinstance(number, (int, float)):
            ends[key] = number / 10**implied if implied else number
    return ends


def _pairs(text: str) -> list[tuple[str, str]]:
    """Codes with their words, as they are written, apart by semicolons, bars or lines, else commas.

    Raises `PlanError` for words that hold a comma which may part two codes.
    """
    pieces = APART.findall(text)
    if len(pieces) == 1:
        pieces = BY_COMMA.findall(text)
        if "=" in text and not all("=" in piece for piece in pieces if piece.strip()):
            raise PlanError(f"{text!r}: put words that hold a comma in double quotes")
    pairs = []
    for piece in filter(str.strip, pieces):
        match = PAIR.fullmatch(piece)
        if match is None:
            raise PlanError(f"{piece.strip()!r} is no code with its words; check the quotes")
        if match[2] and not match[2].startswith('"') and ANOTHER.search(match[2]):
            raise PlanError(
                f"{piece.strip()!r} may be one code or several; part codes by one mark only, or "
                "put the words in double quotes"
            )
        pairs.append((unquoted(match[1]), unquoted(match[2] or "")))
    return [pair for pair in pairs if pair[0]]


def unquoted(text: str) -> str:
    text = text.strip()
    quoted = len(text) > 1 and text[0] == text[-1] == '"'
    return text[1:-1].replace('""', '"') if quoted else text


def number_or_text(text: str, kind: str | None) -> int | float | str:
    """A code as a number, where its variable is one or nothing else is known and it looks so."""
    if kind in ("text", "category", "boolean"):
        return text
    try:
        number = float(text)
    except ValueError:
        return text
    whole = int(number) if number.is_integer() and "e" not in text.lower() else None
    if kind is None and str(whole) != text and str(number) != text:
        return text  # zeros in front, as in the codes of a text variable
    return number if whole is None else whole
