"""Where a field is written in the text of its record, without the quotes around it."""

from __future__ import annotations

import re
from functools import lru_cache

from ...kernels.types import Dialect


def field_span(text: str, dialect: Dialect, index: int, taken: str) -> tuple[int, int] | None:
    """Start and end of a field; `None` where quotes stand in a way that this does not follow.

    `taken` is the text that was cut there, by which the place is checked.
    """
    field = _field(dialect)
    mark = dialect.delimiter.decode("utf-8")
    start = len(text) - len(text.lstrip(" \t")) if dialect.blanks else 0
    for at in range(index + 1):
        match = field.match(text, start)
        if match is None:
            return None
        if at < index:
            behind = re.compile(r"[ \t]+" if dialect.blanks else re.escape(mark)).match(
                text, match.end()
            )
            if behind is None:
                return None
            start = behind.end()
    return _checked(match, taken, dialect)


def _checked(match: re.Match[str] | None, taken: str, dialect: Dialect) -> tuple[int, int] | None:
    if match is None:
        return None
    for name in ("quoted", "plain"):
        if match[name] is not None:
            held, quote = match[name], chr(dialect.quote) if dialect.quote else ""
            plain = held.replace(quote * 2, quote) if quote and name == "quoted" else held
            if dialect.escape:
                plain = re.sub(re.escape(chr(dialect.escape)) + "(.)", r"\1", plain, flags=re.S)
            return match.span(name) if plain.strip() == taken.strip() else None
    return None


@lru_cache(maxsize=64)
def _field(dialect: Dialect) -> re.Pattern[str]:
    """One field: between quotes, or up to the next delimiter."""
    quote = re.escape(chr(dialect.quote)) if dialect.quote else ""
    escape = re.escape(chr(dialect.escape)) if dialect.escape else ""
    end = (
        r"[^ \t\r\n]" if dialect.blanks else rf"(?!{re.escape(dialect.delimiter.decode())})[^\r\n]"
    )
    inside = rf"{escape}.|" if escape else ""
    blanks = " *" if dialect.skip_blanks else ""
    quoted = rf"{quote}(?P<quoted>(?:{inside}{quote}{quote}|[^{quote}])*){quote}|" if quote else ""
    return re.compile(rf"{blanks}(?:{quoted}(?P<plain>(?:{end})*))", re.DOTALL)
