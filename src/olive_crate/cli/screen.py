"""What the commands print: plain when piped, coloured where it helps on a terminal."""

from __future__ import annotations

import json
import shutil
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from ..show.text import cleaned, size_words

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


def width() -> int:
    """Columns to print in: the terminal's, but 100 where there is none, and never below 40."""
    if not is_terminal():
        return 100
    return max(40, shutil.get_terminal_size((100, 30)).columns)


def is_terminal() -> bool:
    """Is the output read by a person at a terminal?"""
    return sys.stdout.isatty()


def show(text: str) -> None:
    """Print lines of text, with nothing in them that steers the terminal."""
    sys.stdout.write(cleaned(text) + "\n")


def show_file(text: str) -> None:
    """Print what could be a file: true where it is piped, cleaned where a person reads it."""
    sys.stdout.write((cleaned(text) if is_terminal() else text) + "\n")


def show_json(value: Any) -> None:
    """Print plain values as JSON."""
    show_file(json.dumps(value, ensure_ascii=False, indent=2, default=str))


def show_lines(lines: Iterable[tuple[str, str]]) -> None:
    """Print lines, each with a name for what it is, which decides its colour on a terminal."""
    if not is_terminal():
        show("\n".join(text for _, text in lines))
        return
    from rich.console import Console
    from rich.text import Text

    console = Console(highlight=False, soft_wrap=True)
    for kind, text in lines:
        console.print(Text(cleaned(text), style=STYLES.get(kind, "")))


@contextmanager
def progress(what: str) -> Iterator[Any]:
    """A callback that draws a bar on standard error, where that is a terminal."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

    columns = (
        TextColumn("{task.description}"),
        BarColumn(),
        TextColumn("{task.fields[amount]}"),
        TimeElapsedColumn(),
    )
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None, amount="")

        def update(done: int, total: int | None, step: str) -> None:
            amount = _amount(done, total, step)
            bar.update(task, completed=done, total=total, description=step, amount=amount)

        yield update


def _amount(done: int, total: int | None, step: str) -> str:
    """How much is done: files where they are counted, else bytes."""
    if step.endswith("files"):
        return f"{done:,} of {total:,}" if total else f"{done:,}"
    return size_words(done) + (f" of {size_words(total)}" if total else "")
