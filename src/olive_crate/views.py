"""How values show themselves: one hook, which `show` fills.

Values of any room say how they read (`str`, `print`) and how they look in a notebook. The wording
and the tables are the business of `show`, which lies above them. The package puts a function here
that fetches the views on first use, so that no value needs to know where they come from.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol


class Views(Protocol):
    """What `show` offers."""

    def text(self, value: Any) -> str:
        """The value as plain text."""

    def html(self, value: Any) -> str:
        """The value as HTML."""

    def form(self, value: Any, form: str) -> Any:
        """The value in another form, such as Markdown."""


_fetch: Callable[[], Views] | None = None


def fill(fetch: Callable[[], Views]) -> None:
    """Show values by the views that `fetch` gives; it is called on first use."""
    global _fetch
    _fetch = fetch


def text_of(value: Any) -> str:
    """The value as plain text, as `show` words it."""
    return object.__repr__(value) if _fetch is None else _fetch().text(value)


def html_of(value: Any) -> str:
    """The value as HTML, as a notebook shows it."""
    return object.__repr__(value) if _fetch is None else _fetch().html(value)


def form_of(value: Any, form: str) -> Any:
    """The value in another form that `show` knows of it. Raises `LookupError` for none."""
    if _fetch is None:
        raise LookupError(form)
    return _fetch().form(value, form)


class Worded:
    """A value that reads, and looks in a notebook, as `show` words it."""

    __slots__ = ()

    def __str__(self) -> str:
        return text_of(self)

    def _repr_html_(self) -> str:
        return html_of(self)
