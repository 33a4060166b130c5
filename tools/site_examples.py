"""Examples in docstrings as blocks of code, for the site's reference.

Docstrings hold their examples as the standard library's doctest reads them, without a heading. The
site's parser would take them for quotations.
"""

from __future__ import annotations

import re
from typing import Any

import griffe

EXAMPLE = re.compile(r"(?:^|\n\n)(?P<code>>>> .+?)(?=\n\n|\Z)", re.DOTALL)


class Examples(griffe.Extension):
    """Puts a fence around each example."""

    def on_object(self, *, obj: griffe.Object, **_: Any) -> None:
        """Rewrite the docstring of a module, a class or a function."""
        if obj.docstring is not None:
            obj.docstring.value = fenced(obj.docstring.value)


def fenced(text: str) -> str:
    """The text with its examples as blocks of Python at a prompt."""
    return EXAMPLE.sub(lambda match: f"\n\n```pycon\n{match['code']}\n```", text)
