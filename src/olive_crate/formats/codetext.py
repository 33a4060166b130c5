"""Missing codes and value labels in one cell of a table: `777=sample lost; 880..889=not tested`."""

from __future__ import annotations

from ..celltexts import shown
from ..codes import MissingCode, ValueLabel
from ..variables import Variable


def codes_text(variable: Variable) -> str:
    """The missing codes with their reasons."""
    return "; ".join(_pair(code, code.reason) for code in variable.missing)


def labels_text(variable: Variable) -> str:
    """The value labels."""
    return "; ".join(_pair(each, each.label) for each in variable.values)


def _pair(code: MissingCode | ValueLabel, words: str) -> str:
    if code.value is not None:
        span = shown(code.value)
    else:
        span = f"{'' if code.from_ is None else shown(code.from_)}.."
        span += "" if code.to is None else shown(code.to)
    return f"{_quoted(span)}={_quoted(words)}" if words else _quoted(span)


def _quoted(text: str) -> str:
    """Quoted where a mark would be taken for one that parts codes."""
    if any(mark in text for mark in ';|="\n,') or text != text.strip():
        return '"' + text.replace('"', '""') + '"'
    return text
