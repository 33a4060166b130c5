"""A bar for what takes longer than a second: in a terminal or a notebook, nowhere else.

It is a callback for `progress`. Nothing is drawn for the first second, so that quick work leaves no
flicker, and nothing is left when it ends.
"""

from __future__ import annotations

import sys
import time
from threading import Lock, Timer
from types import TracebackType
from typing import Any, Protocol

from .text import size_words

DELAY = 1.0
"""Seconds before anything is drawn."""
OFTEN = 0.2
"""Seconds between two pictures in a notebook, each of which is a message to a browser."""
COUNTED = ("files", "variables", "cases", "rows")
"""Words that end a step which counts these; all others count bytes."""


class Place(Protocol):
    """Where a bar is drawn."""

    def draw(self, done: int, total: int | None, words: str, amount: str) -> None: ...

    def clear(self) -> None: ...


class ProgressBar:
    """Shows how far a step is, how fast it goes, and how long the rest takes.

    Draws on the terminal of standard error or in the notebook that it is used in; anywhere else it
    does nothing. As a context manager it also shows steps that tell no numbers.

    >>> import olive_crate as oc
    >>> len(oc.load(b"id\\n1\\n2\\n", progress=oc.ProgressBar()))
    2
    """

    def __init__(self, what: str = "reading") -> None:
        self._step, self._done = what, 0
        self._total: int | None = None
        self._began = self._step_began = time.monotonic()
        self._alone = Lock()
        self._place: Place | None = None
        self._drawn = 0.0
        self._timer: Timer | None = None
        self._kind = _kind()

    def __call__(self, done: int, total: int | None, step: str) -> None:
        """Take how far the step is; draw it where it is time to."""
        if self._kind is None:
            return
        with self._alone:
            if step != self._step or done < self._done:
                self._step_began = time.monotonic()
            self._step, self._done, self._total = step, done, total
            self._draw()
            if done == total and self._timer is None:
                self._clear()  # the caller may never say that it has ended

    def __enter__(self) -> ProgressBar:
        if self._kind is not None:
            self._later()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self._timer is not None:
            self._timer.cancel()
        with self._alone:
            self._kind = None
            self._clear()

    def _later(self) -> None:
        """Draw again after a while, also if nothing new is told."""
        self._timer = Timer(DELAY, self._tick)
        self._timer.daemon = True
        self._timer.start()

    def _tick(self) -> None:
        with self._alone:
            if self._kind is None:
                return
            self._draw()
        self._later()

    def _draw(self) -> None:
        now = time.monotonic()
        if now - self._began < DELAY or now - self._drawn < OFTEN or self._kind is None:
            return
        self._drawn = now
        if self._place is None:
            self._place = self._kind()
        spent = now - self._step_began
        words = amount_words(self._done, self._total, self._step, spent)
        self._place.draw(self._done, self._total, self._step, words)

    def _clear(self) -> None:
        if self._place is not None:
            self._place.clear()
            self._place = None
        self._began = time.monotonic()


def amount_words(done: int, total: int | None, step: str, seconds: float) -> str:
    """How much is done, at what rate, and what time is left.

    >>> amount_words(30_000_000, 90_000_000, "reading", 2.0)
    '30.0 MB of 90.0 MB, 15.0 MB/s, 4 s left'
    """
    if not done:
        return time_words(seconds)
    counts = next((word for word in COUNTED if step.endswith(word)), "")
    rate = done / seconds if seconds > 0 else 0.0
    if counts:
        amount = f"{done:,} of {total:,}" if total else f"{done:,}"
    else:
        amount = size_words(done) + (f" of {size_words(total)}" if total else "")
    each = f"{rate:,.{1 if rate < 10 else 0}f} {counts}" if counts else size_words(int(rate))
    left = f", {time_words((total - done) / rate)} left" if total and rate and total > done else ""
    return f"{amount}, {each}/s{left}"


def time_words(seconds: float) -> str:
    """A time as a person says it: `40 s`, `2 min 5 s`, `1 h 12 min`."""
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60} s"
    return f"{whole // 3600} h {whole % 3600 // 60} min"


def _kind() -> type[Terminal] | type[Notebook] | None:
    """Where there is somebody to look at a bar."""
    shell = sys.modules.get("IPython")
    if shell is not None and type(shell.get_ipython()).__name__ == "ZMQInteractiveShell":
        return Notebook
    return Terminal if sys.stderr is not None and sys.stderr.isatty() else None


class Terminal:
    """A bar on standard error."""

    def __init__(self) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn

        columns = (
            TextColumn("{task.description}"),
            BarColumn(30),
            TextColumn("{task.fields[amount]}"),
        )
        self._bar = Progress(*columns, console=Console(stderr=True), transient=True)
        self._task = self._bar.add_task("", total=None, amount="", visible=False)
        self._bar.start()

    def draw(self, done: int, total: int | None, words: str, amount: str) -> None:
        """Draw the bar anew."""
        known = total if done else None
        self._bar.update(
            self._task,
            completed=done,
            total=known,
            description=words,
            amount=amount,
            visible=True,
        )

    def clear(self) -> None:
        """Take it away."""
        self._bar.stop()


class Notebook:
    """A bar below a notebook's cell."""

    def __init__(self) -> None:
        from importlib import import_module

        shown = import_module("IPython.display")
        self._html: Any = shown.HTML
        self._handle: Any = shown.display(shown.HTML(""), display_id=True)

    def draw(self, done: int, total: int | None, words: str, amount: str) -> None:
        """Draw the bar anew."""
        value = f' value="{done}" max="{total}"' if done and total else ""
        from html import escape

        text = escape(f"{words}: {amount}")
        self._handle.update(self._html(f"<progress{value}></progress> <span>{text}</span>"))

    def clear(self) -> None:
        """Take it away."""
        self._handle.update(self._html(""))
