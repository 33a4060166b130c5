"""What the commands print: plain when piped, coloured where it helps on a terminal."""

from __future__ import annotations

import json
import os
import re
import shutil
import sys
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ..show.text import cleaned

if TYPE_CHECKING:
    from ..show.progress import ProgressBar

STYLES = {
    "title": "bold",
    "names": "green",
    "units": "green",
    "labels": "green",
    "skipped": "dim",
    "blank": "dim",
    "comment": "dim",
    "gap": "dim",
    "types": "dim",
    "mend": "dim",
    "certain": "dim",
    "open": "yellow",
}
WHEN = ("auto", "always", "never")
LINE_STYLES = (
    (re.compile(r"!|.* BROKEN\b|NOT balanced|.* – broken: "), "bold red"),
    (re.compile(r"\? "), "yellow"),
    (re.compile(r" *(fix: |declare\()"), "cyan"),
)
"""How lines of other views begin that are worth a colour."""
_color = "auto"


def use_color(when: str) -> None:
    """Colour from here on: `auto`, `always` or `never`. Raises `PlanError` for anything else."""
    global _color
    if when not in WHEN:
        from ..errors import PlanError, nearest

        raise PlanError(
            f'--color: expected auto, always or never, got "{when}"{nearest(when, WHEN)}'
        )
    _color = when


def is_coloured() -> bool:
    """Is what is printed to be coloured? `NO_COLOR` counts where nothing else is asked for."""
    if _color != "auto":
        return _color == "always"
    return is_terminal() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def width() -> int:
    """Columns to print in: `COLUMNS`, the terminal's, or 100 without one; at least 40."""
    return max(40, shutil.get_terminal_size((100, 30)).columns)


def is_terminal() -> bool:
    """Is the output read by a person at a terminal?"""
    return sys.stdout.isatty()


def show(text: str) -> None:
    """Print lines of text, with nothing in them that steers the terminal."""
    if not is_coloured():
        sys.stdout.write(cleaned(text) + "\n")
        return
    lines = text.split("\n")
    _print_styled(
        (_line_style(line, following), line)
        for line, following in zip(lines, [*lines[1:], ""], strict=True)
    )


def _line_style(line: str, following: str) -> str:
    """The style of a line: headings stand above a rule, the others are known by how they begin."""
    if following.startswith("─") or following.lstrip().startswith("──"):
        return "bold"
    return next((style for begin, style in LINE_STYLES if begin.match(line)), "")


def show_file(text: str) -> None:
    """Print what could be a file: true where it is piped, cleaned where a person reads it."""
    sys.stdout.write((cleaned(text) if is_terminal() else text) + "\n")


def show_json(value: Any) -> None:
    """Print plain values as JSON."""
    show_file(json.dumps(value, ensure_ascii=False, indent=2, default=str))


def show_lines(lines: Iterable[tuple[str, str]]) -> None:
    """Print lines, each with a name for what it is, which decides its colour on a terminal."""
    if not is_coloured():
        show("\n".join(text for _, text in lines))
        return
    _print_styled((STYLES.get(kind, ""), text) for kind, text in lines)


def _print_styled(lines: Iterable[tuple[str, str]]) -> None:
    from rich.console import Console
    from rich.text import Text

    console = Console(
        highlight=False, soft_wrap=True, force_terminal=True, no_color=False, width=width()
    )
    for style, text in lines:
        console.print(Text(cleaned(text), style=style))


def progress(what: str) -> ProgressBar:
    """A callback that draws a bar on standard error, where that is a terminal."""
    from ..show.progress import ProgressBar

    return ProgressBar(what)
