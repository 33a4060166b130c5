"""What the commands print: plain when piped, coloured where it helps on a terminal."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ..declaration.patterns import late
from ..show.text import cleaned

if TYPE_CHECKING:
    from rich.text import Text

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
}
WHEN = ("auto", "always", "never")
MARKS = (
    (late(r"(!) "), "bold red"),
    (late(r"(\?) "), "bold magenta"),
    (late(r" *(fix:) "), "dim"),
    (late(r" +.* – (broken): "), "bold red"),
    (late(r"\d+ promises?, \d+ (BROKEN):"), "bold red"),
    (late(r"(NOT balanced)"), "bold red"),
)
"""Marks at the beginning of lines that are worth a colour: the mark alone, not all of the line."""
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
    text = cleaned(text)
    if not is_coloured():
        sys.stdout.write(text + "\n")
        return
    lines = text.split("\n")
    _print(map(_styled, lines, [*lines[1:], ""]))


def _styled(line: str, following: str) -> Text:
    """A line with its mark coloured, or, above a rule, as a heading."""
    from rich.text import Text

    if following.lstrip().startswith("──"):
        return Text(line, style="bold")
    made = Text(line)
    for mark, style in MARKS:
        match = mark.match(line)
        if match is not None:
            made.stylize(style, *match.span(1))
            break
    return made


def show_file(text: str) -> None:
    """Print what could be a file: true where it is piped, cleaned where a person reads it."""
    sys.stdout.write((cleaned(text) if is_terminal() else text) + "\n")


def show_json(value: Any) -> None:
    """Print plain values as JSON."""
    import json  # few commands are asked for it

    show_file(json.dumps(value, ensure_ascii=False, indent=2, default=str))


def show_lines(lines: Iterable[tuple[str, str]]) -> None:
    """Print lines, each with a name for what it is, which decides its colour on a terminal."""
    if not is_coloured():
        show("\n".join(text for _, text in lines))
        return
    from rich.text import Text

    every = [(kind, cleaned(text)) for kind, text in lines]
    _print(
        Text(text, style=STYLES[kind]) if kind in STYLES else _styled(text, "")
        for kind, text in every
    )


def _print(lines: Iterable[Text]) -> None:
    from rich.console import Console

    console = Console(
        highlight=False, soft_wrap=True, force_terminal=True, no_color=False, width=width()
    )
    for line in lines:
        console.print(line)


def progress(what: str) -> ProgressBar:
    """A callback that draws a bar on standard error, where that is a terminal."""
    from ..show.progress import ProgressBar

    return ProgressBar(what)
